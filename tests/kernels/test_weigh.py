"""Weights in compiled passes, against the same in plain numpy."""

import numpy as np
import pytest

from pirouette.kernels.geometry import weigh
from pirouette.kernels.rows import lattice, scaled_rows
from pirouette.kernels.threads import use_threads

POINTS = np.random.default_rng(5).normal(size=(50_000, 3)).astype(np.float32) * 60
ROWS = np.diag([1 / 80, 1 / 50, 1 / 90]).astype(np.float32)


def far_of(form, local):
    x, y, z = local.T
    aside = np.hypot(x, z)
    if form == weigh.BALL:
        return np.linalg.norm(local, axis=1)
    if form == weigh.BLOCK:
        return np.abs(local).max(axis=1)
    if form == weigh.COLUMN:
        return np.maximum(aside, np.abs(y))
    if form == weigh.FUNNEL:
        return np.maximum(np.where(y > -1, aside / np.maximum((y + 1) / 2, 1e-6), 9), np.abs(y))
    return np.hypot(aside - 0.8, y) / 0.2


@pytest.mark.parametrize("form", range(5))
def test_regions_are_those_of_numpy(form):
    found = weigh.region_weights(POINTS, [3, 4, 5], ROWS, form, 0.3, 0.4)
    local = (POINTS - [3, 4, 5]) @ ROWS.T
    np.testing.assert_allclose(found, np.clip((1 - far_of(form, local)) / 0.3, 0, 1), atol=2e-4)


def test_a_region_without_a_soft_edge_is_all_or_nothing():
    found = weigh.region_weights(POINTS, [0, 0, 0], ROWS, weigh.BALL, 0, 0.3)
    assert set(np.unique(found)) == {0, 1}


@pytest.mark.parametrize("fade", [0, 25])
def test_slabs_are_those_of_numpy(fade):
    found = weigh.between_weights(POINTS[:, 1], -20, 30, fade)
    outside = np.maximum(np.maximum(-20 - POINTS[:, 1], POINTS[:, 1] - 30), 0)
    np.testing.assert_allclose(found, np.clip(1 - outside / fade, 0, 1) if fade else outside <= 0, atol=1e-5)


@pytest.mark.parametrize("axis", range(3))
@pytest.mark.parametrize("middle", [0, 130, -725])
def test_sectors_are_those_of_numpy(axis, middle):
    found = weigh.angle_weights(POINTS, axis, middle, 80, 30)
    turn = np.degrees(np.arctan2(POINTS[:, (axis + 2) % 3], POINTS[:, (axis + 1) % 3]))
    away = np.abs((turn - middle + 180) % 360 - 180) - 40
    np.testing.assert_allclose(found, np.clip(1 - np.maximum(away, 0) / 30, 0, 1), atol=1e-3)


def test_distances_are_those_of_numpy():
    found = weigh.distances_to(POINTS, [1, 2, 3])
    np.testing.assert_allclose(found, np.linalg.norm(POINTS - [1, 2, 3], axis=1), rtol=1e-5)


JOINED = {
    weigh.PLUS: lambda a, b: np.minimum(a + b, 1),
    weigh.LESS: lambda a, b: np.maximum(a - b, 0),
    weigh.ONLY_WHERE: lambda a, b: a * b,
    weigh.MORE: np.maximum,
    weigh.FEWER: np.minimum,
    weigh.INSTEAD: lambda a, b: b,
    weigh.HALF_AND_HALF: lambda a, b: (a + b) / 2,
}


@pytest.mark.parametrize("how", JOINED)
@pytest.mark.parametrize("strength", [1, 0.4])
def test_joins_are_those_of_numpy(how, strength):
    a, b = np.random.default_rng(how).random((2, 40_000)).astype(np.float32)
    wanted = a + (JOINED[how](a, b) - a) * strength
    np.testing.assert_allclose(weigh.join_weights(a, b, how, strength), wanted, atol=1e-6)


def test_weights_are_the_same_bytes_on_any_number_of_threads():
    found = []
    for count in (1, 2, 5):
        with use_threads(count):
            found.append(weigh.region_weights(POINTS, [0, 0, 0], ROWS, weigh.RING, 0.5, 0.3).tobytes())
    assert len(set(found)) == 1


@pytest.mark.parametrize("amount", [[1, 2, 3], None])
@pytest.mark.parametrize("has_ways", [False, True])
def test_rows_are_scaled_by_a_weight_each_and_by_ways(amount, has_ways):
    rng = np.random.default_rng(1)
    amount = rng.random((700, 3)) if amount is None else np.array(amount)
    weights, ways = rng.random(700), rng.random((700, 3)) if has_ways else None
    wanted = amount * weights[:, None] * (ways if has_ways else 1)
    np.testing.assert_allclose(scaled_rows(amount, weights, ways), wanted, rtol=1e-5)


@pytest.mark.parametrize("offset", [0, 0.25, 0.5])
@pytest.mark.parametrize("counts", [(1, 1, 1), (3, 4, 2), (200, 90, 3)])
def test_a_lattice_is_centred_and_counted_along_x_first(counts, offset):
    apart = np.array([1.5, 2.0, 3.25], np.float32)
    places, cells = lattice(counts, apart, offset)
    steps = np.stack(np.meshgrid(*map(np.arange, counts), indexing="ij"), axis=-1).transpose(2, 1, 0, 3).reshape(-1, 3)
    last = np.array(counts) - 1
    wanted = steps - last / 2
    wanted[:, 0] += steps[:, 1] % 2 * offset
    np.testing.assert_allclose(places, wanted * apart, rtol=1e-6)
    np.testing.assert_allclose(cells, steps / np.maximum(last, 1), rtol=1e-6)
