"""Filters on (H, W, 4) float32 pictures: halving and doubling for the glow, the vignette, and their bytes in files."""

import numpy as np

from ..compile import flat_rows, frozen, kernel
from ..threads import in_slices
from ..types import ONE, ZERO, F, I

ROWS = 16


@kernel
def _halve(source, start, stop, knee, out):
    """Each result is a tent-weighted mean of 4×4 pixels; with a knee, only light above it passes."""
    height, width = source.shape[0], source.shape[1]
    line = np.empty((width, 4), F)
    for y in range(start, stop):
        a = source[max(2 * y - 1, 0)]
        b = source[min(2 * y, height - 1)]
        c = source[min(2 * y + 1, height - 1)]
        d = source[min(2 * y + 2, height - 1)]
        for x in range(width):
            for k in range(4):
                line[x, k] = (a[x, k] + d[x, k]) * F(0.125) + (b[x, k] + c[x, k]) * F(0.375)
        if knee > ZERO:
            for x in range(width):
                peak = max(line[x, 0], max(line[x, 1], line[x, 2]))
                over = max(peak - knee, ZERO)
                # Starts gently: light just above the knee counts for little.
                share = over / (peak + F(1e-6)) * min(over / knee, ONE)
                for k in range(4):
                    line[x, k] *= share
        for x in range(out.shape[1]):
            p = max(2 * x - 1, 0)
            q = min(2 * x, width - 1)
            r = min(2 * x + 1, width - 1)
            s = min(2 * x + 2, width - 1)
            for k in range(4):
                out[y, x, k] = (line[p, k] + line[s, k]) * F(0.125) + (line[q, k] + line[r, k]) * F(0.375)


