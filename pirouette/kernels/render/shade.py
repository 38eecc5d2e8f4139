"""The light of a band, by stretches: fragments are gathered, painted, lit all together, and laid into the picture."""

from ..compile import bare_kernel, kernel
from ..types import ONE, ZERO, F, I, U
from .bright import rolled_off, rolled_on
from .clear import put_clear
from .face import new_faces, new_fragments, put_paint
from .fragment import OUT_B, OUT_G, OUT_R
from .gather import FACES, gather, stretch_of
from .haze import put_haze
from .kept import KNOWS, are_places_known
from .light import TOLD_SIZE, begin_light, light, take_mirrored
from .pixels import pixels_wide
from .shares import new_pixels, put_pixels, refine_pixels
from .sheets import add_solids, are_held
from .through import new_scratch, put_tints, refine_tints


@kernel
def depths(band, seen, zs):
    """Write the 1/w of each sample, for what is drawn over the surfaces: of a row all first samples, then all second.

    The row's sample s of pixel p is zs[row * stride + s * (stride // samples) + p].
    """
    samples = len(band.offsets)
    plane = band.stride // samples
    for row in range(band.rows):
        for s in range(samples):
            before, after = seen[row * band.stride + s :], zs[row * band.stride + s * plane :]
            for px in range(band.width):
                after[px] = I(before[px * samples] >> 32).view(F)


@bare_kernel
def _lay_whole(table, out):
    """Write a stretch of a row whose fragments are its pixels, each seen as a whole."""
    for i in range(len(out) // 4):
        out[4 * i] = table[OUT_R + i]
        out[4 * i + 1] = table[OUT_G + i]
        out[4 * i + 2] = table[OUT_B + i]
        out[4 * i + 3] = ONE


@bare_kernel
def _lay(table, count, pixel_of, weight_of, first_px, behind, white, out):
    """Write a stretch of a row: the means of its pixels' fragments, and of what is behind where they leave it open.

    behind  (1, 4) for all of the row, or (width, 4)

    Of samples brighter than white means are made as they are shown, rolled off, and the roll-off is undone after:
    edges of bright light are then as smooth as any.
    """
    red, green, blue, alpha = behind[0, 0], behind[0, 1], behind[0, 2], behind[0, 3]
    dims = rolled_off(max(red, max(green, blue)), white)
    is_even = len(behind) == 1
    pixel_of[count] = -1
    at = 0
    for i in range(len(out) // 4):
        r, g, b, a = ZERO, ZERO, ZERO, ZERO
        while pixel_of[U(at)] == first_px + i:
            share = weight_of[U(at)]
            a += share
            red_here, green_here, blue_here = table[U(OUT_R) + U(at)], table[U(OUT_G) + U(at)], table[U(OUT_B) + U(at)]
            peak = max(red_here, max(green_here, blue_here))
            if peak > white:
                share *= rolled_off(peak, white)
            r += red_here * share
            g += green_here * share
            b += blue_here * share
            at += 1
        open_share = max(ONE - a, ZERO)
        if not is_even:
            red, green, blue = behind[first_px + i, 0], behind[first_px + i, 1], behind[first_px + i, 2]
            dims = rolled_off(max(red, max(green, blue)), white)
        share = open_share * dims
        r += red * share
        g += green * share
        b += blue * share
        if max(r, max(g, b)) > white:
            lifts = rolled_on(max(r, max(g, b)), white)
            r *= lifts
            g *= lifts
            b *= lifts
        out[4 * i] = r
        out[4 * i + 1] = g
        out[4 * i + 2] = b
        out[4 * i + 3] = a + alpha * open_share


@kernel
def lay_background(background, out):
    """Fill a band's (rows, width, 4) picture with what is behind everything, (rows, 1, 4) or the same."""
    step = 1 if background.shape[1] > 1 else 0
    for row in range(out.shape[0]):
        for column in range(out.shape[1]):
            for k in range(4):
                out[row, column, k] = background[row, step * column, k]


@kernel
def shade_band(surfaces, band, lights, rays, told, entries, seen, background, white, sheets, shared, out):
    """Fill a band's picture, flat, with premultiplied light; False if there is no room for its sheets.

    told        what is mirrored, see mirror.py; empty if nothing is
    background  (rows, 1, 4) or (rows, width, 4): what is behind everything; white: see _lay
    sheets      what lies before the surfaces: they join them where there are any
    shared      see SharedLight
    """
    fragments, faces = new_fragments(), new_faces(FACES, are_places_known(rays, shared))
    table, told_at, scratch = fragments.table, 0, new_scratch()
    samples = len(band.offsets)
    stretch = stretch_of(band)
    pixels = new_pixels(band.rows, band.width, lights, rays, shared, band.top)
    if rays.are_cast and shared.kept.acts != KNOWS:
        for first_px in range(0, band.width, stretch):
            last_px = min(first_px + stretch, band.width)
            for row in range(band.rows):
                count = gather(row, first_px, last_px, surfaces, band, entries, seen, fragments, faces)
                begin_light(table, count, lights)
                put_pixels(table, count, fragments, row, lights, rays, pixels, scratch.ray)
                if rays.are_clear:
                    put_tints(table, count, fragments, row, surfaces, lights, rays, pixels, scratch)
        for first_px in range(0, band.width, stretch):
            last_px = min(first_px + stretch, band.width)
            for row in range(band.rows):
                count = gather(row, first_px, last_px, surfaces, band, entries, seen, fragments, faces)
                begin_light(table, count, lights)
                refine_pixels(table, count, fragments, row, lights, pixels_wide(lights), rays, pixels, scratch.ray)
                if rays.are_clear:
                    refine_tints(table, count, fragments, row, surfaces, lights, rays, pixels, scratch)
    for first_px in range(0, band.width, stretch):
        last_px = min(first_px + stretch, band.width)
        for row in range(band.rows):
            count = gather(row, first_px, last_px, surfaces, band, entries, seen, fragments, faces)
            if len(surfaces.paints):
                put_paint(table, count, surfaces)
            if not lights.is_flat:
                begin_light(table, count, lights)
                if len(surfaces.clears):
                    put_clear(table, count, surfaces)
            if len(told):
                take_mirrored(table, count, told[told_at:])
                told_at += TOLD_SIZE * count
            light(table, count, fragments, row, surfaces, lights, rays, pixels, scratch)
            if lights.haze.is_on:
                put_haze(table, count, lights, False)
            if len(sheets.heads):
                add_solids(fragments, count, row, first_px, last_px, band, seen, sheets)
            begin = 4 * (row * band.width + first_px)
            line = out[begin : begin + 4 * (last_px - first_px)]
            if samples == 1 and count == last_px - first_px:
                _lay_whole(table, line)
            else:
                behind = background[row]
                _lay(table, count, fragments.pixel_of, fragments.weight_of, first_px, behind, white, line)
    return are_held(sheets)
