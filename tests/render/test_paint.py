"""Pictures and gradients on surfaces, wires and dots."""

import io

import numpy as np
import pytest
from PIL import Image

from pirouette.assets.library import Asset, Library
from pirouette.checks import measure_seam
from pirouette.data import ProblemError
from pirouette.data.light import LIGHT_OF_BYTE
from pirouette.data.texture import Texture, covering, sample_pixels
from pirouette.document import read_scene
from pirouette.evaluate import evaluate
from pirouette.render import render_light
from tests.scenes import document, figure, keyed, look, step

SIZE = (200, 200)
# A lens of 36 mm: the plane of 100 × 100 at distance 100 fills the picture.
CAMERA = [{"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 100], "lens": 36}}]
RED, GREEN, BLUE, WHITE = (255, 0, 0), (0, 255, 0), (0, 0, 255), (255, 255, 255)
FOUR = [[RED, GREEN], [BLUE, WHITE]]


class Pictures(Library):
    """Pictures by id, made of rows of colours."""

    def __init__(self, **pictures):
        self.pictures = {f"{name}.png": np.array(rows, np.uint8) for name, rows in pictures.items()}

    def ids(self):
        return dict.fromkeys(self.pictures, "picture")

    def find(self, asset_id):
        out = io.BytesIO()
        Image.fromarray(self.pictures[asset_id]).save(out, "PNG")
        return Asset(asset_id, "picture", out.getvalue())


def checks(size, square):
    y, x = np.mgrid[0:size, 0:size] // square
    return np.repeat((((x + y) % 2) * 255)[..., None], 3, axis=2)


def scene_of(*figures, library=None, **more):
    more.setdefault("cameras", CAMERA)
    return read_scene(document(*figures, **more), library or Pictures(four=FOUR))


def painted(*steps, picture="four.png", **settings):
    looks = [look("surface", colour="#ffffff", paint="picture", picture=picture, **settings)]
    return figure(*(steps or [step("plane", across=3, up=5)]), looks=looks)


def drawn(*figures, samples=1, size=SIZE, **more):
    return render_light(evaluate(scene_of(*figures, **more), 0), size, samples, True)[..., :3]


def corners(picture):
    """The colours in the middle of the four quarters: upper left, upper right, lower left, lower right."""
    q, height = picture.shape[1] // 4, picture.shape[0] // 4
    return [tuple(np.round(picture[y, x]).astype(int)) for y in (height, 3 * height) for x in (q, 3 * q)]


ONES = [(1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 1)]


def test_a_picture_stands_upright_on_a_plane():
    assert corners(drawn(painted())) == ONES


@pytest.mark.parametrize(
    ("settings", "order"),
    [
        # Half a width to the right: the two columns change places. Turned by 90°, its top leads to the left.
        ({"slide_across": 0.5}, [1, 0, 3, 2]),
        ({"slide_up": 0.5}, [2, 3, 0, 1]),
        ({"slide_up": 3.0, "slide_across": -2.0}, [0, 1, 2, 3]),
        ({"paint_turn": 90}, [1, 3, 0, 2]),
        ({"paint_turn": 180}, [3, 2, 1, 0]),
    ],
)
def test_a_picture_is_moved_and_turned(settings, order):
    assert corners(drawn(painted(**settings))) == [ONES[k] for k in order]


def test_a_picture_lies_as_often_as_asked_and_mirrors_or_stops_beyond_its_edge():
    row = lambda beyond: drawn(painted(picture="two.png", across=4, beyond=beyond), library=two)[100, 12::25, 0]  # noqa: E731
    two = Pictures(two=[[(0, 0, 0), WHITE]])
    np.testing.assert_allclose(row("repeat"), [0, 1] * 4, atol=0.3)
    np.testing.assert_allclose(row("mirror"), [0, 1, 1, 0, 0, 1, 1, 0], atol=0.3)
    np.testing.assert_allclose(row("its edge"), [0, 1, 1, 1, 1, 1, 1, 1], atol=0.3)


def test_where_a_picture_is_transparent_the_colour_shows():
    holes = Pictures(four=[[(*RED, 255), (*GREEN, 0)], [(*BLUE, 0), (*WHITE, 255)]])
    looks = [look("surface", colour="#00ff00", paint="picture", picture="four.png")]
    found = corners(drawn(figure(step("plane"), looks=looks), library=holes))
    assert found == [(0, 0, 0), (0, 1, 0), (0, 1, 0), (0, 1, 0)]


def test_only_what_is_named_is_painted():
    shine = {"glow": 1, "glow_colour": "#ffffff"}
    for names, expected in ((["colour"], 2), (["glow"], 1), (["colour", "glow"], 0), ([], 2)):
        black = Pictures(four=[[(0, 0, 0)]])
        own = "#000000" if names == ["glow"] else "#ffffff"
        looks = [look("surface", colour=own, paint="picture", picture="four.png", painted=names, **shine)]
        found = drawn(figure(step("plane"), looks=looks), library=black)[100, 100, 0]
        assert found == pytest.approx({2: 1 + (not names), 1: 0, 0: 0}[expected], abs=1e-6)


def test_a_fine_pattern_far_away_is_its_mean_and_does_not_flicker():
    library = Pictures(four=checks(512, 1))
    far = [{"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 900], "lens": 36}}]
    tilted = {**painted(), "place": {"rotation": [20, 30, 0]}}
    found = drawn(tilted, library=library, cameras=far)
    inside = found[95:105, 95:105, 0]
    np.testing.assert_allclose(inside, 0.5, atol=0.01)


def test_levels_keep_the_mean_light_down_to_one_pixel():
    random = np.random.default_rng(3).integers(0, 256, (64, 32, 4), dtype=np.uint8)
    random[..., 3] = 255
    texture = Texture.of(covering(random), "k")
    assert [level.shape[:2] for level in texture.levels] == [(64 >> k, max(32 >> k, 1)) for k in range(7)]
    mean = LIGHT_OF_BYTE[random[..., :3]].mean(axis=(0, 1))
    np.testing.assert_allclose(LIGHT_OF_BYTE[texture.levels[-1][0, 0, :3]], mean, atol=0.01)


def test_pictures_that_are_too_large_are_shrunk():
    wide = np.zeros((4, 5000, 4), np.uint8)
    wide[:, :2500] = 255
    light = covering(wide)
    assert light.shape == (2, 2500, 3)
    # What is transparent counts as white.
    np.testing.assert_allclose(light, 1)
    wide[..., 3] = 255
    np.testing.assert_allclose(covering(wide).mean(), 0.5)


def test_samples_wrap_as_asked():
    ramp = np.repeat(np.array([[0], [255]], np.uint8)[None], 4, axis=2).reshape(1, 2, 4)
    places = [-0.25, 0.25, 0.75, 1.25]
    for beyond, expected in (("repeat", [1, 0, 1, 0]), ("mirror", [0, 0, 1, 1]), ("its edge", [0, 0, 1, 1])):
        np.testing.assert_allclose(sample_pixels(ramp, places, [0.5] * 4, beyond)[:, 0], expected, atol=1e-6)


@pytest.mark.parametrize(("kind", "turns"), [("sphere", 4), ("torus", 4), ("cylinder", 4), ("cone", 4)])
def test_a_picture_goes_round_a_form_without_a_seam(kind, turns):
    """Seen from above the picture's columns are equal sectors, also where its end meets its beginning."""
    stripes = Pictures(four=[[(0, 0, 0), WHITE] * turns])
    above = [{"id": "camera", "name": "Camera", "settings": {"position": [0, 300, 0], "lens": 36}}]
    found = drawn(painted(step(kind)), library=stripes, cameras=above, size=(400, 400))
    angles = (np.arange(720) + 0.5) / 720 * 2 * np.pi
    # For somebody who looks down, z leads to the foot of the picture.
    ring = found[(200 + 45 * np.cos(angles)).astype(int), (200 + 45 * np.sin(angles)).astype(int), 0]
    phase = np.arange(720) % (360 / turns * 2) / (360 / turns)
    clear = np.abs(phase % 1 - 0.5) < 0.3
    np.testing.assert_allclose(ring[clear], phase[clear] > 1, atol=0.35)


def test_every_side_of_a_box_shows_the_picture_upright():
    views = {"front": [0, 0, 150], "right": [150, 0, 0], "back": [0, 0, -150], "left": [-150, 0, 0]}
    for place in views.values():
        camera = [{"id": "camera", "name": "Camera", "settings": {"position": place, "lens": 36}}]
        assert corners(drawn(painted(step("box", parts=2)), cameras=camera)) == ONES


@pytest.mark.parametrize(("laid", "place"), [("along z", [0, 0, 100]), ("along x", [100, 0, 0])])
def test_a_picture_laid_along_an_axis_is_seen_upright_from_there(laid, place):
    plane = step("plane", facing=laid[-1])
    camera = [{"id": "camera", "name": "Camera", "settings": {"position": place, "lens": 36}}]
    assert corners(drawn(painted(plane, laid=laid), cameras=camera)) == ONES


def test_subdividing_keeps_the_picture_where_it_is():
    coarse = drawn(painted(step("plane", across=1, up=1)))
    fine = drawn(painted(step("plane", across=1, up=1), step("subdivide", times=3, surface="as it is")))
    np.testing.assert_allclose(fine, coarse, atol=1e-4)


def test_additive_surfaces_are_painted_too():
    assert corners(drawn(painted(blend="additive"))) == ONES


def test_copies_of_several_sources_keep_their_own_pictures():
    row = figure(step("plane", width=40), step("row", count=2, apart=[50, 0, 0]), looks=painted()["looks"])
    found = drawn(row)
    assert corners(found[:, :100]) == corners(found[:, 100:]) == ONES


def test_a_gradient_goes_along_the_wires_of_a_curve():
    stops = [{"at": 0, "colour": "#ff0000"}, {"at": 1, "colour": "#0000ff"}]
    looks = [look("wire", colour="#ffffff", width=40, paint="gradient", gradient=stops)]
    found = drawn(figure(step("line", start=[-45, 0, 0], end=[45, 0, 0], points=60), looks=looks))
    line = found[100, 20:180]
    assert np.all(np.diff(line[:, 0]) <= 1e-6)
    assert np.all(np.diff(line[:, 2]) >= -1e-6)
    assert line[0, 0] > 0.9
    assert line[-1, 2] > 0.9


def test_dots_take_the_colour_of_the_picture_at_their_points():
    looks = [look("dots", colour="#ffffff", size=300, paint="picture", picture="four.png")]
    found = drawn(figure(step("plane", width=50, height=50, across=1, up=1), looks=looks))
    # At the corner of a picture that repeats, its four pixels meet: the dots are their mean.
    np.testing.assert_allclose(found[50, 50], 0.5, atol=0.01)
    looks[0]["settings"]["beyond"] = "its edge"
    assert corners(drawn(figure(step("plane", width=50, height=50, across=1, up=1), looks=looks))) == ONES


@pytest.mark.parametrize(
    ("end", "beyond", "state"),
    [(1, "repeat", "closed"), (0.7, "repeat", "open"), (1, "its edge", "open"), (2, "mirror", "closed")],
)
def test_the_seam_knows_after_how_much_a_picture_looks_alike(end, beyond, state):
    slide = keyed((0, 0), (96, end), after="continue", before="continue")
    scene = scene_of(painted(slide_across=slide, beyond=beyond))
    assert measure_seam(scene).state == state


def test_a_missing_picture_is_named():
    with pytest.raises(ProblemError, match="there is no picture “gone.png”"):
        scene_of(painted(picture="gone.png"))


# Paint that lives in a guide's space


def lamp(**place):
    return {"id": "lamp", "name": "Lamp", "place": place}


IN_LAMP = {"laid": "along z", "lives_in": "lamp", "span": 100}


def test_paint_in_the_space_of_a_guide_covers_its_span_there():
    assert corners(drawn(painted(**IN_LAMP), guides=[lamp()])) == ONES
    wide = drawn(painted(**{**IN_LAMP, "span": 200}, beyond="its edge"), guides=[lamp(scale=[0.5, 0.5, 1])])
    assert corners(wide) == ONES


@pytest.mark.parametrize(
    ("place", "order"),
    [
        ({"position": [50, 0, 0]}, [1, 0, 3, 2]),
        ({"position": [0, 50, 20]}, [2, 3, 0, 1]),
        ({"rotation": [0, 0, 180]}, [3, 2, 1, 0]),
    ],
)
def test_paint_goes_with_the_guide_it_lives_in_and_the_figure_through_it(place, order):
    assert corners(drawn(painted(**IN_LAMP), guides=[lamp(**place)])) == [ONES[k] for k in order]
    # A figure and its camera that move as little as the guide does, the other way round, see the same.
    moved = [-value for value in place.get("position", [0, 0, 0])]
    if any(moved):
        camera = [
            {**CAMERA[0], "settings": {"position": [moved[0], moved[1], moved[2] + 100], "target": moved, "lens": 36}}
        ]
        away = {**painted(**IN_LAMP), "place": {"position": moved}}
        assert corners(drawn(away, guides=[lamp()], cameras=camera)) == [ONES[k] for k in order]


def test_each_copy_shows_its_own_part_of_paint_in_another_space():
    tiles = painted(
        step("plane", width=50, height=50), step("grid", columns=2, rows=2, layers=1, apart=[50, 50, 1]), **IN_LAMP
    )
    assert corners(drawn(tiles, guides=[lamp()])) == ONES
    # Laid by the form, every copy has the whole picture.
    assert corners(drawn(painted(*tiles["routine"]), guides=[lamp()])) != ONES


@pytest.mark.parametrize("kind", ["wire", "dots"])
def test_wires_and_dots_take_their_paint_from_another_space(kind):
    looks = [look(kind, colour="#ffffff", paint="picture", picture="four.png", beyond="its edge", **IN_LAMP)]

    def greens(x):
        net = figure(step("plane", across=2, up=2), looks=looks)
        picture = evaluate(scene_of(net, guides=[lamp(position=[x, 0, 0])]), 0)
        return picture.drawables[0].looks[0].point_tints[:, 1]

    # Right of the guide's middle the picture is green and white, left of it red and blue.
    assert greens(-60).min() > 0.6
    assert greens(60).max() < 0.4


def test_copies_with_paint_in_another_space_are_refused_before_they_fill_the_memory():
    many = painted(step("sphere", rings=400, segments=400), step("grid", columns=10, rows=10, layers=1), **IN_LAMP)
    with pytest.raises(ProblemError, match="figures/Thing/looks: this would make .* points"):
        evaluate(scene_of(many, guides=[lamp()]), 0)


@pytest.mark.parametrize("blend", ["normal", "additive"])
def test_a_floor_to_the_horizon_is_as_exact_in_one_face_as_in_many(blend):
    """A face is told around one sample: near and far from it the picture lies where it should."""
    eye = [{"id": "camera", "name": "Camera", "settings": {"position": [0, 30, 300], "lens": 36}}]
    found = []
    for parts in (1, 60):
        plane = step("plane", width=6000, height=9000, across=parts, up=parts)
        floor = {
            **painted(plane, blend=blend, across=60, up=90),
            "place": {"rotation": [-90, 0, 0], "position": [0, 0, -4260]},
        }
        found.append(drawn(floor, cameras=eye, size=(640, 240)))
    assert found[0][100:180].std() > 0.2
    np.testing.assert_allclose(found[0], found[1], atol=0.02)
