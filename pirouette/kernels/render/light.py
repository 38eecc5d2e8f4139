"""Light on fragments: many at once, in straight loops that vectorise.

The page's view computes the same light in its own shader; change both together.

Sources: microfacet reflection after B. Walter et al., "Microfacet models for refraction through rough surfaces",
EGSR 2007 (the GGX distribution); C. Schlick, "An inexpensive BRDF model", Eurographics 1994.
"""

import numpy as np

from ..compile import bare_kernel, called_kernel
from ..types import HALF, ONE, TWO, ZERO, F, I
from .around import LEVELS, ROUGHEST, seen_around, seen_level
from .clear import DIELECTRIC
from .fragment import (
    AT_X,
    AT_Y,
    BASE_B,
    BASE_G,
    BASE_R,
    BLUE,
    BRIGHT,
    FACING,
    GLOW_B,
    GLOW_G,
    GLOW_R,
    GREEN,
    METALLIC,
    MIRRORED,
    NEARNESS,
    NX,
    NY,
    NZ,
    OUT_B,
    OUT_G,
    OUT_R,
    PITCH,
    RAY_X,
    RAY_Y,
    RAY_Z,
    RED,
    ROUGH,
    SHARE,
    VX,
    VY,
    VZ,
    WAX_B,
    WAX_G,
    WAX_R,
)
from .kept import IDLE, KEEPS, KNOWS, is_known, keep_seen, look_up, put_known
from .pixels import pixels_wide
from .shares import KEY, SKY, SUN, put_own_shares, put_shares
from .tables import KEY_SOFT, SKY_AROUND, SKY_BRIGHT, SKY_COS, SKY_SIN
from .through import hold_light, tint_light, tint_own_light
from .wax import add_known_wax, add_wax, put_beneath, put_unknown_beneath, scatter_wax, share_wax

TINY = F(1e-12)
# Of each fragment are told, by mirror.py: how much of what it mirrors rays tell, that light, and what is seen through.
TOLD, THROUGH, TOLD_SIZE = 1, 4, 7


@called_kernel
def begin_light(table, count, lights):
    """Find what light needs of each fragment, whatever it comes from; it is dark to begin with."""
    _find_rays(table, count, lights.rays)
    _find_views(table, count)
    begin_seen(table, count)


@called_kernel
def take_mirrored(table, count, told):
    """Take what `count` fragments mirror, and what is seen through them, as a part of their glow; after begin_light."""
    for i in range(count):
        at = TOLD_SIZE * i
        share = told[at]
        edge = ONE - table[FACING + i]
        edge = share * edge * edge * edge * edge * edge
        gloss = ONE - table[ROUGH + i]
        red, green, blue = table[BASE_R + i], table[BASE_G + i], table[BASE_B + i]
        table[MIRRORED + i] = share
        table[GLOW_R + i] += told[at + TOLD] * (share * red + (max(gloss, red) - red) * edge) + told[at + THROUGH]
        table[GLOW_G + i] += (
            told[at + TOLD + 1] * (share * green + (max(gloss, green) - green) * edge) + told[at + THROUGH + 1]
        )
        table[GLOW_B + i] += (
            told[at + TOLD + 2] * (share * blue + (max(gloss, blue) - blue) * edge) + told[at + THROUGH + 2]
        )


