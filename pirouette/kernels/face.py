"""What a triangle shows, as numbers that change evenly over the screen, and the fragments that are made from them.

Barycentrics without their perspective division, and normals mixed by them, are linear in the place on the screen: so
each is found once for a triangle, around a sample of its own, and then costs two products for each fragment.
"""

import numpy as np

from .compile import bare_kernel, kernel
from .light import (
    AT_X,
    AT_Y,
    BLUE,
    BRIGHT,
    GLOW_B,
    GLOW_G,
    GLOW_R,
    GREEN,
    METALLIC,
    NX,
    NY,
    NZ,
    PART,
    PITCH,
    PLACE_U,
    PLACE_V,
    RED,
    ROUGH,
    SEEN_AT,
)
from .texture import BEYOND, ON_COLOUR, ON_GLOW, TEXTURE, put_place, sample

F = np.float32
I = np.int32  # noqa: E741
U = np.uint32
ZERO = F(0.0)
ONE = F(1.0)
HALF = F(0.5)

# Columns of a material row.
COLOUR, GLOW, ROUGHNESS, METAL, FLAT, HAS_TINTS, BRIGHTNESS, HAS_PAINT, MATERIAL_SIZE = 0, 3, 6, 7, 8, 9, 10, 11, 12
# Columns of a face row: the sample around which it is told; barycentrics there, and their change to the right and
# downwards by a pixel; the normal likewise.
X, Y, B, B_RIGHT, B_DOWN, N, N_RIGHT, N_DOWN, FACE_SIZE = 0, 1, 2, 5, 8, 11, 14, 17, 20
# Columns of its whole numbers: its mark, its instance, its triangle, and its corners among the members.
MARK, INSTANCE, TRIANGLE, CORNER, WHOLE_SIZE = 0, 1, 2, 3, 6


@bare_kernel
def put_face(faces, wholes, at, surfaces, pair, triangle, x, y):
    """Work out a triangle of a pair's cluster around a sample.

    faces, wholes, at  the row to fill of tables of FACE_SIZE float32 and of WHOLE_SIZE int32
    """
    screen, cofactors, points, normals = surfaces.screen, surfaces.cofactors, surfaces.points, surfaces.normals
    local = surfaces.local
    # Numbers without a sign are not tried for counting from an array's end.
    k = U(surfaces.pair_instance[U(pair)])
    c = U(surfaces.pair_cluster[U(pair)])
    t = U(surfaces.triangle_offsets[c] + triangle)
    start = surfaces.member_offsets[c]
    wholes[at, INSTANCE] = k
    wholes[at, TRIANGLE] = t
    faces[at, X] = x
    faces[at, Y] = y
    p0 = U(start + local[0, t])
    p1 = U(start + local[1, t])
    p2 = U(start + local[2, t])
    wholes[at, CORNER] = p0
    wholes[at, CORNER + 1] = p1
    wholes[at, CORNER + 2] = p2
    m00, m01, m02, m03 = screen[k, 0, 0], screen[k, 0, 1], screen[k, 0, 2], screen[k, 0, 3]
    m10, m11, m12, m13 = screen[k, 1, 0], screen[k, 1, 1], screen[k, 1, 2], screen[k, 1, 3]
    m20, m21, m22, m23 = screen[k, 2, 0], screen[k, 2, 1], screen[k, 2, 2], screen[k, 2, 3]
    ax, ay, az = points[p0, 0], points[p0, 1], points[p0, 2]
    bx, by, bz = points[p1, 0], points[p1, 1], points[p1, 2]
    cx, cy, cz = points[p2, 0], points[p2, 1], points[p2, 2]
    aw = m20 * ax + m21 * ay + m22 * az + m23
    bw = m20 * bx + m21 * by + m22 * bz + m23
    cw = m20 * cx + m21 * cy + m22 * cz + m23
    # The corners seen from the sample: small numbers, so float32 is enough.
    a_right = m00 * ax + m01 * ay + m02 * az + m03 - x * aw
    b_right = m00 * bx + m01 * by + m02 * bz + m03 - x * bw
    c_right = m00 * cx + m01 * cy + m02 * cz + m03 - x * cw
    a_down = m10 * ax + m11 * ay + m12 * az + m13 - y * aw
    b_down = m10 * bx + m11 * by + m12 * bz + m13 - y * bw
    c_down = m10 * cx + m11 * cy + m12 * cz + m13 - y * cw
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
    faces[at, B], faces[at, B + 1], faces[at, B + 2] = b0, b1, b2
    faces[at, B_RIGHT], faces[at, B_RIGHT + 1], faces[at, B_RIGHT + 2] = x0, x1, x2
    faces[at, B_DOWN], faces[at, B_DOWN + 1], faces[at, B_DOWN + 2] = y0, y1, y2
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
            faces[at, N + r] = cofactors[k, r, 0] * nx + cofactors[k, r, 1] * ny + cofactors[k, r, 2] * nz
            faces[at, N_RIGHT + r] = ZERO
            faces[at, N_DOWN + r] = ZERO
    else:
        for r in range(3):
            f0, f1, f2 = cofactors[k, r, 0] * facing, cofactors[k, r, 1] * facing, cofactors[k, r, 2] * facing
            n0 = f0 * normals[p0, 0] + f1 * normals[p0, 1] + f2 * normals[p0, 2]
            n1 = f0 * normals[p1, 0] + f1 * normals[p1, 1] + f2 * normals[p1, 2]
            n2 = f0 * normals[p2, 0] + f1 * normals[p2, 1] + f2 * normals[p2, 2]
            faces[at, N + r] = b0 * n0 + b1 * n1 + b2 * n2
            faces[at, N_RIGHT + r] = x0 * n0 + x1 * n1 + x2 * n2
            faces[at, N_DOWN + r] = y0 * n0 + y1 * n1 + y2 * n2


