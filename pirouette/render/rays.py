"""What rays to lights meet: the surfaces of a picture that throw shadows, as the library behind them sees them."""

from collections.abc import Iterator

import numpy as np

from ..data import Problem, ProblemError
from ..data.key import content_key
from ..data.picture import TINT_OPACITY, Picture
from ..evaluate import Memo
from ..kernels.compile import frozen
from ..kernels.embree import (
    CHANCES,
    COPY_BYTES,
    EVERY,
    TRIANGLE_BYTES,
    Body,
    World,
    asked_if_blocked,
    asked_what_is_met,
)
from ..kernels.render.shares import POINT_SIZE, SCOUTS
from ..kernels.render.tables import Bodies, Places, Rays
from ..kinds.looks.surface import is_waxy, lets_through
from .stage import Part, clusters_of, shinings, surface_parts

# What trees may take in all; past it a scene is refused.
MOST_BYTES = 2 * 1024**3
# So many rays go to a sky from each pixel, and so many to other lights where the first do not agree; of each picture,
# if many are added up, the share that comes to it, but as many as these at least.
DOME, MANY = 4, 16
LEAST_DOME, LEAST = 1, 2
GOLDEN = (3 - 5**0.5) / 2
# A copy is flat if it holds so little of the cube of its size; so thick it is made.
FLAT, THICK = 1e-7, 1e-4

_kept = Memo(256 * 1024 * 1024)
_NONE = frozen(np.zeros(0), np.int32)
NO_BODIES = Bodies(_NONE, _NONE, _NONE, _NONE)
_NOWHERE = Places(*(frozen(np.zeros((0, POINT_SIZE))),) * 5)
NO_RAYS = Rays(0, frozen(_NONE, np.int64), 0, 0, 0, _NOWHERE, False, 0, 0, NO_BODIES, False, False)


