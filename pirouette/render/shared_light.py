"""Light that is found once for many pixels, or for many pictures: of one sample each, kept by where it falls."""

import numpy as np

from ..kernels.compile import frozen
from ..kernels.render.bounce import catch_band, mix_rows
from ..kernels.render.kept import KEEPS, KNOWS, NOTHING_KEPT, KeptLight, SharedLight
from ..kernels.render.pixels import PIXEL_SIZE, pixels_wide
from ..kernels.render.shares import SCOUTS
from ..kernels.threads import in_slices
from .rays import disc_points, rays_of

# What one picture may keep of its light, in bytes.
MOST_KEPT = 1 << 30
# So many rays go out from each pixel for what surfaces throw on it; of each picture, if many are added up, the share
# that comes to it, but as many as the next at least.
THROWN, LEAST_THROWN = 8, 2
# It is mixed from so many pixels to each side that lie so far apart, round by round.
ROUNDS = (3, 1), (2, 4)


def keep(bands) -> KeptLight:
    """Return how much of each light arrives at what the pixels of a picture show; see bands.shared_light."""
    bands.rays, bands.worlds = rays_of(bands.picture, *bands.turn)
    kinds = len(bands.lights.skies) + len(bands.lights.suns) + len(bands.lights.keys)
    kept = _empty(bands, KEEPS, kinds, bands.rays.are_clear, bands.rays.are_waxy)
    if not bands.rays.are_cast or kept is NOTHING_KEPT:
        return NOTHING_KEPT
    bands.shared = SharedLight(kept, NOTHING_KEPT)
    bands.each_opaque(bands.shade_alone)
    return kept._replace(acts=KNOWS)


def catch(bands) -> KeptLight:
    """Return what falls on the pixels of a picture of the light that surfaces throw on each other, as its `wax`."""
    bands.begin_rays()
    turn, of = bands.turn
    places = disc_points(turn, SCOUTS * max(LEAST_THROWN, THROWN // of))
    kept = _empty(bands, KNOWS, 1, False, True)
    if kept is NOTHING_KEPT:
        return kept
    bands.each_opaque(
        lambda band, listed, seen: catch_band(
            bands.solid.surfaces, band, bands.lights, bands.rays, bands.mirrors, places, listed, seen, kept
        )
    )
    wide, eye = pixels_wide(bands.lights), bands.lights.eye
    for reach, step in ROUNDS:
        mixed = np.zeros_like(kept.wax)
        in_slices(
            lambda a, b, reach=reach, step=step, kept=kept, mixed=mixed: mix_rows(
                a, b, reach, step, wide, eye, kept, mixed
            ),
            bands.height,
        )
        kept = kept._replace(wax=mixed)
    return kept._replace(wax=kept.wax * np.float32(bands.picture.background.bounce))


def _empty(bands, acts, kinds, are_tinted, are_waxy):
    """Room for what the pixels of a picture keep of so many lights; NOTHING_KEPT if that is too much."""
    count = bands.width * bands.height
    tints, wax = 3 * kinds * count * are_tinted, 3 * count * are_waxy
    if 4 * (count * (PIXEL_SIZE + 1 + kinds) + tints + wax) > MOST_KEPT:
        return NOTHING_KEPT
    return KeptLight(
        acts,
        bands.height,
        bands.width,
        np.array(frozen(bands.matrix)),
        np.zeros(count * PIXEL_SIZE, np.float32),
        np.zeros(count, np.float32),
        np.full(kinds * count, -1, np.float32),
        np.ones(tints, np.float32),
        np.zeros(wax, np.float32),
    )
