"""Light that wanders beneath a skin: what of each light comes out of waxy surfaces.

Light goes in where it falls on a body, loses by depth on a straight way, and is looked for a little beneath the skin:
so it comes through where a body is thin, and ends softly where it turns away from the light. An open sheet is as thick
everywhere. What comes out on the far side of something thin is missing on the near one.
"""

import numpy as np

from ..compile import bare_kernel, called_kernel
from ..embree import CHANCES, FARTHEST, MASK, NEAREST, ORIGIN, WAY, ask
from ..types import HALF, ONE, TWO, ZERO, F, I
from .clear import WAX_BODY, WAX_DEEP, WAX_LOST, left_over
from .face import FLAT
from .fragment import (
    BEGIN_X,
    BEGIN_Y,
    BEGIN_Z,
    BENEATH,
    LIT_BY,
    NEARNESS,
    NX,
    NY,
    NZ,
    OUT_R,
    PART,
    PITCH,
    RED,
    SHARE,
    THIN,
    WAX_B,
    WAX_G,
    WAX_R,
)
from .kept import KEEPS, is_known, keep_more, put_known
from .met import meets_wall, put_met_face, what_is_met
from .shares import CASTS_OF, ENDLESS, OFF, SCOUTS, SET_OF, SKY, SUN, TAKES_NONE, put_way
from .sky import seen_sky
from .tables import KEY_SOFT, SUN_SPREAD
from .through import lose_on_way

# So many rays go past what stands before a light that is wide. Light from a whole half-space goes so much farther
# through a layer than straight on: W. M. Elsasser, "Heat transfer by infrared radiation in the atmosphere" (1942).
MANY, SLANTED = 4, F(1.66)
# To find how thick a body is, so many walls are passed.
MOST_WALLS = 4
# What is seen in one pixel is lit alike if its normals differ by less than about 15 degrees.
ALIKE = F(0.966)


@called_kernel
def scatter_wax(table, count):
    """Let waxy fragments scatter all their light like others."""
    for k in range(3):
        for i in range(count):
            table[RED + k * PITCH + i] += table[WAX_R + k * PITCH + i]


@bare_kernel
def _is_waxy(table, i):
    return table[WAX_R + i] + table[WAX_G + i] + table[WAX_B + i] > ZERO


@called_kernel
def put_beneath(table, count, pixel_of, is_shared, surfaces, rays, scratch):
    """Write how deep beneath the skin of waxy fragments light is looked for, and how much of it a body is too thin for.

    That is the middle of what is thin.

    pixel_of   the pixel of each fragment
    is_shared  where faces of one skin meet in a pixel, they are alike; else each fragment is for itself
    """
    known = -1
    for i in range(count):
        if not _is_waxy(table, i):
            continue
        if _is_as(table, i, known, pixel_of, is_shared):
            table[BENEATH + i], table[THIN + i] = table[BENEATH + known], table[THIN + known]
            continue
        known = i
        _find_beneath(table, i, surfaces, rays, scratch)


@called_kernel
def put_unknown_beneath(table, count, surfaces, rays, lookup, scratch):
    """The same of those fragments for which what comes out is not known."""
    for i in range(count):
        if _is_waxy(table, i) and not is_known(i, lookup):
            _find_beneath(table, i, surfaces, rays, scratch)


@bare_kernel
def _find_beneath(table, i, surfaces, rays, scratch):
    row = surfaces.clears[I(table[PART + i])]
    if row[WAX_BODY] < HALF:
        table[BENEATH + i] = ZERO
        table[THIN + i] = np.exp(-row[WAX_LOST])
        return
    thick = _thickness(table, i, surfaces, rays, scratch)
    table[BENEATH + i] = min(row[WAX_DEEP], HALF * thick)
    table[THIN + i] = np.exp(-row[WAX_LOST] * thick)


@bare_kernel
def _thickness(table, i, surfaces, rays, scratch):
    """How far it is through a body, straight from a fragment of its skin; ENDLESS where there is no other side."""
    ray = scratch.ray
    _put_beneath(table, i, ray, -OFF / table[NEARNESS + i])
    for k in range(3):
        ray[WAY + k] = -table[NX + k * PITCH + i]
    near = entered = ZERO
    for _ in range(MOST_WALLS):
        if not meets_wall(ray, near, ENDLESS, rays):
            return ENDLESS
        at = ray[FARTHEST]
        if _across(ray, rays, surfaces, scratch) >= ZERO:
            return at - entered
        entered = at
        near = at * F(1.00001) + F(1e-6)
    return ENDLESS


