"""The settings that every kind with a noise shares, and how they are sampled."""

import numpy as np

from ..kernels.compile import frozen
from ..kernels.geometry.place import carried, inverted
from ..kernels.noise.cells import cell_noise
from ..kernels.noise.curl import curl_noise
from ..kernels.noise.gradient import moving_noise, salts_of, still_noise, still_noise_vectors, walk_of
from ..kernels.noise.layers import (
    CELL_MEAN,
    CRACK_MEAN,
    FOLD,
    FOLD_MEAN,
    FREQUENCY,
    LAYER_SIZE,
    OFFSET,
    SHAPE,
    TIME,
    WEIGHT,
    Layers,
)
from ..kernels.rows import rows_of
from ..schema.setting import choice, integer, number, reference, vector
from ..schema.settings import Settings
from ..values.moment import Moment

CHANNEL_SEED = 7919
STAYS = np.zeros(3)
SOFT, RIDGES, BILLOWS, CELLS, CRACKS, BLOCKS = PATTERNS = ("soft", "ridges", "billows", "cells", "cracks", "blocks")
# Finer layers lie elsewhere, and have other numbers.
LAYER_SHIFT, LAYER_SEED = 17.37, 101
# Over which share of its size the slope of a pattern is taken that has none of its own.
SLOPE = 0.02


class NoiseSettings(Settings):
    """Settings of a noise in space and time."""

    pattern: str = choice(SOFT, PATTERNS)
    """What it looks like: soft hills, sharp ridges, round billows, cells, the cracks between them, or flat blocks."""
    size: float = number(60, soft=(1, 400), hard=(1e-3, None), headline=True)
    """Size of the largest features."""
    stretch: list = vector((1, 1, 1), soft=(0.1, 10), hard=(1e-3, None))
    """How much longer the features are along each axis."""
    detail: int = integer(1, soft=(1, 8), hard=(1, 10))
    """How many layers of ever finer features are added up (octaves)."""
    roughness: float = number(0.5, soft=(0, 1), hard=(0, 1))
    """How strong each finer layer is against the one before."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another pattern."""
    churn: float = number(0, soft=(0, 8), hard=(0, 1000))
    """How many other patterns it passes through: in each loop, or in each second of a scene that does not loop."""
    slide: list = vector((0, 0, 0), soft=(-200, 200))
    """How far the pattern travels: in each loop, or in each second of a scene that does not loop."""
    lives_in: str = reference("guides", "figures")
    """The guide or figure that carries, turns and stretches the pattern; without one it stays with what it moves."""

    @classmethod
    def depends_on_time(cls, resolved) -> bool:
        return bool(resolved.churn > 0 or np.any(resolved.slide))


def in_its_space(points, links) -> np.ndarray:
    """Return (N, 3) float32 points as they are in the space that a noise lives in."""
    if "lives_in" not in links:
        return points
    return carried(points, inverted(links["lives_in"].matrix))


def sample_noise(points, settings, moment: Moment, channel: int = 0) -> np.ndarray:
    """Return (N,) float32 noise, about -1..1, at (N, 3) points."""
    seed = _seed(settings, channel)
    return _slid(settings, moment, lambda more, way: _layer(points, settings, moment, seed + more, way))


def sample_curl(points, settings, moment: Moment) -> np.ndarray:
    """Return (N, 3) float32 vectors of turbulence, mostly shorter than 1, whose divergence is 0, at (N, 3) points."""

    def layer(more, way):
        seeds = [(_seed(settings, channel) + more) % 2**32 for channel in range(3)]
        if settings.pattern == SOFT:
            return curl_noise(points, *_pattern(settings, way), seeds, settings.churn, moment.phase, moment.loops)
        if settings.pattern == BLOCKS:
            # Within a block all goes one way, so that nothing gathers there.
            return np.stack([_layer(points, settings, moment, seed, way) for seed in seeds], axis=1)
        return _curl_of(points, settings, moment, seeds, way)

    return _slid(settings, moment, layer)


def _curl_of(points, settings, moment, seeds, way):
    """The curl of three noises whose slopes are taken over a short way."""
    step = np.float32(SLOPE * settings.size)
    slopes = np.empty((3, 3, len(points)), np.float32)
    for axis in range(3):
        there = np.zeros(3, np.float32)
        there[axis] = step
        for channel, seed in enumerate(seeds):
            ahead, behind = (_layer(points + sign * there, settings, moment, seed, way) for sign in (1, -1))
            slopes[channel, axis] = (ahead - behind) / np.float32(4 * SLOPE)
    curl = slopes[2, 1] - slopes[1, 2], slopes[0, 2] - slopes[2, 0], slopes[1, 0] - slopes[0, 1]
    return np.stack(curl, axis=1)


def _slid(settings, moment, layer):
    """What layer(seed to add, (3,) how far the pattern has travelled) gives of a pattern that slides.

    In a looping scene it is two patterns that travel half a loop apart and cross-fade, each unseen while it jumps
    back; their blend is scaled so that the strength stays even.
    """
    ways, power = _ways(settings, moment)
    ways = [way for way in ways if way[0] > 0]
    if power == 1:
        return layer(*ways[0][1:])
    return sum(np.float32(weight) * layer(more, way) for weight, more, way in ways) / np.float32(np.sqrt(power))


