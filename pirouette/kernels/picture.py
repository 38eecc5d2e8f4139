"""Filters on (H, W, 4) float32 pictures: halving and doubling for the glow, the view transform, the vignette."""

import numpy as np

from .compile import frozen, kernel
from .threads import in_slices

F = np.float32
ZERO = F(0.0)
ONE = F(1.0)
ROWS = 16
# The view transform: what is darker than the shoulder stays as picked, what is brighter rolls off to white.
SHOULDER = F(0.5)
INV_WHITE_SQUARE = F(1.0 / (24.0 * 24.0))


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


@kernel
def _expose(picture, start, stop, gain, is_filmic):
    for y in range(start, stop):
        for x in range(picture.shape[1]):
            alpha = picture[y, x, 3]
            # Colour is stored times its alpha; the curve is for the colour itself.
            inv = gain / alpha if alpha > F(1e-6) else ZERO
            red = max(picture[y, x, 0] * inv, ZERO)
            green = max(picture[y, x, 1] * inv, ZERO)
            blue = max(picture[y, x, 2] * inv, ZERO)
            if is_filmic:
                peak = max(red, max(green, blue))
                t = max(peak - SHOULDER, ZERO) / (ONE - SHOULDER)
                rolled = min(peak, SHOULDER) + (ONE - SHOULDER) * t * (ONE + t * INV_WHITE_SQUARE) / (ONE + t)
                rolled = min(rolled, ONE)
                scale = rolled / peak if peak > F(1e-6) else ONE
                # What is far too bright pales, as light on film does.
                pale = ONE - ONE / (F(0.12) * (peak - rolled) + ONE)
                red = red * scale + (rolled - red * scale) * pale
                green = green * scale + (rolled - green * scale) * pale
                blue = blue * scale + (rolled - blue * scale) * pale
            picture[y, x, 0] = red * alpha
            picture[y, x, 1] = green * alpha
            picture[y, x, 2] = blue * alpha


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
def _encode(picture, start, stop, top, out):
    for y in range(start, stop):
        for x in range(picture.shape[1]):
            alpha = min(max(picture[y, x, 3], ZERO), ONE)
            inv = ONE / alpha if alpha > F(1e-6) else ZERO
            for k in range(3):
                value = min(max(picture[y, x, k] * inv, ZERO), ONE)
                value = value * F(12.92) if value <= F(0.0031308) else F(1.055) * value ** F(1.0 / 2.4) - F(0.055)
                out[y, x, k] = int(value * top + F(0.5))
            out[y, x, 3] = int(alpha * top + F(0.5))


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


def expose(picture, stops, is_filmic) -> np.ndarray:
    """Return the picture brightened by stops and, if filmic, rolled off softly into white.

    Source  E. Reinhard et al., "Photographic tone reproduction for digital images", SIGGRAPH 2002, for the
            roll-off with a white point, used here above a shoulder only, so that picked colours stay
    """
    out = np.array(picture, F)
    in_slices(lambda a, b: _expose(out, a, b, F(2.0**stops), bool(is_filmic)), len(out), ROWS)
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
    in_slices(lambda a, b: _encode(picture, a, b, F(2**bits - 1), out), len(out), ROWS)
    return out
