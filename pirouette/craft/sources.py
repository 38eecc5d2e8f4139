"""What repeats have in common: how the copies that they are given fill the places that they make."""

import numpy as np

from ..data import Copies, Mesh, Problem, ProblemError
from ..geometry.join import expanded
from ..schema.setting import choice, integer, reference
from ..schema.settings import Settings
from ..values.functions import chances

TAKES = ("all together", "in turn", "at random", "by a field", "blended")


class RepeatSettings(Settings):
    """Which of several sources stands at which place."""

    take: str = choice("all together", TAKES)
    """Where the routine has made several copies so far: put all of them at each place, or one of them."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another choice at random."""
    source_field: str = reference("fields")
    """The field whose weight chooses among the sources, from the first to the last."""


def at_places(shape, settings, links, position, rotation=None, cells=None) -> Copies:
    """Return copies of a shape at (N, 3) places, its own copies taken as the settings say."""
    count = len(position)
    if settings.take == "all together" or isinstance(shape, Mesh) or not shape.count or not count:
        return Copies.at(shape, position, rotation, cells)
    pieces = [_piece(shape, number) for number in range(shape.count)]
    if settings.take == "blended":
        return Copies.at(_blended(shape, pieces, count), position, rotation, cells, np.arange(count))
    if settings.take == "in turn":
        which = np.arange(count) % len(pieces)
    elif settings.take == "at random":
        which = (chances(count, settings.seed) * len(pieces)).astype(int)
    elif "source_field" in links:
        weights = links["source_field"].weigh(np.asarray(position, np.float32))
        which = np.minimum((weights * len(pieces)).astype(int), len(pieces) - 1)
    else:
        which = np.zeros(count, int)
    return Copies.at(pieces, position, rotation, cells, which)


def _piece(shape: Copies, number: int):
    """One copy without its place: turned, sized, coloured, faded and delayed as it is."""
    source = shape.sources[shape.which[number]]
    alone = shape.picked([number]).moved(
        sources=(source,), which=np.zeros(1, np.int32), position=np.zeros((1, 3), np.float32)
    )
    plain = (
        np.array_equal(alone.rotation[0], (0, 0, 0, 1))
        and all((array == 1).all() for array in (alone.scale, alone.colours, alone.opacity))
        and not alone.delay.any()
    )
    return source if plain else alone


def _blended(shape: Copies, pieces, count) -> list:
    """Meshes between the sources, from the first at the first place to the last at the last."""
    meshes = [piece if isinstance(piece, Mesh) else expanded(piece) for piece in pieces]
    first = meshes[0]
    for number, mesh in enumerate(meshes):
        if len(mesh.points) != len(first.points):
            raise ProblemError(
                Problem(
                    "take",
                    f"blending needs sources with equally many points; the first has {len(first.points):,}, "
                    f"number {number + 1} has {len(mesh.points):,}",
                    "repeat.blend",
                )
            )
    if count * len(first.points) > 4_000_000:
        raise ProblemError(
            Problem(
                "take", f"blending would make {count * len(first.points):,} points; allowed 4,000,000", "size.limit"
            )
        )
    blended = []
    for place in np.arange(count) / max(count - 1, 1) * (len(meshes) - 1):
        left = min(int(place), max(len(meshes) - 2, 0))
        share = np.float32(place - left)
        right = meshes[min(left + 1, len(meshes) - 1)]
        blended.append(meshes[left].with_points(meshes[left].points * (1 - share) + right.points * share))
    return blended
