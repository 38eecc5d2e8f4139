"""The functions that formulas may call. All take and give numbers or arrays of float64."""

import math

import numpy as np

from ..kernels.noise import moving_noise, still_noise

UNIT = np.ones(3, np.float32)


def _points(x, y, z):
    columns = np.broadcast_arrays(np.asarray(x, np.float64), y, z)
    return np.stack([column.ravel() for column in columns], axis=1).astype(np.float32), columns[0].shape


def noise(x, y, z):
    points, shape = _points(x, y, z)
    return still_noise(points, UNIT, np.zeros(3), 1, 0.5, 0).astype(np.float64).reshape(shape)


def loop_noise(cycles, seed, turn):
    """Noise over the loop that ends where it began, passing through about `cycles` other values."""
    seeds, turns = np.broadcast_arrays(np.asarray(seed, np.float64), turn)
    place = np.stack([rand(seeds.ravel()) * 997.0, np.full(seeds.size, 0.5), np.full(seeds.size, 0.5)], axis=1)
    churn = float(np.clip(np.max(cycles), 0.0, 1000.0))
    return (
        moving_noise(place, UNIT, np.zeros(3), 1, 0.5, 7, churn, float(turn), True)
        .astype(np.float64)
        .reshape(seeds.shape)
    )


def rand(seed):
    """A number in 0..1 that is always the same for the same seed; close seeds give unlike numbers."""
    bits = np.atleast_1d(np.asarray(seed, np.float64)).view(np.uint64).copy()
    with np.errstate(over="ignore"):
        bits ^= bits >> np.uint64(33)
        bits *= np.uint64(0xFF51AFD7ED558CCD)
        bits ^= bits >> np.uint64(33)
        bits *= np.uint64(0xC4CEB9FE1A85EC53)
        bits ^= bits >> np.uint64(33)
    result = (bits >> np.uint64(11)) * (1.0 / (1 << 53))
    return result.reshape(np.shape(seed)) if np.ndim(seed) else float(result[0])


def chances(count: int, seed, channel: float = 0.0) -> np.ndarray:
    """Return (N,) float64 in 0..1: the chance of each of N things, which follows from its number and a seed alone.

    channel  another one is another chance, with the same seed
    """
    return rand(np.arange(count) + 1 + channel * 0.137 + seed * 1_000_003.0)


def wave(turns):
    """Sine of whole turns; exactly 0 at every half turn."""
    if isinstance(turns, float):
        part = turns - math.floor(turns) if math.isfinite(turns) else math.nan
        return 0.0 if part in (0.0, 0.5) else math.sin(2 * math.pi * part)
    turns = np.asarray(turns, np.float64)
    part = turns - np.floor(turns)
    return np.where((part == 0) | (part == 0.5), 0.0, np.sin(2 * np.pi * part))


def step(edge, value):
    return np.where(np.asarray(value) >= edge, 1.0, 0.0)


def smooth(low, high, value):
    t = np.clip((np.asarray(value, np.float64) - low) / (np.asarray(high, np.float64) - low), 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


def remap(value, low, high, new_low, new_high):
    return new_low + (np.asarray(value, np.float64) - low) / (np.asarray(high, np.float64) - low) * (
        np.asarray(new_high, np.float64) - new_low
    )


def choose(condition, when_true, when_false):
    return np.where(np.asarray(condition) != 0, when_true, when_false)


def fold(function):
    def folded(*arguments):
        result = arguments[0]
        for argument in arguments[1:]:
            result = function(result, argument)
        return result

    return folded


# name: (function, fewest arguments, most arguments)
FUNCTIONS = {
    "sin": (np.sin, 1, 1),
    "cos": (np.cos, 1, 1),
    "tan": (np.tan, 1, 1),
    "asin": (np.arcsin, 1, 1),
    "acos": (np.arccos, 1, 1),
    "atan2": (np.arctan2, 2, 2),
    "sqrt": (np.sqrt, 1, 1),
    "abs": (np.abs, 1, 1),
    "sign": (np.sign, 1, 1),
    "min": (fold(np.minimum), 2, 8),
    "max": (fold(np.maximum), 2, 8),
    "floor": (np.floor, 1, 1),
    "ceil": (np.ceil, 1, 1),
    "round": (np.round, 1, 1),
    "mod": (np.mod, 2, 2),
    "fract": (lambda x: x - np.floor(x), 1, 1),
    "clamp": (lambda x, low, high: np.minimum(np.maximum(x, low), high), 3, 3),
    "mix": (lambda a, b, t: a + (np.asarray(b) - a) * t, 3, 3),
    "map": (remap, 5, 5),
    "smooth": (smooth, 3, 3),
    "step": (step, 2, 2),
    "pow": (lambda a, b: np.power(np.asarray(a, np.float64), b), 2, 2),
    "exp": (np.exp, 1, 1),
    "log": (np.log, 1, 1),
    "length": (lambda *parts: np.sqrt(sum(np.square(part) for part in parts)), 2, 3),
    "wave": (wave, 1, 1),
    "noise": (noise, 1, 3),
    "loop_noise": (loop_noise, 1, 2),
    "rand": (rand, 1, 1),
    "if": (choose, 3, 3),
}