@kernel
def _add_doubled(small, start, stop, strength, keep, out):
    """out = out * keep + doubled(small) * strength, bilinear."""
    height, width = small.shape[0], small.shape[1]
    line = np.empty((width, 4), F)
    for y in range(start, stop):
        half = y // 2
        other = min(max(half + (1 if y % 2 else -1), 0), height - 1)
        half = min(half, height - 1)
        a = small[half]
        b = small[other]
        for x in range(width):
            for k in range(4):
                line[x, k] = (a[x, k] * F(0.75) + b[x, k] * F(0.25)) * strength
        target = out[y]
        for x in range(out.shape[1] // 2):
            p = max(x - 1, 0)
            q = min(x + 1, width - 1)
            for k in range(4):
                middle = line[x, k] * F(0.75)
                target[2 * x, k] = target[2 * x, k] * keep + middle + line[p, k] * F(0.25)
                target[2 * x + 1, k] = target[2 * x + 1, k] * keep + middle + line[q, k] * F(0.25)
        if out.shape[1] % 2:
            x = out.shape[1] - 1
            for k in range(4):
                target[x, k] = target[x, k] * keep + line[width - 1, k]
        # Light adds up, cover does not: beyond 1 it would make later finishes take the light for darker than it is.
        for x in range(out.shape[1]):
            target[x, 3] = min(target[x, 3], ONE)


@kernel
def _vignette(picture, start, stop, strength, reach, softness):
    height, width = picture.shape[0], picture.shape[1]
    for y in range(start, stop):
        v = (F(y) + F(0.5)) / F(height) * F(2.0) - ONE
        for x in range(width):
            u = (F(x) + F(0.5)) / F(width) * F(2.0) - ONE
            away = np.sqrt((u * u + v * v) * F(0.5))
            t = min(max((away - reach) / softness, ZERO), ONE)
            factor = ONE - strength * t * t * (F(3.0) - F(2.0) * t)
            for k in range(3):
                picture[y, x, k] *= factor


@kernel
def screen_curve(value):
    """The sRGB curve of a number in 0..1, its power by way of the logarithm: within 3e-7, and many at once.

    Source: the series of atanh for the logarithm of a number near 1, and that of exp for a number near 0.
    """
    # value = m * 2 ** e with m near 1, halves of a square root of two to both sides.
    bits = I(F(max(value, F(1e-4))).view(I) - I(0x3F3504F3))
    e = F(I(bits >> 23))
    m = I(I(bits & I(0x7FFFFF)) + I(0x3F3504F3)).view(F)
    t = (m - ONE) / (m + ONE)
    square = t * t
    log2 = e + F(2.8853900818) * t * (
        ONE + square * (F(1 / 3) + square * (F(1 / 5) + square * (F(1 / 7) + square * F(1 / 9))))
    )
    y = log2 * F(1 / 2.4)
    n = np.floor(y + F(0.5))
    f = (y - n) * F(0.69314718056)
    power = ONE + f * (
        ONE + f * (F(1 / 2) + f * (F(1 / 6) + f * (F(1 / 24) + f * (F(1 / 120) + f * (F(1 / 720) + f * F(1 / 5040))))))
    )
    power *= I(I(n + F(127.0)) << 23).view(F)
    return value * F(12.92) if value <= F(0.0031308) else F(1.055) * power - F(0.055)


@kernel
def _encode(pixels, top, out):
    for i in range(len(pixels) // 4):
        alpha = min(max(pixels[4 * i + 3], ZERO), ONE)
        inv = ONE / alpha if alpha > F(1e-6) else ZERO
        red = screen_curve(min(max(pixels[4 * i] * inv, ZERO), ONE))
        green = screen_curve(min(max(pixels[4 * i + 1] * inv, ZERO), ONE))
        blue = screen_curve(min(max(pixels[4 * i + 2] * inv, ZERO), ONE))
        out[4 * i] = I(red * top + F(0.5))
        out[4 * i + 1] = I(green * top + F(0.5))
        out[4 * i + 2] = I(blue * top + F(0.5))
        out[4 * i + 3] = I(alpha * top + F(0.5))


def halve(picture, knee=0.0) -> np.ndarray:
    """Return a picture half as wide and high (rounded up); with a knee, of the light above it."""
    picture = frozen(picture)
    out = np.empty(((picture.shape[0] + 1) // 2, (picture.shape[1] + 1) // 2, 4), F)
    in_slices(lambda a, b: _halve(picture, a, b, F(knee), out), len(out), ROWS)
    return out


def add_doubled(small, strength, keep, out) -> None:
    """Change `out` to out * keep + small, doubled in size, * strength."""
    small = frozen(small)
    in_slices(lambda a, b: _add_doubled(small, a, b, F(strength), F(keep), out), len(out), ROWS)


def glow(picture, knee, strength, level_count) -> np.ndarray:
    """Return the picture with a wide soft halo around its bright parts.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    knee     light below it does not glow
    Source   J. Jimenez, advances in real-time rendering course, SIGGRAPH 2014 (blur by halving and doubling)
    """
    levels = [halve(picture, knee)]
    while len(levels) < level_count and min(levels[-1].shape[:2]) > 2:
        levels.append(halve(levels[-1]))
    # Each wider level counts as much as the one before: a bright core with a long tail.
    for small, large in zip(reversed(levels), levels[-2::-1], strict=False):
        add_doubled(small, 0.65, 0.5, large)
    out = np.array(picture, F)
    add_doubled(levels[0], strength, 1.0, out)
    return out


def vignette(picture, strength, reach, softness) -> np.ndarray:
    """Return the picture darkened towards its corners; reach and softness are shares of the half diagonal."""
    out = np.array(picture, F)
    in_slices(lambda a, b: _vignette(out, a, b, F(strength), F(reach), F(max(softness, 1e-3))), len(out), ROWS)
    return out


def encode(picture, bits=8) -> np.ndarray:
    """Return (H, W, 4) uint8 or uint16 with the sRGB curve and straight alpha."""
    picture = frozen(picture)
    out = np.empty(picture.shape, np.uint8 if bits == 8 else np.uint16)
    in_slices(lambda a, b: _encode(flat_rows(picture, a, b), F(2**bits - 1), flat_rows(out, a, b)), len(out), ROWS)
    return out
