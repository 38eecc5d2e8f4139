"""The functions that formulas may call. All take and give numbers or arrays of float64."""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..kernels.noise.gradient import moving_noise, still_noise

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


@dataclass(frozen=True)
class Function:
    """One function of the formula language.

    run        what computes it
    arguments  their names as they are told; those in brackets may be left out
    words      what it gives
    example    a call, and what it gives
    """

    run: Callable
    arguments: str
    words: str
    example: tuple[str, float]

    @property
    def most(self) -> int:
        return MOST_VALUES if self.arguments.endswith("…") else self.arguments.count(",") + 1

    @property
    def fewest(self) -> int:
        needed, _, _ = self.arguments.partition("[")
        return 2 if needed.endswith("…") else needed.count(",") + 1


MOST_VALUES = 8
_ANGLE = "an angle in radians"
FUNCTIONS = {
    "wave": Function(
        wave, "turns", "the sine of whole turns: 0 at 0, 1 at a quarter, −1 at three quarters", ("wave(0.25)", 1)
    ),
    "noise": Function(
        noise, "x[, y, z]",
        "smooth noise at a place, about −1 to 1, its features about 1 wide; y and z are 0.5 if left out",
        ("noise(3) == noise(3)", 1),
    ),
    "loop_noise": Function(
        loop_noise, "cycles[, seed]", "noise over the loop that ends where it began, after about so many other values",
        ("abs(loop_noise(2, 5)) <= 1", 1),
    ),
    "rand": Function(rand, "seed", "a number in 0 to 1, always the same for the same seed", ("rand(1) == rand(1)", 1)),
    "map": Function(
        remap, "value, low, high, new low, new high",
        "the value brought from one range to another, and beyond its ends too", ("map(5, 0, 10, 100, 200)", 150),
    ),
    "mix": Function(
        lambda a, b, t: a + (np.asarray(b) - a) * t, "a, b, share", "a at share 0, b at share 1, even in between",
        ("mix(10, 20, 0.3)", 13),
    ),
    "smooth": Function(
        smooth, "low, high, value", "0 up to low, 1 from high on, and a soft rise between them",
        ("smooth(0, 10, 5)", 0.5),
    ),
    "step": Function(step, "edge, value", "0 below the edge, 1 from it on", ("step(3, 4)", 1)),
    "clamp": Function(
        lambda x, low, high: np.minimum(np.maximum(x, low), high), "value, low, high", "the value kept within a range",
        ("clamp(12, 0, 10)", 10),
    ),
    "if": Function(
        choose, "condition, a, b", "a where the condition is true (not 0), else b", ("if(2 > 1, 10, 20)", 10)
    ),
    "min": Function(fold(np.minimum), "a, b, …", "the least of up to eight numbers", ("min(3, 1, 2)", 1)),
    "max": Function(fold(np.maximum), "a, b, …", "the greatest of up to eight numbers", ("max(3, 1, 2)", 3)),
    "abs": Function(np.abs, "x", "the number without its sign", ("abs(-3)", 3)),
    "sign": Function(np.sign, "x", "−1, 0 or 1", ("sign(-3)", -1)),
    "floor": Function(np.floor, "x", "the whole number below", ("floor(2.7)", 2)),
    "ceil": Function(np.ceil, "x", "the whole number above", ("ceil(2.2)", 3)),
    "round": Function(np.round, "x", "the nearest whole number; of two, the even one", ("round(2.7)", 3)),
    "mod": Function(np.mod, "a, b", "what is left of a after whole steps of b, with the sign of b", ("mod(7, 3)", 1)),
    "fract": Function(lambda x: x - np.floor(x), "x", "the part after the point, 0 to 1", ("fract(2.25)", 0.25)),
    "sqrt": Function(np.sqrt, "x", "the square root of 0 and more", ("sqrt(9)", 3)),
    "pow": Function(
        lambda a, b: np.power(np.asarray(a, np.float64), b), "a, b", "a to the power of b", ("pow(2, 3)", 8)
    ),
    "exp": Function(np.exp, "x", "e to the power of x", ("exp(0)", 1)),
    "log": Function(np.log, "x", "the natural logarithm of a number above 0", ("log(1)", 0)),
    "length": Function(
        lambda *parts: np.sqrt(sum(np.square(part) for part in parts)), "x, y[, z]", "the length of a vector",
        ("length(3, 4)", 5),
    ),
    "sin": Function(np.sin, "x", f"the sine of {_ANGLE}", ("sin(pi / 2)", 1)),
    "cos": Function(np.cos, "x", f"the cosine of {_ANGLE}", ("cos(0)", 1)),
    "tan": Function(np.tan, "x", f"the tangent of {_ANGLE}", ("tan(0)", 0)),
    "asin": Function(np.arcsin, "x", f"{_ANGLE} whose sine is x, −1 to 1", ("asin(1) * 2 / pi", 1)),
    "acos": Function(np.arccos, "x", f"{_ANGLE} whose cosine is x, −1 to 1", ("acos(1)", 0)),
    "atan2": Function(np.arctan2, "y, x", f"{_ANGLE}, of the way to a place", ("atan2(1, 1) * 4 / pi", 1)),
}  # fmt: skip
