"""Points packed into 16 bits each way."""

import numpy as np
import pytest

from pirouette.kernels.geometry.pack import pack_points

NORMALS = np.tile(np.float32([0, 0, 1]), (5, 1))


def unpacked(points):
    low, high = points.min(axis=0), points.max(axis=0)
    packed = pack_points(points, NORMALS, low, high)[: len(points) * 4].reshape(-1, 4)
    return low + packed[:, :3] / np.float32(65535) * (high - low)


@pytest.mark.parametrize("size", [1e30, 1.0, 1e-20])
def test_points_come_back_within_half_a_step_of_their_box(size):
    points = np.random.default_rng(2).random((5, 3), np.float32) * np.float32(size)
    assert np.abs(unpacked(points) - points).max() <= size / 65535 * 0.51


@pytest.mark.parametrize("size", [0.0, 1e-38, 1e-44])
def test_what_is_next_to_flat_is_packed_as_flat(size):
    points = np.zeros((5, 3), np.float32)
    points[:, 1] = np.linspace(0, 1, 5) * size
    with np.errstate(all="raise", under="ignore"):
        assert np.isfinite(unpacked(points)).all()
