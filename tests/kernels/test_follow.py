"""Points followed back by their names, boxes around them, and pictures wrapped around them."""

import numpy as np
import pytest

from pirouette.geometry.laid import around_faces
from pirouette.geometry.revolve import bow, revolve
from pirouette.kernels.geometry.box import box
from pirouette.kernels.geometry.follow import followed

FPS = 24


def at_time(time, births, order):
    """Points that were born at `births`, one a second apart along x, as they are at a time: in some order."""
    alive = [k for k in order if births[k] <= time]
    ages = np.array([time - births[k] for k in alive])
    places = np.array([[k, age / FPS, 0.0] for k, age in zip(alive, ages, strict=True)]).reshape(-1, 3)
    # Two births of one point share its seed.
    return places, np.array([k % 20 for k in alive]), ages, np.tile([0.0, 1.0, 0.0], (len(alive), 1))


@pytest.mark.parametrize("has_order", [True, False])
def test_points_are_where_they_were_whatever_their_order_was(has_order):
    rng = np.random.default_rng(2)
    births = {k: float(birth) for k, birth in enumerate(rng.integers(0, 40, 20))} | {k: 60.0 + k for k in range(20, 40)}
    order = lambda: list(range(40)) if has_order else list(rng.permutation(40))  # noqa: E731
    frames = np.arange(1.0, 90.0)
    now = at_time(90.0, births, order())
    times = [at_time(90.0 - back, births, order()) for back in frames]
    then = [np.concatenate(columns) for columns in zip(now, *times, strict=True)]
    starts = len(now[0]) + np.cumsum([0, *(len(one[0]) for one in times)])
    found = followed(now, then, starts, frames, FPS)
    for i, (place, age) in enumerate(zip(now[0], now[2], strict=True)):
        was_there = frames <= age
        np.testing.assert_allclose(found[was_there, i, 0], place[0], atol=1e-6)
        np.testing.assert_allclose(found[was_there, i, 1], (age - frames[was_there]) / FPS, atol=1e-6)
        assert np.isnan(found[~was_there, i][1:]).all()


def test_a_way_begins_where_a_point_was_born_between_two_times():
    now = at_time(10.0, {0: 7.5}, [0])
    times = [at_time(10.0 - back, {0: 7.5}, [0]) for back in (1.0, 2.0, 3.0, 4.0)]
    then = [np.concatenate(columns) for columns in zip(now, *times, strict=True)]
    starts = 1 + np.cumsum([0, *(len(one[0]) for one in times)])
    found = followed(now, then, starts, [1, 2, 3, 4], FPS)
    np.testing.assert_allclose(found[:3, 0, 1] * FPS, [1.5, 0.5, 0], atol=1e-5)
    assert np.isnan(found[3]).all()


def test_boxes_hold_all_points_and_those_of_none_hold_nothing():
    points = np.random.default_rng(0).normal(size=(100, 3)).astype(np.float32)
    low, high = box(points)
    np.testing.assert_array_equal(low, points.min(axis=0))
    np.testing.assert_array_equal(high, points.max(axis=0))
    assert low.dtype == np.float32
    low, high = box(points[:0])
    assert (low > high).all()


def test_no_face_of_a_ball_leads_back_across_the_picture_around_it():
    ball = revolve([bow((0, 0), 10, 90, -90, 6)], 12)
    places = around_faces(ball.points, ball.topology, 1).reshape(-1, 2)
    for first, last in zip(ball.topology.offsets, ball.topology.offsets[1:], strict=False):
        u = places[first:last, 0]
        assert np.ptp(u) < 1 / 12 + 1e-6
        corners = ball.topology.corners[first:last]
        poles = np.abs(ball.points[corners][:, [0, 2]]).max(axis=1) < 1e-6
        if poles.any():
            assert u[poles] == pytest.approx(u[~poles].mean(), abs=1e-6)
    # Somewhere the picture ends, so some lie beyond its edge.
    assert places[:, 0].max() == pytest.approx(1, abs=0.09)
    assert places[:, 0].max() >= 1
