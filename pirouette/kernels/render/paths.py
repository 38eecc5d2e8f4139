"""Rays under way: what they meet is lit like all else, and mirrors them, or lets them through.

A ray that meets a mirror goes on from there, some mirrors deep. Of what is clear, a ray goes through, and another one
is mirrored. One that meets nothing sees the skies, or what is behind everything if it was never mirrored. Of what is
rough each ray goes another way, as often as its little facets lie so.

Source  B. Walter et al., "Microfacet models for refraction through rough surfaces", EGSR 2007
"""

import numpy as np

from ..compile import bare_kernel, called_kernel
from ..embree import CHANCES, FARTHEST, MASK, MET_BODY, NEAREST, NOTHING, ORIGIN, WAY, ask
from ..types import HALF, ONE, TWO, ZERO, F, I
from .clear import index_at, is_filled, leaving_part, left_over, mirrored_part, put_clear, refracted
from .face import ADDS, LIT, SPILLS, put_paint
from .fragment import (
    BASE_B,
    BASE_G,
    BASE_R,
    BEGIN_X,
    BEGIN_Y,
    BEGIN_Z,
    BLOCK,
    CLEAR,
    COPY,
    EDGE,
    FACING,
    GLOW_R,
    LIT_BY,
    MIRRORED,
    NEARNESS,
    NX,
    NY,
    NZ,
    OPACITY,
    OUT_R,
    PITCH,
    ROUGH,
)
from .light import begin_seen, light_met
from .met import put_met, put_met_face, what_is_met
from .passed import LITTLE, SCATTERED, comes_out, go_through_haze, lose, pass_strands, see_far
from .pixels import ALIKE
from .shares import AHEAD, CHANCE, ENDLESS, MIRRORS, OFF, RIGHT, SCOUTS, UP, put_origin, put_way
from .under_way import ASIDE, SPAN, move, strength_of

# Below the first roughness all of what is mirrored is asked of rays, from the second on nothing: there the skies'
# own blurred picture is as good.
SHARP, DULL = F(0.35), F(0.5)
# What is as rough as the first has no facets; what is rougher than the second is blurred by more than the pixels
# around, and mixed from them.
SMOOTH, ROUGHER = F(0.04), F(0.08)
# What a mirror shows is lit as if it were so many times as rough as the mirror.
BLURS = F(1.7)
# So many mirrors are seen in each other, and so many boundaries are met on a way.
MOST_MIRRORS, MOST_MET = 4, 16
# So many faces are passed beside that add their light alone.
MOST_ADDED = 64
# A ray from the eye passes so many other things on its way to the clear one that it is sent to, and one from a mirror
# so many faces beside it, if they lean no more than those of one surface do and are less than so many edges away.
MOST_BEFORE, NEAR_EDGES = 8, F(2.0)


@bare_kernel
def room_for(surfaces):
    """How many rays can be sent at once: where anything is clear, one may become two."""
    return BLOCK // 2 if len(surfaces.clears) else BLOCK


@bare_kernel
def by_rays(table, i):
    """How much of what a fragment mirrors is asked of rays."""
    if I(table[LIT_BY + i]) & MIRRORS == 0:
        return ZERO
    share = min(max((DULL - table[ROUGH + i]) / (DULL - SHARP), ZERO), ONE)
    return share * share * (F(3.0) - TWO * share)


@bare_kernel
def send_from_eye(paths, j, eye, way, part, rough):
    """Send a ray to a clear part that is seen along a way."""
    for k in range(3):
        paths.begins[k * SPAN + j] = eye[k]
        paths.ways[k * SPAN + j] = way[k]
    paths.part[j] = part
    paths.is_fresh[j] = True
    paths.gone[j] = ZERO
    paths.rough[j] = rough


