"""Turns between directions, matrices and quaternions; balls that make room."""

import numpy as np
import pytest

from pirouette.kernels.geometry.place import compose, euler_to_quaternion, matrices_to_quaternions, turn_between
from pirouette.kernels.geometry.room import make_room
from pirouette.kernels.threads import use_threads

WAYS = np.random.default_rng(3).normal(size=(400, 3))
ALONG = np.array([[1, 0, 0], [0, 1, 0], [0, 0, 1], [-1, 0, 0], [0, -1, 0], [0, 0, -1]], float)


def axes(rotation):
    count = len(rotation)
    return compose(np.zeros((count, 3)), rotation, np.ones((count, 3)))[:, :, :3].astype(np.float64)


@pytest.mark.parametrize("axis", ALONG.tolist())
@pytest.mark.parametrize("is_upright", [True, False])
@pytest.mark.parametrize("ways", [WAYS, ALONG], ids=["any way", "along the axes"])
def test_the_axis_is_brought_onto_the_way(axis, is_upright, ways):
    turned = axes(turn_between(axis, ways, is_upright)) @ axis
    np.testing.assert_allclose(turned, ways / np.linalg.norm(ways, axis=1)[:, None], atol=1e-5)


def test_upright_turns_keep_the_side_level():
    level = axes(turn_between((0, 0, 1), WAYS, True))[:, 1, 0]
    np.testing.assert_allclose(level, 0, atol=1e-5)


def test_the_shortest_turn_is_no_longer_than_the_angle_between():
    rotation = turn_between((0, 0, 1), WAYS, False)
    angle = 2 * np.arccos(np.clip(np.abs(rotation[:, 3]), 0, 1))
    between = np.arccos(WAYS[:, 2] / np.linalg.norm(WAYS, axis=1))
    np.testing.assert_allclose(angle, between, atol=2e-3)


def test_quaternions_come_back_from_their_matrices():
    degrees = np.random.default_rng(4).uniform(-180, 180, (500, 3))
    rotation = euler_to_quaternion(degrees)
    back = matrices_to_quaternions(axes(rotation))
    same = np.abs((rotation * back).sum(axis=1))
    np.testing.assert_allclose(same, 1, atol=1e-5)


def test_half_turns_are_read_too():
    for axis in range(3):
        diagonal = -np.ones(3)
        diagonal[axis] = 1
        (found,) = matrices_to_quaternions(np.diag(diagonal)[None])
        assert abs(found[axis]) == pytest.approx(1)


def crowd(count=300):
    return np.random.default_rng(6).normal(size=(count, 3)).astype(np.float32) * 15


def test_balls_that_do_not_touch_stay_where_they_are():
    far = crowd() * 50
    np.testing.assert_array_equal(make_room(far, np.full(300, 0.5), np.ones(300), [1, 1, 1], 10), far)


def test_room_is_made_the_same_way_on_any_number_of_threads():
    found = []
    for count in (1, 3):
        with use_threads(count):
            found.append(make_room(crowd(9000), np.full(9000, 1.0), np.ones(9000), [1, 1, 1], 8).tobytes())
    assert found[0] == found[1]


def test_the_middle_of_a_crowd_stays_about_where_it_was():
    before = crowd()
    after = make_room(before, np.full(300, 3.0), np.ones(300), [1, 1, 1], 60)
    assert np.linalg.norm(after.mean(axis=0) - before.mean(axis=0)) < 0.05
    assert after.std() > before.std()


def test_balls_without_size_make_no_room():
    np.testing.assert_array_equal(make_room(crowd(), np.zeros(300), np.ones(300), [1, 1, 1], 5), crowd())
