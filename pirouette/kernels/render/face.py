"""What a triangle shows, as numbers that change evenly over the screen, and the fragments that are made from them.

Barycentrics without their perspective division, and normals mixed by them, are linear in the place on the screen: so
each is found once for a triangle, around a sample of its own, and then costs two products for each fragment.
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, called_kernel, kernel
from ..types import HALF, ONE, ZERO, F, I, U
from .fragment import (
    AT_X,
    AT_Y,
    BEGIN_X,
    BEGIN_Y,
    BEGIN_Z,
    BLOCK,
    BLUE,
    BRIGHT,
    COPY,
    DOWN_X,
    EDGE,
    GLOW_B,
    GLOW_G,
    GLOW_R,
    GREEN,
    LIT_BY,
    METALLIC,
    NX,
    NY,
    NZ,
    OPACITY,
    PART,
    PITCH,
    PLACE_U,
    PLACE_V,
    RED,
    RIGHT_X,
    ROUGH,
    SEEN_AT,
    TABLE_SIZE,
)
from .shares import MIRRORS
from .texture import (
    BEYOND,
    LAST_LAYER,
    ON_COLOUR,
    ON_GLOW,
    ON_OPACITY,
    TEXTURE,
    WIDTH,
    put_pattern,
    put_place,
    sample,
)

THIRD = F(1 / 3)
# Columns of a material row.
COLOUR, GLOW, ROUGHNESS, METAL, FLAT, HAS_TINTS, BRIGHTNESS, HAS_PAINT = 0, 3, 6, 7, 8, 9, 10, 11
# What its fragments may be lit by, see shares.py.
LIT = 12
# Whether it adds its light to what is behind it, and whether its glow comes as light of lamps already.
ADDS, SPILLS, MATERIAL_SIZE = 13, 14, 15
# Columns of a face's row: the sample around which it is told; barycentrics there, and their change to the right and
# downwards by a pixel; the normal likewise.
X, Y, B, B_RIGHT, B_DOWN, N, N_RIGHT, N_DOWN, FACE_SIZE = 0, 1, 2, 5, 8, 11, 14, 17, 20
# Columns of its whole numbers: its mark, its instance, its triangle, and its corners among the members.
MARK, INSTANCE, TRIANGLE, CORNER, WHOLE_SIZE = 0, 1, 2, 3, 6
# Columns of where it is in the world: its three corners, each with its normal, and how long its longest edge is.
LONG, LIFT_SIZE = 18, 19


class Faces(NamedTuple):
    """Faces that were told, each a row of numbers and of whole numbers."""

    told: np.ndarray  # (count * FACE_SIZE,) float32
    wholes: np.ndarray  # (count * WHOLE_SIZE,) int32
    lifts: np.ndarray  # (count * LIFT_SIZE,) float32: where they are in the world; empty if no rays begin there


class Fragments(NamedTuple):
    """What faces show in pixels: a block of at most BLOCK that are shaded together."""

    table: np.ndarray  # float32, see light.py
    pixel_of: np.ndarray  # int32
    row_of: np.ndarray  # int32
    sample_of: np.ndarray  # int32: the first sample of the pixel that sees it
    weight_of: np.ndarray  # float32: the share of the pixel's samples that see it; 1 to begin with
    mark_of: np.ndarray  # int32: see raster.py


@kernel
def new_faces(count, are_lifted):
    """Return tables for so many faces, with marks that no face has."""
    lifts = np.zeros(count * LIFT_SIZE if are_lifted else 0, F)
    return Faces(np.zeros(count * FACE_SIZE, F), np.full(count * WHOLE_SIZE, -1, I), lifts)


@kernel
def new_fragments():
    """Return tables for a block of fragments and one more."""
    size = BLOCK + 1
    return Fragments(
        np.zeros(TABLE_SIZE, F),
        np.zeros(size, I),
        np.zeros(size, I),
        np.zeros(size, I),
        np.ones(size, F),
        np.zeros(size, I),
    )


@bare_kernel
def put_face(faces, at, surfaces, pair, triangle, x, y):
    """Tell a triangle of a pair's cluster around a sample, as face `at` of a table."""
    # Numbers without a sign, and slices, are not tried for counting from an array's end.
    told = faces.told[U(at) * U(FACE_SIZE) :]
    wholes = faces.wholes[U(at) * U(WHOLE_SIZE) :]
    px, py, pz, normals, local = surfaces.px, surfaces.py, surfaces.pz, surfaces.normals, surfaces.local
    k = U(surfaces.pair_instance[U(pair)])
    c = U(surfaces.pair_cluster[U(pair)])
    t = U(surfaces.triangle_offsets[c] + triangle)
    start = surfaces.member_offsets[c]
    p0 = U(start + local[0, t])
    p1 = U(start + local[1, t])
    p2 = U(start + local[2, t])
    wholes[INSTANCE] = k
    wholes[TRIANGLE] = t
    wholes[CORNER] = p0
    wholes[CORNER + 1] = p1
    wholes[CORNER + 2] = p2
    told[X] = x
    told[Y] = y
    to_x, to_y, to_w = surfaces.screen[k, 0], surfaces.screen[k, 1], surfaces.screen[k, 2]
    ax, ay, az = px[p0], py[p0], pz[p0]
    bx, by, bz = px[p1], py[p1], pz[p1]
    cx, cy, cz = px[p2], py[p2], pz[p2]
    aw = to_w[0] * ax + to_w[1] * ay + to_w[2] * az + to_w[3]
    bw = to_w[0] * bx + to_w[1] * by + to_w[2] * bz + to_w[3]
    cw = to_w[0] * cx + to_w[1] * cy + to_w[2] * cz + to_w[3]
    # The corners seen from the sample: small numbers, so float32 is enough.
    a_right = to_x[0] * ax + to_x[1] * ay + to_x[2] * az + to_x[3] - x * aw
    b_right = to_x[0] * bx + to_x[1] * by + to_x[2] * bz + to_x[3] - x * bw
    c_right = to_x[0] * cx + to_x[1] * cy + to_x[2] * cz + to_x[3] - x * cw
    a_down = to_y[0] * ax + to_y[1] * ay + to_y[2] * az + to_y[3] - y * aw
    b_down = to_y[0] * bx + to_y[1] * by + to_y[2] * bz + to_y[3] - y * bw
    c_down = to_y[0] * cx + to_y[1] * cy + to_y[2] * cz + to_y[3] - y * cw
    b0 = b_right * c_down - c_right * b_down
    b1 = c_right * a_down - a_right * c_down
    b2 = a_right * b_down - b_right * a_down
    total = b0 + b1 + b2
    inv = ONE / total if abs(total) > ZERO else ZERO
    b0 *= inv
    b1 *= inv
    b2 *= inv
    x0 = (cw * b_down - bw * c_down) * inv
    x1 = (aw * c_down - cw * a_down) * inv
    x2 = (bw * a_down - aw * b_down) * inv
    y0 = (bw * c_right - cw * b_right) * inv
    y1 = (cw * a_right - aw * c_right) * inv
    y2 = (aw * b_right - bw * a_right) * inv
    told[B], told[B + 1], told[B + 2] = b0, b1, b2
    told[B_RIGHT], told[B_RIGHT + 1], told[B_RIGHT + 2] = x0, x1, x2
    told[B_DOWN], told[B_DOWN + 1], told[B_DOWN + 2] = y0, y1, y2
    # Rows run downwards on screen: a positive turn there is a face seen from behind.
    # (A mirrored instance turns both the face and its cofactors, which cancels out.)
    facing = -ONE if total > ZERO else ONE
    if surfaces.materials[U(surfaces.part_of[k]), FLAT] > HALF:
        ux, uy, uz = bx - ax, by - ay, bz - az
        vx, vy, vz = cx - ax, cy - ay, cz - az
        nx = (uy * vz - uz * vy) * facing
        ny = (uz * vx - ux * vz) * facing
        nz = (ux * vy - uy * vx) * facing
        for r in range(3):
            f = surfaces.cofactors[k, r]
            told[N + r] = f[0] * nx + f[1] * ny + f[2] * nz
            told[N_RIGHT + r] = ZERO
            told[N_DOWN + r] = ZERO
    else:
        n0 = normals[U(3) * p0 :]
        n1 = normals[U(3) * p1 :]
        n2 = normals[U(3) * p2 :]
        for r in range(3):
            f = surfaces.cofactors[k, r]
            f0, f1, f2 = f[0] * facing, f[1] * facing, f[2] * facing
            a = f0 * n0[0] + f1 * n0[1] + f2 * n0[2]
            b = f0 * n1[0] + f1 * n1[1] + f2 * n1[2]
            c = f0 * n2[0] + f1 * n2[1] + f2 * n2[2]
            told[N + r] = b0 * a + b1 * b + b2 * c
            told[N_RIGHT + r] = x0 * a + x1 * b + x2 * c
            told[N_DOWN + r] = y0 * a + y1 * b + y2 * c


