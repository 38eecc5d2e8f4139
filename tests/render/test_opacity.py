"""What is not opaque: its share of the picture, its order, and that it does not depend on how it is drawn."""

import numpy as np
import pytest

from pirouette.evaluate import evaluate
from pirouette.kernels.threads import use_threads
from pirouette.render import render_light
from tests.scenes import clause, field, figure, look, scene, step

SIZE = (160, 90)
WHITE = [look("surface", colour="#ffffff")]


def picture(*figures, samples=16, size=SIZE, **more):
    return render_light(evaluate(scene(*figures, **more), 0), size, samples, is_flat=True)


def sheet(opacity, z=0.0, colour="#ffffff", name="Sheet"):
    steps = step("plane", width=3000, height=3000, across=1, up=1), step("row", count=1), step("shift", opacity=opacity)
    return figure(*steps, looks=[look("surface", colour=colour)], name=name, place={"position": [0, 0, z]})


@pytest.mark.parametrize("opacity", [0.1, 0.35, 0.5, 0.8])
def test_a_sheet_lets_its_share_of_the_ground_through(opacity):
    found = picture(sheet(opacity), samples=1)
    np.testing.assert_allclose(found[..., 0], opacity, atol=1e-5)


def test_sheets_behind_each_other_mix_as_light_through_paper_does():
    front, back = sheet(0.5, 20, "#ff0000", "Front"), sheet(0.4, 0, "#00ff00", "Back")
    for figures in ((front, back), (back, front)):
        np.testing.assert_allclose(picture(*figures)[..., :3] - [0.5, 0.2, 0], 0, atol=1e-5)


def test_the_order_of_figures_does_not_matter():
    front, back = sheet(0.5, 20, "#ff0000", "Front"), sheet(1, 0, "#0000ff", "Back")
    np.testing.assert_array_equal(picture(front, back), picture(back, front))


def test_opacity_one_is_the_same_as_none():
    plain = figure(step("box"), step("row", count=3))
    whole = figure(step("box"), step("row", count=3), step("shift", opacity=1))
    np.testing.assert_array_equal(picture(plain), picture(whole))


def test_nothing_of_opacity_zero_is_drawn():
    assert picture(sheet(0))[..., :3].max() == 0


def test_the_far_side_of_a_closed_form_is_seen_through_its_near_side():
    steps = step("box", width=60, height=60, depth=60), step("row", count=1), step("shift", opacity=0.5)
    ball = figure(step("sphere", radius=28), looks=[look("surface", colour="#ff0000")], name="Inside")
    found = picture(figure(*steps, looks=[look("surface", colour="#00ff00")]), ball, samples=32)
    # Half of the ball, and half of half of the far side where there is no ball.
    np.testing.assert_allclose(found[42:48, 77:83, :3] - [0.5, 0.5, 0], 0, atol=1e-5)
    np.testing.assert_allclose(found[38, 72, :3], [0, 0.75, 0], atol=1e-5)


def test_soft_limits_of_a_look_fade_from_point_to_point():
    soft = field("Soft", clause("between", start=-1000, end=0, fade=200))
    plane = figure(
        step("plane", width=400, height=400, across=20, up=2), looks=[{**look("surface"), "only_where": "soft"}]
    )
    row = picture(plane, fields=[soft], samples=64)[45, :, 0]
    inside = row[row > 0] / row.max()
    assert (np.diff(inside[len(inside) // 2 :]) <= 0.08).all()
    # The very first pixel is cut by the edge of the plane.
    assert inside[2] > 0.9
    assert inside[-1] < 0.3


def test_wires_and_dots_fade_with_their_copies():
    looks = [look("wire", colour="#ffffff", width=8)]
    full, faint = (
        picture(figure(step("box", width=80), step("row", count=1), step("shift", opacity=o), looks=looks))[
            ..., 0
        ].sum()
        for o in (1, 0.25)
    )
    assert faint / full == pytest.approx(0.25, abs=0.06)


def test_points_keep_their_colours_as_wires():
    steps = (
        step("box", width=60),
        step("row", count=2),
        step("tint", gradient=[{"at": 0, "colour": "#ff0000"}]),
        step("twist", angle=1),
    )
    found = picture(figure(*steps, looks=[look("wire", colour="#ffffff", width=6)]))
    assert found[..., 0].max() > 0.8
    assert found[..., 1].max() < 0.05


def test_the_same_bytes_on_one_thread_and_on_several():
    found = []
    for count in (1, 2):
        with use_threads(count):
            found.append(picture(sheet(0.4), figure(step("sphere"), name="Ball")).tobytes())
    assert found[0] == found[1]


FLOOR = (
    step("plane", width=3000, height=3000, across=1, up=1),
    step("row", count=1),
    step("shift", opacity=0.3, turn=[-90, 0, 0]),
)
OVER_IT = [{"id": "camera", "name": "Camera", "settings": {"position": [0, 90, 420], "target": [0, 0, 0]}}]


def test_a_floor_that_reaches_behind_the_eye_is_as_open_there_as_elsewhere():
    found = picture(figure(*FLOOR, looks=WHITE), cameras=OVER_IT, samples=64)[..., 0]
    # All rows below the horizon, down to the foot of the picture, where the faces come from behind the eye.
    np.testing.assert_allclose(found[60:], 0.3, atol=1e-5)


def test_opacity_that_differs_from_point_to_point_is_cut_with_the_face():
    looks = [{**look("surface", colour="#ffffff"), "only_where": "soft"}]
    steps = (step("plane", width=3000, height=3000, across=1, up=1), step("twist", angle=0))
    whole = {"place": {"rotation": [-90, 0, 0]}}
    ramp = field("Soft", clause("rule", weight={"sort": "formula", "text": "0.5 + x / 3000"}))
    found = picture(figure(*steps, looks=looks, **whole), cameras=OVER_IT, fields=[ramp], samples=64)[-1, :, 0]
    # At the foot of the picture the floor is 3000 wide from side to side only far away: x is small, and grows evenly.
    steps_across = np.diff(found)
    assert found[80] == pytest.approx(0.5, abs=1e-3)
    assert steps_across.min() > 0
    assert found[-1] == pytest.approx(1 - found[0], abs=1e-3)


@pytest.mark.parametrize("blend", ["additive", "normal"])
def test_what_lies_on_a_surface_is_seen_all_over_it(blend):
    """Both are one form, so which of them is nearer is left to rounding."""
    form = [step("sphere", form="even", parts=40), step("displace", strength=12, size=60)]
    black, upper = look("surface", colour="#000000"), look("surface", colour="#bcbcbc", blend=blend)
    opacity = 1 if blend == "additive" else 0.5
    below = figure(*form, looks=[black], name="Below")
    above = figure(*form, step("row", count=1), step("shift", opacity=opacity), looks=[upper], name="Above")
    size = (640, 360)
    inside = picture(figure(*form, looks=WHITE), size=size, samples=4)[..., 0] > 0.999
    seen = picture(below, above, size=size, samples=4)[..., 0][inside]
    assert len(seen) > 5_000
    assert seen.min() > 0.49 * opacity