def rays_of(picture: Picture, turn: int = 0, of: int = 1) -> tuple[Rays, tuple[World, ...]]:
    """Return what kernels need to ask whether light is blocked in a picture, and what must be kept meanwhile.

    turn    the number of the picture among those that are added up: each asks in other places of its lights
    of      how many these are
    Raises  ProblemError if what throws shadows would take too much memory
    """
    parts = surface_parts(picture, False)
    throwing = [part for part in parts if part.look.settings.throws]
    are_waxy = bool(picture.lights) and any(is_waxy(part.look.settings) for part in parts)
    is_asked = any(light.settings.shadows for light in picture.lights)
    is_taken = any(part.look.settings.takes for part in parts)
    if not are_waxy and not (is_asked and throwing and is_taken):
        return NO_RAYS, ()
    check_size(throwing, "shadows", "throws")
    # What is clear or waxy does not block light: that is tinted, see kernels/render/through.py.
    is_through = [part in throwing and lets_through(part.look.settings) for part in parts]
    blocking = [part for part, through in zip(parts, is_through, strict=True) if part in throwing and not through]
    worlds = tuple(
        world_of([part for part in blocking if part.drawable.figure_id in shining]) for shining in shinings(picture)
    )
    scenes = frozen([world.address for world in worlds], np.int64)
    dome, many = (max(LEAST_DOME, DOME // of), max(LEAST, MANY // of)) if of > 1 else (DOME, MANY)
    places = Places(
        scout_points(turn), disc_points(turn, SCOUTS * dome), disc_points(turn, 4 * many),
        disc_points(turn, SCOUTS * LEAST), first_points(turn, many),
    )  # fmt: skip
    rays = Rays(
        asked_if_blocked(), scenes, dome, LEAST, many, places, True, asked_what_is_met(), 0, NO_BODIES, any(is_through),
        are_waxy,
    )  # fmt: skip
    if not rays.are_clear:
        return rays, worlds
    clear = world_of([part for part, through in zip(parts, is_through, strict=True) if through])
    rays = rays._replace(clear_scene=clear.address, clear_bodies=bodies_of(parts, is_through))
    return rays, (*worlds, clear)


def bodies_of(parts: list[Part], are_met) -> Bodies:
    """Return whose the surfaces of the world of some of a picture's parts are; are_met: (P,) whether each is in it."""
    starts = np.cumsum([0, *(len(part.drawable.matrices) for part in parts)])
    numbers = np.flatnonzero(are_met)
    copies = [starts[numbers[number]] + kept for number, _, kept in groups([parts[number] for number in numbers])]
    clusters = [clusters_of(part.drawable.mesh.topology) for part in parts]
    return Bodies(
        frozen(np.cumsum([0, *map(len, copies)]), np.int32),
        frozen(np.concatenate(copies) if copies else _NONE, np.int32),
        frozen(np.cumsum([0, *(len(one.triangles) for one in clusters)])[:-1], np.int32),
        frozen(np.cumsum([0, *(one.count for one in clusters)]), np.int32),
    )


def disc_points(turn: int, count: int) -> np.ndarray:
    """Return (N, POINT_SIZE) float32 places spread over a disc that rays go to, others in each turn.

    Source  H. Vogel, "A better way to construct the sunflower head", Mathematical Biosciences 44 (1979)
    """
    number, begin = np.arange(count), turn * GOLDEN % 1
    across, around = (number + begin) / count if turn else (number + 0.5) / count, number * GOLDEN + begin
    return _placed(across, around, (number * 0.7548776662466927 + begin) % 1)


def first_points(turn: int, count: int) -> np.ndarray:
    """Return the same, of which any number of the first are spread over the disc, and over their chances.

    Source  M. Roberts, "The unreasonable effectiveness of quasirandom sequences" (2018): powers of the root of
            x⁴ = x + 1
    """
    # The ways that two next to each other differ most in come first.
    steps = 1.2207440846057596 ** -np.arange(3.0, 0, -1)
    return _placed(*((np.arange(count)[:, None] + 0.5 + turn * count) * steps % 1).T)


def scout_points(turn: int) -> np.ndarray:
    """Return the same of SCOUTS places at which most of a light's edge is seen."""
    # Scouts only tell whether a light is seen wholly, in part or not at all, so most of them look for its edge.
    scout = np.arange(SCOUTS)
    is_inner = scout % 4 == 3
    at_edge = np.argsort(np.argsort(scout * 5 % SCOUTS + SCOUTS * is_inner)) / (SCOUTS * 3 / 4)
    return _placed(np.where(is_inner, 0.2, 0.94), at_edge + turn * GOLDEN % 1, (scout * 7 % SCOUTS + 0.5) / SCOUTS)


def _placed(across, around, chance) -> np.ndarray:
    """Places on a disc by the share of it that lies further in, how far around they are, 0..1, and a chance."""
    radius, angle = np.sqrt(across), 2 * np.pi * around
    return frozen(np.stack([radius * np.cos(angle), radius * np.sin(angle), np.sqrt(1 - across), chance], axis=1))


def check_size(parts, what: str, switch: str) -> None:
    """Raise ProblemError if trees of rays for what parts are asked for would take too much memory.

    switch  the setting of a surface that asks for it
    """
    meshes = {id(part.drawable.mesh): part.drawable.mesh for part in parts}
    triangles = sum(len(mesh.topology.triangles) for mesh in meshes.values())
    copies = sum(len(part.drawable.matrices) for part in parts)
    needed = triangles * TRIANGLE_BYTES + copies * COPY_BYTES
    if needed > MOST_BYTES:
        text = (
            f"{what} of {triangles:,} triangles at {copies:,} places take {needed / 1e9:.1f} GB; "
            f"allowed {MOST_BYTES / 1e9:.1f} GB: switch off *{switch}* on the surface of the largest figures"
        )
        raise ProblemError(Problem("limit", text, "lights"))


def world_of(parts: list[Part]) -> World:
    """Return what rays meet of parts, kept for the next frame that shows the same."""
    named = [(part.drawable.mesh.key, part.drawable.places_key, _stopped(part), _opacities(part)) for part in parts]
    key = content_key("world", named) if all(part.drawable.mesh.key for part in parts) else None

    def make():
        return World(
            (*_body(parts[number], step), _turned_back(parts[number].drawable.matrices[copies]))
            for number, step, copies in groups(parts)
        )

    return _kept.get(key, make) if key else make()


def groups(parts: list[Part]) -> Iterator[tuple[int, int, np.ndarray]]:
    """Yield copies that stand together in the world of parts: their part's number, how much they stop, and theirs."""
    for number, part in enumerate(parts):
        stopped = _stopped(part)
        for step in np.unique(stopped[stopped > 0]):
            yield number, int(step), np.flatnonzero(stopped == step)


def _turned_back(matrices) -> np.ndarray:
    """Return (K, 3, 4) ways to the world that lead back, too: what is flat is a ten-thousandth as thick as it is wide.

    Rays are carried back into a copy's own space, so what has no thickness at all would not be met.
    """
    turns = matrices[:, :, :3].astype(np.float64)
    size = np.linalg.norm(turns, axis=(1, 2))
    is_flat = np.abs(np.linalg.det(turns)) < FLAT * size**3
    if not is_flat.any():
        return matrices
    left, sizes, right = np.linalg.svd(turns[is_flat])
    thick = np.maximum(sizes, THICK * sizes[:, :1])
    solid = np.array(matrices, np.float32)
    solid[is_flat, :, :3] = (left * thick[:, None]) @ right
    return solid


def _body(part, step: int) -> tuple[Body, int]:
    """What rays meet of a part's copies that stop so many of CHANCES rays, and the bits that they must have one of."""
    mesh, opacities = part.drawable.mesh, _opacities(part)
    if opacities is None:
        return _known(f"body {mesh.key}", mesh, None), (1 << step) - 1
    opacities = opacities * np.float32(step / CHANCES)
    return _known(content_key("open body", mesh.key, opacities), mesh, opacities), EVERY


def _known(key, mesh, opacities) -> Body:
    def make():
        # In the order of the clusters, so that a triangle's number is the one that the renderer knows it by.
        return Body(mesh.points, clusters_of(mesh.topology).triangles, opacities)

    return _kept.get(key, make) if mesh.key else make()


def _stopped(part: Part) -> np.ndarray:
    """How many of CHANCES rays each copy stops, where its points do not let any through: (K,) int64.

    What adds its light alone stops all that meet it, to be told.
    """
    tints, count = part.look.tints, len(part.drawable.matrices)
    if part.is_additive:
        return np.full(count, CHANCES)
    opacity = np.ones(count) if tints is None else tints[:, TINT_OPACITY].astype(np.float64)
    return np.clip(np.round(opacity * CHANCES), 0, CHANCES).astype(np.int64)


def _opacities(part: Part) -> np.ndarray | None:
    """How opaque a part's points are: (V,) float32, or None where all are wholly."""
    tints = part.look.point_tints
    if part.is_additive or tints is None or not (tints[:, TINT_OPACITY] < 1).any():
        return None
    return np.clip(tints[:, TINT_OPACITY], 0, 1)
