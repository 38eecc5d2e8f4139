"""What the renderer's kernels read: flat arrays under names, K instances, C clusters, T triangles and P parts long."""

from typing import NamedTuple

import numpy as np

from ..noise.layers import Layers
from .around import Around
from .kept import Lookup
from .strand import StrandRows


class Surfaces(NamedTuple):
    """All surfaces of one blend. A pair is one instance with one cluster of its mesh; a part is one look of a figure.

    Points stand cluster after cluster (M of them, some in several clusters), so that they are read in straight runs.
    """

    pair_instance: np.ndarray  # int32
    pair_cluster: np.ndarray  # int32
    world: np.ndarray  # (K, 3, 4) float32
    screen: np.ndarray  # (K, 3, 4) float32: from an instance's own space to (x·w, y·w, w) on the screen
    cofactors: np.ndarray  # (K, 3, 3) float32: turns normals
    tints: np.ndarray  # (K, 5) float32: red, green, blue, opacity, glow
    opens: np.ndarray  # (K,) uint8: 0: opaque instances, 1: where they or their paint are open, 2: where points are
    culls: np.ndarray  # (K,) int32: 1 or -1 where faces seen from behind are never visible (-1: mirrored), else 0
    part_of: np.ndarray  # (K,) int32
    balls: np.ndarray  # (C, 4) float32: middle, radius
    cones: np.ndarray  # (C, 4) float32: axis of the normals, sine of the half angle (2: none)
    member_offsets: np.ndarray  # (C + 1,) int32
    triangle_offsets: np.ndarray  # (C + 1,) int32
    local: np.ndarray  # (3, T) uint8: corners as places within their cluster's members
    px: np.ndarray  # (M,) float32: where the points stand
    py: np.ndarray
    pz: np.ndarray
    normals: np.ndarray  # (3 * M,) float32: row after row
    point_tints: np.ndarray  # (M, 5) float32; one row where no part has any
    materials: np.ndarray  # (P, MATERIAL_SIZE) float32
    clears: np.ndarray  # (P, CLEAR_SIZE) float32, see clear.py; no rows where no part is clear or waxy
    paints: np.ndarray  # (P, PAINT_SIZE) float32; no rows where no part is painted
    sizes: np.ndarray  # (P, 2) int64: width and height of a part's picture
    uvs: np.ndarray  # (T, 6) float32: places of the triangles' corners in it; (T, 9) if there are patterns
    layers: Layers  # of all patterns
    texels: np.ndarray  # (N, 4) uint8 of all textures
    light_of: np.ndarray  # (256,) float32: what a texel's number means
    levels: np.ndarray  # (L, 3) int64: width, height and first texel of each texture's levels
    first_levels: np.ndarray  # int64: where each texture's levels begin


# Columns of rows of lights: how wide a sun is, as the tangent of half its angle, or how far a sky sees; the number of
# the set of figures that it shines on; whether it throws shadows.
SUN_SPREAD, SUN_SET, SUN_CASTS, SUN_SIZE = 6, 7, 8, 9
KEY_SET, KEY_CASTS = 8, 9
# The square of a distance that is added to that of how far a light is away, so that near it there is no hot spot.
KEY_SOFT, KEY_SIZE = 10, 11
SKY_REACH, SKY_SET, SKY_CASTS = 9, 10, 11
# Which picture all around a sky is, -1 for one of colours; how bright it is, and how it is turned: cosine and sine.
SKY_AROUND, SKY_BRIGHT, SKY_COS, SKY_SIN, SKY_SIZE = 12, 13, 14, 15, 16


class Haze(NamedTuple):
    """What lies between the eye and all else."""

    is_on: bool
    loss: np.float32  # so much light is lost on a way of one unit at its base, to begin with
    base: np.float32  # where it begins to thin out, and
    height: np.float32  # how far above that it is thinner by e; 0 where it is alike everywhere
    colour: np.ndarray  # (3,) float32: what it shows, unless that is
    is_behind: bool  # what is behind everything
    rows: np.ndarray  # (rows, 4) float32: that, for each row of the picture; no rows where it is the skies


