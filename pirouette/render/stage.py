"""Packs a picture list into the flat arrays that the renderer's kernels read."""

from dataclasses import dataclass

import numpy as np

from ..data.light import LIGHT_OF_BYTE
from ..data.picture import TINT_OPACITY, TINT_SIZE, Picture
from ..data.texture import BEYOND
from ..evaluate import Memo
from ..kernels import face, texture
from ..kernels.bins import prepare_instances
from ..kernels.cluster import Clusters, pick_rows
from ..kernels.compile import frozen
from ..kernels.packed import Surfaces
from ..kernels.threads import in_slices

MAX_SAMPLES = 64

# What a mesh or its topology is to the kernels, kept for the next frames that show it again.
_kept = Memo(128 * 1024 * 1024)


def _keep(name, key, make):
    return _kept.get(f"{name} {key}", make) if key else make()


def clusters_of(topology) -> Clusters:
    """Return the clusters of a topology, remembered under its key."""
    return _keep("clusters", topology.key, lambda: Clusters(topology.triangles, topology.point_count))


def _members(mesh, clusters) -> tuple[np.ndarray, ...]:
    """The points of a mesh, cluster after cluster, as one row and as columns, and the clusters' balls and cones."""

    def make():
        points = pick_rows(mesh.points, clusters.members)
        return (points.reshape(-1), *(frozen(column) for column in points.T), *clusters.enclose(mesh.points))

    return _keep("members", mesh.key, make)


def _normals(part, clusters, points) -> np.ndarray:
    """The normals of the members; flat faces never read theirs, so their points stand in."""
    mesh = part.drawable.mesh
    if is_flat(part.look, mesh):
        return points
    return _keep("normals", mesh.key, lambda: pick_rows(mesh.normals, clusters.members).reshape(-1))


def together(arrays, dtype, shape=()) -> np.ndarray:
    """Join arrays into one frozen array without copying where there is only one."""
    arrays = list(arrays)
    if not arrays:
        return frozen(np.zeros((0, *shape)), dtype)
    return frozen(arrays[0] if len(arrays) == 1 else np.concatenate(arrays), dtype)


@dataclass(frozen=True)
class Sample:
    """Where the samples lie within a pixel: (S, 2) int32 in 1/256, those nearest to its middle first.

    What a triangle shows in a pixel is lit at the first of them that it covers.
    """

    offsets: np.ndarray

    @classmethod
    def pattern(cls, count: int) -> "Sample":
        """Spread samples evenly, the first at the middle when there is only one; raises ValueError beyond 1 to 64."""
        if not 1 <= count <= MAX_SAMPLES:
            raise ValueError(f"samples is {count}; allowed 1 to {MAX_SAMPLES}")
        return cls.of(cls.spread(count)) if count > 1 else cls(frozen([[128, 128]], np.int32))

    @classmethod
    def of(cls, offsets) -> "Sample":
        """Order (S, 2) places within a pixel."""
        return cls(frozen(offsets[np.argsort(np.hypot(*(offsets - 128).T), kind="stable")], np.int32))

    @staticmethod
    def spread(count: int) -> np.ndarray:
        """Return (N, 2) places within a pixel, in 1/256: the R2 sequence, even at any length."""
        golden = 1.32471795724474602596
        steps = np.arange(1, count + 1)[:, None] * np.array([1 / golden, 1 / golden**2]) + 0.5
        return np.floor((steps % 1.0) * 256)


@dataclass(frozen=True, eq=False)
class Part:
    """One drawable's surface with one material."""

    drawable: object
    look: object
    is_additive: bool


