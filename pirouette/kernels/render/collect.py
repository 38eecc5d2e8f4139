"""Faces that are seen through, or only add light: what each shows in each pixel, lit in blocks.

Faces of half-transparent surfaces become sheets of their pixels. Faces that add light do where there are such sheets;
elsewhere each adds to its pixel at once: so the order does not matter to the eye; it is fixed all the same.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, called_kernel, kernel
from ..types import ONE, SUB, ZERO, F, I, L
from .clip import cut_triangle
from .face import (
    has_points,
    new_faces,
    new_fragments,
    put_begin,
    put_face,
    put_fragment,
    put_lift,
    put_material,
    put_paint,
    put_points,
)
from .fragment import BLOCK, NEARNESS, OPACITY, OUT_B, OUT_G, OUT_R
from .haze import put_haze
from .kept import are_places_known
from .light import TOLD_SIZE, begin_light, light
from .mirror import mirror_sheets
from .raster import Corner, cut_corner, narrowed
from .shares import new_pixels
from .sheets import NONE, add_sheet, every_sample, put_light
from .sift import (
    AWAY,
    AX,
    AY,
    AZ,
    BX,
    BY,
    BZ,
    CX,
    CY,
    CZ,
    KEPT,
    SEEN,
    TABLE_SIZE,
    owns,
    project_members,
    sift_triangles,
)
from .through import new_scratch
from .under_way import new_paths


class _Work(NamedTuple):
    """What collecting writes down along the way."""

    fragments: tuple
    faces: tuple
    pixels: tuple
    scratch: tuple
    paths: tuple
    told: np.ndarray  # see mirror.py
    table: np.ndarray  # int32: the cluster at hand, see sift.py
    first: np.ndarray  # (16, 3) float64: corners of what is clipped
    second: np.ndarray
    # int64: how many fragments the block holds, the first of them of the pair at hand, and if the face at hand is told.
    at: np.ndarray


COUNT, RUN, TOLD = 0, 1, 2
# What lies on another surface is seen everywhere, though both find their depth in other steps.
A_HAIR_NEARER = F(1 + 1e-5)


@called_kernel
def _flush(work, surfaces, lights, rays, mirrors, is_additive, sheets, out):
    """Light a block's fragments, and give their light to their sheets or pixels."""
    fragments, count = work.fragments, work.at[COUNT]
    table = fragments.table
    if len(surfaces.paints):
        put_paint(table, count, surfaces)
    for i in range(count):
        # How many rays a fragment asks for follows from how much of it is seen.
        fragments.weight_of[i] *= ONE if is_additive else table[OPACITY + i]
    if not lights.is_flat:
        begin_light(table, count, lights)
    if mirrors.are_cast:
        mirror_sheets(table, count, fragments, work.told, surfaces, lights, rays, mirrors, work.paths)
    light(table, count, fragments, 0, surfaces, lights, rays, work.pixels, work.scratch)
    if lights.haze.is_on:
        put_haze(table, count, lights, is_additive)
    for i in range(count):
        opacity = table[OPACITY + i]
        red = table[OUT_R + i] * opacity
        green = table[OUT_G + i] * opacity
        blue = table[OUT_B + i] * opacity
        number = fragments.mark_of[i]
        if number >= 0:
            put_light(sheets, number, red, green, blue, ZERO if is_additive else opacity, ONE)
            continue
        pixel = out[fragments.row_of[i], fragments.pixel_of[i]]
        weight = fragments.weight_of[i]
        pixel[0] += red * weight
        pixel[1] += green * weight
        pixel[2] += blue * weight
        pixel[3] += (ONE - pixel[3]) * min(max(red, max(green, blue)) * weight, ONE)
    work.at[COUNT] = work.at[RUN] = 0


@bare_kernel
def _cover(offsets, edges, slopes_x, slopes_y):
    """The bits of those samples of a pixel that lie inside of three edges, each told at the pixel's corner."""
    cover = L(0)
    for s in range(len(offsets)):
        x, y = L(offsets[s, 0]), L(offsets[s, 1])
        is_in = edges[0] + slopes_x[0] * x + slopes_y[0] * y >= 0
        is_in &= edges[1] + slopes_x[1] * x + slopes_y[1] * y >= 0
        is_in &= edges[2] + slopes_x[2] * x + slopes_y[2] * y >= 0
        cover |= L(is_in) << L(s)
    return cover


@bare_kernel
def _before(cover, band, zs, z, z_right, z_down, at, plane):
    """Those of a pixel's samples at which 1/w is no less than that of what is there; `at` its first one's place."""
    kept = cover
    for s in range(len(band.offsets)):
        if (z + z_right * band.place_x[s] + z_down * band.place_y[s]) * A_HAIR_NEARER < zs[at + s * plane]:
            kept &= ~(L(1) << L(s))
    return kept


@bare_kernel
def _first_of(cover):
    """The number of the lowest bit that is set."""
    s = 0
    while (cover >> L(s)) & L(1) == 0:
        s += 1
    return s


@bare_kernel
def _count_of(cover, samples):
    count = 0
    for s in range(samples):
        count += (cover >> L(s)) & L(1)
    return count


