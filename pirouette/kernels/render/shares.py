"""How much of each light reaches fragments, by rays towards it.

First a few rays are cast for each pixel of a band. Where all pixels around that show the same surface agree about a
sun or a key light, that is what they see of it; where they do not, many more are cast. Of a light each fragment gets
what the pixels around get on the mean.

Neighbours ask in unlike places of a light, in turns of four by four pixels, or of two by two where many rays are cast.
A tent that reaches as far as such a turn has each of its places count alike: so nothing is left to chance, and there is
no grain.

Source  T. Duff et al., "Building an orthonormal basis, revisited", Journal of Computer Graphics Techniques 6 (2017)
"""

import numpy as np

from ..compile import bare_kernel, called_kernel, kernel
from ..embree import CHANCES, FARTHEST, MASK, NEAREST, ORIGIN, WAY, ask
from ..types import HALF, ONE, ZERO, F, I
from .fragment import BEGIN_X, BEGIN_Y, BEGIN_Z, LIT_BY, NEARNESS, NX, NY, NZ, SHARE
from .kept import KEEPS, KNOWS, keep_share, known_share, new_lookup
from .pixels import PIXEL_SIZE, SEEN, inside, is_alike, most_seen, put_pixel
from .tables import KEY_CASTS, KEY_SET, SKY_CASTS, SKY_REACH, SKY_SET, SUN_CASTS, SUN_SET, SUN_SPREAD, Pixels

ENDLESS = F(3e38)
# Rays begin off the surface, by this share of how far it is from the eye.
OFF = F(2e-4)
# What a fragment may be lit by is a bit for each set of figures that lights shine on, and one if it takes no shadows;
# a float32 holds so many, and one more.
MOST_SHININGS = 22
TAKES_NONE = 1 << MOST_SHININGS
# The next bit is of those that mirror what is around.
MIRRORS = 2 << MOST_SHININGS
# The kinds of light, and where their rows say which set of figures they shine on and whether they throw shadows.
SKY, SUN, KEY = 0, 1, 2
SET_OF = SKY_SET, SUN_SET, KEY_SET
CASTS_OF = SKY_CASTS, SUN_CASTS, KEY_CASTS
# What no ray was cast for.
UNKNOWN = -ONE
# Pixels around are asked if they weigh so much in all.
SURE = F(12.0)
ENOUGH = F(2.0)
# Columns of a place that rays go to: on a disc of radius 1, ahead on a dome over it, and a chance.
RIGHT, UP, AHEAD, CHANCE, POINT_SIZE = 0, 1, 2, 3, 4
# So many pixels, four by four, ask in turns.
SCOUTS = 16


@bare_kernel
def put_origin(table, i, ray):
    """Let a ray begin off a fragment's surface."""
    off = OFF / table[NEARNESS + i]
    ray[ORIGIN] = table[BEGIN_X + i] + off * table[NX + i]
    ray[ORIGIN + 1] = table[BEGIN_Y + i] + off * table[NY + i]
    ray[ORIGIN + 2] = table[BEGIN_Z + i] + off * table[NZ + i]


@bare_kernel
def put_way(ray, way, point, spread, is_dome):
    """Send a ray to a place of a light or dome around a way, seen so wide."""
    x, y, z = way
    # Two ways across it.
    sign = ONE if z >= ZERO else -ONE
    a = -ONE / (sign + z)
    b = x * y * a
    ahead = point[AHEAD] if is_dome else ONE
    right, up = point[RIGHT] * spread, point[UP] * spread
    ray[WAY] = x * ahead + (ONE + sign * x * x * a) * right + b * up
    ray[WAY + 1] = y * ahead + sign * b * right + (sign + y * y * a) * up
    ray[WAY + 2] = z * ahead - sign * x * right - y * up


@bare_kernel
def _blocked(table, i, way, spread, is_dome, far, scene, rays, places, count, apart, first, ray):
    """How many of some rays are blocked, to a light or dome around a way, seen so wide and so far away.

    They go to `count` places of a table, so far apart from each other, beginning with the first.
    """
    put_origin(table, i, ray)
    ray[NEAREST] = ZERO
    address = ray.ctypes.data
    masks = ray.view(I)
    blocked = 0
    for number in range(count):
        point = places[number * apart + first]
        put_way(ray, way, point, spread, is_dome)
        steps = point[CHANCE] * F(CHANCES)
        masks[MASK] = I(1) << I(steps)
        # On a dome, what is nearer shades more: it is met by more of the rays.
        ray[FARTHEST] = far * (steps - np.floor(steps)) if is_dome and far < ENDLESS else far
        ask(rays.asked, scene, address)
        blocked += ray[FARTHEST] < ZERO
    return blocked


@bare_kernel
def is_cast(table, i, bit):
    """Whether a light that shines on a set of figures, as a bit, may be blocked at a fragment."""
    return (I(table[LIT_BY + i]) & (bit | TAKES_NONE)) == bit