@called_kernel
def light(table, count, fragments, row, surfaces, lights, rays, pixels, scratch):
    """Light `count` fragments of a table, of a row of a band whose pixels are known where rays are cast.

    What begin_light does is done, unless lights are flat.
    """
    if lights.is_flat:
        for i in range(count):
            table[OUT_R + i] = (table[RED + i] + table[GLOW_R + i]) * table[BRIGHT + i]
            table[OUT_G + i] = (table[GREEN + i] + table[GLOW_G + i]) * table[BRIGHT + i]
            table[OUT_B + i] = (table[BLUE + i] + table[GLOW_B + i]) * table[BRIGHT + i]
        return
    acts = pixels.lookup.kept.acts if rays.are_cast else IDLE
    if acts == KEEPS:
        keep_seen(table, count, row, fragments.pixel_of, pixels.lookup)
    elif acts == KNOWS:
        look_up(table, count, pixels_wide(lights), pixels.lookup)
    if pixels.thrown.kept.acts == KNOWS:
        look_up(table, count, pixels_wide(lights), pixels.thrown)
        _add_thrown(table, count, pixels.thrown, scratch.one)
    if rays.are_waxy and acts == KNOWS:
        add_known_wax(table, count, pixels.lookup, scratch)
        put_unknown_beneath(table, count, surfaces, rays, pixels.lookup, scratch)
    else:
        _begin_wax(table, count, fragments.pixel_of, pixels.rows > 0, surfaces, rays, scratch)
    number = 0
    for s in range(len(lights.skies)):
        _add(table, count, fragments, row, surfaces, lights, lights.skies[s], SKY, number, rays, pixels, scratch)
        number += 1
    for s in range(len(lights.suns)):
        _add(table, count, fragments, row, surfaces, lights, lights.suns[s], SUN, number, rays, pixels, scratch)
        number += 1
    for s in range(len(lights.keys)):
        _add(table, count, fragments, row, surfaces, lights, lights.keys[s], KEY, number, rays, pixels, scratch)
        number += 1
    _end(table, count)


@bare_kernel
def _add_thrown(table, count, thrown, falls):
    """Add what fragments scatter of the light that other surfaces throw on them."""
    for i in range(count):
        if is_known(i, thrown):
            put_known(i, 0, thrown, thrown.kept.wax, falls)
            for k in range(3):
                scatters = table[RED + k * PITCH + i] + table[WAX_R + k * PITCH + i]
                table[OUT_R + k * PITCH + i] += falls[k] * scatters


@called_kernel
def light_met(table, count, surfaces, lights, rays, turns, scratch):
    """Light `count` fragments of a table that lie anywhere, as few rays tell; what begin_seen does is done."""
    _begin_wax(table, count, turns, False, surfaces, rays, scratch)
    for s in range(len(lights.skies)):
        _add_met(table, count, surfaces, lights, lights.skies[s], SKY, rays, turns, scratch)
    for s in range(len(lights.suns)):
        _add_met(table, count, surfaces, lights, lights.suns[s], SUN, rays, turns, scratch)
    for s in range(len(lights.keys)):
        _add_met(table, count, surfaces, lights, lights.keys[s], KEY, rays, turns, scratch)
    _end(table, count)


@bare_kernel
def _add(table, count, fragments, row, surfaces, lights, one, kind, number, rays, pixels, scratch):
    """Add a light, given its number among all."""
    wide = pixels_wide(lights)
    put_shares(table, count, fragments, row, one, kind, number, wide, rays, pixels, scratch.ray)
    # Half-transparent fragments, whose pixels are not known, each ask for themselves.
    is_tinted = rays.are_clear and (pixels.rows == 0 or pixels.are_tinted[number] != 0)
    if is_tinted:
        hold_light(table, count)
    _from(table, count, lights, one, kind)
    if is_tinted:
        tint_light(table, count, fragments, row, one, kind, number, wide, surfaces, rays, pixels, scratch)
    if rays.are_waxy and pixels.lookup.kept.acts == IDLE:
        add_wax(table, count, fragments.pixel_of, pixels.rows > 0, one, kind, lights, surfaces, rays, scratch)
    elif rays.are_waxy:
        share_wax(table, count, fragments.pixel_of, row, one, kind, lights, surfaces, rays, pixels.lookup, scratch)


@bare_kernel
def _begin_wax(table, count, pixel_of, is_shared, surfaces, rays, scratch):
    """Find what the light in waxy fragments needs; where there are no rays they scatter it like all others."""
    if rays.are_waxy:
        put_beneath(table, count, pixel_of, is_shared, surfaces, rays, scratch)
    elif len(surfaces.clears):
        scatter_wax(table, count)


