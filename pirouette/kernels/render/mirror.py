"""What surfaces mirror of what is around: rays go out from them, and what these meet is lit like all else.

This is found for a whole band before it is shaded, and told in the order in which its fragments are gathered.

A ray that meets a mirror goes on from there, some mirrors deep; one that meets nothing sees the skies. Of a rough
mirror each ray goes another way, as often as its little facets lie so.

Source  B. Walter et al., "Microfacet models for refraction through rough surfaces", EGSR 2007
"""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, kernel
from ..embree import (
    CHANCES,
    FARTHEST,
    MASK,
    MEETING_SIZE,
    MET_BODY,
    MET_COPY,
    MET_GROUP,
    MET_TRIANGLE,
    MET_U,
    MET_V,
    NEAREST,
    NOTHING,
    ORIGIN,
    WAY,
    ask,
)
from ..types import HALF, ONE, TWO, ZERO, F, I
from .face import (
    CORNER,
    FLAT,
    HAS_PAINT,
    HAS_TINTS,
    INSTANCE,
    Faces,
    new_faces,
    new_fragments,
    put_lift,
    put_lifted,
    put_material,
    put_paint,
)
from .fragment import (
    AT_X,
    AT_Y,
    BASE_B,
    BASE_G,
    BASE_R,
    BEGIN_X,
    BEGIN_Y,
    BEGIN_Z,
    BLOCK,
    DOWN_X,
    DOWN_Y,
    DOWN_Z,
    FACING,
    GLOW_B,
    GLOW_G,
    GLOW_R,
    LIT_BY,
    MIRRORED,
    NEARNESS,
    NX,
    NY,
    NZ,
    OPACITY,
    OUT_B,
    OUT_G,
    OUT_R,
    PITCH,
    PLACE_U,
    PLACE_V,
    RAY_X,
    RAY_Y,
    RAY_Z,
    RED,
    RIGHT_X,
    RIGHT_Y,
    RIGHT_Z,
    ROUGH,
    SEEN_AT,
    TABLE_SIZE,
    VX,
    VY,
    VZ,
)
from .gather import FACES, gather, stretch_of
from .light import begin_light, begin_seen, light_met, seen_sky
from .shares import (
    AHEAD,
    CHANCE,
    ENDLESS,
    MIRRORS,
    OFF,
    PIXEL_SIZE,
    RIGHT,
    SCOUTS,
    SEEN,
    SET_OF,
    SKY,
    UP,
    inside,
    is_alike,
    most_seen,
    pixels_wide,
    put_pixel,
)
from .texture import PLACE

# Below the first roughness all of what is mirrored is asked of rays, from the second on nothing: there the skies'
# own blurred picture is as good.
SHARP, DULL = F(0.35), F(0.5)
# What mirrors as rough as this show is blurred by more than the pixels around, and mixed from them.
ROUGHER = F(0.08)
# What a mirror shows is lit as if it were so many times as rough as the mirror.
BLURS = F(1.7)
# So many mirrors are seen in each other, and what adds less than this is left to the skies.
DEEPEST = 4
# What is rough is mixed from so many pixels around, as far as the turns reach in which they ask, if these weigh enough.
REACH, ENOUGH = 3, F(12.0)
# Of each fragment are told: how much of what it mirrors rays tell, and its light.
TOLD_SIZE = 4
LITTLE = F(0.0005)


class Paths(NamedTuple):
    """Rays under way, at most BLOCK, and what they met last."""

    table: np.ndarray  # float32: what was met, as fragments
    faces: Faces  # the face at hand
    of: np.ndarray  # int32: the fragment that each began at
    turns: np.ndarray  # int32: which places it asks, below SCOUTS
    lit_by: np.ndarray  # float32: of the mirror that it comes from
    rough: np.ndarray  # float32: the same
    gone: np.ndarray  # float32: how far it has gone, from the eye on
    carried: np.ndarray  # (3 * BLOCK,) float32: how much of what it sees comes back, red, then green, then blue
    begins: np.ndarray  # (3 * BLOCK,) float32
    ways: np.ndarray  # (3 * BLOCK,) float32
    ray: np.ndarray  # (MEETING_SIZE,) float32