def pack(parts: list[Part], screen_from_world: np.ndarray) -> Surfaces:
    """Pack all surfaces of one blend: instances, clusters and materials in flat arrays."""
    drawables = [part.drawable for part in parts]
    meshes = [drawable.mesh for drawable in drawables]
    clusters = [clusters_of(mesh.topology) for mesh in meshes]
    counts = [len(drawable.matrices) for drawable in drawables]
    cluster_counts = [one.count for one in clusters]
    cluster_starts = np.cumsum([0, *cluster_counts])
    instance_starts = np.cumsum([0, *counts])
    members = list(zip(parts, clusters, strict=True))

    told = [_members(mesh, one) for mesh, one in zip(meshes, clusters, strict=True)]
    px, py, pz, balls, cones = (
        together((arrays[k] for arrays in told), np.float32, shape)
        for k, shape in enumerate(((), (), (), (4,), (4,)), start=1)
    )
    normals = together(
        (_normals(part, one, own[0]) for (part, one), own in zip(members, told, strict=True)), np.float32
    )
    # One row stands for all points where no part has tints of its own.
    point_tints = frozen(np.ones((1, TINT_SIZE)))
    if any(part.look.point_tints is not None for part in parts):
        point_tints = together((_point_tints(part)[one.members] for part, one in members), np.float32, (TINT_SIZE,))
    local = [one.local for one in clusters] or [np.zeros((3, 0))]

    world = together((drawable.matrices for drawable in drawables), np.float32, (3, 4))
    tints = together(
        (
            np.ones((count, TINT_SIZE), np.float32) if part.look.tints is None else part.look.tints
            for part, count in zip(parts, counts, strict=True)
        ),
        np.float32,
        (TINT_SIZE,),
    )
    opens = _opens(parts, counts, tints)
    screen = np.empty((len(world), 3, 4), np.float32)
    cofactors = np.empty((len(world), 3, 3), np.float32)
    matrix = frozen(screen_from_world)
    in_slices(lambda a, b: prepare_instances(world, matrix, screen, cofactors, a, b), len(world))
    paints, sizes, uvs, texels, levels, first_levels = _painting(members)
    return Surfaces(
        pair_instance=together(
            (
                np.repeat(np.arange(instance_starts[i], instance_starts[i + 1]), cluster_counts[i])
                for i in range(len(parts))
            ),
            np.int32,
        ),
        pair_cluster=together(
            (np.tile(np.arange(cluster_starts[i], cluster_starts[i + 1]), counts[i]) for i in range(len(parts))),
            np.int32,
        ),
        world=world,
        screen=frozen(screen),
        cofactors=frozen(cofactors),
        tints=tints,
        opens=opens,
        culls=_culls(parts, counts, opens, world, cofactors),
        part_of=frozen(np.repeat(np.arange(len(parts)), counts), np.int32),
        balls=balls,
        cones=cones,
        member_offsets=_offsets(one.member_offsets for one in clusters),
        triangle_offsets=_offsets(one.triangle_offsets for one in clusters),
        local=frozen(np.concatenate(local, axis=1) if len(local) > 1 else local[0], np.uint8),
        px=px,
        py=py,
        pz=pz,
        normals=normals,
        point_tints=point_tints,
        materials=frozen(
            np.stack([material_row(part) for part in parts]) if parts else np.zeros((0, face.MATERIAL_SIZE))
        ),
        paints=paints,
        sizes=sizes,
        uvs=uvs,
        texels=texels,
        light_of=LIGHT_OF_BYTE,
        levels=levels,
        first_levels=first_levels,
    )


def _opens(parts, counts, tints):
    by_point = [
        part.look.point_tints is not None and bool((part.look.point_tints[:, TINT_OPACITY] < 1).any()) for part in parts
    ]
    opens = np.where(np.repeat(np.array(by_point, bool), counts), 2, tints[:, TINT_OPACITY] < 1)
    return frozen(opens, np.uint8)


def _offsets(lists):
    joined, shift = [np.zeros(1, np.int64)], 0
    for offsets in lists:
        joined.append(offsets[1:].astype(np.int64) + shift)
        shift += int(offsets[-1])
    return frozen(np.concatenate(joined), np.int32)


def _culls(parts, counts, opens, world, cofactors):
    # What adds light, or can be seen through, shows its far side too.
    hides = [part.drawable.mesh.topology.is_closed and not part.is_additive for part in parts]
    closed = (np.repeat(np.array(hides, bool), counts) & (opens == 0)).astype(np.int32)
    determinant = np.einsum("kc,kc->k", world[:, 0, :3], cofactors[:, 0])
    return frozen(closed * np.where(determinant < 0, -1, 1), np.int32)


