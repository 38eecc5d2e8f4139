"""Pictures on surfaces: where in a picture a fragment lies and how finely it is seen there, and its colour.

Source: L. Williams, "Pyramidal parametrics", SIGGRAPH 1983 (a picture in halved sizes, mixed between two of them).
"""

import numpy as np

from ..compile import bare_kernel, called_kernel
from ..noise.layers import pattern_at
from ..types import HALF, ONE, ZERO, F, I
from .fragment import PITCH

# Columns of a paint row: which texture, the matrix to its places, what lies beyond, and how much it counts for colour,
# glow and opacity; of a pattern, whose texture goes from its lowest to its highest value, the first of its layers, and
# the one after its last: none if it is a picture.
TEXTURE, PLACE, BEYOND, ON_COLOUR, ON_GLOW, ON_OPACITY = 0, 1, 7, 8, 9, 10
FIRST_LAYER, LAST_LAYER, PAINT_SIZE = 11, 12, 13
# Columns of a level of a texture.
WIDTH, HEIGHT, START = 0, 1, 2


@bare_kernel
def put_place(table, u_at, i, paint, size, corners, here, right, down, shift):
    """Write where a fragment lies in its picture, and the level of size at which it is seen.

    table    three stretches from u_at on: u, v, level, each PITCH long
    paint    a paint row; size: width and height of its largest level
    corners  (6,) u and v of the triangle's corners
    here     barycentrics of any common scale; right, down: their change by one pixel to the right and downwards
    shift    from there to the middle of the pixel, which is what the fragment stands for
    """
    b0, b1, b2 = here
    x0, x1, x2 = right
    y0, y1, y2 = down
    right_by, down_by = shift
    inv = ONE / (b0 + b1 + b2)
    u = (b0 * corners[0] + b1 * corners[2] + b2 * corners[4]) * inv
    v = (b0 * corners[1] + b1 * corners[3] + b2 * corners[5]) * inv
    dx = x0 + x1 + x2
    dy = y0 + y1 + y2
    ux = (x0 * corners[0] + x1 * corners[2] + x2 * corners[4] - u * dx) * inv
    vx = (x0 * corners[1] + x1 * corners[3] + x2 * corners[5] - v * dx) * inv
    uy = (y0 * corners[0] + y1 * corners[2] + y2 * corners[4] - u * dy) * inv
    vy = (y0 * corners[1] + y1 * corners[3] + y2 * corners[5] - v * dy) * inv
    u += ux * right_by + uy * down_by
    v += vx * right_by + vy * down_by
    m0, m1, m3, m4 = paint[PLACE], paint[PLACE + 1], paint[PLACE + 3], paint[PLACE + 4]
    table[u_at + i] = m0 * u + m1 * v + paint[PLACE + 2]
    table[u_at + PITCH + i] = m3 * u + m4 * v + paint[PLACE + 5]
    width, height = F(size[WIDTH]), F(size[HEIGHT])
    across = ((m0 * ux + m1 * vx) * width) ** 2 + ((m3 * ux + m4 * vx) * height) ** 2
    along = ((m0 * uy + m1 * vy) * width) ** 2 + ((m3 * uy + m4 * vy) * height) ** 2
    table[u_at + 2 * PITCH + i] = HALF * np.log2(max(max(across, along), F(1e-12)))