@bare_kernel
def _add_met(table, count, surfaces, lights, one, kind, rays, turns, scratch):
    put_own_shares(table, count, one, kind, rays, turns, scratch.ray)
    if rays.are_clear:
        hold_light(table, count)
    _from(table, count, lights, one, kind)
    if rays.are_clear:
        tint_own_light(table, count, one, kind, surfaces, rays, turns, scratch)
    if rays.are_waxy:
        add_wax(table, count, turns, False, one, kind, lights, surfaces, rays, scratch)


@bare_kernel
def _from(table, count, lights, one, kind):
    if kind == SKY and one[SKY_AROUND] >= ZERO:
        _from_around(table, count, lights.around, one)
    elif kind == SKY:
        _from_sky(table, count, one)
    elif kind == SUN:
        _from_sun(table, count, one)
    else:
        _from_key(table, count, lights.eye, one)


@called_kernel
def _end(table, count):
    for i in range(count):
        table[OUT_R + i] = (table[OUT_R + i] + table[GLOW_R + i]) * table[BRIGHT + i]
        table[OUT_G + i] = (table[OUT_G + i] + table[GLOW_G + i]) * table[BRIGHT + i]
        table[OUT_B + i] = (table[OUT_B + i] + table[GLOW_B + i]) * table[BRIGHT + i]


@called_kernel
def _find_rays(table, count, rays):
    # Numbers are read before the loops: in them, what is written might be what is read.
    xx, xy, x0 = rays[0, 0], rays[0, 1], rays[0, 2]
    yx, yy, y0 = rays[1, 0], rays[1, 1], rays[1, 2]
    zx, zy, z0 = rays[2, 0], rays[2, 1], rays[2, 2]
    for i in range(count):
        x = table[AT_X + i]
        y = table[AT_Y + i]
        table[RAY_X + i] = xx * x + xy * y + x0
        table[RAY_Y + i] = yx * x + yy * y + y0
        table[RAY_Z + i] = zx * x + zy * y + z0


@called_kernel
def _find_views(table, count):
    for i in range(count):
        x = table[RAY_X + i]
        y = table[RAY_Y + i]
        z = table[RAY_Z + i]
        far = -ONE / np.sqrt(x * x + y * y + z * z)
        table[VX + i] = x * far
        table[VY + i] = y * far
        table[VZ + i] = z * far


@called_kernel
def begin_seen(table, count):
    """See begin_light; the ways from which fragments are seen are known."""
    for i in range(count):
        x = table[NX + i]
        y = table[NY + i]
        z = table[NZ + i]
        size = ONE / np.sqrt(x * x + y * y + z * z + TINY)
        nx = x * size
        ny = y * size
        nz = z * size
        vx = table[VX + i]
        vy = table[VY + i]
        vz = table[VZ + i]
        facing = max(nx * vx + ny * vy + nz * vz, F(1e-4))
        metal = table[METALLIC + i]
        dull = ONE - metal
        red = table[RED + i]
        green = table[GREEN + i]
        blue = table[BLUE + i]
        base_r = DIELECTRIC + (red - DIELECTRIC) * metal
        base_g = DIELECTRIC + (green - DIELECTRIC) * metal
        base_b = DIELECTRIC + (blue - DIELECTRIC) * metal
        table[OUT_R + i] = ZERO
        table[OUT_G + i] = ZERO
        table[OUT_B + i] = ZERO
        # From here on the material's colour is what it scatters.
        table[RED + i] = red * dull
        table[GREEN + i] = green * dull
        table[BLUE + i] = blue * dull
        table[BASE_R + i] = base_r
        table[BASE_G + i] = base_g
        table[BASE_B + i] = base_b
        table[NX + i] = nx
        table[NY + i] = ny
        table[NZ + i] = nz
        table[FACING + i] = facing
        table[MIRRORED + i] = ZERO
        table[WAX_R + i] = ZERO
        table[WAX_G + i] = ZERO
        table[WAX_B + i] = ZERO


