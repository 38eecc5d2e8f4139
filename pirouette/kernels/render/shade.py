"""Light on what a band shows: one shaded fragment for each triangle in each pixel.

First a row's fragments are gathered (scattered reads), then lit all together (straight loops that vectorise).
"""

from ..compile import bare_kernel, kernel
from ..types import ONE, ZERO, F, I, U
from .face import (
    INSTANCE,
    MARK,
    WHOLE_SIZE,
    has_points,
    new_faces,
    new_fragments,
    put_face,
    put_fragment,
    put_material,
    put_paint,
    put_points,
)
from .light import (
    BLOCK,
    NEARNESS,
    OUT_B,
    OUT_G,
    OUT_R,
    light,
)

# The most pixels of a row that are shaded at once: in a narrow stretch, faces are still known in the rows below.
STRETCH = 256
# Faces that were seen last are remembered, each at a place that follows from its mark: most are seen in several rows.
FACES = 2048


@bare_kernel
def _list_single(at, first_px, last_px, seen, fragments):
    """List the fragments of pixels of one sample; returns how many there are."""
    table, pixel_of, mark_of = fragments.table, fragments.pixel_of, fragments.mark_of
    line = seen[at + first_px : at + last_px]
    count = 0
    for i in range(len(line)):
        key = line[i]
        pixel_of[count] = first_px + i
        mark_of[count] = I(key)
        table[NEARNESS + count] = I(key >> 32).view(F)
        count += key != 0
    return count


@bare_kernel
def _list_many(at, first_px, last_px, samples, seen, fragments):
    """List the fragments of pixels of several samples, each triangle once in a pixel; returns how many there are."""
    table, pixel_of, sample_of = fragments.table, fragments.pixel_of, fragments.sample_of
    weight_of, mark_of = fragments.weight_of, fragments.mark_of
    share = ONE / F(samples)
    count = 0
    for px in range(first_px, last_px):
        keys = seen[at + px * samples : at + (px + 1) * samples]
        nearest = keys[0]
        alike = 1
        while alike < samples and I(keys[alike]) == I(nearest):
            alike += 1
        if alike == samples:
            # One triangle, or nothing, is seen by them all.
            pixel_of[count] = px
            sample_of[count] = 0
            weight_of[count] = ONE
            mark_of[count] = I(nearest)
            table[NEARNESS + count] = I(nearest >> 32).view(F)
            count += nearest != 0
            continue
        first_in_pixel = count
        for s in range(samples):
            key = keys[s]
            if key == 0:
                continue
            mark = I(key)
            known = -1
            for other in range(count - 1, first_in_pixel - 1, -1):
                if mark_of[other] == mark:
                    known = other
                    break
            if known >= 0:
                weight_of[known] += share
                continue
            pixel_of[count] = px
            sample_of[count] = s
            weight_of[count] = share
            mark_of[count] = mark
            table[NEARNESS + count] = I(key >> 32).view(F)
            count += 1
    return count


@bare_kernel
def _gather(count, row, surfaces, band, entries, fragments, faces):
    """Fill the table of listed fragments: where they lie, their normals and their materials."""
    table, pixel_of, sample_of, mark_of = fragments.table, fragments.pixel_of, fragments.sample_of, fragments.mark_of
    wholes = faces.wholes
    place_x, place_y = band.place_x, band.place_y
    top = F(band.top + row)
    at = U(0)
    last = k = -1
    part = run = 0
    is_dressed = False
    for i in range(count):
        mark = mark_of[i]
        s = U(sample_of[i])
        x = F(pixel_of[i]) + place_x[s]
        y = top + place_y[s]
        if mark != last:
            last = mark
            at = U(mark) & U(FACES - 1)
            if wholes[at * U(WHOLE_SIZE) + U(MARK)] != mark:
                wholes[at * U(WHOLE_SIZE) + U(MARK)] = mark
                put_face(faces, at, surfaces, entries[(U(mark) >> U(7)) - U(1)], mark & 127, x, y)
            own = wholes[at * U(WHOLE_SIZE) + U(INSTANCE)]
            if own != k:
                if i > run:
                    put_material(table, run, i, surfaces, part, k)
                run = i
                k = own
                part = surfaces.part_of[U(k)]
                is_dressed = has_points(surfaces, part)
        put_fragment(table, i, faces, at, x, y)
        if is_dressed:
            put_points(table, i, faces, at, surfaces, part)
    if count > run:
        put_material(table, run, count, surfaces, part, k)


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
def _lay(table, count, pixel_of, weight_of, first_px, behind, out):
    """Write a stretch of a row: the sums of its pixels' fragments, and what is behind where they leave it open."""
    red, green, blue, alpha = behind[0], behind[1], behind[2], behind[3]
    pixel_of[count] = -1
    at = 0
    for i in range(len(out) // 4):
        r, g, b, a = ZERO, ZERO, ZERO, ZERO
        while pixel_of[U(at)] == first_px + i:
            weight = weight_of[U(at)]
            r += table[U(OUT_R) + U(at)] * weight
            g += table[U(OUT_G) + U(at)] * weight
            b += table[U(OUT_B) + U(at)] * weight
            a += weight
            at += 1
        open_share = max(ONE - a, ZERO)
        out[4 * i] = r + red * open_share
        out[4 * i + 1] = g + green * open_share
        out[4 * i + 2] = b + blue * open_share
        out[4 * i + 3] = a + alpha * open_share


@kernel
def lay_background(background, out):
    """Fill a band's picture, flat, with what is behind everything, (rows, 4)."""
    width = len(out) // len(background)
    for row in range(len(background)):
        red, green, blue, alpha = background[row, 0], background[row, 1], background[row, 2], background[row, 3]
        line = out[row * width : (row + 1) * width]
        for i in range(len(line) // 4):
            line[4 * i] = red
            line[4 * i + 1] = green
            line[4 * i + 2] = blue
            line[4 * i + 3] = alpha


@kernel
def shade_band(surfaces, band, lights, entries, seen, background, out):
    """Fill a band's picture, flat, with premultiplied light over a background (height, 4)."""
    fragments, faces = new_fragments(), new_faces(FACES)
    table = fragments.table
    samples = len(band.offsets)
    stretch = min(BLOCK // samples, STRETCH)
    for first_px in range(0, band.width, stretch):
        last_px = min(first_px + stretch, band.width)
        for row in range(band.rows):
            at = row * band.stride
            count = 0
            if samples == 1:
                count = _list_single(at, first_px, last_px, seen, fragments)
            else:
                count = _list_many(at, first_px, last_px, samples, seen, fragments)
            _gather(count, row, surfaces, band, entries, fragments, faces)
            if len(surfaces.paints):
                put_paint(table, count, surfaces)
            light(table, count, lights)
            begin = 4 * (row * band.width + first_px)
            line = out[begin : begin + 4 * (last_px - first_px)]
            if samples == 1 and count == last_px - first_px:
                _lay_whole(table, line)
            else:
                behind = background[band.top + row]
                _lay(table, count, fragments.pixel_of, fragments.weight_of, first_px, behind, line)