class Lights(NamedTuple):
    """What lights the surfaces, and where they are seen from."""

    eye: np.ndarray  # (3,) float32
    rays: np.ndarray  # (3, 3) float32: from (x, y, 1) on the screen to a ray that is 1 deep
    suns: np.ndarray  # (n, SUN_SIZE) float32: direction, colour, and as named above
    keys: np.ndarray  # (n, KEY_SIZE) float32: position, colour, width, reach, and as named above
    skies: np.ndarray  # (n, SKY_SIZE) float32: colours at the top, at the horizon, of the ground, and as named above
    is_flat: bool  # surfaces show their own colour, without lights and haze
    haze: Haze
    around: Around


class Bodies(NamedTuple):
    """Whose the surfaces of a scene are that rays meet."""

    group_starts: np.ndarray  # (G + 1,) int32: the copies of the groups in that scene, one group after the other
    copies: np.ndarray  # int32: of each, which of the K instances it is
    triangle_starts: np.ndarray  # (P,) int32: the first triangle of each part
    cluster_starts: np.ndarray  # (P + 1,) int32: the first cluster of each part


class Places(NamedTuple):
    """Where rays go: each table, and what is asked of it in turns, is spread over the whole of a light's disc.

    All are (N, POINT_SIZE) float32, see shares.py.
    """

    scouts: np.ndarray  # SCOUTS: the first ray to each light but skies, one for each pixel of a turn
    skies: np.ndarray  # SCOUTS * dome
    lights: np.ndarray  # 4 * many
    own: np.ndarray  # SCOUTS * few: of fragments that lie anywhere, and of what tints light
    first: np.ndarray  # many: of fragments that ask for themselves; any number of the first of them are spread


class Rays(NamedTuple):
    """What is asked whether light is blocked."""

    asked: int  # the address of the function that knows, see embree.py
    scenes: np.ndarray  # (n,) int64: where that function finds what throws shadows, for each set of figures
    dome: int  # so many rays go from each pixel to a sky at first; one to each other light
    few: int  # so many rays at least, and
    many: int  # so many for a whole pixel, where these do not agree
    places: Places
    are_cast: bool
    asked_what: int  # the address of the function that knows what they meet
    clear_scene: int  # where that function finds what is clear or waxy, and throws shadows
    clear_bodies: Bodies
    are_clear: bool  # anything lets light through: it is clear or waxy
    are_waxy: bool


class Mirrors(NamedTuple):
    """What is asked what rays meet, and whose it is."""

    asked: int  # the address of the function that knows, see embree.py
    scene: int  # where that function finds all surfaces
    bodies: Bodies
    count: int  # so many rays go out from a whole pixel
    every: int  # of each pixel in one of so many pictures that are added up
    turn: int  # the number of this one among them
    of: int  # how many these are
    points: np.ndarray  # (N, POINT_SIZE) float32: places on a disc, see shares.py
    within: np.ndarray  # (count + SCOUTS, 2) float32 0..1: where they begin in the pixel, and shifts, one for each turn
    to_screen: np.ndarray  # (3, 3) float32: from a way to (x·w, y·w, w) on the screen
    behind: np.ndarray  # (rows, 4) float32: what is behind everything on the screen; no rows where it is the skies
    are_cast: bool
    are_added: bool  # whether any surface adds its light to what is behind it
    strands: StrandRows


class Pixels(NamedTuple):
    """What is known of a band's pixels once the first rays are cast; empty if none are."""

    rows: int
    width: int
    seen: np.ndarray  # (rows * width * PIXEL_SIZE,) float32, see pixels.py
    first_shares: np.ndarray  # (lights * rows * width,) float32: of each light, skies first, then suns, then keys
    shares: np.ndarray  # the same of suns and keys, once they are refined
    # (lights * rows * width * 3,) float32: what clear surfaces let through of each light; empty if there are none.
    first_tints: np.ndarray
    tints: np.ndarray  # the same, once they are refined
    are_tinted: np.ndarray  # (lights,) int32: 1 if they hold anything back
    lookup: Lookup  # of what another picture has found, or is to find
    thrown: Lookup  # of what surfaces throw on each other, see bounce.py


class Band(NamedTuple):
    """A run of the picture's rows, and where its samples lie: row * stride + column * S + sample, S for each pixel."""

    top: int
    rows: int
    width: int
    stride: int
    offsets: np.ndarray  # (S, 2) int32: places within a pixel, 0..255
    place_x: np.ndarray  # (S,) float32: the same in pixels
    place_y: np.ndarray
    near: np.float32