@called_kernel
def _from_sky(table, count, sky):
    """Add a sky: diffuse from the half-space of the normal, and mirrored towards the eye where rays do not tell."""
    tr, tg, tb = sky[0], sky[1], sky[2]
    hr, hg, hb = sky[3], sky[4], sky[5]
    gr, gg, gb = sky[6], sky[7], sky[8]
    for i in range(count):
        ny = table[NY + i]
        vy = table[VY + i]
        facing = table[FACING + i]
        rough = table[ROUGH + i]
        share = table[SHARE + i]
        base_r = table[BASE_R + i]
        base_g = table[BASE_G + i]
        base_b = table[BASE_B + i]
        up = HALF + HALF * ny
        ir = (gr + (tr - gr) * up) * F(0.6) + hr * F(0.4)
        ig = (gg + (tg - gg) * up) * F(0.6) + hg * F(0.4)
        ib = (gb + (tb - gb) * up) * F(0.6) + hb * F(0.4)
        ry = TWO * facing * ny - vy
        rise = min(abs(ry), ONE)
        rise = rise * (TWO - rise)
        above = ry > ZERO
        mr = hr + ((tr if above else gr) - hr) * rise
        mg = hg + ((tg if above else gg) - hg) * rise
        mb = hb + ((tb if above else gb) - hb) * rise
        mr += (ir - mr) * rough
        mg += (ig - mg) * rough
        mb += (ib - mb) * rough
        away = ONE - facing
        edge = away * away
        edge = edge * edge * away
        gloss = ONE - rough
        still = ONE - table[MIRRORED + i]
        mr *= still
        mg *= still
        mb *= still
        table[OUT_R + i] += share * (ir * table[RED + i] + mr * (base_r + (max(gloss, base_r) - base_r) * edge))
        table[OUT_G + i] += share * (ig * table[GREEN + i] + mg * (base_g + (max(gloss, base_g) - base_g) * edge))
        table[OUT_B + i] += share * (ib * table[BLUE + i] + mb * (base_b + (max(gloss, base_b) - base_b) * edge))


@called_kernel
def _from_around(table, count, around, sky):
    """The same of a picture all around."""
    number, bright, cos, sin = I(sky[SKY_AROUND]), sky[SKY_BRIGHT], sky[SKY_COS], sky[SKY_SIN]
    spread = number * LEVELS + ROUGHEST
    for i in range(count):
        nx, ny, nz = table[NX + i], table[NY + i], table[NZ + i]
        facing, rough = table[FACING + i], table[ROUGH + i]
        share = table[SHARE + i] * bright
        still = share * (ONE - table[MIRRORED + i])
        base_r, base_g, base_b = table[BASE_R + i], table[BASE_G + i], table[BASE_B + i]
        ir, ig, ib = seen_level(around, spread, cos * nx - sin * nz, ny, sin * nx + cos * nz)
        x, y, z = (
            TWO * facing * nx - table[VX + i],
            TWO * facing * ny - table[VY + i],
            TWO * facing * nz - table[VZ + i],
        )
        mr, mg, mb = seen_around(around, number, cos * x - sin * z, y, sin * x + cos * z, rough)
        away = ONE - facing
        edge = away * away
        edge = edge * edge * away
        gloss = ONE - rough
        table[OUT_R + i] += share * ir * table[RED + i] + still * mr * (base_r + (max(gloss, base_r) - base_r) * edge)
        table[OUT_G + i] += share * ig * table[GREEN + i] + still * mg * (base_g + (max(gloss, base_g) - base_g) * edge)
        table[OUT_B + i] += share * ib * table[BLUE + i] + still * mb * (base_b + (max(gloss, base_b) - base_b) * edge)


