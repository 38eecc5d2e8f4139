"""What a ray meets, found among the surfaces of a picture and written as a fragment of them."""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, called_kernel
from ..embree import (
    FARTHEST,
    MASK,
    MET_BODY,
    MET_COPY,
    MET_GROUP,
    MET_TRIANGLE,
    MET_U,
    MET_V,
    NEAREST,
    NOTHING,
    WAY,
    ask,
)
from ..types import HALF, ONE, ZERO, F, I
from .face import (
    CORNER,
    FLAT,
    HAS_PAINT,
    HAS_TINTS,
    INSTANCE,
    LONG,
    put_lift,
    put_lifted,
    put_material,
)
from .fragment import (
    BEGIN_X,
    GLOW_R,
    NEARNESS,
    NX,
    NY,
    NZ,
    OPACITY,
    PITCH,
    PLACE_U,
    PLACE_V,
    RAY_X,
    RED,
    SEEN_AT,
    VX,
    VY,
    VZ,
)
from .texture import LAST_LAYER, PLACE, WIDTH, put_value


class Met(NamedTuple):
    """Which face a ray met, and where on it."""

    copy: int
    part: int
    triangle: int
    cluster: int
    share_1: float  # barycentrics of its second and third corner
    share_2: float


@bare_kernel
def _cluster_of(triangle, surfaces, first, stop):
    """Which of the clusters first..stop - 1 holds a triangle."""
    while stop - first > 1:
        middle = (first + stop) // 2
        if surfaces.triangle_offsets[middle] <= triangle:
            first = middle
        else:
            stop = middle
    return first


@bare_kernel
def meets_wall(ray, near, far, rays):
    """Whether a ray meets a clear or waxy body from `near` to `far`, as parts of its way; that is written to it."""
    whole = ray.view(I)
    ray[NEAREST], ray[FARTHEST] = near, far
    whole[MASK], whole[MET_BODY] = I(-1), NOTHING
    ask(rays.asked_what, rays.clear_scene, ray.ctypes.data)
    return whole[MET_BODY] != NOTHING


@bare_kernel
def what_is_met(ray, bodies, surfaces):
    """Tell which face a ray met, by what it was answered."""
    whole = ray.view(I)
    k = bodies.copies[bodies.group_starts[whole[MET_GROUP]] + whole[MET_COPY]]
    part = surfaces.part_of[k]
    t = bodies.triangle_starts[part] + whole[MET_TRIANGLE]
    c = _cluster_of(t, surfaces, bodies.cluster_starts[part], bodies.cluster_starts[part + 1])
    return Met(k, part, t, c, ray[MET_U], ray[MET_V])


@bare_kernel
def put_met_face(faces, met, surfaces):
    """Tell where a face is in the world, as the only one of a table; returns its normal, as long as it is large twice.

    The normal looks to where its corners turn to the left, which is out of what is closed.
    """
    t, start = met.triangle, surfaces.member_offsets[met.cluster]
    wholes, lift = faces.wholes, faces.lifts
    wholes[INSTANCE] = met.copy
    for corner in range(3):
        wholes[CORNER + corner] = start + surfaces.local[corner, t]
    put_lift(faces, 0, surfaces)
    ux, uy, uz = lift[6] - lift[0], lift[7] - lift[1], lift[8] - lift[2]
    vx, vy, vz = lift[12] - lift[0], lift[13] - lift[1], lift[14] - lift[2]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    # In a mirrored copy the corners turn the other way.
    m, f = surfaces.world[met.copy, 0], surfaces.cofactors[met.copy, 0]
    side = ONE if m[0] * f[0] + m[1] * f[1] + m[2] * f[2] >= ZERO else -ONE
    return nx * side, ny * side, nz * side