@bare_kernel
def _facet(paths, j, table, i, way, normal, number, mirrors):
    """A normal of one of the facets of a fragment's surface, as long as 1; the number says which."""
    x, y, z = way
    nx, ny, nz = normal
    rough = table[ROUGH + i]
    facet = mirrors.points[(number * SCOUTS + paths.turns[j]) % len(mirrors.points)]
    inv = ONE / np.sqrt(nx * nx + ny * ny + nz * nz)
    nx, ny, nz = nx * inv, ny * inv, nz * inv
    if nx * x + ny * y + nz * z >= ZERO:
        nx, ny, nz = table[NX + i], table[NY + i], table[NZ + i]
    sign = ONE if nz >= ZERO else -ONE
    a = -ONE / (sign + nz)
    b = nx * ny * a
    # What is mixed from the pixels around needs its facets; in what is not, they would be seen as grain.
    spread = rough * rough * min(max((rough - SMOOTH) / (ROUGHER - SMOOTH), ZERO), ONE) / max(facet[AHEAD], F(0.1))
    right, up = facet[RIGHT] * spread, facet[UP] * spread
    hx = nx + (ONE + sign * nx * nx * a) * right + b * up
    hy = ny + sign * b * right + (sign + ny * ny * a) * up
    hz = nz - sign * nx * right - ny * up
    inv = ONE / np.sqrt(hx * hx + hy * hy + hz * hz)
    return hx * inv, hy * inv, hz * inv


@bare_kernel
def scatter(paths, j, table, i, point):
    """Send a ray to a place of the dome over a fragment, for the light that comes from surfaces there alone."""
    ray = paths.scratch.ray
    put_origin(table, i, ray)
    put_way(ray, (table[NX + i], table[NY + i], table[NZ + i]), point, ONE, True)
    for k in range(3):
        paths.begins[k * SPAN + j] = ray[ORIGIN + k]
        paths.ways[k * SPAN + j] = ray[WAY + k]
    paths.mirrors[j] = SCATTERED
    paths.rough[j] = ONE
    paths.gone[j] = ONE / table[NEARNESS + i]
    paths.near[j] = ZERO


@bare_kernel
def _send(paths, j, table, i, place, way, side):
    """Send a ray on from a fragment, to the side that is seen (1) or the other (-1): none goes to the wrong one."""
    nx, ny, nz = table[NX + i] * side, table[NY + i] * side, table[NZ + i] * side
    x, y, z = way
    below = min(x * nx + y * ny + z * nz, ZERO) * TWO
    off = OFF / table[NEARNESS + i]
    paths.ways[j], paths.ways[SPAN + j], paths.ways[2 * SPAN + j] = x - below * nx, y - below * ny, z - below * nz
    paths.begins[j] = place[0] + off * nx
    paths.begins[SPAN + j] = place[1] + off * ny
    paths.begins[2 * SPAN + j] = place[2] + off * nz
    paths.own[j], paths.near[j] = NOTHING, ZERO
    if side > ZERO:
        paths.own[j], paths.near[j] = I(table[COPY + i]), NEAR_EDGES * table[EDGE + i]
        paths.leaves[j], paths.leaves[SPAN + j], paths.leaves[2 * SPAN + j] = nx, ny, nz
    paths.lit_by[j] = table[LIT_BY + i]
    paths.rough[j] = table[ROUGH + i]


@called_kernel
def mirror(paths, j, table, i, place, way, normal, number, mirrors):
    """Send a ray on that comes along a way to a place of a fragment, whose normal may be bent there."""
    x, y, z = way
    hx, hy, hz = _facet(paths, j, table, i, way, normal, number, mirrors)
    twice = TWO * (x * hx + y * hy + z * hz)
    _send(paths, j, table, i, place, (x - twice * hx, y - twice * hy, z - twice * hz), ONE)