@bare_kernel
def put_lift(faces, at, surfaces):
    """Tell where face `at` of a table is in the world."""
    lift = faces.lifts[U(at) * U(LIFT_SIZE) :]
    wholes = faces.wholes[U(at) * U(WHOLE_SIZE) :]
    normals = surfaces.normals
    k = U(wholes[INSTANCE])
    is_flat = surfaces.materials[U(surfaces.part_of[k]), FLAT] > HALF
    for corner in range(3):
        p = U(wholes[CORNER + corner])
        x, y, z = surfaces.px[p], surfaces.py[p], surfaces.pz[p]
        n = normals[U(3) * p :]
        square = ZERO
        for r in range(3):
            m, f = surfaces.world[k, r], surfaces.cofactors[k, r]
            lift[6 * corner + r] = m[0] * x + m[1] * y + m[2] * z + m[3]
            turned = ZERO if is_flat else f[0] * n[0] + f[1] * n[1] + f[2] * n[2]
            lift[6 * corner + 3 + r] = turned
            square += turned * turned
        inv = ONE / np.sqrt(square) if square > ZERO else ZERO
        for r in range(3):
            lift[6 * corner + 3 + r] *= inv
    longest = ZERO
    for corner in range(3):
        square = ZERO
        for r in range(3):
            apart = lift[6 * corner + r] - lift[6 * ((corner + 1) % 3) + r]
            square += apart * apart
        longest = max(longest, square)
    lift[LONG] = np.sqrt(longest)


