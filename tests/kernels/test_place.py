"""Quaternions and matrices against plain numpy."""

import numpy as np
import pytest

from pirouette.kernels.geometry.place import chain, compose, euler_to_quaternion, turned, turned_alike
from pirouette.kernels.rows import added_rows, moved_rows, pushed_rows, rows_of, scaled_rows


def rotation_matrix(degrees):
    x, y, z = np.radians(degrees)
    rx = np.array([[1, 0, 0], [0, np.cos(x), -np.sin(x)], [0, np.sin(x), np.cos(x)]])
    ry = np.array([[np.cos(y), 0, np.sin(y)], [0, 1, 0], [-np.sin(y), 0, np.cos(y)]])
    rz = np.array([[np.cos(z), -np.sin(z), 0], [np.sin(z), np.cos(z), 0], [0, 0, 1]])
    return rz @ ry @ rx


def random_turns(count=50):
    return np.random.default_rng(4).uniform(-720, 720, (count, 3))


def test_turns_go_about_x_then_y_then_z():
    turns = random_turns()
    zeros, ones = np.zeros((len(turns), 3)), np.ones((len(turns), 3))
    ours = compose(zeros, euler_to_quaternion(turns), ones)[:, :, :3]
    np.testing.assert_allclose(ours, [rotation_matrix(turn) for turn in turns], atol=3e-5)


@pytest.mark.parametrize("reach", [360, 1e5])
def test_sines_are_those_of_numpy(reach):
    turns = np.random.default_rng(3).uniform(-reach, reach, (2000, 3)).astype(np.float32)
    turns[:9] = np.arange(-360, 361, 90)[:, None]
    half = np.radians(turns[:, 0].astype(np.float64)) / 2
    turns[:, 1:] = 0
    ours = euler_to_quaternion(turns)
    # An angle of 1e5 degrees is known to float32 within 1/256 of a degree only.
    atol = 4e-7 if reach == 360 else 2e-4
    np.testing.assert_allclose(ours[:, 0], np.sin(half), atol=atol)
    np.testing.assert_allclose(ours[:, 3], np.cos(half), atol=atol)


def test_quaternions_have_length_one():
    np.testing.assert_allclose(np.linalg.norm(euler_to_quaternion(random_turns()), axis=1), 1, atol=1e-5)


def test_a_product_turns_by_the_right_one_first():
    turns = random_turns(2)
    both = compose(np.zeros((1, 3)), turned(euler_to_quaternion(turns[:1]), turns[1:]), np.ones((1, 3)))[0, :, :3]
    np.testing.assert_allclose(both, rotation_matrix(turns[0]) @ rotation_matrix(turns[1]), atol=5e-5)


def test_a_place_scales_then_turns_then_moves():
    place = compose([[1, 2, 3]], euler_to_quaternion([[0, 0, 90]]), [[2, 1, 1]])[0]
    np.testing.assert_allclose(place @ [1, 0, 0, 1], [1, 4, 3], atol=1e-6)


def test_rows_of_another_shape_are_refused():
    with pytest.raises(ValueError, match=r"shape \(5, 1\); allowed \(N, 3\)"):
        compose(np.zeros((5, 3)), euler_to_quaternion(np.zeros((5, 3))), np.ones((5, 1)))
    with pytest.raises(ValueError, match="2 and 3 rows"):
        turned(np.zeros((2, 4)), np.zeros((3, 3)))
    with pytest.raises(ValueError, match="4 and 4 and 1 rows"):
        pushed_rows(np.zeros((4, 3)), np.zeros((4, 3)), np.ones(1))
    with pytest.raises(ValueError, match=r"allowed \(N, 3\)"):
        added_rows(np.zeros((4, 3)), np.zeros((4, 1)))
    with pytest.raises(ValueError, match="5 and 5 and 4 rows"):
        rows_of(np.zeros(5), np.zeros(5), np.zeros(4))


@pytest.mark.parametrize("count", [0, 1, 70_001])
def test_rows_are_added_and_made_of_columns(count):
    left, right = np.random.default_rng(5).normal(size=(2, count, 3)).astype(np.float32)
    np.testing.assert_array_equal(added_rows(left, right), left + right)
    np.testing.assert_array_equal(rows_of(*left.T), left)


def test_one_amount_by_weight_is_the_same_as_amounts_for_each():
    rng = np.random.default_rng(6)
    rows, weights = rng.normal(size=(140_000, 3)), rng.random(140_000)
    amounts = scaled_rows((20, -70, 135), weights)
    np.testing.assert_allclose(moved_rows(rows, (20, -70, 135), weights), added_rows(rows, amounts), atol=2e-5)
    turns = euler_to_quaternion(rows * 90)
    np.testing.assert_allclose(turned_alike(turns, (20, -70, 135), weights), turned(turns, amounts), atol=1e-6)


def test_a_chain_is_every_outer_with_every_inner():
    rng = np.random.default_rng(2)
    outer, inner = rng.normal(size=(3, 3, 4)), rng.normal(size=(4, 3, 4))
    ours = chain(outer, inner)
    full = [np.vstack([m, [0, 0, 0, 1]]) for m in (*outer, *inner)]
    plain = [(full[o] @ full[3 + i])[:3] for o in range(3) for i in range(4)]
    np.testing.assert_allclose(ours, plain, atol=1e-5)