@called_kernel
def put_met(table, j, faces, met, ray, gone, wide, surfaces, eye):
    """Write what a ray met as a fragment; returns whether it met the face from behind.

    gone  how far it is from the eye to there, along the ways that led there
    wide  how wide a pixel is at a distance of 1
    """
    k, part, t = met.copy, met.part, met.triangle
    nx, ny, nz = put_met_face(faces, met, surfaces)
    lift, wholes = faces.lifts, faces.wholes
    b1, b2 = met.share_1, met.share_2
    b0 = ONE - b1 - b2
    x, y, z = ray[WAY], ray[WAY + 1], ray[WAY + 2]
    area = np.sqrt(nx * nx + ny * ny + nz * nz)
    is_behind = nx * x + ny * y + nz * z > ZERO
    if surfaces.materials[part, FLAT] <= HALF:
        sx = b0 * lift[3] + b1 * lift[9] + b2 * lift[15]
        sy = b0 * lift[4] + b1 * lift[10] + b2 * lift[16]
        sz = b0 * lift[5] + b1 * lift[11] + b2 * lift[17]
        # Normals of points may lie on either side of the face: both are turned to the side that is seen.
        side = ONE if (nx * x + ny * y + nz * z) * (nx * sx + ny * sy + nz * sz) <= ZERO else -ONE
        nx, ny, nz = sx * side, sy * side, sz * side
    elif is_behind:
        nx, ny, nz = -nx, -ny, -nz
    table[NX + j], table[NY + j], table[NZ + j] = nx, ny, nz
    table[VX + j], table[VY + j], table[VZ + j] = -x, -y, -z
    put_lifted(table, j, lift, b0, b1, b2)
    # Lights that are near measure from the eye, along a ray that is 1 deep.
    nearness = ONE / gone
    table[NEARNESS + j] = nearness
    for r in range(3):
        table[RAY_X + r * PITCH + j] = (table[BEGIN_X + r * PITCH + j] - eye[r]) * nearness
    p0, p1, p2 = wholes[CORNER], wholes[CORNER + 1], wholes[CORNER + 2]
    if surfaces.materials[part, HAS_TINTS] > HALF:
        tints = surfaces.point_tints
        for r in range(3):
            table[RED + r * PITCH + j] = b0 * tints[p0, r] + b1 * tints[p1, r] + b2 * tints[p2, r]
        table[OPACITY + j] = b0 * tints[p0, 3] + b1 * tints[p1, 3] + b2 * tints[p2, 3]
        table[GLOW_R + j] = b0 * tints[p0, 4] + b1 * tints[p1, 4] + b2 * tints[p2, 4]
    put_material(table, j, j + 1, surfaces, part, k)
    if surfaces.materials[part, HAS_PAINT] > HALF:
        paint, size, uv = surfaces.paints[part], surfaces.sizes[part], surfaces.uvs[t]
        seen = wide * gone
        if paint[LAST_LAYER] > ZERO:
            at = (
                b0 * uv[0] + b1 * uv[3] + b2 * uv[6],
                b0 * uv[1] + b1 * uv[4] + b2 * uv[7],
                b0 * uv[2] + b1 * uv[5] + b2 * uv[8],
            )
            # As far as a pixel's ray is wide there, along two of the edges.
            share = seen / max(lift[LONG], F(1e-12))
            right = (uv[3] - uv[0]) * share, (uv[4] - uv[1]) * share, (uv[5] - uv[2]) * share
            down = (uv[6] - uv[0]) * share, (uv[7] - uv[1]) * share, (uv[8] - uv[2]) * share
            put_value(table, PLACE_U, j, paint, surfaces.layers, size[WIDTH], at, right, down)
            return is_behind
        m = paint[PLACE:]
        u = b0 * uv[0] + b1 * uv[2] + b2 * uv[4]
        v = b0 * uv[1] + b1 * uv[3] + b2 * uv[5]
        table[PLACE_U + j] = m[0] * u + m[1] * v + m[2]
        table[PLACE_V + j] = m[3] * u + m[4] * v + m[5]
        # As large as the texels are that a pixel's ray is wide there.
        texels = abs((uv[2] - uv[0]) * (uv[5] - uv[1]) - (uv[4] - uv[0]) * (uv[3] - uv[1]))
        texels *= abs(m[0] * m[4] - m[1] * m[3]) * F(size[0] * size[1])
        table[SEEN_AT + j] = HALF * np.log2(max(texels / max(area, F(1e-12)) * seen * seen, F(1e-12)))
    return is_behind
