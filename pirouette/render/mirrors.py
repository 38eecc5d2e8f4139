"""What mirrors see: all opaque and half-transparent surfaces of a picture, as rays meet them."""

import numpy as np

from ..data.picture import Picture
from ..kernels.compile import frozen
from ..kernels.embree import World, asked_what_is_met
from ..kernels.render.mirror import DULL
from ..kernels.render.shares import POINT_SIZE, SCOUTS
from ..kernels.render.tables import Mirrors
from .rays import GOLDEN, check_size, disc_points, groups, world_of
from .stage import Part, clusters_of, surface_parts

# So many rays go out from a pixel of a mirror; of each picture, if many are added up, the share that comes to it.
COUNT = 8
_NONE = frozen(np.zeros(0), np.int32)
NO_MIRRORS = Mirrors(
    0, 0, _NONE, _NONE, _NONE, _NONE, 0, frozen(np.zeros((0, POINT_SIZE))), frozen(np.zeros((0, 2))), False
)


def is_mirror(part: Part) -> bool:
    """Whether anything is mirrored in a part by rays."""
    settings = part.look.settings
    return settings.mirrors and settings.roughness < DULL


def _lattice(count: int) -> np.ndarray:
    """Return (N, 2) places in a square of side 1, even along both sides and over it."""
    number = np.arange(count)
    return np.stack([(number + 0.5) / count, number * GOLDEN % 1], axis=1)


def mirrors_of(picture: Picture, turn: int = 0, of: int = 1) -> tuple[Mirrors, tuple[World, ...]]:
    """Return what kernels need to ask what is mirrored in a picture, and what must be kept meanwhile.

    turn, of  see rays_of
    Raises    ProblemError if the surfaces would take too much memory
    """
    parts = surface_parts(picture, False)
    if not any(is_mirror(part) for part in parts):
        return NO_MIRRORS, ()
    check_size(parts, "reflections", "mirrors")
    world = world_of(parts)
    starts = np.cumsum([0, *(len(part.drawable.matrices) for part in parts)])
    copies = [starts[number] + kept for number, _, kept in groups(parts)]
    clusters = [clusters_of(part.drawable.mesh.topology) for part in parts]
    count = max(1, COUNT // of)
    places = _lattice(count * of)[turn::of]
    mirrors = Mirrors(
        asked_what_is_met(),
        world.address,
        frozen(np.cumsum([0, *map(len, copies)]), np.int32),
        frozen(np.concatenate(copies) if copies else _NONE, np.int32),
        frozen(np.cumsum([0, *(len(one.triangles) for one in clusters)])[:-1], np.int32),
        frozen(np.cumsum([0, *(one.count for one in clusters)]), np.int32),
        count,
        frozen(disc_points(turn, SCOUTS * COUNT)[SCOUTS:]),
        frozen(np.concatenate([places, _lattice(SCOUTS)])),
        True,
    )
    return mirrors, (world,)