@bare_kernel
def put_pattern(table, u_at, i, paint, layers, width, corners, here, right, down, shift):
    """Write the value of a pattern at a fragment, as its place in its texture, and the level at which that is seen.

    layers   all layers; width: of the texture's largest level
    corners  (9,) where the triangle's corners are, as layers are told it
    The other arguments are those of `put_place`.
    """
    b0, b1, b2 = here
    x0, x1, x2 = right
    y0, y1, y2 = down
    right_by, down_by = shift
    inv = ONE / (b0 + b1 + b2)
    dx = x0 + x1 + x2
    dy = y0 + y1 + y2
    x = (b0 * corners[0] + b1 * corners[3] + b2 * corners[6]) * inv
    y = (b0 * corners[1] + b1 * corners[4] + b2 * corners[7]) * inv
    z = (b0 * corners[2] + b1 * corners[5] + b2 * corners[8]) * inv
    xx = (x0 * corners[0] + x1 * corners[3] + x2 * corners[6] - x * dx) * inv
    yx = (x0 * corners[1] + x1 * corners[4] + x2 * corners[7] - y * dx) * inv
    zx = (x0 * corners[2] + x1 * corners[5] + x2 * corners[8] - z * dx) * inv
    xy = (y0 * corners[0] + y1 * corners[3] + y2 * corners[6] - x * dy) * inv
    yy = (y0 * corners[1] + y1 * corners[4] + y2 * corners[7] - y * dy) * inv
    zy = (y0 * corners[2] + y1 * corners[5] + y2 * corners[8] - z * dy) * inv
    at = x + xx * right_by + xy * down_by, y + yx * right_by + yy * down_by, z + zx * right_by + zy * down_by
    put_value(table, u_at, i, paint, layers, width, at, (xx, yx, zx), (xy, yy, zy))


@bare_kernel
def put_value(table, u_at, i, paint, layers, width, at, right, down):
    """Write what `put_pattern` does, of a place and of how that changes by a pixel to the right and downwards."""
    value, across, along = pattern_at(layers, I(paint[FIRST_LAYER]), I(paint[LAST_LAYER]), at, right, down)
    table[u_at + i] = value + HALF
    table[u_at + PITCH + i] = HALF
    table[u_at + 2 * PITCH + i] = np.log2(max(max(abs(across), abs(along)) * F(width), F(1e-6)))


@called_kernel
def _within(at, size, beyond):
    """The pixel that stands for one outside of 0 .. size - 1: 0 repeats, 1 mirrors, 2 keeps the edge."""
    if beyond == 0:
        return at % size
    if beyond == 1:
        at = at % (2 * size)
        return at if at < size else 2 * size - 1 - at
    return min(max(at, 0), size - 1)


@called_kernel
def _bilinear(texels, light, level, u, v, beyond):
    width, height, start = level[WIDTH], level[HEIGHT], level[START]
    x = u * F(width) - HALF
    y = (ONE - v) * F(height) - HALF
    left = np.floor(x)
    top = np.floor(y)
    s = x - left
    t = y - top
    a = _within(np.int64(left), width, beyond)
    b = _within(np.int64(left) + 1, width, beyond)
    c = start + _within(np.int64(top), height, beyond) * width
    d = start + _within(np.int64(top) + 1, height, beyond) * width
    return (
        _mixed(light, texels[c + a, 0], texels[c + b, 0], texels[d + a, 0], texels[d + b, 0], s, t),
        _mixed(light, texels[c + a, 1], texels[c + b, 1], texels[d + a, 1], texels[d + b, 1], s, t),
        _mixed(light, texels[c + a, 2], texels[c + b, 2], texels[d + a, 2], texels[d + b, 2], s, t),
    )


@bare_kernel
def _mixed(light, a, b, c, d, s, t):
    """Mix what four numbers mean: `s` of the way from a to b and from c to d, `t` from the former to the latter."""
    upper = light[a] * (ONE - s) + light[b] * s
    lower = light[c] * (ONE - s) + light[d] * s
    return upper * (ONE - t) + lower * t


@called_kernel
def sample(texels, light, levels, u, v, level, beyond):
    """Return the three numbers of the colour at a place, mixed between the two levels nearest to `level`.

    texels  (N, 4) uint8 of all textures; light (256,) what each number means
    levels  (L, 3) int64: width, height and first texel of this texture's levels
    """
    last = len(levels) - 1
    level = min(max(level, ZERO), F(last))
    first = I(level)
    share = level - F(first)
    red, green, blue = _bilinear(texels, light, levels[first], u, v, beyond)
    if share > ZERO:
        far_red, far_green, far_blue = _bilinear(texels, light, levels[min(first + 1, last)], u, v, beyond)
        red += (far_red - red) * share
        green += (far_green - green) * share
        blue += (far_blue - blue) * share
    return red, green, blue
