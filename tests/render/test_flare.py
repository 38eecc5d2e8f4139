"""Flares: where their source is, what hides it, and what belongs to them."""

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.render import render_scene
from tests.scenes import figure, look, scene, step

SIZE = (320, 180)
PLAIN = {"rays": 0, "doubles": 0, "halo": 0}
LAMP = [{"id": "lamp", "name": "Lamp", "place": {"position": [70, 30, 0]}}]


def drawn(*figures, lights=(), guides=LAMP, samples=1, size=SIZE, **settings):
    flare = {"id": "flare", "kind": "flare", "settings": {"source": "lamp", **settings}}
    made = scene(*figures, lights=list(lights), guides=guides, finish=[flare])
    return render_scene(made, 0, size, samples)


def brightest(picture):
    row, column = np.unravel_index(picture[..., :3].sum(axis=-1).argmax(), picture.shape[:2])
    return int(column), int(row)


def place_of(picture_list, there, size=SIZE):
    x, y, w = picture_list.view.screen_matrix(*size) @ [*there, 1]
    return x / w, y / w


def test_the_source_is_where_its_guide_is():
    rendered = drawn(**PLAIN)
    assert brightest(rendered.finished) == pytest.approx(place_of(rendered.picture, (70, 30, 0)), abs=1)
    assert rendered.light[..., :3].max() == 0


def test_a_flare_is_alike_in_pictures_of_any_size():
    small, large = drawn().finished, drawn(size=(640, 360)).finished
    halved = large.reshape(180, 2, 320, 2, 4).mean(axis=(1, 3))
    assert np.abs(halved - small)[..., :3].mean() < 0.003
    assert small[..., :3].mean() > 0.004


def plate(z):
    return figure(step("plane", width=60, height=60), looks=[look("surface", colour="#000000")], name="Plate",
                  place={"position": [70, 30, z]})  # fmt: skip


def test_what_stands_before_the_source_hides_it_unless_it_shall_not():
    open_sky = drawn(**PLAIN).finished[..., :3].sum()
    assert drawn(plate(-20), **PLAIN).finished[..., :3].sum() == pytest.approx(open_sky, rel=1e-3)
    assert drawn(plate(20), **PLAIN).finished[..., :3].sum() == 0
    assert drawn(plate(20), hides=False, **PLAIN).finished[..., :3].sum() == pytest.approx(open_sky, rel=1e-3)
    half = figure(step("plane", width=60, height=60), looks=[look("surface", colour="#000000")], name="Plate",
                  place={"position": [100, 30, 5]})  # fmt: skip
    assert 0.2 < drawn(half, **PLAIN).finished[..., :3].sum() / open_sky < 0.8


def test_a_figure_does_not_hide_the_light_that_it_is_itself():
    ball = figure(step("sphere", radius=20), looks=[look("surface", colour="#000000")], name="Ball")
    assert drawn(ball, source="ball", **PLAIN).finished[..., :3].sum() > 1


def test_the_source_can_be_left_out_and_what_it_makes_stays():
    whole, rest = drawn().finished, drawn(shows=False).finished
    x, y = brightest(drawn(**PLAIN).finished)
    assert whole[y, x, 0] > rest[y, x, 0] + 1
    assert rest[..., :3].max() > 0.1
    away = np.hypot(*(np.mgrid[0:180, 0:320] - np.array([y, x])[:, None, None])) > 60
    np.testing.assert_allclose(whole[away], rest[away], atol=0.02)


def test_doubles_lie_on_the_line_through_the_middle():
    only = drawn(shows=False, rays=0, halo=0, doubles=12, double_size=3).finished[..., :3].sum(axis=-1)
    rows, columns = np.nonzero(only > 0.05)
    x, y = place_of(drawn(**PLAIN).picture, (70, 30, 0))
    way = np.array([x - 160, y - 90]) / np.hypot(x - 160, y - 90)
    beside = (columns + 0.5 - 160) * way[1] - (rows + 0.5 - 90) * way[0]
    assert len(rows) > 50 and np.abs(beside).max() < 8


def test_a_flare_goes_as_its_source_leaves_the_picture_and_is_not_behind_the_eye():
    def light(x, z=0.0):
        guides = [{"id": "lamp", "name": "Lamp", "place": {"position": [x, 0, z]}}]
        return drawn(guides=guides, rays=0, doubles=0).finished[..., :3].sum()

    assert light(0) > light(190) > 0 == light(2000)
    assert light(0, 5000.0) == 0


def test_a_sun_and_a_key_light_can_be_its_source():
    sun = {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"around": 180, "above": 0}}
    key = {"id": "key", "name": "Key", "kind": "key", "settings": {"position": [-50, 0, 0]}}
    for light, way in ((sun, None), (key, (-50, 0, 0))):
        rendered = drawn(lights=[light], source=light["id"], **PLAIN)
        view = rendered.picture.view
        there = way or view.position + np.array([0, 0, -1e6])
        assert brightest(rendered.finished) == pytest.approx(place_of(rendered.picture, there), abs=1)


def test_a_source_that_is_not_there_is_named():
    with pytest.raises(ProblemError, match="there is no light or guide or figure “nowhere”"):
        drawn(source="nowhere")