@kernel
def _new_paths():
    return Paths(
        np.zeros(TABLE_SIZE, F), new_faces(1, True), np.zeros(BLOCK, I), np.zeros(BLOCK, I), np.zeros(BLOCK, F),
        np.zeros(BLOCK, F), np.zeros(BLOCK, F), np.zeros(3 * BLOCK, F), np.zeros(3 * BLOCK, F), np.zeros(3 * BLOCK, F),
        np.zeros(MEETING_SIZE, F),
    )  # fmt: skip


@kernel
def mirror_band(surfaces, band, lights, rays, mirrors, entries, seen, told):
    """Tell what each fragment of a band mirrors: how much of it rays tell, then its light; see take_mirrored.

    Of rough mirrors, each gets what the pixels around get on the mean, so that there is no grain; see shares.py.

    told  (TOLD_SIZE * N,) float32 to fill, N at least as many as there are samples in the band
    """
    fragments, faces = new_fragments(), new_faces(FACES, True)
    table, paths = fragments.table, _new_paths()
    stretch = stretch_of(band)
    count = band.rows * band.width
    pixels = _Rough(band.rows, band.width, np.zeros(count * PIXEL_SIZE, F), np.zeros(3 * count, F))
    wide = pixels_wide(lights)
    are_rough = False
    at = 0
    for first_px in range(0, band.width, stretch):
        last_px = min(first_px + stretch, band.width)
        for row in range(band.rows):
            count = gather(row, first_px, last_px, surfaces, band, entries, seen, fragments, faces)
            if len(surfaces.paints):
                put_paint(table, count, surfaces)
            begin_light(table, count, lights)
            _put_mirrored(table, count, fragments, surfaces, lights, rays, mirrors, paths)
            for i in range(count):
                told[at] = table[MIRRORED + i]
                for k in range(3):
                    told[at + 1 + k] = table[GLOW_R + k * PITCH + i]
                at += TOLD_SIZE
            are_rough |= _put_rough(table, count, fragments, row, pixels)
    at = 0
    for first_px in range(0, band.width if are_rough else 0, stretch):
        last_px = min(first_px + stretch, band.width)
        for row in range(band.rows):
            count = gather(row, first_px, last_px, surfaces, band, entries, seen, fragments, faces)
            begin_light(table, count, lights)
            for i in range(count):
                if told[at] > ZERO and table[ROUGH + i] > ROUGHER:
                    _put_mean(table, i, row, fragments.pixel_of[i], wide, pixels, told[at + 1 :])
                at += TOLD_SIZE


class _Rough(NamedTuple):
    """What the pixels of a band mirror where that is rough."""

    rows: int
    width: int
    seen: np.ndarray  # (rows * width * PIXEL_SIZE,) float32, see shares.py
    light: np.ndarray  # (rows * width * 3,) float32


@bare_kernel
def _put_rough(table, count, fragments, row, pixels):
    """Write what the pixels of a stretch of a row mirror where they are rough; returns whether any is."""
    found = False
    after = 0
    while after < count:
        slot = row * pixels.width + fragments.pixel_of[after]
        most, after = most_seen(fragments, after, count)
        if table[MIRRORED + most] > ZERO and table[ROUGH + most] > ROUGHER:
            put_pixel(table, most, pixels.seen[slot * PIXEL_SIZE :])
            for k in range(3):
                pixels.light[3 * slot + k] = table[GLOW_R + k * PITCH + most]
            found = True
    return found


