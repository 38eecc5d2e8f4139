"""What mirrors see, and what is seen through clear surfaces: all that cover what is behind, as rays meet them."""

import numpy as np

from ..data.picture import Picture
from ..kernels.compile import frozen
from ..kernels.embree import asked_what_is_met
from ..kernels.render.paths import DULL
from ..kernels.render.shares import POINT_SIZE, SCOUTS
from ..kernels.render.tables import Mirrors
from ..kinds.looks.surface import is_clear
from .rays import GOLDEN, NO_BODIES, bodies_of, check_size, disc_points, world_of
from .stage import Part, surface_parts
from .strands import NO_STRANDS, strands_of

# So many rays go out from a pixel of a mirror; of each picture, if many are added up, the share that comes to it.
COUNT = 8
# Of many pictures that are added up, at least in so many rays go out from each pixel.
LEAST_TURNS = 16
NO_MIRRORS = Mirrors(
    0, 0, NO_BODIES, 0, 1, 0, 1, frozen(np.zeros((0, POINT_SIZE))), frozen(np.zeros((0, 2))), frozen(np.eye(3)),
    frozen(np.zeros((0, 4))), False, False, NO_STRANDS,
)  # fmt: skip


def is_mirror(part: Part) -> bool:
    """Whether anything is mirrored in a part by rays."""
    settings = part.look.settings
    return settings.mirrors and settings.roughness < DULL


def added_parts(picture: Picture) -> list[Part]:
    """Return what adds its light to what is behind it and is seen by rays, after all that covers; if any are sent."""
    if not _are_sent(picture):
        return []
    return [part for part in surface_parts(picture, True) if part.look.settings.mirrored]


def _are_sent(picture):
    parts = surface_parts(picture, False)
    return picture.background.bounce > 0 or any(is_clear(part.look.settings) or is_mirror(part) for part in parts)


def _lattice(count: int) -> np.ndarray:
    """Return (N, 2) places in a square of side 1, even along both sides and over it."""
    number = np.arange(count)
    return np.stack([(number + 0.5) / count, number * GOLDEN % 1], axis=1)


def mirrors_of(
    picture: Picture, rays: np.ndarray, background: np.ndarray, size: tuple[int, int], turn: int = 0, of: int = 1
) -> tuple[Mirrors, tuple]:
    """Return what kernels need to ask what is mirrored in a picture, and what must be kept meanwhile.

    rays        (3, 3) from places on the screen to rays, see View.ray_matrix
    background  see background_rows
    size        width and height of the whole picture
    turn, of    see rays_of
    Raises      ProblemError if the surfaces would take too much memory
    """
    if not _are_sent(picture):
        return NO_MIRRORS, ()
    added = added_parts(picture)
    parts = surface_parts(picture, False) + added
    if any(is_clear(part.look.settings) for part in parts):
        check_size(parts, "what is seen through clear surfaces", "clear")
    else:
        check_size(parts, "reflections", "mirrors")
    world = world_of(parts)
    strands, kept = strands_of(picture, *size)
    count = max(1, COUNT // of)
    places = _lattice(count * of)[turn::of]
    mirrors = Mirrors(
        asked_what_is_met(),
        world.address,
        bodies_of(parts, np.ones(len(parts), bool)),
        count,
        max(1, of // LEAST_TURNS),
        turn,
        of,
        disc_points(turn, SCOUTS * count),
        frozen(np.concatenate([places, _lattice(SCOUTS)])),
        frozen(np.linalg.inv(rays.astype(np.float64))),
        background if len(background) and background[0, 3] > 0 else background[:0],
        True,
        len(added) > 0,
        strands,
    )
    return mirrors, (world, *kept)
