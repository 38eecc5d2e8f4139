"""Light that surfaces throw on each other, once: what falls on each pixel of a picture from all that is around.

From every pixel rays go out over the dome above its surface, and what they meet is lit like all else. Neighbours ask in
unlike ways, in turns of four by four pixels; what they find is mixed with what those around know that show the same
surface, at first side by side, then over further ones: such light changes slowly, so there is no grain.
"""

from ..compile import bare_kernel, kernel
from ..types import ONE, ZERO, F
from .face import new_faces, new_fragments
from .fragment import BLOCK, OUT_R, PART, PITCH
from .gather import FACES, gather, stretch_of
from .light import begin_light
from .paths import follow, room_for, scatter
from .pixels import AT, PIXEL_SIZE, SEEN, is_alike, put_pixel
from .pixels import FACES as NORMAL
from .shares import SCOUTS
from .under_way import begin_path, new_paths


@kernel
def catch_band(surfaces, band, lights, rays, mirrors, places, entries, seen, kept):
    """Write what each pixel of a band shows, and the light that falls on it from other surfaces, as kept.wax.

    places  (SCOUTS * N, POINT_SIZE) float32: where the N rays of each pixel go, see shares.py
    kept    of the whole picture, of one sample for each pixel
    """
    fragments, faces = new_fragments(), new_faces(FACES, True)
    table, paths = fragments.table, new_paths(True)
    stretch = min(stretch_of(band), BLOCK)
    asked, room = len(places) // SCOUTS, room_for(surfaces)
    for first_px in range(0, band.width, stretch):
        last_px = min(first_px + stretch, band.width)
        for row in range(band.rows):
            count = gather(row, first_px, last_px, surfaces, band, entries, seen, fragments, faces)
            begin_light(table, count, lights)
            first = (band.top + row) * kept.width
            under_way = 0
            for i in range(count):
                column = fragments.pixel_of[i]
                put_pixel(table, i, kept.seen[(first + column) * PIXEL_SIZE :])
                kept.parts[first + column] = table[PART + i]
                turn = (column & 3) + 4 * (row & 3)
                if under_way + asked > room:
                    follow(table, under_way, surfaces, lights, rays, mirrors, paths)
                    under_way = 0
                for number in range(asked):
                    begin_path(paths, under_way, i, OUT_R, ONE / F(asked), turn + 5 * number)
                    scatter(paths, under_way, table, i, places[number * SCOUTS + turn])
                    under_way += 1
            follow(table, under_way, surfaces, lights, rays, mirrors, paths)
            for i in range(count):
                for k in range(3):
                    kept.wax[3 * (first + fragments.pixel_of[i]) + k] = table[OUT_R + k * PITCH + i]


@bare_kernel
def _weight(down, right, reach):
    return F((reach + 1 - abs(down)) * (reach + 1 - abs(right)))


@kernel
def mix_rows(start, stop, reach, step, wide, eye, kept, mixed):
    """Mix what rows start..stop - 1 know with what pixels around do, each so many pixels from the next.

    wide   how far off each other's plane pixels may lie that are at a distance of 1
    mixed  (N * 3,) float32 to fill
    """
    width = kept.width
    for row in range(start, stop):
        for column in range(width):
            slot = row * width + column
            pixel = kept.seen[slot * PIXEL_SIZE :]
            red = green = blue = weight = ZERO
            if pixel[SEEN] == ZERO:
                continue
            place = pixel[AT], pixel[AT + 1], pixel[AT + 2]
            normal = pixel[NORMAL], pixel[NORMAL + 1], pixel[NORMAL + 2]
            x, y, z = place[0] - eye[0], place[1] - eye[1], place[2] - eye[2]
            off = wide * F(step) * (x * x + y * y + z * z) ** F(0.5)
            for down in range(-reach, reach + 1):
                other_row = row + step * down
                if other_row < 0 or other_row >= kept.rows:
                    continue
                for right in range(-reach, reach + 1):
                    other = column + step * right
                    if other < 0 or other >= width:
                        continue
                    at = other_row * width + other
                    there = kept.seen[at * PIXEL_SIZE :]
                    if there[SEEN] == ZERO or not is_alike(there, place, normal, off):
                        continue
                    part = _weight(down, right, reach)
                    red += part * kept.wax[3 * at]
                    green += part * kept.wax[3 * at + 1]
                    blue += part * kept.wax[3 * at + 2]
                    weight += part
            inv = ONE / max(weight, ONE)
            mixed[3 * slot], mixed[3 * slot + 1], mixed[3 * slot + 2] = red * inv, green * inv, blue * inv