@bare_kernel
def _put_mean(table, i, row, column, wide, pixels, light):
    """Write the mean of what the pixels around mirror that show the same surface as a fragment."""
    place = table[BEGIN_X + i], table[BEGIN_Y + i], table[BEGIN_Z + i]
    normal = table[NX + i], table[NY + i], table[NZ + i]
    off = wide / table[NEARNESS + i]
    red = green = blue = weight = ZERO
    for down in range(-REACH, REACH + 1):
        other_row = inside(row + down, REACH + 1, pixels.rows)
        for right in range(-REACH, REACH + 1):
            other = inside(column + right, REACH + 1, pixels.width)
            if other_row < 0 or other < 0:
                continue
            slot = other_row * pixels.width + other
            pixel = pixels.seen[slot * PIXEL_SIZE :]
            if pixel[SEEN] == ZERO or not is_alike(pixel, place, normal, off):
                continue
            part = F((REACH + 1 - abs(down)) * (REACH + 1 - abs(right)))
            red += part * pixels.light[3 * slot]
            green += part * pixels.light[3 * slot + 1]
            blue += part * pixels.light[3 * slot + 2]
            weight += part
    if weight > ENOUGH:
        light[0], light[1], light[2] = red / weight, green / weight, blue / weight


@bare_kernel
def _by_rays(table, i):
    """How much of what a fragment mirrors is asked of rays."""
    if I(table[LIT_BY + i]) & MIRRORS == 0:
        return ZERO
    share = min(max((DULL - table[ROUGH + i]) / (DULL - SHARP), ZERO), ONE)
    return share * share * (F(3.0) - TWO * share)