def _ways(settings, moment):
    """The patterns that one is: how much each counts, its seed to add and how far it is; and the sum of squares."""
    slide = np.asarray(settings.slide, np.float64)
    if not slide.any():
        return [(1.0, 0, STAYS)], 1.0
    if not moment.loops:
        return [(1.0, 0, slide * moment.seconds)], 1.0
    parts = [(begins, (moment.phase + begins) % 1.0) for begins in (0.0, 0.5)]
    ways = [(np.sin(np.pi * part) ** 2, int(begins * 2) * 31, slide * (part - 0.5)) for begins, part in parts]
    return ways, sum(way[0] ** 2 for way in ways)


def _seed(settings, channel):
    return (int(settings.seed) + channel * CHANNEL_SEED) % 2**32


def _pattern(settings, travelled):
    inv_size = 1.0 / (settings.size * np.asarray(settings.stretch, np.float64))
    return inv_size, -travelled * inv_size, int(settings.detail), settings.roughness


def _layer(points, settings, moment, seed, travelled):
    pattern = _pattern(settings, travelled)
    if settings.pattern != SOFT:
        return _patterned(points, settings.pattern, pattern, seed, settings.churn, moment)
    if settings.churn > 0:
        return moving_noise(points, *pattern, seed % 2**32, settings.churn, moment.phase, moment.loops)
    return still_noise(points, *pattern, seed % 2**32)


def _patterned(points, name, pattern, seed, churn, moment):
    """Layers of another pattern than soft, added up."""
    inv_size, offset, octaves, gain = pattern
    total, weight = np.zeros(len(points), np.float32), 0.0
    for layer in range(octaves):
        frequency, strength = 2.0**layer, gain**layer
        where = inv_size * frequency, offset * frequency + layer * LAYER_SHIFT
        own = (seed + layer * LAYER_SEED) % 2**32
        total += np.float32(strength) * _one_layer(points, name, where, own, churn, moment)
        weight += strength
    return total / np.float32(weight)


def _one_layer(points, name, where, seed, churn, moment):
    """(N,) float32 of one layer, about -1..1 with its mean near 0."""
    if name in (RIDGES, BILLOWS):
        if churn > 0:
            soft = moving_noise(points, *where, 1, 0.5, seed, churn, moment.phase, moment.loops)
        else:
            soft = still_noise(points, *where, 1, 0.5, seed)
        folded = np.abs(soft) * FOLD - FOLD_MEAN
        return folded if name == BILLOWS else -folded
    nearest, second, own = cell_noise(points, *where, seed, churn, moment.phase, moment.loops)
    if name == CELLS:
        return nearest * 2 - CELL_MEAN
    return (second - nearest) * 2 - CRACK_MEAN if name == CRACKS else own * 2 - 1


def layers_of(settings, moment: Moment, strength: float = 1.0) -> Layers:
    """Return what `sample_noise` samples, for kernels that are asked for one place after the other.

    Their places are points divided by the size of the features, along each axis; see `in_cells`.
    """
    ways, power = _ways(settings, moment)
    octaves, frequency = int(settings.detail), 2.0 ** np.arange(settings.detail)
    walk = walk_of(settings.churn, moment.phase, moment.loops) if settings.churn > 0 else (0, 0, 0, 0)
    rows, salts = np.zeros((len(ways), octaves, LAYER_SIZE)), []
    share = float(settings.roughness) ** np.arange(octaves)
    for row, (weight, more, way) in zip(rows, ways, strict=True):
        _, offset, _, _ = _pattern(settings, way)
        row[:, SHAPE] = PATTERNS.index(settings.pattern)
        row[:, WEIGHT] = strength * weight / np.sqrt(power) * share / share.sum()
        row[:, FREQUENCY] = frequency
        row[:, OFFSET : OFFSET + 3] = offset * frequency[:, None] + np.arange(octaves)[:, None] * LAYER_SHIFT
        row[:, TIME:] = walk
        seed = _seed(settings, 0) + more
        if settings.pattern == SOFT:
            salts.extend(salts_of(seed % 2**32, octaves))
        else:
            salts.extend(salts_of((seed + layer * LAYER_SEED) % 2**32, 1)[0] for layer in range(octaves))
    return Layers(frozen(rows.reshape(-1, LAYER_SIZE)), frozen(salts, np.uint32))


def in_cells(points, settings) -> np.ndarray:
    """Return (N, 3) points as layers are told them."""
    return points / (settings.size * np.asarray(settings.stretch, np.float64))


def sample_noise_vectors(points, settings, moment: Moment) -> np.ndarray:
    """Return (N, 3) float32: three unlike noises with the same settings."""
    if settings.pattern != SOFT or NoiseSettings.depends_on_time(settings):
        return rows_of(*(sample_noise(points, settings, moment, channel) for channel in range(3)))
    return still_noise_vectors(points, *_pattern(settings, STAYS), [_seed(settings, channel) for channel in range(3)])
