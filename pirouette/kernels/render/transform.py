"""View transforms: how light that is brighter than a screen can show is brought into what it can, at each pixel."""

import numpy as np

from ..compile import bare_kernel, flat_rows, kernel
from ..threads import in_slices
from ..types import ONE, ZERO, F, I
from .cones import cube_root, light_of, taken_in

ROWS = 16
PLAIN, FILMIC, STEADY = 0, 1, 2
TRANSFORMS = {"plain": PLAIN, "filmic": FILMIC, "steady": STEADY}
# What is darker than the shoulder stays as picked, what is brighter rolls off to white.
SHOULDER = F(0.5)
INV_WHITE_SQUARE = F(1.0 / (24.0 * 24.0))
STEADY_SHOULDER = F(0.7)
PALING = F(0.15)


@bare_kernel
def _filmic(red, green, blue):
    peak = max(red, max(green, blue))
    t = max(peak - SHOULDER, ZERO) / (ONE - SHOULDER)
    rolled = min(peak, SHOULDER) + (ONE - SHOULDER) * t * (ONE + t * INV_WHITE_SQUARE) / (ONE + t)
    rolled = min(rolled, ONE)
    scale = rolled / peak if peak > F(1e-6) else ONE
    # What is far too bright pales, as light on film does.
    pale = ONE - ONE / (F(0.12) * (peak - rolled) + ONE)
    red *= scale
    green *= scale
    blue *= scale
    return red + (rolled - red) * pale, green + (rolled - green) * pale, blue + (rolled - blue) * pale


@bare_kernel
def _steady(red, green, blue):
    peak = max(red, max(green, blue))
    if peak <= STEADY_SHOULDER:
        return red, green, blue
    room = ONE - STEADY_SHOULDER
    rolled = ONE - room * room / (peak - STEADY_SHOULDER + room)
    scale = rolled / peak
    keep = ONE / (PALING * (peak - rolled) + ONE)
    red *= scale
    green *= scale
    blue *= scale
    # Between a colour and white, straight in the cube roots of what the eye's cones take in: there its hue stays.
    white = cube_root(rolled) * (ONE - keep)
    long, middle, short = taken_in(red, green, blue)
    red, green, blue = light_of(long * keep + white, middle * keep + white, short * keep + white)
    return min(max(red, ZERO), ONE), min(max(green, ZERO), ONE), min(max(blue, ZERO), ONE)


@kernel
def _expose(pixels, gain, transform):
    for i in range(len(pixels) // 4):
        alpha = pixels[4 * i + 3]
        # Colour is stored times its alpha; the curve is for the colour itself.
        inv = gain / alpha if alpha > F(1e-6) else ZERO
        red = max(pixels[4 * i] * inv, ZERO)
        green = max(pixels[4 * i + 1] * inv, ZERO)
        blue = max(pixels[4 * i + 2] * inv, ZERO)
        if transform == FILMIC:
            red, green, blue = _filmic(red, green, blue)
        elif transform == STEADY:
            red, green, blue = _steady(red, green, blue)
        pixels[4 * i] = red * alpha
        pixels[4 * i + 1] = green * alpha
        pixels[4 * i + 2] = blue * alpha


def expose(picture, stops, transform) -> np.ndarray:
    """Return the picture brightened by stops and brought into 0..1 by a view transform.

    picture    (H, W, 4) float32, linear, premultiplied; not changed
    transform  one of TRANSFORMS: `plain` leaves all as it is, `filmic` rolls off above a shoulder towards a paler
               colour, `steady` as well, but every colour keeps its hue
    Source     E. Reinhard et al., "Photographic tone reproduction for digital images", SIGGRAPH 2002 (roll-off with a
               white point); Khronos Group, "PBR Neutral Tone Mapper" (2024) (roll-off and paling of `steady`)
    """
    out = np.array(picture, F)
    number = I(TRANSFORMS[transform])
    in_slices(lambda a, b: _expose(flat_rows(out, a, b), F(2.0**stops), number), len(out), ROWS)
    return out