@bare_kernel
def put_begin(table, i, faces, at, x, y):
    """Write where rays from a fragment of face `at` begin: off it, by as much as its corners' normals bend away.

    How its normal changes around is written, too.

    From the flat face itself, rays along a curved surface would meet its other faces, which shows their edges.
    Source  J. Hanika, "Hacking the shadow terminator", Ray tracing gems II (2021)
    """
    told = faces.told[U(at) * U(FACE_SIZE) :]
    right = x - told[X]
    down = y - told[Y]
    b0 = told[B] + told[B_RIGHT] * right + told[B_DOWN] * down
    b1 = told[B + 1] + told[B_RIGHT + 1] * right + told[B_DOWN + 1] * down
    b2 = told[B + 2] + told[B_RIGHT + 2] * right + told[B_DOWN + 2] * down
    inv = ONE / (b0 + b1 + b2)
    put_lifted(table, i, faces.lifts[U(at) * U(LIFT_SIZE) :], b0 * inv, b1 * inv, b2 * inv)
    # How the normal, as long as 1, changes by a pixel to the right and downwards.
    nx, ny, nz = table[NX + i], table[NY + i], table[NZ + i]
    inv = ONE / np.sqrt(nx * nx + ny * ny + nz * nz + F(1e-30))
    for r in range(3):
        table[RIGHT_X + r * PITCH + i] = told[N_RIGHT + r] * inv
        table[DOWN_X + r * PITCH + i] = told[N_DOWN + r] * inv


