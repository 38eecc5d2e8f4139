"""Smears: only what moves fast, only its back, without a leap at the first frame."""

import numpy as np
import pytest

from pirouette.document import read_scene
from pirouette.evaluate import Evaluator, Memo
from tests.scenes import document, figure, formula, keyed, step, swing

BALL = step("sphere", rings=24, segments=48)
PLAIN = {"begins_at": 10, "full_at": 100, "history": 1, "spikes": [[0, 1], [1, 1]], "facing": [[0, 0], [1, 1]]}


def at(frame, place, loops=False, **settings):
    raw = document(figure(BALL, step("smear", **{**PLAIN, **settings}), place=place))
    raw["clock"] = {"fps": 24, "frames": 48, "loops": loops}
    scene = read_scene(raw)
    ev = Evaluator(scene, frame, Memo())
    plain = ev.shape_before(scene.figures[0], 1)
    return ev.shape_of(scene.figures[0]), plain


SWEEP = {"position": [keyed((0, 0), (48, 480)), 0, 0]}


def test_the_back_of_what_moves_is_drawn_back_in_proportion_to_its_speed():
    mesh, plain = at(20, SWEEP, length=0.5)
    assert mesh.at_points["speed"] == pytest.approx(240, rel=1e-4)
    drawn = plain.points - mesh.points
    away = np.clip(-plain.normals[:, 0], 0, 1)
    np.testing.assert_allclose(drawn[:, 0], away * 240 * 0.5 / 3, atol=0.02)
    np.testing.assert_allclose(drawn[:, 1:], 0, atol=1e-3)
    np.testing.assert_allclose(mesh.at_points["facing"], away, atol=1e-4)


def test_slow_motion_does_not_smear_and_between_two_speeds_it_comes_gently():
    slow, plain = at(20, {"position": [keyed((0, 0), (48, 19)), 0, 0]})
    np.testing.assert_array_equal(slow.points, plain.points)
    half, _ = at(20, {"position": [keyed((0, 0), (48, 110)), 0, 0]})
    assert half.at_points["smear"].max() == pytest.approx(0.5, abs=0.01)


def test_the_first_frame_of_what_plays_once_has_no_leap_and_a_loop_knows_what_was_before():
    for history in (1, 6):
        mesh, plain = at(0, SWEEP, history=history)
        np.testing.assert_array_equal(mesh.points, plain.points)
        later, _ = at(1, SWEEP, history=history)
        assert later.at_points["speed"].max() == pytest.approx(240, rel=1e-3)
    swung, _ = at(0, {"position": [swing(0, 100), 0, 0]}, loops=True)
    assert swung.at_points["speed"].max() == pytest.approx(100 * 2 * np.pi / 2, rel=0.02)


def test_a_longer_history_goes_on_after_the_motion_has_ended():
    stops = {"position": [formula("10 * min(frame, 12)"), 0, 0]}
    assert at(14, stops, history=1)[0].at_points["speed"].max() == 0
    kept = [at(frame, stops, history=6)[0].at_points["speed"].max() for frame in (12, 14, 16, 18, 19)]
    assert (np.diff(kept) < 0).all() or kept[-1] == 0
    assert kept[0] > kept[2] > 0
    assert kept[-1] == 0


def test_spikes_stay_on_the_form_and_scale_with_it():
    settings = {"spikes": [[0, 1], [1, 0]], "spike_size": 0.2}
    one, two = (at(frame, SWEEP, **settings)[0].at_points["spikes"] for frame in (10, 30))
    np.testing.assert_array_equal(one, two)
    assert np.ptp(one) > 0.4
    turning, _ = at(20, {"rotation": [0, 0, keyed((0, 0), (48, 720))]}, **settings)
    # Turning, each side moves its own way: nothing at the poles, most at the rim.
    speed = turning.at_points["speed"]
    rim = np.linalg.norm(at(20, {})[1].points[:, :2], axis=1)
    assert np.corrcoef(speed, rim)[0, 1] > 0.99