@bare_kernel
def _across(ray, rays, surfaces, scratch):
    """How straight a ray goes through what it met, which is as smooth as it looks: -1..1, above 0 out of a body."""
    met = what_is_met(ray, rays.clear_bodies, surfaces)
    nx, ny, nz = put_met_face(scratch.faces, met, surfaces)
    x, y, z = ray[WAY], ray[WAY + 1], ray[WAY + 2]
    side = ONE if nx * x + ny * y + nz * z >= ZERO else -ONE
    if surfaces.materials[met.part, FLAT] <= HALF:
        lift, b1, b2 = scratch.faces.lifts, met.share_1, met.share_2
        b0 = ONE - b1 - b2
        nx = b0 * lift[3] + b1 * lift[9] + b2 * lift[15]
        ny = b0 * lift[4] + b1 * lift[10] + b2 * lift[16]
        nz = b0 * lift[5] + b1 * lift[11] + b2 * lift[17]
    size = np.sqrt((x * x + y * y + z * z) * (nx * nx + ny * ny + nz * nz)) + F(1e-30)
    return side * min(abs(nx * x + ny * y + nz * z) / size, ONE)


@bare_kernel
def _put_beneath(table, i, ray, deep):
    """Let a ray begin so deep beneath a fragment's skin."""
    for k in range(3):
        ray[ORIGIN + k] = table[BEGIN_X + k * PITCH + i] - deep * table[NX + k * PITCH + i]


@bare_kernel
def _is_as(table, i, known, pixel_of, is_shared):
    """Whether a fragment is lit like the one that was lit last, in the same pixel."""
    if known < 0 or not is_shared or pixel_of[i] != pixel_of[known]:
        return False
    alike = table[NX + i] * table[NX + known] + table[NY + i] * table[NY + known] + table[NZ + i] * table[NZ + known]
    return alike > ALIKE and table[PART + i] == table[PART + known] and table[LIT_BY + i] == table[LIT_BY + known]


@called_kernel
def add_wax(table, count, pixel_of, is_shared, light, kind, lights, surfaces, rays, scratch):
    """Add what of a light comes out of `count` fragments, some of them waxy; put_beneath is done, see there."""
    bit = I(1) << I(light[SET_OF[kind]])
    comes, known = scratch.left, -1
    for i in range(count):
        if I(table[LIT_BY + i]) & bit == 0 or not _is_waxy(table, i):
            continue
        if not _is_as(table, i, known, pixel_of, is_shared):
            known = i
            _put_coming(table, i, light, kind, bit, lights, surfaces, rays, scratch, comes)
        _come_out(table, i, comes)


@called_kernel
def add_known_wax(table, count, lookup, scratch):
    """Add what of all lights comes out of fragments, as far as another picture knows it."""
    for i in range(count):
        if _is_waxy(table, i) and is_known(i, lookup):
            put_known(i, 0, lookup, lookup.kept.wax, scratch.left)
            _come_out(table, i, scratch.left)


@called_kernel
def share_wax(table, count, pixel_of, row, light, kind, lights, surfaces, rays, lookup, scratch):
    """Add what of a light comes out of fragments for which no other picture knows it, and keep it if that is wanted."""
    bit = I(1) << I(light[SET_OF[kind]])
    comes, kept = scratch.left, lookup.kept
    for i in range(count):
        if I(table[LIT_BY + i]) & bit == 0 or not _is_waxy(table, i) or is_known(i, lookup):
            continue
        _put_coming(table, i, light, kind, bit, lights, surfaces, rays, scratch, comes)
        if kept.acts == KEEPS:
            keep_more(row, pixel_of[i], lookup, kept.wax, comes)
        _come_out(table, i, comes)


@bare_kernel
def _put_coming(table, i, light, kind, bit, lights, surfaces, rays, scratch, comes):
    """Write how much of each colour of a light comes out of a fragment."""
    row = surfaces.clears[I(table[PART + i])]
    if kind == SKY:
        _put_sky(table, i, row, light, bit, lights, surfaces, rays, scratch, comes)
    else:
        _put_light(table, i, row, light, kind, bit, surfaces, rays, scratch, comes)


@bare_kernel
def _come_out(table, i, comes):
    for k in range(3):
        table[OUT_R + k * PITCH + i] += comes[k] * table[WAX_R + k * PITCH + i]


@bare_kernel
def _is_stopped(table, i, light, kind, bit):
    """Whether what stands before a light is seen on a fragment."""
    return light[CASTS_OF[kind]] > HALF and (I(table[LIT_BY + i]) & (bit | TAKES_NONE)) == bit


@bare_kernel
def _lifted(table, i, row):
    """What makes up for the way from straight before to where light is looked for."""
    return np.exp(row[WAX_LOST] * table[BENEATH + i]) if row[WAX_BODY] > HALF else ONE


