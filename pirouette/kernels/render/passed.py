"""What rays pass between one thing that they meet and the next: lines and dots, haze, what bodies keep, and the end.

Each gives its light to the fragment that a ray began at, or takes something from what that ray sees further on.
"""

from ..compile import bare_kernel, called_kernel
from ..embree import NOTHING, ORIGIN, WAY
from ..types import ONE, ZERO, F, I
from .clear import COVERS, is_filled, left_over
from .fragment import OPACITY, PITCH
from .haze import left_in_haze
from .shares import ENDLESS, SET_OF, SKY
from .sky import seen_sky
from .strand import ADDS, MOST_SEEN, next_strand, strand_light
from .strand import ON as JUST_BEYOND
from .under_way import SPAN, strength_of

# What adds less than this is left to the skies.
LITTLE = F(0.0005)
# A ray that was scattered counts as if so often mirrored.
SCATTERED = 1 << 20


@bare_kernel
def see_far(table, j, share, surfaces, lights, mirrors, paths):
    """Give the fragment that a ray began at a share of what is behind everything: the skies, or the background."""
    if paths.mirrors[j] >= SCATTERED:
        return
    i, into = paths.of[j], paths.into[j]
    x, y, z = paths.ways[j], paths.ways[SPAN + j], paths.ways[2 * SPAN + j]
    if paths.within[j] != NOTHING:
        row = surfaces.clears[surfaces.part_of[paths.within[j]]]
        for k in range(3):
            paths.carried[k * SPAN + j] *= left_over(row, k, ENDLESS)
    if paths.mirrors[j] == 0 and len(mirrors.behind):
        m = mirrors.to_screen
        ahead = m[2, 0] * x + m[2, 1] * y + m[2, 2] * z
        if ahead > ZERO:
            row = I(min(max((m[1, 0] * x + m[1, 1] * y + m[1, 2] * z) / ahead, ZERO), F(len(mirrors.behind) - 1)))
            for k in range(3):
                table[into + k * PITCH + i] += share * paths.carried[k * SPAN + j] * mirrors.behind[row, k]
            return
    for s in range(len(lights.skies)):
        sky = lights.skies[s]
        if I(paths.lit_by[j]) & (I(1) << I(sky[SET_OF[SKY]])):
            red, green, blue = seen_sky(lights, sky, x, y, z, paths.rough[j])
            table[into + i] += share * paths.carried[j] * red
            table[into + PITCH + i] += share * paths.carried[SPAN + j] * green
            table[into + 2 * PITCH + i] += share * paths.carried[2 * SPAN + j] * blue


@bare_kernel
def go_through_haze(table, j, distance, surfaces, lights, mirrors, paths):
    """Take from a ray what haze keeps from it on its way, and give its fragment what the haze shows instead."""
    haze, up = lights.haze, paths.begins[SPAN + j]
    left = left_in_haze(haze, up, up + paths.ways[SPAN + j] * distance, distance)
    if haze.is_behind:
        see_far(table, j, ONE - left, surfaces, lights, mirrors, paths)
    else:
        at = paths.into[j] + paths.of[j]
        for k in range(3):
            table[at + k * PITCH] += (ONE - left) * paths.carried[k * SPAN + j] * haze.colour[k]
    for k in range(3):
        paths.carried[k * SPAN + j] *= left


@called_kernel
def pass_strands(table, j, distance, surfaces, lights, mirrors, paths):
    """Give a ray's fragment the light of lines and dots on its way; what these cover it does not see any more."""
    strands, ray = mirrors.strands, paths.scratch.ray
    if strength_of(paths, j) <= LITTLE or paths.mirrors[j] >= SCATTERED:
        return
    for k in range(3):
        ray[ORIGIN + k] = paths.begins[k * SPAN + j]
        ray[WAY + k] = paths.ways[k * SPAN + j]
    at, within = paths.into[j] + paths.of[j], paths.within[j]
    near = ZERO
    for _ in range(MOST_SEEN):
        seen = next_strand(ray, near, distance, mirrors.asked, strands)
        if seen.row == NOTHING:
            return
        left = ONE
        if lights.haze.is_on and within == NOTHING:
            up = paths.begins[SPAN + j]
            left = left_in_haze(lights.haze, up, up + paths.ways[SPAN + j] * seen.distance, seen.distance)
        for k in range(3):
            lost = ONE
            if within != NOTHING:
                lost = left_over(surfaces.clears[surfaces.part_of[within]], k, seen.distance)
            table[at + k * PITCH] += paths.carried[k * SPAN + j] * left * lost * strand_light(strands, seen, k)
        if strands.rows[seen.row, ADDS] == ZERO:
            for k in range(3):
                paths.carried[k * SPAN + j] *= ONE - seen.strength
        near = seen.distance * JUST_BEYOND


@bare_kernel
def comes_out(paths, j, surfaces):
    """Whether a ray met the wall of a clear body from within. Of what is half transparent none is within."""
    is_whole = paths.table[OPACITY + j] >= COVERS
    return paths.is_behind[j] and is_whole and is_filled(surfaces.clears[paths.part[j]])


@bare_kernel
def lose(paths, j, distance, surfaces):
    """Take from a ray what is lost on its way to what it met: within what it is in, or comes out of there."""
    within = paths.within[j]
    if within == NOTHING and comes_out(paths, j, surfaces):
        within = paths.copy[j]
    if within != NOTHING:
        row = surfaces.clears[surfaces.part_of[within]]
        for k in range(3):
            paths.carried[k * SPAN + j] *= left_over(row, k, distance)
