"""Lines and dots: anti-aliased capsules on the screen, hidden by what stands before them, added or laid over.

A dot is a line whose two ends are the same. Widths below a pixel become fainter instead of breaking up.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, kernel
from ..types import HALF, ONE, ZERO, F, I, L
from .bins import BAND_ROWS
from .haze import hazed, left_in_haze
from .lanes import COVER, LANES, LIGHT, NEARNESS, STRENGTH, TOLD_SIZE, stroke_lanes, tapered_lanes, told_lanes
from .sheets import add_sheet, are_held, put_light

# Columns of a stroke row: both ends (x, y, 1/w), their half widths in pixels, and their colour and strength.
X0, Y0, Z0, X1, Y1, Z1, HALF0, HALF1, R0, G0, B0, A0, R1, G1, B1, A1, STROKE_SIZE = range(17)


class Segments(NamedTuple):
    """The lines of one mesh, and of all its K instances; a dot is a segment whose ends are one point."""

    points: np.ndarray  # (V, 3) float32
    starts: np.ndarray  # (E,) int32
    ends: np.ndarray  # (E,) int32
    screen: np.ndarray  # (K, 3, 4) float32: from an instance's own space to (x·w, y·w, w) on the screen
    tints: np.ndarray  # (K, 5) float32, or one row where all are alike
    point_tints: np.ndarray  # (V, 5) float32, or one row
    widths: np.ndarray  # (K,) float32 factors on how wide they are, or one
    point_widths: np.ndarray  # (V,) float32, or one


class Pen(NamedTuple):
    """How segments are drawn, and on what."""

    colour: np.ndarray  # (3,) float32
    half_width: np.float32  # in units or pixels
    in_units: bool
    pixels_per_unit: np.float32  # at the distance 1
    lift: np.float32  # share of their distance by which they are pulled to the eye, to lie on their own surface
    near: np.float32
    width: int
    height: int
    is_additive: bool


@bare_kernel
def _put_haze(colour, x, y, nearness, lights, is_additive):
    """Let haze lie before the end of a stroke, given where it is on the screen."""
    rays = lights.rays
    rx = rays[0, 0] * x + rays[0, 1] * y + rays[0, 2]
    ry = rays[1, 0] * x + rays[1, 1] * y + rays[1, 2]
    rz = rays[2, 0] * x + rays[2, 1] * y + rays[2, 2]
    long = np.sqrt(rx * rx + ry * ry + rz * rz)
    up, depth, inv = lights.eye[1], ONE / nearness, ONE / long
    left = left_in_haze(lights.haze, up, up + ry * depth, long * depth)
    red, green, blue = hazed(lights.haze, lights, I(y), rx * inv, ry * inv, rz * inv)
    shown = ZERO if is_additive else ONE - left
    colour[0] = colour[0] * left + red * shown
    colour[1] = colour[1] * left + green * shown
    colour[2] = colour[2] * left + blue * shown


@kernel
def project_strokes(segments, pen, lights, start, stop, strokes, lows, highs):
    """Project segments start..stop of the flat list (instance slowest) and find the bands they touch."""
    points, starts, ends, screen, tints, point_tints, widths, point_widths = segments
    colour, half_width, in_units, pixels_per_unit, lift, near, width, height, is_additive = pen
    edge_count = len(starts)
    band_last = (height - 1) // BAND_ROWS
    for i in range(start, stop):
        k = i // edge_count
        e = i % edge_count
        lows[i] = 1
        highs[i] = 0
        m = screen[k]
        a = starts[e]
        b = ends[e]
        ax = m[0, 0] * points[a, 0] + m[0, 1] * points[a, 1] + m[0, 2] * points[a, 2] + m[0, 3]
        ay = m[1, 0] * points[a, 0] + m[1, 1] * points[a, 1] + m[1, 2] * points[a, 2] + m[1, 3]
        aw = m[2, 0] * points[a, 0] + m[2, 1] * points[a, 1] + m[2, 2] * points[a, 2] + m[2, 3]
        bx = m[0, 0] * points[b, 0] + m[0, 1] * points[b, 1] + m[0, 2] * points[b, 2] + m[0, 3]
        by = m[1, 0] * points[b, 0] + m[1, 1] * points[b, 1] + m[1, 2] * points[b, 2] + m[1, 3]
        bw = m[2, 0] * points[b, 0] + m[2, 1] * points[b, 1] + m[2, 2] * points[b, 2] + m[2, 3]
        if aw <= near and bw <= near:
            continue
        if aw <= near:
            t = (near - aw) / (bw - aw)
            ax += (bx - ax) * t
            ay += (by - ay) * t
            aw = near
        elif bw <= near:
            t = (near - bw) / (aw - bw)
            bx += (ax - bx) * t
            by += (ay - by) * t
            bw = near
        az = ONE / aw
        bz = ONE / bw
        ax *= az
        ay *= az
        bx *= bz
        by *= bz
        half = half_width * widths[k if len(widths) > 1 else 0]
        if in_units:
            half *= pixels_per_unit * HALF * (az + bz)
        half0 = half * point_widths[a if len(point_widths) > 1 else 0]
        half1 = half * point_widths[b if len(point_widths) > 1 else 0]
        widest = max(half0, half1)
        if widest <= ZERO:
            continue
        strength = ONE
        if half0 == half1 and half0 < HALF:
            # Thinner than a pixel: drawn one pixel wide and as much fainter. Of those that taper each pixel is, later.
            strength = half0 * F(2.0)
            half0 = half1 = HALF
        reach = max(widest, HALF) + ONE
        if max(ax, bx) + reach < ZERO or min(ax, bx) - reach > F(width):
            continue
        low = min(ay, by) - reach
        high = max(ay, by) + reach
        if high < ZERO or low > F(height):
            continue
        strokes[i, X0] = ax
        strokes[i, Y0] = ay
        strokes[i, X1] = bx
        strokes[i, Y1] = by
        of_copy = tints[k if len(tints) > 1 else 0]
        of_start = point_tints[a if len(point_tints) > 1 else 0]
        of_end = point_tints[b if len(point_tints) > 1 else 0]
        glow = of_copy[4] * of_start[4]
        strokes[i, R0] = colour[0] * of_copy[0] * of_start[0] * glow
        strokes[i, G0] = colour[1] * of_copy[1] * of_start[1] * glow
        strokes[i, B0] = colour[2] * of_copy[2] * of_start[2] * glow
        strokes[i, A0] = strength * of_copy[3] * of_start[3]
        glow = of_copy[4] * of_end[4]
        strokes[i, R1] = colour[0] * of_copy[0] * of_end[0] * glow
        strokes[i, G1] = colour[1] * of_copy[1] * of_end[1] * glow
        strokes[i, B1] = colour[2] * of_copy[2] * of_end[2] * glow
        strokes[i, A1] = strength * of_copy[3] * of_end[3]
        if lights.haze.is_on:
            _put_haze(strokes[i, R0:A0], ax, ay, az, lights, is_additive)
            _put_haze(strokes[i, R1:A1], bx, by, bz, lights, is_additive)
        # Nearer by some pixels' worth, so that a stroke wins against the surface it lies on.
        strokes[i, Z0] = az * (ONE + lift)
        strokes[i, Z1] = bz * (ONE + lift)
        strokes[i, HALF0] = half0
        strokes[i, HALF1] = half1
        lows[i] = max(I(max(low, ZERO)) // BAND_ROWS, 0)
        highs[i] = min(I(min(high, F(height))) // BAND_ROWS, band_last)


@bare_kernel
def _peak(colour):
    """How bright the end of a stroke is at most, as faint as it is."""
    return max(colour[0], max(colour[1], colour[2])) * colour[3]


@bare_kernel
def _are_sheets(sheets, first, stop):
    """Whether any of a run of pixels has sheets."""
    found = False
    for pixel in range(first, stop):
        found |= sheets.heads[pixel] >= 0
    return found


@bare_kernel
def _put_sheets(told, row, place, band, is_additive, solids, sheets):
    """Add what was told of eight pixels to those of them that have sheets."""
    samples = len(band.offsets)
    plane = band.stride // samples
    for lane in range(min(LANES, band.width - place)):
        column = place + lane
        pixel = row * band.width + column
        if told[COVER + lane] <= ZERO or sheets.heads[pixel] < 0:
            continue
        nearness, strength = told[NEARNESS + lane], told[STRENGTH + lane]
        cover = L(0)
        for s in range(samples):
            cover |= L(nearness >= solids[row * band.stride + s * plane + column]) << L(s)
        if cover == 0:
            continue
        number = add_sheet(sheets, pixel, cover, nearness, ZERO, ZERO)
        if number >= 0:
            put_light(
                sheets, number, told[LIGHT + lane] * strength, told[LIGHT + LANES + lane] * strength,
                told[LIGHT + 2 * LANES + lane] * strength, ZERO if is_additive else strength, told[COVER + lane],
            )  # fmt: skip


@kernel
def draw_strokes(band, entries, strokes, softness, is_additive, white, zs, solids, sheets, out):
    """Draw one band's strokes, in their order, into its (rows, width, 4) picture, at least LANES wide.

    white   how bright light is that is brought to white: of what is brighter, edges are made as if it was cut there
    zs      the 1/w of its samples, see `shade.depths`; what is drawn moves them
    solids  the 1/w of what is opaque, for pixels with sheets
    sheets  strokes join them where there are any; False if there is no room
    """
    told = np.empty(TOLD_SIZE, F)
    has_sheets = len(sheets.heads) > 0
    top, rows, stride, samples = band.top, band.rows, band.stride, L(len(band.offsets))
    width, plane = out.shape[1], L(stride // samples)
    flat = out.reshape(-1)
    is_soft = softness > ZERO
    for e in range(len(entries)):
        i = entries[e]
        x0 = strokes[i, X0]
        y0 = strokes[i, Y0] - F(top)
        z0 = strokes[i, Z0]
        dx = strokes[i, X1] - x0
        dy = strokes[i, Y1] - F(top) - y0
        dz = strokes[i, Z1] - z0
        half, wider = strokes[i, HALF0], strokes[i, HALF1] - strokes[i, HALF0]
        is_tapered = wider != ZERO
        is_bright = _peak(strokes[i, R0:]) > white or _peak(strokes[i, R1:]) > white
        red0, green0, blue0, strength0 = strokes[i, R0], strokes[i, G0], strokes[i, B0], strokes[i, A0]
        red1 = strokes[i, R1] - red0
        green1 = strokes[i, G1] - green0
        blue1 = strokes[i, B1] - blue0
        strength1 = strokes[i, A1] - strength0
        square = dx * dx + dy * dy
        inv = ONE / square if square > F(1e-9) else ZERO
        reach = max(half, half + wider, HALF) + HALF
        # The soft edge lies within the radius, and is never thinner than a pixel.
        inv_soft = ONE / max(half * softness, ONE)
        # Rows and columns whose middles lie within reach.
        first_row = max(I(np.ceil(min(y0, y0 + dy) - reach - HALF)), 0)
        last_row = min(I(np.floor(max(y0, y0 + dy) + reach - HALF)), rows - 1)
        long = np.sqrt(square)
        # A row meets the widened line over this stretch, and never more than the box of its ends.
        sweep = reach * long / abs(dy) if abs(dy) > F(1e-3) else F(1e9)
        slope = dx / dy if abs(dy) > F(1e-3) else ZERO
        low_x = min(x0, x0 + dx) - reach
        high_x = max(x0, x0 + dx) + reach
        for row in range(first_row, last_row + 1):
            y = F(row) + HALF - y0
            middle = x0 + slope * y
            a = max(I(np.ceil(max(low_x, middle - sweep) - HALF)), 0)
            b = min(I(np.floor(min(high_x, middle + sweep) - HALF)), width - 1)
            # Vectors begin at even pixels: what was just written is read again at once only from where it was written.
            for px in range(a & ~1, b + 1, LANES):
                place = min(px, width - LANES)
                x = F(place) + HALF - x0
                behind = zs, L(row * stride + place), plane, samples
                blend = is_additive, is_soft, is_bright, white
                along = (x * dx + y * dy) * inv, dx * inv
                colour = red0, red1, green0, green1, blue0, blue1, strength0, strength1
                pixel = row * band.width + place
                if has_sheets and _are_sheets(sheets, pixel, pixel + min(LANES, band.width - place)):
                    told_lanes(
                        told, L(0), I(px - place), behind, blend, (x, y),
                        (dx, dy), along, (half, wider), inv_soft, (z0, dz), colour,
                    )  # fmt: skip
                    _put_sheets(told, row, place, band, is_additive, solids, sheets)
                if is_tapered:
                    tapered_lanes(
                        flat, L((row * width + place) * 4), I(px - place), behind, blend, (x, y),
                        (dx, dy), along, (half, wider), inv_soft, (z0, dz), colour,
                    )  # fmt: skip
                else:
                    stroke_lanes(
                        flat, L((row * width + place) * 4), I(px - place), behind, blend, (x, y),
                        (dx, dy), along, (half, wider), inv_soft, (z0, dz), colour,
                    )  # fmt: skip
    return are_held(sheets)
