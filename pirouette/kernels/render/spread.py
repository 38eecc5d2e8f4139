"""Filters that bring light from one pixel to others, on (H, W, 4) float32 pictures: blur, and colours that part."""

import numpy as np

from ..compile import bare_kernel, frozen, kernel
from ..threads import in_slices
from ..types import HALF, ONE, ZERO, F, I
from .picture import add_doubled, halve

ROWS = 16
# Looks along the way on which colours come apart.
LOOKS = 12


def _spread(level: int) -> float:
    """The variance of what so many halvings and doublings make of a point, in pixels: each is 3/4 of its own."""
    return 0.5 * (4.0**level - 1)


def _doubled_up(levels, level) -> np.ndarray:
    """One of the halved pictures in the size of the first."""
    small = levels[level]
    for large in levels[level - 1 :: -1] if level else ():
        out = np.zeros_like(large)
        add_doubled(small, 1.0, 0.0, out)
        small = out
    return small


def _levels(picture, variance):
    """A picture halved as often as a blur of a variance needs it, and the number of the last one."""
    levels = [picture]
    while _spread(len(levels) - 1) < variance and min(levels[-1].shape[:2]) > 1:
        levels.append(halve(levels[-1]))
    return levels


def blur(picture, sigma) -> np.ndarray:
    """Return the picture with each point spread to a soft disc.

    sigma   its standard deviation in pixels
    Source  J. Jimenez, advances in real-time rendering course, SIGGRAPH 2014 (blur by halving and doubling)
    """
    variance = float(sigma) ** 2
    levels = _levels(frozen(picture), variance)
    last = len(levels) - 1
    if not last:
        return np.array(picture, F)
    before, after = _spread(last - 1), _spread(last)
    # The mean of a narrower and a wider one has the variance between.
    share = F(min((variance - before) / (after - before), 1.0))
    return _doubled_up(levels, last - 1) * (ONE - share) + _doubled_up(levels, last) * share


def blur_each(picture, sigmas) -> np.ndarray:
    """Return the picture with each pixel blurred by its own (H, W) standard deviation, in pixels.

    What is sharp does not run into what is not: pixels count as much as they are blurred themselves.
    """
    variances = np.asarray(sigmas, F) ** 2
    most = float(variances.max(initial=0.0))
    if most <= 0:
        return np.array(picture, F)
    count = np.minimum(sigmas / np.sqrt(most) * 4, 1).astype(F)[..., None]
    # Cover is a channel already; how much a pixel counts is one more picture.
    colours = _levels(frozen(picture * count), most)
    counts = _levels(frozen(np.repeat(count, 4, axis=2)), most)
    out = np.zeros(picture.shape, F)
    for level in range(len(colours)):
        low, here, high = (_spread(level + step) for step in (-1, 0, 1))
        rising = (variances - low) / (here - low) if level else np.ones_like(variances)
        share = np.clip(np.minimum(rising, (high - variances) / (high - here)), 0, 1)
        if level == len(colours) - 1:
            share = np.clip(rising, 0, 1)
        if not share.any():
            continue
        if level == 0:
            found = picture
        else:
            found = _doubled_up(colours, level) / np.maximum(_doubled_up(counts, level), F(1e-6))
        out += found * share[..., None].astype(F)
    return out


@bare_kernel
def _looked(picture, x, y, weights, pixel):
    """Add channels between pixels, whose middles are at halves, as much as each counts; beyond the edge as there."""
    height, width = picture.shape[0], picture.shape[1]
    x = min(max(x - HALF, ZERO), F(width - 1))
    y = min(max(y - HALF, ZERO), F(height - 1))
    i, j = I(x), I(y)
    right, below = min(i + 1, width - 1), min(j + 1, height - 1)
    p, q = x - F(i), y - F(j)
    for k in range(4):
        if weights[k] > ZERO:
            above = picture[j, i, k] * (ONE - p) + picture[j, right, k] * p
            under = picture[below, i, k] * (ONE - p) + picture[below, right, k] * p
            pixel[k] += weights[k] * (above * (ONE - q) + under * q)


@kernel
def _fringe(picture, start, stop, amount, rise, weights, out):
    height, width = picture.shape[0], picture.shape[1]
    middle_x, middle_y = F(width) * HALF, F(height) * HALF
    inv_corner = ONE / np.sqrt(middle_x * middle_x + middle_y * middle_y)
    for row in range(start, stop):
        y = F(row) + HALF - middle_y
        for px in range(width):
            x = F(px) + HALF - middle_x
            away = np.sqrt(x * x + y * y) * inv_corner
            reach = amount * F(away**rise)
            pixel = out[row, px]
            for k in range(4):
                pixel[k] = ZERO
            for look in range(len(weights)):
                scale = ONE + reach * weights[look, 4]
                _looked(picture, middle_x + x * scale, middle_y + y * scale, weights[look], pixel)


def fringe_weights() -> np.ndarray:
    """Return (LOOKS, 5): how much red, green, blue and cover count at each look, and where it is, -1..1."""
    at = (np.arange(LOOKS) + 0.5) / LOOKS * 2 - 1
    hats = np.stack([np.maximum(1 - np.abs(at - middle) / 0.6, 0) for middle in (-0.6, 0.0, 0.6)], axis=1)
    hats /= hats.sum(axis=0)
    return np.concatenate([hats, hats.mean(axis=1, keepdims=True), at[:, None]], axis=1)


def fringe(picture, amount, rise) -> np.ndarray:
    """Return the picture with red drawn outwards and blue inwards, all colours between them in between.

    amount  how far at the corners, as a share of the way from the middle
    rise    0: as large a share everywhere; more: it grows towards the corners by this power of their distance
    """
    picture, weights = frozen(picture), frozen(fringe_weights())
    out = np.empty_like(picture)
    in_slices(lambda a, b: _fringe(picture, a, b, F(amount), F(rise), weights, out), len(out), ROWS)
    return out