@bare_kernel
def _put_mirrored(table, count, fragments, surfaces, lights, rays, mirrors, paths):
    """Write the light that fragments mirror, as rays tell, as their glow, and how much of it is told so."""
    under_way = 0
    for i in range(count):
        table[GLOW_R + i] = table[GLOW_G + i] = table[GLOW_B + i] = ZERO
        table[MIRRORED + i] = _by_rays(table, i)
        if table[MIRRORED + i] <= ZERO:
            continue
        asked = max(1, I(np.ceil(fragments.weight_of[i] * F(mirrors.count))))
        if under_way + asked > BLOCK:
            _follow(table, under_way, surfaces, lights, rays, mirrors, paths)
            under_way = 0
        turn = (I(table[AT_X + i]) & 3) + 4 * (I(table[AT_Y + i]) & 3)
        first = fragments.sample_of[i]
        for number in range(asked):
            # Several fragments in a pixel, each with a part of its rays, ask in unlike places.
            place = (first + number * mirrors.count // asked) % mirrors.count
            _begin(table, i, under_way, ONE / F(asked), place, turn, lights, mirrors, paths)
            under_way += 1
    _follow(table, under_way, surfaces, lights, rays, mirrors, paths)


@bare_kernel
def _begin(table, i, j, share, number, turn, lights, mirrors, paths):
    """Begin a ray from a place of its own within the pixel of a fragment."""
    within, shift = mirrors.within[number], mirrors.within[mirrors.count + turn]
    right, down = within[0] + shift[0], within[1] + shift[1]
    right += np.floor(table[AT_X + i]) - np.floor(right) - table[AT_X + i]
    down += np.floor(table[AT_Y + i]) - np.floor(down) - table[AT_Y + i]
    nx = table[NX + i] + table[RIGHT_X + i] * right + table[DOWN_X + i] * down
    ny = table[NY + i] + table[RIGHT_Y + i] * right + table[DOWN_Y + i] * down
    nz = table[NZ + i] + table[RIGHT_Z + i] * right + table[DOWN_Z + i] * down
    ray = lights.rays
    x = table[RAY_X + i] + ray[0, 0] * right + ray[0, 1] * down
    y = table[RAY_Y + i] + ray[1, 0] * right + ray[1, 1] * down
    z = table[RAY_Z + i] + ray[2, 0] * right + ray[2, 1] * down
    eye = lights.eye
    # Where that ray meets the fragment's plane, unless it runs along it.
    across = x * table[NX + i] + y * table[NY + i] + z * table[NZ + i]
    towards = (
        (table[BEGIN_X + i] - eye[0]) * table[NX + i]
        + (table[BEGIN_Y + i] - eye[1]) * table[NY + i]
        + (table[BEGIN_Z + i] - eye[2]) * table[NZ + i]
    )
    depth = ONE / table[NEARNESS + i]
    along = towards / across if across < ZERO and towards < ZERO else ZERO
    if along > depth * HALF and along < depth * TWO:
        bx, by, bz = eye[0] + x * along, eye[1] + y * along, eye[2] + z * along
    else:
        bx, by, bz = table[BEGIN_X + i], table[BEGIN_Y + i], table[BEGIN_Z + i]
    long = np.sqrt(x * x + y * y + z * z)
    for k in range(3):
        paths.carried[k * BLOCK + j] = share
    paths.of[j] = i
    paths.turns[j] = (turn + 5 * number) & (SCOUTS - 1)
    paths.gone[j] = long * depth
    inv = ONE / long
    _mirror(paths, j, table, i, (bx, by, bz), (x * inv, y * inv, z * inv), (nx, ny, nz), number, mirrors)


@kernel
def _mirror(paths, j, table, i, place, way, normal, number, mirrors):
    """Send a ray on that comes along a way to a place of a fragment, whose normal may be bent there."""
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
    spread = rough * rough / max(facet[AHEAD], F(0.1))
    right, up = facet[RIGHT] * spread, facet[UP] * spread
    hx = nx + (ONE + sign * nx * nx * a) * right + b * up
    hy = ny + sign * b * right + (sign + ny * ny * a) * up
    hz = nz - sign * nx * right - ny * up
    twice = TWO * (x * hx + y * hy + z * hz) / (hx * hx + hy * hy + hz * hz)
    x, y, z = x - twice * hx, y - twice * hy, z - twice * hz
    # None goes into the surface.
    nx, ny, nz = table[NX + i], table[NY + i], table[NZ + i]
    below = min(x * nx + y * ny + z * nz, ZERO) * TWO
    off = OFF / table[NEARNESS + i]
    paths.ways[j], paths.ways[BLOCK + j], paths.ways[2 * BLOCK + j] = x - below * nx, y - below * ny, z - below * nz
    paths.begins[j] = place[0] + off * nx
    paths.begins[BLOCK + j] = place[1] + off * ny
    paths.begins[2 * BLOCK + j] = place[2] + off * nz
    paths.lit_by[j] = table[LIT_BY + i]
    paths.rough[j] = rough


@bare_kernel
def _see_sky(table, j, lights, paths):
    """Give the fragment that a ray began at what it sees of the skies."""
    i = paths.of[j]
    x, y, z = paths.ways[j], paths.ways[BLOCK + j], paths.ways[2 * BLOCK + j]
    for s in range(len(lights.skies)):
        sky = lights.skies[s]
        if I(paths.lit_by[j]) & (I(1) << I(sky[SET_OF[SKY]])):
            red, green, blue = seen_sky(sky, x, y, z, paths.rough[j])
            table[GLOW_R + i] += paths.carried[j] * red
            table[GLOW_G + i] += paths.carried[BLOCK + j] * green
            table[GLOW_B + i] += paths.carried[2 * BLOCK + j] * blue


@bare_kernel
def _keep(paths, j, met):
    """Move what is known of a ray to a place further ahead."""
    paths.of[met], paths.turns[met], paths.gone[met] = paths.of[j], paths.turns[j], paths.gone[j]
    paths.rough[met] = paths.rough[j]
    for k in range(3):
        paths.carried[k * BLOCK + met] = paths.carried[k * BLOCK + j]
        paths.begins[k * BLOCK + met] = paths.begins[k * BLOCK + j]
        paths.ways[k * BLOCK + met] = paths.ways[k * BLOCK + j]


@kernel
def _follow(table, under_way, surfaces, lights, rays, mirrors, paths):
    """Follow rays to their ends, and give what they see to the fragments of a table that they began at."""
    met = paths.table
    wide = np.sqrt(lights.rays[0, 0] ** 2 + lights.rays[1, 0] ** 2 + lights.rays[2, 0] ** 2)
    for depth in range(DEEPEST):
        count = 0
        for j in range(under_way):
            if _meets(paths, j, depth, mirrors):
                _keep(paths, j, count)
                _put_met(paths, count, wide, surfaces, lights, mirrors)
                count += 1
            else:
                _see_sky(table, j, lights, paths)
        if count == 0:
            return
        if len(surfaces.paints):
            put_paint(met, count, surfaces)
        begin_seen(met, count)
        if depth + 1 < DEEPEST:
            for j in range(count):
                strength = max(paths.carried[j], max(paths.carried[BLOCK + j], paths.carried[2 * BLOCK + j]))
                strength *= max(met[BASE_R + j], max(met[BASE_G + j], met[BASE_B + j]))
                met[MIRRORED + j] = _by_rays(met, j) if strength > LITTLE else ZERO
        light_met(met, count, lights, rays, paths.turns, paths.ray)
        under_way = 0
        for j in range(count):
            i = paths.of[j]
            table[GLOW_R + i] += paths.carried[j] * met[OUT_R + j]
            table[GLOW_G + i] += paths.carried[BLOCK + j] * met[OUT_G + j]
            table[GLOW_B + i] += paths.carried[2 * BLOCK + j] * met[OUT_B + j]
            if met[MIRRORED + j] > ZERO:
                _keep(paths, j, under_way)
                _go_on(paths, j, under_way, depth, mirrors)
                under_way += 1


@bare_kernel
def _go_on(paths, j, to, depth, mirrors):
    """Mirror a ray once more, at what it met."""
    met = paths.table
    edge = ONE - met[FACING + j]
    edge = edge * edge * edge * edge * edge
    gloss = ONE - met[ROUGH + j]
    for k in range(3):
        base = met[BASE_R + k * PITCH + j]
        paths.carried[k * BLOCK + to] *= met[MIRRORED + j] * (base + (max(gloss, base) - base) * edge)
    way = paths.ways[to], paths.ways[BLOCK + to], paths.ways[2 * BLOCK + to]
    place = met[BEGIN_X + j], met[BEGIN_Y + j], met[BEGIN_Z + j]
    normal = met[NX + j], met[NY + j], met[NZ + j]
    _mirror(paths, to, met, j, place, way, normal, 5 * depth + 1, mirrors)


@bare_kernel
def _meets(paths, j, depth, mirrors):
    """Whether a ray meets anything, which then is known by the numbers in paths.ray."""
    ray = paths.ray
    whole = ray.view(I)
    for k in range(3):
        ray[ORIGIN + k] = paths.begins[k * BLOCK + j]
        ray[WAY + k] = paths.ways[k * BLOCK + j]
    ray[NEAREST], ray[FARTHEST] = ZERO, ENDLESS
    # A ray has one chance of CHANCES to be let through, another in each turn.
    chance = mirrors.points[(paths.turns[j] + 3 * depth + 5 * paths.of[j]) % len(mirrors.points), CHANCE]
    whole[MASK] = I(1) << I(chance * F(CHANCES))
    whole[MET_BODY] = NOTHING
    ask(mirrors.asked, mirrors.scene, ray.ctypes.data)
    return whole[MET_BODY] != NOTHING


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


@kernel
def _put_met(paths, j, wide, surfaces, lights, mirrors):
    """Write what a ray met as a fragment."""
    met, ray = paths.table, paths.ray
    whole = ray.view(I)
    k = mirrors.copies[mirrors.group_starts[whole[MET_GROUP]] + whole[MET_COPY]]
    part = surfaces.part_of[k]
    t = mirrors.triangle_starts[part] + whole[MET_TRIANGLE]
    c = _cluster_of(t, surfaces, mirrors.cluster_starts[part], mirrors.cluster_starts[part + 1])
    start = surfaces.member_offsets[c]
    p0, p1, p2 = start + surfaces.local[0, t], start + surfaces.local[1, t], start + surfaces.local[2, t]
    b1, b2 = ray[MET_U], ray[MET_V]
    b0 = ONE - b1 - b2
    wholes = paths.faces.wholes
    wholes[INSTANCE], wholes[CORNER], wholes[CORNER + 1], wholes[CORNER + 2] = k, p0, p1, p2
    put_lift(paths.faces, 0, surfaces)
    lift = paths.faces.lifts
    x, y, z = paths.ways[j], paths.ways[BLOCK + j], paths.ways[2 * BLOCK + j]
    ux, uy, uz = lift[6] - lift[0], lift[7] - lift[1], lift[8] - lift[2]
    vx, vy, vz = lift[12] - lift[0], lift[13] - lift[1], lift[14] - lift[2]
    nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    area = np.sqrt(nx * nx + ny * ny + nz * nz)
    if surfaces.materials[part, FLAT] <= HALF:
        sx = b0 * lift[3] + b1 * lift[9] + b2 * lift[15]
        sy = b0 * lift[4] + b1 * lift[10] + b2 * lift[16]
        sz = b0 * lift[5] + b1 * lift[11] + b2 * lift[17]
        # Normals of points may lie on either side of the face: both are turned to the side that is seen.
        side = ONE if (nx * x + ny * y + nz * z) * (nx * sx + ny * sy + nz * sz) <= ZERO else -ONE
        nx, ny, nz = sx * side, sy * side, sz * side
    elif nx * x + ny * y + nz * z > ZERO:
        nx, ny, nz = -nx, -ny, -nz
    met[NX + j], met[NY + j], met[NZ + j] = nx, ny, nz
    met[VX + j], met[VY + j], met[VZ + j] = -x, -y, -z
    put_lifted(met, j, lift, b0, b1, b2)
    paths.gone[j] += ray[FARTHEST]
    # Lights that are near measure from the eye, along a ray that is 1 deep.
    nearness = ONE / paths.gone[j]
    met[NEARNESS + j] = nearness
    for r in range(3):
        met[RAY_X + r * PITCH + j] = (met[BEGIN_X + r * PITCH + j] - lights.eye[r]) * nearness
    if surfaces.materials[part, HAS_TINTS] > HALF:
        tints = surfaces.point_tints
        for r in range(3):
            met[RED + r * PITCH + j] = b0 * tints[p0, r] + b1 * tints[p1, r] + b2 * tints[p2, r]
        met[OPACITY + j] = b0 * tints[p0, 3] + b1 * tints[p1, 3] + b2 * tints[p2, 3]
        met[GLOW_R + j] = b0 * tints[p0, 4] + b1 * tints[p1, 4] + b2 * tints[p2, 4]
    put_material(met, j, j + 1, surfaces, part, k)
    # What a rough mirror shows is blurred in any case: gloss there would only be seen as sparks.
    met[ROUGH + j] = max(met[ROUGH + j], min(paths.rough[j] * BLURS, ONE))
    if surfaces.materials[part, HAS_PAINT] > HALF:
        m, size, uv = surfaces.paints[part, PLACE:], surfaces.sizes[part], surfaces.uvs[t]
        u = b0 * uv[0] + b1 * uv[2] + b2 * uv[4]
        v = b0 * uv[1] + b1 * uv[3] + b2 * uv[5]
        met[PLACE_U + j] = m[0] * u + m[1] * v + m[2]
        met[PLACE_V + j] = m[3] * u + m[4] * v + m[5]
        # As large as the texels are that a pixel's ray is wide there.
        texels = abs((uv[2] - uv[0]) * (uv[5] - uv[1]) - (uv[4] - uv[0]) * (uv[3] - uv[1]))
        texels *= abs(m[0] * m[4] - m[1] * m[3]) * F(size[0] * size[1])
        seen = wide * paths.gone[j]
        met[SEEN_AT + j] = HALF * np.log2(max(texels / max(area, F(1e-12)) * seen * seen, F(1e-12)))