class _Triangle(NamedTuple):
    """A triangle on the screen: what is linear in the place there is told at a corner of a pixel, in fixed-point."""

    pair: np.int32
    number: np.int32
    edges: tuple  # each edge's number at the place: inside all are 0 and more
    right: tuple  # how they change along x
    down: tuple
    z: np.float32  # 1/w at the place
    z_right: np.float32
    z_down: np.float32


@bare_kernel
def _triangle(pair, number, a, b, c, x, y):
    """Tell a triangle, in positive turn, at a place of the screen."""
    right = (L(a.y - b.y), L(b.y - c.y), L(c.y - a.y))
    down = (L(b.x - a.x), L(c.x - b.x), L(a.x - c.x))
    inv = ONE / F((b.x - a.x) * (c.y - a.y) - (c.x - a.x) * (b.y - a.y))
    z_right = ((b.z - a.z) * F(c.y - a.y) - (c.z - a.z) * F(b.y - a.y)) * inv
    z_down = ((c.z - a.z) * F(b.x - a.x) - (b.z - a.z) * F(c.x - a.x)) * inv
    edges = (
        right[0] * (x - a.x) + down[0] * (y - a.y) - owns(right[0], down[0]),
        right[1] * (x - b.x) + down[1] * (y - b.y) - owns(right[1], down[1]),
        right[2] * (x - c.x) + down[2] * (y - c.y) - owns(right[2], down[2]),
    )
    return _Triangle(
        pair, number, edges, right, down, a.z + z_right * F(x - a.x) + z_down * F(y - a.y), z_right, z_down
    )


@bare_kernel
def _stretch(triangle, rows, width):
    """The first and last of `width` pixels of a row, so many rows below, that a triangle can touch."""
    first, last = L(0), L(width - 1)
    for edge in range(3):
        slope, rise = triangle.right[edge], triangle.down[edge]
        # At most so much within a pixel.
        value = triangle.edges[edge] + (rise << 8) * rows + L(255) * (max(slope, L(0)) + max(rise, L(0)))
        first, last = narrowed(first, last, value, slope << 8)
    return first, last


@bare_kernel
def _least(triangle, edge):
    """How much an edge's number is less, at most, at a sample than at its pixel's corner."""
    return L(255) * (min(triangle.right[edge], L(0)) + min(triangle.down[edge], L(0)))


@bare_kernel
def _add_pixels(triangle, rows, first, last, left, top, part, surfaces, band, is_additive, zs, sheets, work):
    """Add what a triangle shows in a run of a row's pixels to the block, until that is full; returns which is next.

    left, top  the pixel of the band that the triangle is told at; the row is so many rows below, the run to the right
    """
    fragments, faces = work.fragments, work.faces
    table = fragments.table
    samples = len(band.offsets)
    plane = band.stride // samples
    everything = every_sample(samples)
    share = ONE / F(samples)
    is_dressed, are_lifted = has_points(surfaces, part), len(faces.lifts) > 0
    row = top + rows
    right, down = triangle.right, triangle.down
    e0 = triangle.edges[0] + (down[0] << 8) * rows
    e1 = triangle.edges[1] + (down[1] << 8) * rows
    e2 = triangle.edges[2] + (down[2] << 8) * rows
    low0, low1, low2 = _least(triangle, 0), _least(triangle, 1), _least(triangle, 2)
    z_right, z_down = triangle.z_right * SUB, triangle.z_down * SUB
    z_row = triangle.z + z_down * F(rows)
    count = work.at[COUNT]
    step = first
    while step <= last and count < BLOCK:
        a, b, c = e0 + (right[0] << 8) * step, e1 + (right[1] << 8) * step, e2 + (right[2] << 8) * step
        is_whole = (a + low0 >= 0) & (b + low1 >= 0) & (c + low2 >= 0)
        column = left + step
        cover = everything if is_whole else _cover(band.offsets, (a, b, c), right, down)
        z = z_row + z_right * F(step)
        step += 1
        if cover == 0:
            continue
        cover = _before(cover, band, zs, z, z_right, z_down, row * band.stride + column, plane)
        if cover == 0:
            continue
        pixel = row * band.width + column
        number = NONE
        if not is_additive or (len(sheets.heads) > 0 and sheets.heads[pixel] >= 0):
            number = add_sheet(sheets, pixel, cover, z, z_right, z_down)
            if number < 0:
                return L(-1)
        s = _first_of(cover)
        x, y = F(column) + band.place_x[s], F(row + band.top) + band.place_y[s]
        if work.at[TOLD] == 0:
            work.at[TOLD] = 1
            put_face(faces, 0, surfaces, triangle.pair, triangle.number, x, y)
            if are_lifted:
                put_lift(faces, 0, surfaces)
        put_fragment(table, count, faces, 0, x, y)
        if are_lifted:
            put_begin(table, count, faces, 0, x, y)
        if is_dressed:
            put_points(table, count, faces, 0, surfaces, part)
        table[NEARNESS + count] = z + z_right * band.place_x[s] + z_down * band.place_y[s]
        fragments.pixel_of[count] = column
        fragments.row_of[count] = row
        fragments.sample_of[count] = s
        fragments.weight_of[count] = ONE if cover == everything else F(_count_of(cover, samples)) * share
        fragments.mark_of[count] = number
        count += 1
    work.at[COUNT] = count
    return step