# The two kinds of light end alike, but a shared function for that end keeps the loops from vectorising.
@called_kernel
def _from_sun(table, count, sun):
    lx, ly, lz = sun[0], sun[1], sun[2]
    red, green, blue = sun[3], sun[4], sun[5]
    for i in range(count):
        nx = table[NX + i]
        ny = table[NY + i]
        nz = table[NZ + i]
        vx = table[VX + i]
        vy = table[VY + i]
        vz = table[VZ + i]
        dot = max(nx * lx + ny * ly + nz * lz, ZERO)
        arrives = dot * table[SHARE + i]
        hx = lx + vx
        hy = ly + vy
        hz = lz + vz
        inv = ONE / np.sqrt(hx * hx + hy * hy + hz * hz + TINY)
        nh = max((nx * hx + ny * hy + nz * hz) * inv, ZERO)
        away = ONE - max((vx * hx + vy * hy + vz * hz) * inv, ZERO)
        edge = away * away
        edge = edge * edge * away
        a = table[ROUGH + i] * table[ROUGH + i]
        shine = _shine(nh, dot, table[FACING + i], a, a)
        base_r = table[BASE_R + i]
        base_g = table[BASE_G + i]
        base_b = table[BASE_B + i]
        table[OUT_R + i] += red * arrives * (table[RED + i] + shine * (base_r + (ONE - base_r) * edge))
        table[OUT_G + i] += green * arrives * (table[GREEN + i] + shine * (base_g + (ONE - base_g) * edge))
        table[OUT_B + i] += blue * arrives * (table[BLUE + i] + shine * (base_b + (ONE - base_b) * edge))


@called_kernel
def _from_key(table, count, eye, key):
    ex, ey, ez = eye[0], eye[1], eye[2]
    px, py, pz = key[0], key[1], key[2]
    red, green, blue = key[3], key[4], key[5]
    radius, reach, soft = key[6] * HALF, key[7], key[KEY_SOFT]
    for i in range(count):
        depth = ONE / table[NEARNESS + i]
        lx = px - (ex + table[RAY_X + i] * depth)
        ly = py - (ey + table[RAY_Y + i] * depth)
        lz = pz - (ez + table[RAY_Z + i] * depth)
        square = lx * lx + ly * ly + lz * lz + TINY
        inv = ONE / np.sqrt(square)
        lx *= inv
        ly *= inv
        lz *= inv
        spread = min(radius * inv, ONE)
        wrap = spread * HALF
        near = min(reach * (ONE / np.sqrt(square + soft)), F(5.0))
        nx = table[NX + i]
        ny = table[NY + i]
        nz = table[NZ + i]
        vx = table[VX + i]
        vy = table[VY + i]
        vz = table[VZ + i]
        dot = max((nx * lx + ny * ly + nz * lz + wrap) / (ONE + wrap), ZERO)
        hx = lx + vx
        hy = ly + vy
        hz = lz + vz
        inv = ONE / np.sqrt(hx * hx + hy * hy + hz * hz + TINY)
        nh = max((nx * hx + ny * hy + nz * hz) * inv, ZERO)
        away = ONE - max((vx * hx + vy * hy + vz * hz) * inv, ZERO)
        edge = away * away
        edge = edge * edge * away
        a = table[ROUGH + i] * table[ROUGH + i]
        shine = _shine(nh, dot, table[FACING + i], a, min(a + spread * HALF, ONE))
        power = near * near * dot * table[SHARE + i]
        base_r = table[BASE_R + i]
        base_g = table[BASE_G + i]
        base_b = table[BASE_B + i]
        table[OUT_R + i] += red * power * (table[RED + i] + shine * (base_r + (ONE - base_r) * edge))
        table[OUT_G + i] += green * power * (table[GREEN + i] + shine * (base_g + (ONE - base_g) * edge))
        table[OUT_B + i] += blue * power * (table[BLUE + i] + shine * (base_b + (ONE - base_b) * edge))


@called_kernel
def _shine(nh, nl, nv, sharp, wide):
    """Microfacet reflection times π; a wide light widens the lobe and keeps its energy."""
    square = wide * wide
    d = nh * nh * (square - ONE) + ONE
    lobe = sharp * wide / (d * d + F(1e-9))
    k = sharp * HALF
    return lobe * F(0.25) / ((nl * (ONE - k) + k) * (nv * (ONE - k) + k) + F(1e-6))