@bare_kernel
def _put_light(table, i, row, light, kind, bit, surfaces, rays, scratch, comes):
    """Write how much of each colour of a sun or key light comes out."""
    comes[:3] = ZERO
    if kind == SUN:
        way, spread, far, power = (light[0], light[1], light[2]), light[SUN_SPREAD], ENDLESS, ONE
    else:
        x, y, z = light[0] - table[BEGIN_X + i], light[1] - table[BEGIN_Y + i], light[2] - table[BEGIN_Z + i]
        away = np.sqrt(x * x + y * y + z * z)
        inv = ONE / max(away, F(1e-6))
        radius = light[6] * HALF
        way, spread, far = (x * inv, y * inv, z * inv), radius * inv, max(away - radius, ZERO)
        near = min(light[7] / np.sqrt(max(away * away, F(1e-12)) + light[KEY_SOFT]), F(5.0))
        power = near * near
    dot = way[0] * table[NX + i] + way[1] * table[NY + i] + way[2] * table[NZ + i]
    is_body, deep, ray = row[WAX_BODY] > HALF, table[BENEATH + i], scratch.ray
    # Beneath an open sheet is its far side, if light comes from there.
    off = OFF / table[NEARNESS + i]
    _put_beneath(table, i, ray, deep if is_body else (-off if dot >= ZERO else off))
    share = power * _lifted(table, i, row) * _side(dot, table[THIN + i], is_body)
    if _is_stopped(table, i, light, kind, bit):
        share *= _seen(ray, way, spread, far, False, _asked(rays) if spread > ZERO else 1, rays, light, kind)
    if share <= ZERO:
        return
    for k in range(3):
        ray[WAY + k] = way[k]
    share *= _going_in(ray, far, dot, rays, surfaces, scratch) if is_body else abs(dot)
    _put_left(row, is_body, dot < ZERO, far, bit, surfaces, rays, scratch)
    for k in range(3):
        comes[k] = share * light[3 + k] * scratch.one[k]


@bare_kernel
def _asked(rays):
    """How many rays go to what is wide: fewer if many pictures are added up."""
    return max(1, min(MANY, rays.many // MANY))


@bare_kernel
def _side(dot, thin, is_body):
    """How much of what goes in comes out on the side that a light is seen from, or on the other: in all no more."""
    near = ONE - HALF * thin
    if not is_body:
        return near if dot >= ZERO else HALF
    # Where a body turns away from the light, one goes over into the other.
    part = min(max(HALF + TWO * dot, ZERO), ONE)
    return HALF + (near - HALF) * part * part * (ONE + TWO * (ONE - part))


@bare_kernel
def _seen(ray, way, spread, far, is_dome, count, rays, light, kind):
    """How much of a light is seen from where a ray begins, past all that is not waxy or clear."""
    places, masks = rays.places.own, ray.view(I)
    step = len(places) // SCOUTS
    seen = 0
    for number in range(count):
        put_way(ray, way, places[number * (SCOUTS // MANY) * step], spread, is_dome)
        masks[MASK] = I(1) << I(number * (CHANCES // MANY) + CHANCES // (2 * MANY))
        ray[NEAREST], ray[FARTHEST] = ZERO, far
        ask(rays.asked, rays.scenes[I(light[SET_OF[kind]])], ray.ctypes.data)
        seen += ray[FARTHEST] >= ZERO
    return F(seen) / F(count)


@bare_kernel
def _going_in(ray, far, dot, rays, surfaces, scratch):
    """How straight a light falls on a body where a ray to it from beneath the skin comes out."""
    # If nothing is met, the light is within the body, or the ray began beside it.
    return abs(_across(ray, rays, surfaces, scratch)) if meets_wall(ray, ZERO, far, rays) else max(dot, ZERO)


@bare_kernel
def _put_left(row, is_body, is_behind, far, bit, surfaces, rays, scratch):
    """Write what is left of each colour of light on the way of a ray from beneath a skin."""
    ray, left = scratch.ray, scratch.one
    left[:3] = ONE
    ray[FARTHEST] = far
    lose_on_way(scratch, bit, rays, surfaces, left)
    if not is_body and is_behind:
        for k in range(3):
            left[k] *= left_over(row, k, ONE)


@bare_kernel
def _put_sky(table, i, row, light, bit, lights, surfaces, rays, scratch, comes):
    """Write the same of a sky: as on what scatters on the near side, and what comes through from the far one."""
    is_body, deep, thin = row[WAX_BODY] > HALF, table[BENEATH + i], HALF * table[THIN + i]
    nx, ny, nz = table[NX + i], table[NY + i], table[NZ + i]
    near_side = seen_sky(lights, light, nx, ny, nz, ONE)
    far_side = seen_sky(lights, light, -nx, -ny, -nz, ONE)
    ray, far_share = scratch.ray, HALF * _lifted(table, i, row)
    _put_beneath(table, i, ray, deep if is_body else OFF / table[NEARNESS + i])
    if _is_stopped(table, i, light, SKY, bit):
        far_share *= _seen(ray, (-nx, -ny, -nz), ONE, ENDLESS, True, _asked(rays), rays, light, SKY)
    ray[WAY], ray[WAY + 1], ray[WAY + 2] = -nx, -ny, -nz
    _put_left(row, is_body, True, ENDLESS, bit, surfaces, rays, scratch)
    for k in range(3):
        # Light that comes from all over goes a longer way than straight through.
        left = scratch.one[k] ** SLANTED if is_body else scratch.one[k]
        comes[k] = far_side[k] * far_share * left + near_side[k] * table[SHARE + i] * (ONE - thin)