@called_kernel
def _let_through(paths, j, to, number, is_leaving, surfaces, mirrors):
    """Send a ray on through the boundary that it met, or mirror it there if it cannot pass."""
    met = paths.table
    paths.is_fresh[to] = False
    way = paths.ways[to], paths.ways[SPAN + to], paths.ways[2 * SPAN + to]
    # From where it met the flat face: what begins off that, as rays that are mirrored do, would meet it again.
    place = paths.begins[to], paths.begins[SPAN + to], paths.begins[2 * SPAN + to]
    row = surfaces.clears[paths.part[to]]
    if not is_filled(row):
        _send(paths, to, met, j, place, way, -ONE)
        return
    normal = met[NX + j], met[NY + j], met[NZ + j]
    facet = _facet(paths, to, met, j, way, normal, number, mirrors)
    index = index_at(row, met[FACING + j])
    new_way, is_mirrored = refracted(way, facet, index if is_leaving else ONE / index)
    _send(paths, to, met, j, place, new_way, ONE if is_mirrored else -ONE)
    if is_mirrored:
        return
    copy = paths.copy[to]
    if not is_leaving:
        paths.around[to] = paths.within[to]
        paths.within[to] = copy
    elif paths.within[to] == copy:
        paths.within[to] = paths.around[to]
        paths.around[to] = NOTHING
    elif paths.around[to] == copy:
        paths.around[to] = NOTHING


@bare_kernel
def _ask(paths, j, depth, mirrors):
    """Ask what a ray meets first, from where paths.scratch.ray says on."""
    ray = paths.scratch.ray
    whole = ray.view(I)
    for k in range(3):
        ray[ORIGIN + k] = paths.begins[k * SPAN + j]
        ray[WAY + k] = paths.ways[k * SPAN + j]
    ray[FARTHEST] = ENDLESS
    # A ray has one chance of CHANCES to be let through, another in each turn.
    chance = mirrors.points[(paths.turns[j] + 3 * depth + 5 * paths.of[j]) % len(mirrors.points), CHANCE]
    whole[MASK] = I(1) << I(chance * F(CHANCES))
    whole[MET_BODY] = NOTHING
    ask(mirrors.asked, mirrors.scene, ray.ctypes.data)
    return whole[MET_BODY] != NOTHING


@bare_kernel
def _is_continued(paths, j, found, surfaces):
    """Whether a mirrored ray met a face beside the one it comes from, over which a smooth surface would have let it."""
    if found.copy != paths.own[j] or paths.scratch.ray[FARTHEST] > paths.near[j]:
        return False
    nx, ny, nz = put_met_face(paths.scratch.faces, found, surfaces)
    towards = nx * paths.ways[j] + ny * paths.ways[SPAN + j] + nz * paths.ways[2 * SPAN + j]
    along = nx * paths.leaves[j] + ny * paths.leaves[SPAN + j] + nz * paths.leaves[2 * SPAN + j]
    # Of a face, the side counts that is met.
    along = along if towards <= ZERO else -along
    return along > ALIKE * np.sqrt(nx * nx + ny * ny + nz * nz)


@called_kernel
def _meets(table, paths, j, depth, wide, surfaces, lights, mirrors):
    """Whether a ray meets anything; that is written as fragment j."""
    ray = paths.scratch.ray
    ray[NEAREST] = ZERO
    before = 0
    while _ask(paths, j, depth, mirrors):
        found = what_is_met(ray, mirrors.bodies, surfaces)
        if paths.is_fresh[j] and found.part != paths.part[j] and before < MOST_BEFORE:
            before += 1
            ray[NEAREST] = ray[FARTHEST] * F(1.00001)
            continue
        if before < MOST_BEFORE and _is_continued(paths, j, found, surfaces):
            before += 1
            ray[NEAREST] = ray[FARTHEST] * F(1.00001)
            continue
        # What lies between the eye and what is clear is before all that is seen there.
        is_beyond = not paths.is_fresh[j]
        paths.is_fresh[j] = paths.is_fresh[j] and found.part == paths.part[j]
        distance = ray[FARTHEST]
        paths.gone[j] += distance
        paths.is_behind[j] = put_met(
            paths.table, j, paths.scratch.faces, found, ray, paths.gone[j], wide, surfaces, lights.eye
        )
        if not paths.is_fresh[j]:
            # What a rough mirror shows is blurred in any case: gloss there would only be seen as sparks.
            rough = paths.table[ROUGH + j]
            paths.table[ROUGH + j] = max(rough, min(paths.rough[j] * BLURS, ONE))
        paths.part[j], paths.copy[j] = found.part, found.copy
        if mirrors.strands.scene and is_beyond:
            pass_strands(table, j, distance, surfaces, lights, mirrors, paths)
        if lights.haze.is_on and is_beyond and paths.within[j] == NOTHING and not comes_out(paths, j, surfaces):
            go_through_haze(table, j, distance, surfaces, lights, mirrors, paths)
        for k in range(3):
            paths.begins[k * SPAN + j] += distance * paths.ways[k * SPAN + j]
        if len(surfaces.clears):
            lose(paths, j, distance, surfaces)
        return True
    if mirrors.strands.scene and not paths.is_fresh[j]:
        pass_strands(table, j, ENDLESS, surfaces, lights, mirrors, paths)
    return False


