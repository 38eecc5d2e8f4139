"""What a bright point makes in a lens: the source itself, rays, a halo, and doubles on the way through the middle."""

from typing import NamedTuple

import numpy as np

from ..compile import frozen, kernel
from ..threads import in_slices
from ..types import HALF, ONE, TWO, ZERO, F

ROWS = 16
# Columns of a ray: where it goes, how far, and half its width. Of a double: its middle, radius and colour.
RAY_SIZE, DOUBLE_SIZE = 4, 6


class Flare(NamedTuple):
    """A flare; all lengths in heights of the picture, places from its middle, right and down."""

    x: float
    y: float
    colour: np.ndarray  # (3,) float32 light
    radius: float  # of the source; 0 leaves it out
    rays: np.ndarray  # (N, RAY_SIZE) float32
    doubles: np.ndarray  # (M, DOUBLE_SIZE) float32
    halo: float  # its radius
    shine: float  # how bright it is
    spread: float  # how far the radii of red and blue are from that of green, as a share


@kernel
def _add_flare(picture, start, stop, x, y, colour, radius, rays, doubles, halo, shine, spread):
    height, width = picture.shape[0], picture.shape[1]
    scale = ONE / F(height)
    for row in range(start, stop):
        v = (F(row) + HALF - F(height) * HALF) * scale
        for px in range(width):
            u = (F(px) + HALF - F(width) * HALF) * scale
            dx, dy = u - x, v - y
            square = dx * dx + dy * dy
            white = ZERO
            if radius > ZERO:
                near = ONE + square / (radius * radius)
                white += TWO / (near * near)
            for k in range(len(rays)):
                along = dx * rays[k, 0] + dy * rays[k, 1]
                left = ONE - along / rays[k, 2]
                if along <= ZERO or left <= ZERO:
                    continue
                beside = (dx * rays[k, 1] - dy * rays[k, 0]) / rays[k, 3]
                white += left * left / (ONE + beside * beside)
            away = np.sqrt(square)
            for channel in range(3):
                part = ONE + spread * F(1 - channel)
                light = white
                if shine > ZERO:
                    off = (away - halo * part) / (halo * F(0.08))
                    near = ONE + off * off
                    light += shine / (near * near)
                for k in range(len(doubles)):
                    ex, ey = u - doubles[k, 0], v - doubles[k, 1]
                    q = (ex * ex + ey * ey) / (doubles[k, 2] * part * doubles[k, 2] * part)
                    if q < ONE:
                        # Fuller towards its edge, which is soft.
                        edge = min((ONE - q) * F(5.0), ONE)
                        light += doubles[k, 3 + channel] * (HALF + HALF * q * q) * edge * edge * (F(3.0) - TWO * edge)
                picture[row, px, channel] += colour[channel] * light
            brightest = max(colour[0], max(colour[1], colour[2])) * white
            picture[row, px, 3] = min(picture[row, px, 3] + (ONE - picture[row, px, 3]) * min(brightest, ONE), ONE)


def add_flare(picture, flare: Flare) -> np.ndarray:
    """Return the picture, (H, W, 4) float32, linear and premultiplied, with the light of a flare added."""
    out = np.array(picture, F)
    numbers = F(flare.x), F(flare.y), frozen(flare.colour), F(flare.radius)
    more = frozen(flare.rays), frozen(flare.doubles), F(flare.halo), F(flare.shine), F(flare.spread)
    in_slices(lambda a, b: _add_flare(out, a, b, *numbers, *more), len(out), ROWS)
    return out