@bare_kernel
def put_fragment(table, i, faces, wholes, at, surfaces, part, x, y):
    """Write where a fragment of a face lies, its normal, and what its points give it; put_material does the rest."""
    materials, paints, tints = surfaces.materials, surfaces.paints, surfaces.point_tints
    right = x - faces[at, X]
    down = y - faces[at, Y]
    table[AT_X + i] = x
    table[AT_Y + i] = y
    table[NX + i] = faces[at, N] + faces[at, N_RIGHT] * right + faces[at, N_DOWN] * down
    table[NY + i] = faces[at, N + 1] + faces[at, N_RIGHT + 1] * right + faces[at, N_DOWN + 1] * down
    table[NZ + i] = faces[at, N + 2] + faces[at, N_RIGHT + 2] * right + faces[at, N_DOWN + 2] * down
    has_tints = materials[part, HAS_TINTS] > HALF
    has_paint = materials[part, HAS_PAINT] > HALF
    if len(paints):
        table[PART + i] = F(part) if has_paint else -ONE
    b0 = b1 = b2 = ZERO
    if has_tints | has_paint:
        b0, b1, b2 = barycentrics(faces, at, right, down)
    if has_paint:
        put_place(
            table, PLACE_U, i, paints[part], surfaces.sizes[part], surfaces.uvs[wholes[at, TRIANGLE]], b0, b1, b2,
            faces[at, B_RIGHT], faces[at, B_RIGHT + 1], faces[at, B_RIGHT + 2],
            faces[at, B_DOWN], faces[at, B_DOWN + 1], faces[at, B_DOWN + 2],
            np.floor(x) + HALF - x, np.floor(y) + HALF - y, PITCH,
        )  # fmt: skip
    if has_tints:
        inv = ONE / (b0 + b1 + b2)
        p0, p1, p2 = wholes[at, CORNER], wholes[at, CORNER + 1], wholes[at, CORNER + 2]
        for k in range(3):
            table[RED + k * PITCH + i] = (b0 * tints[p0, k] + b1 * tints[p1, k] + b2 * tints[p2, k]) * inv
        table[GLOW_R + i] = (b0 * tints[p0, 4] + b1 * tints[p1, 4] + b2 * tints[p2, 4]) * inv


@bare_kernel
def barycentrics(faces, at, right, down):
    """A face's barycentrics, of a common scale, so far from the sample around which it is told."""
    return (
        faces[at, B] + faces[at, B_RIGHT] * right + faces[at, B_DOWN] * down,
        faces[at, B + 1] + faces[at, B_RIGHT + 1] * right + faces[at, B_DOWN + 1] * down,
        faces[at, B + 2] + faces[at, B_RIGHT + 2] * right + faces[at, B_DOWN + 2] * down,
    )


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
    if materials[part, HAS_TINTS] > HALF:
        for i in range(first, stop):
            own = table[GLOW_R + i]
            table[GLOW_R + i] = table[RED + i] * own * glow_r
            table[GLOW_G + i] = table[GREEN + i] * own * glow_g
            table[GLOW_B + i] = table[BLUE + i] * own * glow_b
            table[RED + i] *= red
            table[GREEN + i] *= green
            table[BLUE + i] *= blue
    else:
        for i in range(first, stop):
            table[RED + i] = red
            table[GREEN + i] = green
            table[BLUE + i] = blue
            table[GLOW_R + i] = glow_r
            table[GLOW_G + i] = glow_g
            table[GLOW_B + i] = glow_b
    for i in range(first, stop):
        table[ROUGH + i] = rough
        table[METALLIC + i] = metal
        table[BRIGHT + i] = bright


@kernel
def put_paint(table, count, surfaces):
    """Multiply the colours of `count` fragments with those of the pictures they lie in."""
    paints, texels, light_of = surfaces.paints, surfaces.texels, surfaces.light_of
    levels, first_levels = surfaces.levels, surfaces.first_levels
    near = np.empty(3, F)
    far = np.empty(3, F)
    for i in range(count):
        part = I(table[PART + i])
        if part < 0:
            continue
        paint = paints[part]
        texture = I(paint[TEXTURE])
        own = levels[first_levels[texture] : first_levels[texture + 1]]
        sample(
            texels, light_of, own, table[PLACE_U + i], table[PLACE_V + i], table[SEEN_AT + i],
            I(paint[BEYOND]), near, far,
        )  # fmt: skip
        for k in range(3):
            table[RED + k * PITCH + i] *= ONE + (near[k] - ONE) * paint[ON_COLOUR]
            table[GLOW_R + k * PITCH + i] *= ONE + (near[k] - ONE) * paint[ON_GLOW]