@bare_kernel
def _to_sun(table, i, sun):
    """See way_to."""
    x, y, z = sun[0], sun[1], sun[2]
    dot = x * table[NX + i] + y * table[NY + i] + z * table[NZ + i]
    return (x, y, z), sun[SUN_SPREAD], ENDLESS if dot > ZERO else -ONE


@bare_kernel
def _to_key(table, i, key):
    """See way_to; nothing within it shades."""
    radius = key[6] * HALF
    x, y, z = key[0] - table[BEGIN_X + i], key[1] - table[BEGIN_Y + i], key[2] - table[BEGIN_Z + i]
    far = np.sqrt(x * x + y * y + z * z)
    inv = ONE / max(far, F(1e-6))
    x *= inv
    y *= inv
    z *= inv
    is_seen = x * table[NX + i] + y * table[NY + i] + z * table[NZ + i] > -radius * inv
    return (x, y, z), radius * inv, far - radius if is_seen else -ONE


@bare_kernel
def _to_sky(table, i, sky):
    """See way_to; a sky is around the normal."""
    far = sky[SKY_REACH] if sky[SKY_REACH] > ZERO else ENDLESS
    return (table[NX + i], table[NY + i], table[NZ + i]), ONE, far


@bare_kernel
def way_to(table, i, light, kind):
    """The way from a fragment to a light, how wide and how far away it is; below 0 far where it is not seen."""
    if kind == SKY:
        return _to_sky(table, i, light)
    if kind == SUN:
        return _to_sun(table, i, light)
    return _to_key(table, i, light)


@kernel
def new_pixels(rows, width, lights, rays, shared, top):
    """Return room for what is known of the pixels of a band, and for what is looked up of them; see Lookup."""
    if not rays.are_cast or shared.kept.acts == KNOWS:
        rows = width = 0
    count = rows * width
    kinds = len(lights.skies) + len(lights.suns) + len(lights.keys)
    tints = 3 * count * kinds if rays.are_clear else 0
    return Pixels(
        rows, width, np.zeros(count * PIXEL_SIZE, F), np.zeros(count * kinds, F), np.zeros(count * kinds, F),
        np.zeros(tints, F), np.zeros(tints, F), np.zeros(kinds, I), new_lookup(shared.kept, top),
        new_lookup(shared.thrown, top),
    )  # fmt: skip


@called_kernel
def put_pixels(table, count, fragments, row, lights, rays, pixels, ray):
    """Write what most of each pixel of a stretch of a row shows, and cast the first rays from there."""
    shares = pixels.first_shares
    skies, suns, keys = lights.skies, lights.suns, lights.keys
    plane = pixels.rows * pixels.width
    after = 0
    while after < count:
        column = fragments.pixel_of[after]
        most, after = most_seen(fragments, after, count)
        slot = row * pixels.width + column
        put_pixel(table, most, pixels.seen[slot * PIXEL_SIZE :])
        turn = (column & 3) + 4 * (row & 3)
        for s in range(len(skies)):
            shares[slot] = _first(table, most, skies[s], SKY, rays, turn, ray)
            slot += plane
        for s in range(len(suns)):
            shares[slot] = _first(table, most, suns[s], SUN, rays, turn, ray)
            slot += plane
        for s in range(len(keys)):
            shares[slot] = _first(table, most, keys[s], KEY, rays, turn, ray)
            slot += plane


@bare_kernel
def _first(table, i, light, kind, rays, turn, ray):
    """What the first rays of a pixel say of a light; UNKNOWN where none are cast."""
    way, spread, far = way_to(table, i, light, kind)
    number = I(light[SET_OF[kind]])
    if light[CASTS_OF[kind]] < HALF or far < ZERO or not is_cast(table, i, I(1) << number):
        return UNKNOWN
    is_dome = kind == SKY
    count = rays.dome if is_dome else 1
    places, scene = rays.places.skies if is_dome else rays.places.scouts, rays.scenes[number]
    blocked = _blocked(table, i, way, spread, is_dome, far, scene, rays, places, count, SCOUTS, turn, ray)
    return ONE - F(blocked) / F(count)


@called_kernel
def refine_pixels(table, count, fragments, row, lights, wide, rays, pixels, ray):
    """Cast many rays from those pixels of a stretch of a row around which the first do not agree."""
    suns, keys = lights.suns, lights.keys
    plane = pixels.rows * pixels.width
    after = 0
    while after < count:
        column = fragments.pixel_of[after]
        most, after = most_seen(fragments, after, count)
        slot = row * pixels.width + column + len(lights.skies) * plane
        for s in range(len(suns)):
            _refine(table, most, row, column, suns[s], SUN, wide, rays, pixels, slot, ray)
            slot += plane
        for s in range(len(keys)):
            _refine(table, most, row, column, keys[s], KEY, wide, rays, pixels, slot, ray)
            slot += plane


