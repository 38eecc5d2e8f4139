"""The noise kernels against a plain reference and against what noise must be."""

import numpy as np
import pytest

from pirouette.kernels.noise import gradient as noise
from pirouette.kernels.threads import use_threads

M32 = 0xFFFFFFFF
INV = np.full(3, 1 / 40, np.float32)
ZERO = np.zeros(3, np.float32)


def points(count=2000, seed=1, size=500.0):
    return (np.random.default_rng(seed).random((count, 3)) * size - size / 2).astype(np.float32)


def _mix(h):
    h ^= h >> 15
    h = h * 0x7FEB352D & M32
    return h ^ h >> 15


def _reference(p, seed):
    """One layer of still noise, written as plainly as it can be."""
    base = np.floor(p)
    salt = int(np.random.SeedSequence(seed).generate_state(1, np.uint32)[0])
    total = 0.0
    for corner in np.ndindex(2, 2, 2):
        cell = (base + corner).astype(np.int64)
        d = p - base - corner
        h = (cell[0] * 0x8DA6B343 ^ cell[1] * 0xD8163841 ^ cell[2] * 0xCB1AB31F) & M32 ^ salt
        h = _mix(h)
        slope = np.array([h & 1023, h >> 10 & 1023, h >> 22]) * (2 / 1023) - 1
        t = np.where(np.array(corner) == 0, 1 - (p - base), p - base)
        total += (t**3 * (t * (t * 6 - 15) + 10)).prod() * (slope @ d)
    return total * 1.35


def test_still_noise_equals_the_plain_reference():
    p = points(60)
    ours = noise.still_noise(p, INV, ZERO, 1, 0.5, 7)
    plain = [_reference(one, 7) for one in (p * INV).astype(np.float64)]
    # float32 against float64 through a fifth-degree fade.
    np.testing.assert_allclose(ours, plain, atol=2e-4)


def test_three_noises_at_once_are_those_of_their_seeds():
    p = points(40_000)
    together = noise.still_noise_vectors(p, INV, ZERO, 3, 0.5, (1, 2, 3))
    for column, seed in enumerate((1, 2, 3)):
        np.testing.assert_allclose(together[:, column], noise.still_noise(p, INV, ZERO, 3, 0.5, seed), atol=1e-6)


def test_noise_is_zero_at_lattice_corners():
    corners = np.stack(np.meshgrid(*[np.arange(-3, 4)] * 3), -1).reshape(-1, 3) * 40.0
    np.testing.assert_allclose(noise.still_noise(corners, INV, ZERO, 1, 0.5, 3), 0, atol=1e-6)


def test_noise_stays_near_minus_one_to_one_and_has_no_bias():
    values = noise.still_noise(points(100_000), INV, ZERO, 3, 0.5, 1)
    assert np.abs(values).max() < 1.3
    assert abs(values.mean()) < 0.01
    assert values.std() > 0.12


def test_noise_has_no_jump_between_close_points():
    p = points(5000)
    near = p + np.float32(0.01)
    difference = noise.still_noise(p, INV, ZERO, 4, 0.5, 1) - noise.still_noise(near, INV, ZERO, 4, 0.5, 1)
    assert np.abs(difference).max() < 0.02


def test_another_seed_is_another_pattern():
    p = points()
    one, two = (noise.still_noise(p, INV, ZERO, 1, 0.5, seed) for seed in (1, 2))
    assert abs(np.corrcoef(one, two)[0, 1]) < 0.1


def test_churn_of_zero_is_the_same_at_every_time():
    p = points()
    values = [noise.moving_noise(p, INV, ZERO, 2, 0.5, 1, 0.0, t, True) for t in (0.0, 0.3, 0.9)]
    # Blending a gradient with itself may round in its last bit.
    np.testing.assert_allclose(values[0], values[1], atol=1e-6)
    np.testing.assert_allclose(values[0], values[2], atol=1e-6)


@pytest.mark.parametrize("churn", [0.3, 0.7, 1.0, 2.5, 4.0, 11.3])
def test_any_churn_closes_exactly(churn):
    p = points()
    start = noise.moving_noise(p, INV, ZERO, 3, 0.5, 1, churn, 0.0, True)
    end = noise.moving_noise(p, INV, ZERO, 3, 0.5, 1, churn, 1.0, True)
    np.testing.assert_array_equal(start, end)


@pytest.mark.parametrize("churn", [0.7, 1.0, 4.0])
def test_the_pace_is_even_across_the_wrap(churn):
    p = points()
    h = 1e-3

    def at(t):
        return noise.moving_noise(p, INV, ZERO, 1, 0.5, 1, churn, t % 1.0, True)

    before, after = (at(1.0) - at(1.0 - h)) / h, (at(h) - at(0.0)) / h
    usual = (at(0.4 + h) - at(0.4)) / h
    # float32 differences over a thousandth of a turn carry some rounding.
    assert np.abs(before - after).max() < 0.2 * np.abs(usual).max() + 0.05


def test_more_churn_changes_more():
    p = points()

    def change(churn):
        return np.abs(
            noise.moving_noise(p, INV, ZERO, 1, 0.5, 1, churn, 0.0, True)
            - noise.moving_noise(p, INV, ZERO, 1, 0.5, 1, churn, 0.1, True)
        ).mean()

    assert 0 < change(0.5) < change(2.0) < change(8.0)


def test_noise_that_does_not_loop_goes_on_changing():
    p = points()
    times = [noise.moving_noise(p, INV, ZERO, 1, 0.5, 1, 1.0, t, False) for t in (0.0, 1.0, 2.0, 50.0)]
    for one, two in zip(times, times[1:], strict=False):
        assert np.abs(one - two).mean() > 0.05


@pytest.mark.parametrize("count", [0, 1, 7, 32768, 32769, 100_001])
def test_any_number_of_threads_gives_the_same_bytes(count):
    p = points(count)
    results = []
    for threads in (1, 2, 3):
        with use_threads(threads):
            results.append(noise.moving_noise(p, INV, ZERO, 2, 0.5, 1, 1.5, 0.4, True).tobytes())
    assert results[0] == results[1] == results[2]
    assert len(results[0]) == 4 * count
