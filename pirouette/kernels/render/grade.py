"""Changes of colour at each pixel of (H, W, 4) float32 pictures, linear and premultiplied: grading, curves, grain."""

import numpy as np

from ..bits import bits, mix, times
from ..compile import bare_kernel, flat_rows, frozen, kernel
from ..threads import in_slices
from ..types import HALF, ONE, TWO, ZERO, F, I, U
from .cones import light_of, taken_in
from .picture import screen_curve

ROWS = 16
# How colourful light is that vibrance leaves alone.
VIVID = F(0.25)
# The grid of specks leans by 33 degrees.
LEAN_X, LEAN_Y = F(0.8386706), F(0.5446390)


@bare_kernel
def _powered(value, power):
    return value if power == ONE else F(max(value, ZERO) ** power)


@kernel
def _grade(pixels, turn, saturation, vibrance, lift, gain, power):
    c, s = F(np.cos(turn)), F(np.sin(turn))
    for i in range(len(pixels) // 4):
        alpha = pixels[4 * i + 3]
        inv = ONE / alpha if alpha > F(1e-6) else ZERO
        long, middle, short = taken_in(
            max(pixels[4 * i] * inv, ZERO), max(pixels[4 * i + 1] * inv, ZERO), max(pixels[4 * i + 2] * inv, ZERO)
        )
        lightness = F(0.2104542553) * long + F(0.7936177850) * middle - F(0.0040720468) * short
        a = F(1.9779984951) * long - F(2.4285922050) * middle + F(0.4505937099) * short
        b = F(0.0259040371) * long + F(0.7827717662) * middle - F(0.8086757660) * short
        chroma = np.sqrt(a * a + b * b)
        factor = saturation * (ONE + vibrance * max(ONE - chroma / VIVID, ZERO))
        a, b = (a * c - b * s) * factor, (a * s + b * c) * factor
        red, green, blue = light_of(
            lightness + F(0.3963377774) * a + F(0.2158037573) * b,
            lightness - F(0.1055613458) * a - F(0.0638541728) * b,
            lightness - F(0.0894841775) * a - F(1.2914855480) * b,
        )
        pixels[4 * i] = _powered(max(red, ZERO) * (gain[0] - lift[0]) + lift[0], power) * alpha
        pixels[4 * i + 1] = _powered(max(green, ZERO) * (gain[1] - lift[1]) + lift[1], power) * alpha
        pixels[4 * i + 2] = _powered(max(blue, ZERO) * (gain[2] - lift[2]) + lift[2], power) * alpha


def grade(picture, turn, saturation, vibrance, lift, gain, gamma) -> np.ndarray:
    """Return the picture in other colours.

    turn        radians by which hues are turned, at the lightness they have
    saturation  factor on how colourful all is; vibrance adds to it where it is pale
    lift, gain  (3,) light that black and white become; gamma bends what is between
    """
    out = np.array(picture, F)
    numbers = F(turn), F(saturation), F(vibrance), frozen(lift), frozen(gain), F(1 / gamma)
    in_slices(lambda a, b: _grade(flat_rows(out, a, b), *numbers), len(out), ROWS)
    return out


@bare_kernel
def _bent(value, knots, channel):
    """A channel of light after a curve over what a screen shows; beyond white it goes on as straight."""
    last = len(knots) - 1
    shown = screen_curve(min(max(value, ZERO), ONE)) * F(last)
    k = min(I(shown), last - 1)
    part = shown - F(k)
    bent = knots[k, channel] * (ONE - part) + knots[k + 1, channel] * part
    light = bent / F(12.92) if bent <= F(0.04045) else ((bent + F(0.055)) / F(1.055)) ** F(2.4)
    return F(light * max(value, ONE))


@kernel
def _curves(pixels, knots):
    for i in range(len(pixels) // 4):
        alpha = pixels[4 * i + 3]
        inv = ONE / alpha if alpha > F(1e-6) else ZERO
        for k in range(3):
            pixels[4 * i + k] = _bent(pixels[4 * i + k] * inv, knots, k) * alpha


def curves(picture, knots) -> np.ndarray:
    """Return the picture with each channel bent, as it is shown; knots (N, 3) are evenly apart from black to white."""
    out, knots = np.array(picture, F), frozen(knots)
    in_slices(lambda a, b: _curves(flat_rows(out, a, b), knots), len(out), ROWS)
    return out


@bare_kernel
def _speck(x, y, salt):
    """A number of -1..1 as if by chance, most near 0, for a place on a grid."""
    h = mix(mix(times(U(x), U(0x9E3779B1)) ^ times(U(y), U(0x85EBCA77)) ^ salt))
    return (bits(h, 0, 16) + bits(h, 16, 16)) * F(1 / 65535) - ONE


@bare_kernel
def _grained(u, v, salt):
    """Specks between the places of their grid, as rough as there: by a spline, on a grid that leans.

    Along with the pixels, or straight between its places, the grid would show as a weave.
    """
    u, v = u * LEAN_X - v * LEAN_Y, u * LEAN_Y + v * LEAN_X
    x, y = np.floor(u), np.floor(v)
    p, q = u - x - HALF, v - y - HALF
    i, j = I(x), I(y)
    across = HALF * (HALF - p) * (HALF - p), F(0.75) - p * p, HALF * (HALF + p) * (HALF + p)
    down = HALF * (HALF - q) * (HALF - q), F(0.75) - q * q, HALF * (HALF + q) * (HALF + q)
    mean, square = ZERO, ZERO
    for row in range(3):
        for column in range(3):
            share = across[column] * down[row]
            mean += _speck(i + column - 1, j + row - 1, salt) * share
            square += share * share
    return mean / np.sqrt(square)


@kernel
def _grain(picture, start, stop, amount, coloured, cell, salt):
    for y in range(start, stop):
        v = (F(y) + HALF) / cell
        for x in range(picture.shape[1]):
            u = (F(x) + HALF) / cell
            pixel = picture[y, x]
            alpha = pixel[3]
            grey = _grained(u, v, salt)
            for k in range(3):
                own = _grained(u, v, salt + U(k + 1)) if coloured > ZERO else ZERO
                noise = (grey + (own - grey) * coloured) * amount
                # As film: most in the middle, none in black, and little in white.
                light = max(pixel[k], ZERO)
                depth = np.sqrt(light * alpha) / (ONE + TWO * light * light)
                pixel[k] = max(pixel[k] + noise * depth, ZERO)


def grain(picture, amount, coloured, cell, salt) -> np.ndarray:
    """Return the picture with specks; cell is how large they are in pixels, coloured 0..1 how unlike in channels."""
    out = np.array(picture, F)
    numbers = F(amount), F(coloured), F(max(cell, 1e-3)), U(salt)
    in_slices(lambda a, b: _grain(out, a, b, *numbers), len(out), ROWS)
    return out