@called_kernel
def follow(table, under_way, surfaces, lights, rays, mirrors, paths):
    """Follow rays to their ends, and give what they see to the fragments of a table that they began at."""
    met = paths.table
    wide = np.sqrt(lights.rays[0, 0] ** 2 + lights.rays[1, 0] ** 2 + lights.rays[2, 0] ** 2)
    are_clear = len(surfaces.clears) > 0
    for depth in range((MOST_MET if are_clear else MOST_MIRRORS) + (MOST_ADDED if mirrors.are_added else 0)):
        count = 0
        for j in range(under_way):
            move(paths, j, count)
            if _meets(table, paths, count, depth, wide, surfaces, lights, mirrors):
                count += 1
            else:
                see_far(table, count, ONE, surfaces, lights, mirrors, paths)
        if count == 0:
            return
        if len(surfaces.paints):
            put_paint(met, count, surfaces)
        begin_seen(met, count)
        if are_clear:
            put_clear(met, count, surfaces)
        for j in range(count):
            met[MIRRORED + j] = _going_on(paths, j, surfaces)
            if _is_unlit(paths, j, surfaces):
                met[LIT_BY + j] = ZERO
            if paths.mirrors[j] >= SCATTERED and surfaces.materials[paths.part[j], SPILLS] > HALF:
                for k in range(3):
                    met[GLOW_R + k * PITCH + j] = ZERO
        light_met(met, count, surfaces, lights, rays, paths.turns, paths.scratch)
        under_way = 0
        spare = BLOCK
        for j in range(count):
            adds = surfaces.materials[paths.part[j], ADDS] > HALF
            if _is_unlit(paths, j, surfaces):
                met[LIT_BY + j] = surfaces.materials[paths.part[j], LIT]
            else:
                i, into = paths.of[j], paths.into[j]
                strength = met[OPACITY + j] if adds else ONE
                for k in range(3):
                    light = strength * met[OUT_R + k * PITCH + j]
                    table[into + k * PITCH + i] += paths.carried[k * SPAN + j] * light
            if adds:
                move(paths, j, under_way)
                _pass(paths, under_way, met[NEARNESS + j])
                under_way += 1
                continue
            if are_clear and _is_clear(paths, j, surfaces):
                spare = _mirror_aside(table, j, count, spare, depth, surfaces, lights, mirrors, paths)
                move(paths, j, under_way)
                under_way += _is_let_through(table, j, under_way, depth, surfaces, lights, mirrors, paths)
            elif met[MIRRORED + j] > ZERO:
                move(paths, j, under_way)
                _go_on(paths, j, under_way, depth, mirrors)
                under_way += 1
        # Those that were mirrored aside stand at the end.
        for j in range(spare, BLOCK):
            move(paths, j, under_way)
            under_way += 1
    for j in range(under_way):
        see_far(table, j, ONE, surfaces, lights, mirrors, paths)


@bare_kernel
def _pass(paths, j, nearness):
    """Let a ray go on straight through what it met; nearness: of that."""
    off = OFF / nearness
    for k in range(3):
        paths.begins[k * SPAN + j] += off * paths.ways[k * SPAN + j]
    paths.own[j] = NOTHING


@bare_kernel
def _is_clear(paths, j, surfaces):
    return paths.table[CLEAR + j] > ZERO or comes_out(paths, j, surfaces)