@bare_kernel
def _refine(table, i, row, column, light, kind, wide, rays, pixels, slot, ray):
    first = pixels.first_shares[slot]
    pixels.shares[slot] = first
    if first < ZERO:
        return
    way, spread, far = way_to(table, i, light, kind)
    at = slot - (row * pixels.width + column)
    _, low, high, found = _around(table, i, row, column, 2, wide, pixels, pixels.first_shares, at)
    if low < high or found < SURE:
        count = rays.many if spread > ZERO else 1
        turn = (column & 1) + 2 * (row & 1)
        scene, places = rays.scenes[I(light[SET_OF[kind]])], rays.places.lights
        blocked = _blocked(table, i, way, spread, False, far, scene, rays, places, count, 4, turn, ray)
        pixels.shares[slot] = ONE - F(blocked) / F(count)


@bare_kernel
def _around(table, i, row, column, reach, wide, pixels, shares, slot):
    """The mean of what pixels around say that show the same surface as a fragment; its lowest, highest, and weight."""
    seen = pixels.seen
    x, y, z = table[BEGIN_X + i], table[BEGIN_Y + i], table[BEGIN_Z + i]
    nx, ny, nz = table[NX + i], table[NY + i], table[NZ + i]
    off = wide / table[NEARNESS + i]
    total = weight = ZERO
    low, high = ONE, ZERO
    for down in range(-reach, reach + 1):
        other_row = inside(row + down, reach + 1, pixels.rows)
        for right in range(-reach, reach + 1):
            other = inside(column + right, reach + 1, pixels.width)
            if other_row < 0 or other < 0:
                continue
            at = other_row * pixels.width + other
            share = shares[slot + at]
            pixel = seen[at * PIXEL_SIZE :]
            if pixel[SEEN] == ZERO or share < ZERO:
                continue
            if not is_alike(pixel, (x, y, z), (nx, ny, nz), off):
                continue
            part = F((reach + 1 - abs(down)) * (reach + 1 - abs(right)))
            total += share * part
            weight += part
            low = min(low, share)
            high = max(high, share)
    return total / max(weight, ONE), low, high, weight


@bare_kernel
def _reaching(table, i, fragments, row, to, is_dome, number, wide, rays, pixels, slot, ray):
    """How much of a light reaches a fragment: what the pixels around say, or else what rays of its own do."""
    way, spread, far = to
    reach = 3 if is_dome else 1
    shares = pixels.first_shares if is_dome else pixels.shares
    mean, _, _, found = _around(table, i, row, fragments.pixel_of[i], reach, wide, pixels, shares, slot)
    if found >= (SURE if is_dome else ENOUGH):
        return mean
    count = max(rays.few, I(np.ceil(fragments.weight_of[i] * F(rays.many)))) if spread > ZERO else 1
    scene, places = rays.scenes[number], rays.places.first
    blocked = _blocked(table, i, way, spread, is_dome, far, scene, rays, places, count, 1, 0, ray)
    return ONE - F(blocked) / F(count)


@bare_kernel
def _put_open(table, count, bit):
    """Write all or nothing of a light that throws no shadows."""
    for i in range(count):
        table[SHARE + i] = F((I(table[LIT_BY + i]) & bit) != 0)


@called_kernel
def put_own_shares(table, count, light, kind, rays, turns, ray):
    """Write how much of a light reaches each of `count` fragments, wherever they lie, by a few rays of their own.

    turns  (count,) int32 below SCOUTS: rays go to other places of the light for each
    """
    number = I(light[SET_OF[kind]])
    bit = I(1) << number
    _put_open(table, count, bit)
    if light[CASTS_OF[kind]] < HALF or not rays.are_cast:
        return
    for i in range(count):
        way, spread, far = way_to(table, i, light, kind)
        if far > ZERO and is_cast(table, i, bit):
            is_dome = kind == SKY
            asked = rays.dome if is_dome else (rays.few if spread > ZERO else 1)
            places, scene = rays.places.skies if is_dome else rays.places.own, rays.scenes[number]
            blocked = _blocked(table, i, way, spread, is_dome, far, scene, rays, places, asked, SCOUTS, turns[i], ray)
            table[SHARE + i] = ONE - F(blocked) / F(asked)


@called_kernel
def put_shares(table, count, fragments, row, light, kind, light_number, wide, rays, pixels, ray):
    """Write how much of a light reaches each of `count` fragments of a stretch of a row.

    light_number  of the light, skies first, then suns, then keys
    """
    number = I(light[SET_OF[kind]])
    bit = I(1) << number
    _put_open(table, count, bit)
    if light[CASTS_OF[kind]] < HALF or not rays.are_cast:
        return
    for i in range(count):
        to = way_to(table, i, light, kind)
        is_asked = to[2] > ZERO and is_cast(table, i, bit)
        if is_asked:
            table[SHARE + i] = known_share(i, light_number, pixels.lookup)
            if table[SHARE + i] < ZERO:
                slot = light_number * pixels.rows * pixels.width
                table[SHARE + i] = _reaching(
                    table, i, fragments, row, to, kind == SKY, number, wide, rays, pixels, slot, ray
                )
        if pixels.lookup.kept.acts == KEEPS:
            share = table[SHARE + i] if is_asked else UNKNOWN
            keep_share(row, fragments.pixel_of[i], light_number, pixels.lookup, share)