@bare_kernel
def put_lifted(table, i, lift, b0, b1, b2):
    """Write where rays from a fragment begin, whose normal is written, at barycentrics of a face; see put_begin.

    How long its longest edge is is written, too.
    """
    px = b0 * lift[0] + b1 * lift[6] + b2 * lift[12]
    py = b0 * lift[1] + b1 * lift[7] + b2 * lift[13]
    pz = b0 * lift[2] + b1 * lift[8] + b2 * lift[14]
    nx, ny, nz = table[NX + i], table[NY + i], table[NZ + i]
    ox, oy, oz = ZERO, ZERO, ZERO
    for corner in range(3):
        share = b0 if corner == 0 else (b1 if corner == 1 else b2)
        row = lift[6 * corner :]
        # The side that is seen counts. From hollows rays begin farther off, too: the faces beside rise there.
        side = ONE if row[3] * nx + row[4] * ny + row[5] * nz >= ZERO else -ONE
        below = ((px - row[0]) * row[3] + (py - row[1]) * row[4] + (pz - row[2]) * row[5]) * side
        raised = share * abs(below) * side
        ox += raised * row[3]
        oy += raised * row[4]
        oz += raised * row[5]
    table[EDGE + i] = lift[LONG]
    table[BEGIN_X + i] = px + ox
    table[BEGIN_Y + i] = py + oy
    table[BEGIN_Z + i] = pz + oz


@bare_kernel
def put_fragment(table, i, faces, at, x, y):
    """Write where a fragment of face `at` lies, and its normal."""
    told = faces.told[U(at) * U(FACE_SIZE) :]
    right = x - told[X]
    down = y - told[Y]
    table[AT_X + i] = x
    table[AT_Y + i] = y
    table[NX + i] = told[N] + told[N_RIGHT] * right + told[N_DOWN] * down
    table[NY + i] = told[N + 1] + told[N_RIGHT + 1] * right + told[N_DOWN + 1] * down
    table[NZ + i] = told[N + 2] + told[N_RIGHT + 2] * right + told[N_DOWN + 2] * down


@bare_kernel
def has_points(surfaces, part):
    """Whether a part's points give its fragments something of their own, see put_points."""
    return surfaces.materials[part, HAS_TINTS] + surfaces.materials[part, HAS_PAINT] > ZERO


@bare_kernel
def put_points(table, i, faces, at, surfaces, part):
    """Write what the points of face `at` give a fragment: colours, opacity, and the place in a picture."""
    told = faces.told[U(at) * U(FACE_SIZE) :]
    wholes = faces.wholes[U(at) * U(WHOLE_SIZE) :]
    tints = surfaces.point_tints
    x, y = table[AT_X + i], table[AT_Y + i]
    right = x - told[X]
    down = y - told[Y]
    x0, x1, x2 = told[B_RIGHT], told[B_RIGHT + 1], told[B_RIGHT + 2]
    y0, y1, y2 = told[B_DOWN], told[B_DOWN + 1], told[B_DOWN + 2]
    b0 = told[B] + x0 * right + y0 * down
    b1 = told[B + 1] + x1 * right + y1 * down
    b2 = told[B + 2] + x2 * right + y2 * down
    if surfaces.materials[part, HAS_PAINT] > HALF:
        paint, size, corners = surfaces.paints[part], surfaces.sizes[part], surfaces.uvs[wholes[TRIANGLE]]
        here, across, along = (b0, b1, b2), (x0, x1, x2), (y0, y1, y2)
        shift = np.floor(x) + HALF - x, np.floor(y) + HALF - y
        if paint[LAST_LAYER] > ZERO:
            width = size[WIDTH]
            put_pattern(table, PLACE_U, i, paint, surfaces.layers, width, corners, here, across, along, shift)
        else:
            put_place(table, PLACE_U, i, paint, size, corners, here, across, along, shift)
    if surfaces.materials[part, HAS_TINTS] > HALF:
        inv = ONE / (b0 + b1 + b2)
        p0, p1, p2 = wholes[CORNER], wholes[CORNER + 1], wholes[CORNER + 2]
        for k in range(3):
            table[RED + k * PITCH + i] = (b0 * tints[p0, k] + b1 * tints[p1, k] + b2 * tints[p2, k]) * inv
        table[OPACITY + i] = (b0 * tints[p0, 3] + b1 * tints[p1, 3] + b2 * tints[p2, 3]) * inv
        table[GLOW_R + i] = (b0 * tints[p0, 4] + b1 * tints[p1, 4] + b2 * tints[p2, 4]) * inv


