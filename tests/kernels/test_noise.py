"""The noise kernels against a plain reference and against what noise must be."""

import numpy as np
import pytest

from pirouette.craft import NoiseSettings, sample_curl, sample_noise
from pirouette.craft.noise import PATTERNS
from pirouette.kernels.noise import gradient as noise
from pirouette.kernels.noise.cells import cell_noise
from pirouette.kernels.noise.curl import curl_noise
from pirouette.kernels.threads import use_threads
from pirouette.values import Moment

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


def curl(p, **more):
    given = {"octaves": 1, "gain": 0.5, "seeds": (1, 2, 3), "churn": 2.0, "time": 0.3, "wraps": True, **more}
    return curl_noise(p.astype(np.float32), INV, ZERO, **given).astype(np.float64)


def slope_of(field, p, axis, step=0.4):
    way = np.zeros(3)
    way[axis] = step
    return (field(p + way) - field(p - way)) / (2 * step)


@pytest.mark.parametrize("churn", [0.0, 2.5])
def test_turbulence_is_the_curl_of_its_three_noises_and_gathers_nowhere(churn):
    p = points(500).astype(np.float64)

    def potential(seed):
        return lambda q: noise.moving_noise(q.astype(np.float32), INV, ZERO, 1, 0.5, seed, churn, 0.3, True).astype(
            np.float64
        )

    s = {(n, axis): slope_of(potential(n + 1), p, axis) for n in range(3) for axis in range(3)}
    wanted = np.stack([s[2, 1] - s[1, 2], s[0, 2] - s[2, 0], s[1, 0] - s[0, 1]], axis=1)
    ours = curl(p, churn=churn)
    # Its strength is its own.
    scale = (ours * wanted).sum() / (wanted * wanted).sum()
    assert np.abs(ours - wanted * scale).max() < 0.02
    flow = lambda q: curl(q, churn=churn, octaves=3)  # noqa: E731
    parts = [slope_of(flow, p, axis)[:, axis] for axis in range(3)]
    assert np.abs(sum(parts)).mean() < 0.05 * np.abs(parts).mean()


def test_turbulence_has_no_drift_repeats_in_a_loop_and_is_mostly_shorter_than_one():
    p = points(100_000, size=20_000.0)
    flow = curl(p, octaves=3)
    lengths = np.linalg.norm(flow, axis=1)
    assert np.abs(flow.mean(axis=0)).max() < 0.01
    assert 0.4 < lengths.mean() < 0.7
    assert (lengths < 1).mean() > 0.9
    np.testing.assert_array_equal(curl(p[:100], time=0.0), curl(p[:100], time=1.0))
    assert np.abs(curl(p[:100], time=0.0) - curl(p[:100], time=0.5)).mean() > 0.1


def _plain_cells(p, seed):
    """The nearest two points and the number of the cell, one place after the other."""
    salt = int(np.random.SeedSequence(seed).generate_state(1, np.uint32)[0])
    own = np.floor(p).astype(np.int64)
    found = []
    for shift in np.ndindex(3, 3, 3):
        cell = own + np.array(shift) - 1
        h = _mix((cell[0] * 0x8DA6B343 & M32) ^ (cell[1] * 0xD8163841 & M32) ^ (cell[2] * 0xCB1AB31F & M32) ^ salt)
        found.append(np.linalg.norm(cell + np.array([h & 1023, h >> 10 & 1023, h >> 22]) / 1023 - p))
    return sorted(found)[:2]


def test_still_cells_equal_the_plain_reference():
    p = points(60)
    nearest, second, own = cell_noise(p, INV, ZERO, 7, 0.0, 0.0, True)
    plain = np.array([_plain_cells(one, 7) for one in (p * INV).astype(np.float64)])
    np.testing.assert_allclose(np.stack([nearest, second], axis=1), plain, atol=2e-4)
    assert own.min() >= 0
    assert own.max() <= 1


def test_cells_move_on_closed_rings_on_any_number_of_threads():
    p = points(50_000)
    start, end, middle = (cell_noise(p, INV, ZERO, 3, 2.5, time, True) for time in (0.0, 1.0, 0.5))
    for one, two in zip(start, end, strict=True):
        np.testing.assert_array_equal(one, two)
    assert np.abs(start[0] - middle[0]).mean() > 0.05
    with use_threads(1):
        alone = cell_noise(p, INV, ZERO, 3, 2.5, 0.5, True)
    np.testing.assert_array_equal(middle[0], alone[0])
    near, later = (cell_noise(p, INV, ZERO, 3, 2.5, time, True)[0] for time in (0.3, 0.301))
    assert np.abs(near - later).max() < 0.05


@pytest.mark.parametrize("pattern", PATTERNS)
@pytest.mark.parametrize("detail", [1, 4])
def test_every_pattern_is_about_minus_one_to_one_closes_its_loop_and_is_its_own(pattern, detail):
    p = points(20_000)
    settings = NoiseSettings({"pattern": pattern, "detail": detail, "churn": 2, "slide": [30, 0, 0]})
    start, end, middle = (sample_noise(p, settings.resolve(), Moment(frame, 48)) for frame in (0.0, 48.0, 24.0))
    np.testing.assert_array_equal(start, end)
    assert abs(start.mean()) < 0.2
    assert 0.15 < start.std() < 0.8
    assert np.abs(start).max() < 2.6
    assert np.abs(start - middle).mean() > 0.1
    soft = NoiseSettings({"detail": detail, "churn": 2, "slide": [30, 0, 0]})
    other = sample_noise(p, soft.resolve(), Moment(0.0, 48))
    assert (np.abs(start - other).mean() > 0.1) == (pattern != "soft")


@pytest.mark.parametrize("pattern", PATTERNS[1:5])
def test_turbulence_of_every_pattern_gathers_nowhere(pattern):
    settings = NoiseSettings({"pattern": pattern, "size": 60}).resolve()
    p = points(2000).astype(np.float64)
    flow = lambda q: sample_curl(q.astype(np.float32), settings, Moment()).astype(np.float64)  # noqa: E731
    # Over the way on which its own slopes are taken, where what is joined to what is the same.
    parts = [slope_of(flow, p, axis, 1.2)[:, axis] for axis in range(3)]
    assert np.median(np.abs(sum(parts))) < 0.1 * np.median(np.abs(parts))
    assert np.linalg.norm(flow(p), axis=1).mean() > 0.2