@called_kernel
def _add_triangle(
    a, b, c, pair, number, k, part, surfaces, band, lights, rays, mirrors, is_additive, zs, sheets, out, work
):  # fmt: skip
    """Add what a triangle shows in each pixel to the block, and light that whenever it is full; False without room."""
    top = max((min(a.y, min(b.y, c.y)) >> 8) - band.top, L(0))
    foot = min((max(a.y, max(b.y, c.y)) >> 8) - band.top, L(band.rows - 1))
    left = max(min(a.x, min(b.x, c.x)) >> 8, L(0))
    right = min(max(a.x, max(b.x, c.x)) >> 8, L(band.width - 1))
    triangle = _triangle(pair, number, a, b, c, left << 8, (top + band.top) << 8)
    for rows in range(foot - top + 1):
        step, last = _stretch(triangle, rows, right - left + 1)
        while step <= last:
            step = _add_pixels(
                triangle, rows, step, last, left, top, part, surfaces, band, is_additive, zs, sheets, work
            )
            if step < 0:
                return False
            if work.at[COUNT] == BLOCK:
                put_material(work.fragments.table, work.at[RUN], BLOCK, surfaces, part, k)
                _flush(work, surfaces, lights, rays, mirrors, is_additive, sheets, out)
    return True


@kernel
def collect_band(surfaces, band, lights, rays, mirrors, entries, is_additive, zs, sheets, shared, out):
    """Collect what a band's pairs of half-transparent surfaces show, or of those that add light.

    entries  the pairs, best the nearest first
    zs       the 1/w of the band's samples, see `shade.depths`
    sheets   where they go; of faces that add light, only those in pixels that have sheets
    shared   see shade_band
    out      the band's (rows, width, 4) picture, to which other faces add
    Returns  how many of the pairs are collected: not all if there is no room for more sheets
    """
    work = _Work(
        new_fragments(),
        new_faces(1, are_places_known(rays, shared) or mirrors.are_cast),
        new_pixels(0, 0, lights, rays, shared, 0),
        new_scratch(),
        new_paths(mirrors.are_cast),
        np.empty(TOLD_SIZE * BLOCK, F),
        np.empty(TABLE_SIZE, I),
        np.empty((16, 3), np.float64),
        np.empty((16, 3), np.float64),
        np.zeros(3, L),
    )
    table, second = work.table, work.second
    offsets = band.offsets
    reach = (offsets[:, 0].min(), offsets[:, 0].max(), offsets[:, 1].min(), offsets[:, 1].max())
    for done in range(len(entries)):
        pair = entries[done]
        k = surfaces.pair_instance[pair]
        c = surfaces.pair_cluster[pair]
        part = surfaces.part_of[k]
        is_clipped = project_members(table, surfaces, k, c, band.near)
        kept = sift_triangles(table, surfaces, c, 0, is_clipped, band, reach)
        start = surfaces.member_offsets[c]
        first = surfaces.triangle_offsets[c]
        work.at[RUN] = work.at[COUNT]
        for n in range(kept):
            t = table[KEPT + n]
            p0 = surfaces.local[0, first + t]
            p1 = surfaces.local[1, first + t]
            p2 = surfaces.local[2, first + t]
            corners = 3
            is_cut = is_clipped and (table[AWAY + p0] | table[AWAY + p1] | table[AWAY + p2]) != 0
            if is_cut:
                corners = cut_triangle(
                    surfaces, k, start + p0, start + p1, start + p2, band.near, work.first, second
                )  # fmt: skip
            elif table[SEEN + t] == 0:
                continue
            work.at[TOLD] = 0
            for piece in range(corners - 2):
                if is_cut:
                    a = cut_corner(second[0], ONE)
                    b, d = cut_corner(second[piece + 1], ONE), cut_corner(second[piece + 2], ONE)
                else:
                    a = Corner(L(table[AX + t]), L(table[AY + t]), I(table[AZ + t]).view(F), ONE)
                    b = Corner(L(table[BX + t]), L(table[BY + t]), I(table[BZ + t]).view(F), ONE)
                    d = Corner(L(table[CX + t]), L(table[CY + t]), I(table[CZ + t]).view(F), ONE)
                area = (b.x - a.x) * (d.y - a.y) - (d.x - a.x) * (b.y - a.y)
                if area == 0:
                    continue
                # Every triangle is drawn in positive turn.
                if area < 0:
                    b, d = d, b
                if not _add_triangle(
                    a, b, d, pair, t, k, part, surfaces, band, lights, rays, mirrors, is_additive, zs, sheets, out, work
                ):
                    return done
        put_material(work.fragments.table, work.at[RUN], work.at[COUNT], surfaces, part, k)
    _flush(work, surfaces, lights, rays, mirrors, is_additive, sheets, out)
    return len(entries)