@bare_kernel
def _is_unlit(paths, j, surfaces):
    """Whether the light of what a ray met does not count, so that none is asked for."""
    return paths.is_fresh[j] or (len(surfaces.clears) > 0 and comes_out(paths, j, surfaces))


@bare_kernel
def _going_on(paths, j, surfaces):
    """How much of what it mirrors is asked of rays where one met something; of what is clear all, as they go on."""
    met = paths.table
    if len(surfaces.clears) and _is_clear(paths, j, surfaces):
        return ONE
    if paths.is_fresh[j]:
        return ZERO
    strength = strength_of(paths, j) * max(met[BASE_R + j], max(met[BASE_G + j], met[BASE_B + j]))
    return by_rays(met, j) if strength > LITTLE and paths.mirrors[j] < MOST_MIRRORS else ZERO


@bare_kernel
def _mirrored(paths, j, k, surfaces):
    """How much of a colour is mirrored where a ray met something clear."""
    met = paths.table
    if comes_out(paths, j, surfaces) and not paths.is_fresh[j]:
        return leaving_part(index_at(surfaces.clears[paths.part[j]], met[FACING + j]), met[ROUGH + j], met[FACING + j])
    return mirrored_part(met[BASE_R + k * PITCH + j], met[ROUGH + j], met[FACING + j])


@called_kernel
def _mirror_aside(table, j, count, spare, depth, surfaces, lights, mirrors, paths):
    """Mirror a part of a ray that met something clear; returns where those begin that are to be followed."""
    if paths.is_fresh[j]:
        # What is mirrored there is asked by rays of its own.
        return spare
    move(paths, j, ASIDE)
    for k in range(3):
        paths.carried[k * SPAN + ASIDE] *= _mirrored(paths, j, k, surfaces)
    is_followed = strength_of(paths, ASIDE) > LITTLE and spare > count
    if not comes_out(paths, j, surfaces):
        paths.mirrors[ASIDE] += 1
        is_followed = is_followed and by_rays(paths.table, j) > ZERO and paths.mirrors[ASIDE] <= MOST_MIRRORS
    _send_mirrored(paths, j, ASIDE, 5 * depth + 1, mirrors)
    if is_followed:
        spare -= 1
        move(paths, ASIDE, spare)
    else:
        see_far(table, ASIDE, ONE, surfaces, lights, mirrors, paths)
    return spare


@called_kernel
def _is_let_through(table, j, to, depth, surfaces, lights, mirrors, paths):
    """Let a ray through that met something clear; False if no more of it is to be followed."""
    met = paths.table
    row = surfaces.clears[paths.part[j]]
    is_leaving = comes_out(paths, j, surfaces)
    clear = ONE if is_leaving else met[CLEAR + j]
    for k in range(3):
        share = clear * (ONE - _mirrored(paths, j, k, surfaces))
        paths.carried[k * SPAN + to] *= share if is_filled(row) else share * left_over(row, k, ONE)
    strength = strength_of(paths, to)
    _let_through(paths, j, to, 5 * depth + 3, is_leaving, surfaces, mirrors)
    if strength > LITTLE:
        return True
    if strength > ZERO:
        see_far(table, to, ONE, surfaces, lights, mirrors, paths)
    return False


@bare_kernel
def _send_mirrored(paths, j, to, number, mirrors):
    """Mirror a ray at what ray j met."""
    met = paths.table
    way = paths.ways[to], paths.ways[SPAN + to], paths.ways[2 * SPAN + to]
    place = met[BEGIN_X + j], met[BEGIN_Y + j], met[BEGIN_Z + j]
    normal = met[NX + j], met[NY + j], met[NZ + j]
    mirror(paths, to, met, j, place, way, normal, number, mirrors)


@bare_kernel
def _go_on(paths, j, to, depth, mirrors):
    """Mirror a ray once more, at what it met."""
    met = paths.table
    for k in range(3):
        share = mirrored_part(met[BASE_R + k * PITCH + j], met[ROUGH + j], met[FACING + j])
        paths.carried[k * SPAN + to] *= met[MIRRORED + j] * share
    paths.mirrors[to] += 1
    _send_mirrored(paths, j, to, 5 * depth + 1, mirrors)