def _painting(members) -> tuple[np.ndarray, ...]:
    """What kernels read of the pictures on surfaces: paints, sizes, uvs, texels, levels and first levels."""
    parts = [part for part, _ in members]
    painted = [part.look.paint for part in parts if part.look.paint is not None]
    textures = list({paint.texture.key: paint.texture for paint in painted}.values())
    number = {one.key: index for index, one in enumerate(textures)}
    all_levels = [level for one in textures for level in one.levels]
    starts = np.cumsum([0, *(level.shape[0] * level.shape[1] for level in all_levels)])
    levels = [(level.shape[1], level.shape[0], start) for level, start in zip(all_levels, starts, strict=False)]
    first_levels = np.cumsum([0, *(len(one.levels) for one in textures)])
    rows = np.zeros((len(parts) if painted else 0, texture.PAINT_SIZE), np.float32)
    sizes = np.ones((len(rows), 2), np.int64)
    uvs = []
    for row, size, (part, one) in zip(rows, sizes, members, strict=False):
        paint, topology = part.look.paint, part.drawable.mesh.topology
        if paint is None:
            uvs.append(np.zeros((len(topology.triangles), 6), np.float32))
            continue
        row[texture.TEXTURE] = number[paint.texture.key]
        row[texture.PLACE : texture.PLACE + 6] = paint.matrix.ravel()
        row[texture.BEYOND] = BEYOND.index(paint.beyond)
        row[texture.ON_COLOUR] = "colour" in part.look.settings.painted
        row[texture.ON_GLOW] = "glow" in part.look.settings.painted
        size[:] = levels[first_levels[number[paint.texture.key]]][:2]
        uvs.append(paint.uvs[topology.triangle_corners[one.order]].reshape(-1, 6))
    return (
        frozen(rows),
        frozen(sizes, np.int64),
        together(uvs, np.float32, (6,)),
        together((level.reshape(-1, 4) for level in all_levels), np.uint8, (4,)),
        frozen(np.array(levels).reshape(-1, 3), np.int64),
        frozen(first_levels, np.int64),
    )


def _point_tints(part) -> np.ndarray:
    tints = part.look.point_tints
    return np.ones((len(part.drawable.mesh.points), TINT_SIZE), np.float32) if tints is None else tints


def is_flat(look, mesh) -> bool:
    return mesh.is_flat if look.settings.shading == "as the form" else look.settings.shading == "flat"


def material_row(part: Part) -> np.ndarray:
    settings = part.look.settings
    row = np.zeros(face.MATERIAL_SIZE, np.float32)
    row[face.COLOUR : face.COLOUR + 3] = settings.colour
    row[face.GLOW : face.GLOW + 3] = np.asarray(settings.glow_colour) * settings.glow
    row[face.ROUGHNESS] = settings.roughness
    row[face.METAL] = settings.metal
    row[face.FLAT] = is_flat(part.look, part.drawable.mesh)
    row[face.HAS_TINTS] = part.look.point_tints is not None
    row[face.BRIGHTNESS] = settings.brightness
    row[face.HAS_PAINT] = part.look.paint is not None
    return row


def surface_parts(picture: Picture, is_additive: bool) -> list[Part]:
    """Return the surfaces of one blend, in the order of the figures and their looks."""
    blend = "additive" if is_additive else "normal"
    return [
        Part(drawable, look, is_additive)
        for drawable in picture.drawables
        for look in drawable.looks
        if look.kind == "surface" and look.settings.blend == blend and len(drawable.mesh.points)
    ]


def light_rows(picture: Picture) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return suns (n, 6): direction, colour; keys (n, 8): position, colour, width, reach; and the sky (3, 3)."""
    suns, keys, sky = [], [], np.zeros((3, 3))
    for light in picture.lights:
        s = light.settings
        if light.kind == "sun":
            around, above = np.radians(s.around), np.radians(s.above)
            direction = [np.sin(around) * np.cos(above), np.sin(above), np.cos(around) * np.cos(above)]
            suns.append([*direction, *(np.asarray(s.colour) * s.brightness)])
        elif light.kind == "key":
            keys.append([*s.position, *(np.asarray(s.colour) * s.brightness), s.width, s.reach])
        else:
            sky += np.stack([s.top, s.horizon, s.ground]) * s.brightness
    return (
        frozen(np.array(suns).reshape(-1, 6)),
        frozen(np.array(keys).reshape(-1, 8)),
        frozen(sky),
    )
