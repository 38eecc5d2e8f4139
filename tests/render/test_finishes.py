"""What each finish makes of a picture, against what is known of it."""

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator

from pirouette import catalogue
from pirouette.evaluate import evaluate
from pirouette.kernels.render import spread
from pirouette.kernels.threads import use_threads
from pirouette.kinds.finishes.curves import smooth
from pirouette.render import finished, render_scene
from tests.scenes import figure, look, scene, step

KINDS = catalogue.FINISHES


def made(light, kind, frame=0, layers=None, **settings):
    picture = evaluate(scene(finish=[{"id": "one", "kind": kind, "settings": settings}]), frame)
    return finished(np.asarray(light, np.float32), picture, layers)


def noise(height=60, width=90, seed=1, top=0.9):
    light = np.random.default_rng(seed).random((height, width, 4)).astype(np.float32) * top
    light[..., 3] = 1
    return light


def lamp(height=121, width=201, at=None, brightness=1.0):
    light = np.zeros((height, width, 4), np.float32)
    light[..., 3] = 1
    row, column = at or (height // 2, width // 2)
    light[row, column, :3] = brightness
    return light


@pytest.mark.parametrize(
    ("kind", "settings"),
    [
        ("colour", {}), ("colour", {"hue": 360}), ("curves", {"all": [[0, 0], [1, 1]]}), ("fade", {"amount": 0}),
        ("grain", {"amount": 0}), ("fringe", {"amount": 0}), ("blur", {"width": 0}),
        ("curves", {"all": [[0, 0], [0.3, 0.3], [1, 1]], "blue": [[0, 0], [0.5, 0.5], [1, 1]]}),
    ],
)  # fmt: skip
def test_what_changes_nothing_leaves_the_picture_as_it_was(kind, settings):
    np.testing.assert_allclose(made(noise(), kind, **settings), noise(), atol=2e-4)


@pytest.mark.parametrize("kind", KINDS)
def test_finishes_make_the_same_bytes_on_any_number_of_threads_and_leave_their_picture_alone(kind):
    light, layers = noise(), {"depth": np.linspace(100, 3000, 60 * 90, dtype=np.float32).reshape(60, 90)}
    settings = {"by": "distance"} if kind == "blur" else {}
    before, found = light.copy(), []
    for count in (1, 2):
        with use_threads(count):
            found.append(made(light, kind, layers=layers, **settings))
    np.testing.assert_array_equal(light, before)
    assert found[0].tobytes() == found[1].tobytes()
    assert found[0].dtype == np.float32 and found[0].shape == light.shape


def test_without_saturation_all_is_grey_as_bright_as_it_was():
    grey = made(noise(), "colour", saturation=0)
    np.testing.assert_allclose(grey[..., 0], grey[..., 2], atol=2e-3)
    white = made(np.full((4, 4, 4), 0.6, np.float32), "colour", saturation=0)
    np.testing.assert_allclose(white[..., :3] / white[..., 3:], 1, atol=1e-3)


def test_vibrance_is_for_what_is_pale():
    pale, vivid = np.array([0.5, 0.45, 0.45, 1]), np.array([0.9, 0.02, 0.02, 1])
    row = np.stack([pale, vivid])[None].astype(np.float32)
    shown = made(row, "colour", vibrance=1)[0]
    apart = np.ptp(shown[:, :3], axis=1) / np.ptp(row[0, :, :3], axis=1)
    assert apart[0] > 1.6 and apart[1] < 1.1


def test_turning_a_hue_makes_red_green():
    shown = made([[[0.6, 0.05, 0.05, 1]]], "colour", hue=115)[0, 0]
    assert shown[1] > 3 * shown[0]


def test_lift_gain_and_gamma_say_what_black_white_and_between_become():
    row = np.array([[[0, 0, 0, 1], [0.25, 0.25, 0.25, 1], [1, 1, 1, 1]]], np.float32)
    lifted = made(row, "colour", lift=0.1, lift_colour="#ff0000", gain=0.5)[0, :, :3]
    np.testing.assert_allclose(lifted[0], [0.1, 0, 0], atol=1e-4)
    np.testing.assert_allclose(lifted[2], [0.5, 0.5, 0.5], atol=1e-3)
    np.testing.assert_allclose(made(row, "colour", gamma=2)[0, 1, :3], 0.5, atol=1e-3)


def test_curves_bend_what_a_screen_shows():
    grey = np.full((1, 1, 4), 0.5, np.float32)
    grey[..., 3] = 1
    # 0.5 is shown as 0.7354, which becomes 0.4, which is 0.1329 of white.
    shown = made(grey, "curves", all=[[0, 0], [0.7354, 0.4], [1, 1]])[0, 0]
    np.testing.assert_allclose(shown[:3], 0.1329, atol=2e-3)
    only = made(grey, "curves", all=[[0, 0], [1, 1]], red=[[0, 1], [1, 0]])[0, 0]
    assert only[0] < 0.1 and only[1] == pytest.approx(0.5, abs=1e-3)
    bright = np.full((1, 1, 4), 4.0, np.float32)
    bright[..., 3] = 1
    np.testing.assert_allclose(made(bright, "curves", all=[[0, 0], [1, 0.5]])[0, 0, :3], 4 * 0.2140, atol=5e-3)


def test_curves_run_by_the_handles_of_their_points():
    """An S of one cubic stretch, which is where the formula of such a stretch says."""
    t = 0.3
    share = 3 * t**2 * (1 - t) + t**3
    x = 3 * t * (1 - t) ** 2 * 0.6 + 3 * t**2 * (1 - t) * 0.4 + t**3
    grey = np.full((1, 1, 4), (x + 0.055) ** 2.4 / 1.055**2.4, np.float32)
    grey[..., 3] = 1
    bent = made(grey, "curves", all=[{"at": [0, 0], "leave": [0.6, 0]}, {"at": [1, 1], "arrive": [-0.6, 0]}])[0, 0]
    np.testing.assert_allclose(1.055 * bent[:3] ** (1 / 2.4) - 0.055, share, atol=3e-3)


def test_curves_are_smooth_through_their_points_and_never_beyond_them():
    points = np.array([[0, 0], [0.2, 0.05], [0.5, 0.9], [0.6, 0.9], [1, 1]])
    places = np.linspace(0, 1, 200)
    np.testing.assert_allclose(smooth(points, places), PchipInterpolator(*points.T)(places))
    assert smooth(points, places).max() <= 1
    step_up = smooth(np.array([[0, 0], [0.5, 0], [0.5, 1], [1, 1]]), np.array([0.49, 0.51]))
    np.testing.assert_allclose(step_up, [0, 1], atol=1e-6)


def test_a_fade_ends_in_its_colour_or_in_nothing():
    np.testing.assert_array_equal(made(noise(), "fade", amount=1)[0, 0], [0, 0, 0, 1])
    np.testing.assert_array_equal(made(noise(), "fade", amount=1, into="nothing"), np.zeros((60, 90, 4)))
    half = made(noise(), "fade", amount=0.5, colour="#ffffff")
    np.testing.assert_allclose(half[..., :3], noise()[..., :3] / 2 + 0.5, atol=1e-6)


def plain_grey(height, width, value=0.4):
    light = np.full((height, width, 4), value, np.float32)
    light[..., 3] = 1
    return light


def test_grain_is_other_in_each_frame_and_none_is_brighter_in_the_mean():
    grey = plain_grey(240, 320)
    one, other = made(grey, "grain", 3), made(grey, "grain", 4)
    assert np.abs(one - other).mean() > 0.005
    assert one[..., 0].mean() == pytest.approx(0.4, abs=2e-3)
    assert one[..., 0].std() > 0.01
    np.testing.assert_array_equal(made(grey, "grain", 3), one)
    np.testing.assert_array_equal(made(grey, "grain", 3, moves=False), made(grey, "grain", 4, moves=False))
    np.testing.assert_array_equal(made(plain_grey(9, 9, 0.0), "grain")[..., :3], 0)
    np.testing.assert_array_equal(made(grey, "grain", coloured=0)[..., 0], made(grey, "grain", coloured=0)[..., 2])


def test_specks_are_where_they_were_in_a_larger_picture():
    small = made(plain_grey(135, 240), "grain", size=24)[..., 1]
    large = made(plain_grey(270, 480), "grain", size=24)[..., 1]
    halved = large.reshape(135, 2, 240, 2).mean(axis=(1, 3))
    assert np.corrcoef(small.ravel(), halved.ravel())[0, 1] > 0.98


def test_a_fringe_draws_red_outwards_and_blue_inwards_and_loses_no_light():
    light = lamp(at=(60, 190))
    shown = made(light, "fringe", amount=4)
    across = np.arange(201)
    centres = [(shown[..., k].sum(axis=0) * across).sum() / shown[..., k].sum() for k in range(3)]
    assert centres[0] > centres[1] + 0.8 and centres[2] < centres[1] - 0.8
    assert centres[1] == pytest.approx(190, abs=0.3)
    np.testing.assert_allclose(shown[..., :3].sum(axis=(0, 1)), 1, rtol=0.15)
    middle = made(lamp(), "fringe", amount=4)
    np.testing.assert_allclose(middle[60, 100], lamp()[60, 100], atol=1e-3)


@pytest.mark.parametrize("sigma", [0.5, 1.7, 4.0, 9.0])
def test_a_blur_is_as_wide_as_it_says_and_loses_no_light(sigma):
    shown = spread.blur(lamp(257, 257), sigma)[..., 0].astype(np.float64)
    assert shown.sum() == pytest.approx(1, rel=1e-3)
    down, right = np.mgrid[0:257, 0:257]
    for axis in (down, right):
        middle = (shown * axis).sum()
        assert (shown * (axis - middle) ** 2).sum() == pytest.approx(sigma**2, rel=0.06)
        assert middle == pytest.approx(128, abs=0.6)


def test_a_blur_by_distance_keeps_what_is_sharp_sharp():
    light, depth = plain_grey(120, 160, 0.0), np.full((120, 160), 5000.0, np.float32)
    light[:, 80:, :3] = 1
    depth[:, 80:] = 800
    shown = made(light, "blur", layers={"depth": depth}, by="distance", width=20, sharp=800, over=100)
    np.testing.assert_allclose(shown[:, 80:], light[:, 80:], atol=1e-6)
    # Nor does it run into what is blurred.
    np.testing.assert_allclose(shown[:, :78, :3], 0, atol=1e-3)
    depth[:, 80:] = 5000
    both = made(light, "blur", layers={"depth": depth}, by="distance", width=20, sharp=800, over=100)
    assert both[60, 74, 0] > 0.1


def test_a_blur_by_distance_asks_for_distances_and_one_of_all_does_not():
    ball = figure(step("sphere", radius=40), looks=[look("surface")])
    for by, count in (("all", 0), ("distance", 1)):
        finish = [{"id": "blur", "kind": "blur", "settings": {"by": by, "sharp": 1}}]
        rendered = render_scene(scene(ball, finish=finish), 0, (96, 54), 1)
        assert len(rendered.layers) == count
        assert not np.array_equal(rendered.finished, rendered.light)