@bare_kernel
def put_material(table, first, stop, surfaces, part, k):
    """Write the material of fragments first..stop, all of copy k: its colours times the copy's and the points'."""
    materials, tints = surfaces.materials, surfaces.tints
    red = tints[k, 0] * materials[part, COLOUR]
    green = tints[k, 1] * materials[part, COLOUR + 1]
    blue = tints[k, 2] * materials[part, COLOUR + 2]
    glow_r = tints[k, 0] * tints[k, 4] * materials[part, GLOW]
    glow_g = tints[k, 1] * tints[k, 4] * materials[part, GLOW + 1]
    glow_b = tints[k, 2] * tints[k, 4] * materials[part, GLOW + 2]
    rough, metal, bright = materials[part, ROUGHNESS], materials[part, METAL], materials[part, BRIGHTNESS]
    lit_by = materials[part, LIT]
    opacity = tints[k, 3]
    rows = table[first:]
    count = stop - first
    if len(surfaces.paints) or len(surfaces.clears):
        for i in range(count):
            rows[PART + i] = F(part)
    if materials[part, HAS_TINTS] > HALF:
        for i in range(count):
            glow = rows[GLOW_R + i]
            rows[GLOW_R + i] = rows[RED + i] * glow * glow_r
            rows[GLOW_G + i] = rows[GREEN + i] * glow * glow_g
            rows[GLOW_B + i] = rows[BLUE + i] * glow * glow_b
            rows[RED + i] *= red
            rows[GREEN + i] *= green
            rows[BLUE + i] *= blue
            rows[OPACITY + i] *= opacity
    else:
        for i in range(count):
            rows[RED + i] = red
            rows[GREEN + i] = green
            rows[BLUE + i] = blue
            rows[GLOW_R + i] = glow_r
            rows[GLOW_G + i] = glow_g
            rows[GLOW_B + i] = glow_b
            rows[OPACITY + i] = opacity
    if I(lit_by) & MIRRORS or len(surfaces.clears):
        for i in range(count):
            rows[COPY + i] = F(k)
    for i in range(count):
        rows[ROUGH + i] = rough
        rows[METALLIC + i] = metal
        rows[BRIGHT + i] = bright
        rows[LIT_BY + i] = lit_by


@called_kernel
def put_paint(table, count, surfaces):
    """Multiply the colours of `count` fragments with those of the pictures they lie in, and their opacity likewise."""
    paints, texels, light_of = surfaces.paints, surfaces.texels, surfaces.light_of
    levels, first_levels = surfaces.levels, surfaces.first_levels
    for i in range(count):
        part = I(table[PART + i])
        if surfaces.materials[part, HAS_PAINT] <= HALF:
            continue
        paint = paints[part]
        texture = I(paint[TEXTURE])
        its_levels = levels[first_levels[texture] : first_levels[texture + 1]]
        u, v, level = table[PLACE_U + i], table[PLACE_V + i], table[SEEN_AT + i]
        red, green, blue = sample(texels, light_of, its_levels, u, v, level, I(paint[BEYOND]))
        table[RED + i] *= ONE + (red - ONE) * paint[ON_COLOUR]
        table[GREEN + i] *= ONE + (green - ONE) * paint[ON_COLOUR]
        table[BLUE + i] *= ONE + (blue - ONE) * paint[ON_COLOUR]
        table[GLOW_R + i] *= ONE + (red - ONE) * paint[ON_GLOW]
        table[GLOW_G + i] *= ONE + (green - ONE) * paint[ON_GLOW]
        table[GLOW_B + i] *= ONE + (blue - ONE) * paint[ON_GLOW]
        table[OPACITY + i] *= ONE + ((red + green + blue) * THIRD - ONE) * paint[ON_OPACITY]
