"""A picture list as the flat arrays that the renderer's kernels read."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..craft import sun_way
from ..data import Chosen, Problem, ProblemError
from ..data.panorama import around_of
from ..data.picture import TINT_OPACITY, TINT_SIZE, DrawnLook, Picture
from ..evaluate import Memo
from ..kernels.compile import frozen
from ..kernels.render import clear, face
from ..kernels.render.around import NO_AROUND
from ..kernels.render.bins import prepare_instances
from ..kernels.render.cluster import Clusters, pick_rows
from ..kernels.render.shares import MIRRORS, MOST_SHININGS, TAKES_NONE
from ..kernels.render.tables import KEY_SIZE, SKY_SIZE, SUN_SIZE, Surfaces
from ..kernels.threads import in_slices
from ..kinds.looks.surface import BENEATH, SurfaceSettings, is_clear, is_waxy
from .painting import painting, together

# What a mesh or its topology is to the kernels, kept for the next frames that show it again.
_kept = Memo(128 * 1024 * 1024)


def _keep(name, key, make):
    return _kept.get(f"{name} {key}", make) if key else make()


def clusters_of(topology, is_quick=False) -> Clusters:
    """Return the clusters of a topology, remembered under its key."""
    name = "quick clusters" if is_quick else "clusters"
    return _keep(name, topology.key, lambda: Clusters(topology.triangles, topology.point_count, is_quick))


def _members(mesh, clusters, is_quick) -> tuple[np.ndarray, ...]:
    """The points of a mesh, cluster after cluster, as one row and as columns, and the clusters' balls and cones."""

    def make():
        points = pick_rows(mesh.points, clusters.members)
        return (points.reshape(-1), *(frozen(column) for column in points.T), *clusters.enclose(mesh.points))

    return _keep("quick members" if is_quick else "members", mesh.key, make)


def _normals(part, clusters, points, is_quick) -> np.ndarray:
    """The normals of the members; flat faces never read theirs, so their points stand in."""
    mesh = part.drawable.mesh
    if is_flat(part.look, mesh):
        return points
    name = "quick normals" if is_quick else "normals"
    return _keep(name, mesh.key, lambda: pick_rows(mesh.normals, clusters.members).reshape(-1))


# How a figure is drawn that is only asked where it is.
PLAIN = DrawnLook("surface", SurfaceSettings().resolve())
# An index with which as much is mirrored as everywhere; of a tint, what is darker counts as this.
USUAL_INDEX, DARKEST = 1.5, 1e-4


@dataclass(frozen=True, eq=False)
class Part:
    """One drawable's surface with one material."""

    drawable: object
    look: object
    is_additive: bool


def surfaces_of(
    parts: list[Part], screen_from_world: np.ndarray, sets: Sequence[Chosen] = (), is_quick: bool = False
) -> Surfaces:
    """Return all surfaces of one blend: instances, clusters, points and materials as flat arrays.

    sets      the different sets of figures that lights shine on; none for what needs no light
    is_quick  in clusters that are soon cut
    """
    clusters = [clusters_of(part.drawable.mesh.topology, is_quick) for part in parts]
    members = list(zip(parts, clusters, strict=True))
    counts = [len(part.drawable.matrices) for part in parts]
    return Surfaces(
        **_pairs(counts, [cluster.count for cluster in clusters]),
        **_instances(parts, counts, screen_from_world),
        **_points(members, is_quick),
        **painting(members),
        member_offsets=_offsets(cluster.member_offsets for cluster in clusters),
        triangle_offsets=_offsets(cluster.triangle_offsets for cluster in clusters),
        local=frozen(
            np.concatenate([np.zeros((3, 0), np.uint8), *(cluster.local for cluster in clusters)], axis=1), np.uint8
        ),
        materials=frozen(
            np.stack([material_row(part, sets) for part in parts]) if parts else np.zeros((0, face.MATERIAL_SIZE))
        ),
        clears=frozen(clear_rows(parts)),
    )


def _pairs(counts, cluster_counts) -> dict[str, np.ndarray]:
    """Every instance of a part with every cluster of its mesh, instances slowest."""
    instance_starts, cluster_starts = np.cumsum([0, *counts]), np.cumsum([0, *cluster_counts])
    instances, clusters = [], []
    for part, (count, cluster_count) in enumerate(zip(counts, cluster_counts, strict=True)):
        first, cluster = instance_starts[part], cluster_starts[part]
        instances.append(np.repeat(np.arange(first, first + count), cluster_count))
        clusters.append(np.tile(np.arange(cluster, cluster + cluster_count), count))
    return {"pair_instance": together(instances, np.int32), "pair_cluster": together(clusters, np.int32)}


def _instances(parts, counts, screen_from_world) -> dict[str, np.ndarray]:
    """Where the instances stand, and what each is multiplied with."""
    world = together((part.drawable.matrices for part in parts), np.float32, (3, 4))
    tints = together(
        (
            np.ones((count, TINT_SIZE), np.float32) if part.look.tints is None else part.look.tints
            for part, count in zip(parts, counts, strict=True)
        ),
        np.float32,
        (TINT_SIZE,),
    )
    screen, cofactors = on_screen(world, screen_from_world)
    opens = _opens(parts, counts, tints)
    return {
        "world": world,
        "screen": screen,
        "cofactors": cofactors,
        "tints": tints,
        "opens": opens,
        "culls": _culls(parts, counts, opens, world, cofactors),
        "part_of": frozen(np.repeat(np.arange(len(parts)), counts), np.int32),
    }


def on_screen(world, screen_from_world) -> tuple[np.ndarray, np.ndarray]:
    """Return (K, 3, 4) float32 ways from (K, 3, 4) instances to the screen, and (K, 3, 3) that turn their normals."""
    screen = np.empty((len(world), 3, 4), np.float32)
    cofactors = np.empty((len(world), 3, 3), np.float32)
    matrix = frozen(screen_from_world)
    in_slices(lambda a, b: prepare_instances(world, matrix, screen, cofactors, a, b), len(world))
    return frozen(screen), frozen(cofactors)


def _points(members, is_quick) -> dict[str, np.ndarray]:
    """The points of all clusters, one after the other, and the clusters' balls and cones."""
    rows = [_members(part.drawable.mesh, clusters, is_quick) for part, clusters in members]
    px, py, pz, balls, cones = (
        together((arrays[k] for arrays in rows), np.float32, shape)
        for k, shape in enumerate(((), (), (), (4,), (4,)), start=1)
    )
    # One row stands for all points where no part has tints of its own.
    point_tints = frozen(np.ones((1, TINT_SIZE)))
    if any(part.look.point_tints is not None for part, _ in members):
        point_tints = together((_point_tints(part)[one.members] for part, one in members), np.float32, (TINT_SIZE,))
    normals = (_normals(part, one, arrays[0], is_quick) for (part, one), arrays in zip(members, rows, strict=True))
    return {
        "px": px,
        "py": py,
        "pz": pz,
        "balls": balls,
        "cones": cones,
        "normals": together(normals, np.float32),
        "point_tints": point_tints,
    }


def _opens(parts, counts, tints):
    by_point = [
        part.look.point_tints is not None and bool((part.look.point_tints[:, TINT_OPACITY] < 1).any()) for part in parts
    ]
    by_paint = [part.look.paint is not None and "opacity" in part.look.settings.painted for part in parts]
    opens = (tints[:, TINT_OPACITY] < 1) | np.repeat(np.array(by_paint, bool), counts)
    opens = np.where(np.repeat(np.array(by_point, bool), counts), 2, opens)
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


def _point_tints(part) -> np.ndarray:
    tints = part.look.point_tints
    return np.ones((len(part.drawable.mesh.points), TINT_SIZE), np.float32) if tints is None else tints


def is_flat(look, mesh) -> bool:
    return mesh.is_flat if look.settings.shading == "as the form" else look.settings.shading == "flat"


def material_row(part: Part, sets) -> np.ndarray:
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
    lit_by = sum(1 << number for number, shining in enumerate(sets) if part.drawable.figure_id in shining)
    is_solid = not part.is_additive
    row[face.LIT] = lit_by + (0 if settings.takes and is_solid else TAKES_NONE)
    row[face.LIT] += MIRRORS if settings.mirrors and is_solid else 0
    row[face.ADDS], row[face.SPILLS] = part.is_additive, settings.spill > 0
    return row


def clear_rows(parts: list[Part]) -> np.ndarray:
    """Return how clear and waxy parts are, (P, CLEAR_SIZE), see kernels/render/clear.py; no rows if all are usual."""
    rows = np.zeros((len(parts), clear.CLEAR_SIZE))
    is_usual = True
    for row, part in zip(rows, parts, strict=True):
        s = part.look.settings
        row[clear.REFRACTS] = s.index
        if part.is_additive:
            continue
        is_usual = is_usual and s.index == USUAL_INDEX and not is_clear(s) and not is_waxy(s)
        row[clear.RIM_REFRACTS] = s.facing * (s.rim_index - s.index)
        if is_clear(s):
            row[clear.AMOUNT], row[clear.RIM_AMOUNT] = s.clear, s.facing * (s.rim_clear - s.clear)
            row[clear.LOST : clear.LOST + 3] = -np.log(np.maximum(s.tint, DARKEST)) / (s.tint_depth if s.filled else 1)
            row[clear.FILLED] = s.filled
        elif is_waxy(s):
            is_body = part.drawable.mesh.topology.is_closed
            row[clear.WAX], row[clear.WAX_BODY] = s.wax * (1 - s.metal), is_body
            row[clear.WAX_DEEP] = BENEATH * s.wax_depth if is_body else 0
            # All of an open sheet is as thick as light is looked for beneath the skin of a body.
            row[clear.WAX_LOST] = 1 / s.wax_depth if is_body else BENEATH
            row[clear.LOST : clear.LOST + 3] = row[clear.WAX_LOST] * (1 - np.log(np.maximum(s.wax_colour, DARKEST)))
    return rows[:0] if is_usual else rows


def bare_parts(drawables) -> list[Part]:
    """Return the faces of drawables, whatever their looks."""
    return [Part(drawable, PLAIN, False) for drawable in drawables if len(drawable.mesh.points)]


def surface_parts(picture: Picture, is_additive: bool) -> list[Part]:
    """Return the surfaces of one blend, in the order of the figures and their looks."""
    blend = "additive" if is_additive else "normal"
    return [
        Part(drawable.drawn_by(look), look, is_additive)
        for drawable in picture.drawables
        for look in drawable.looks
        if look.kind == "surface" and look.settings.blend == blend and len(drawable.mesh.points)
    ]


def shinings(picture: Picture) -> list[Chosen]:
    """Return the different sets of figures that the lights of a picture shine on."""
    sets = list(dict.fromkeys(Chosen.of(light.settings.shines, light.settings.figures) for light in picture.lights))
    if len(sets) > MOST_SHININGS:
        text = f"lights shine on {len(sets)} different choices of figures; allowed {MOST_SHININGS}"
        raise ProblemError(Problem("limit", text, "lights"))
    return sets


def light_rows(picture: Picture) -> dict:
    """Return the rows of suns, of keys and of skies, and the pictures all around, see kernels/render/tables.py."""
    suns, keys, skies, panoramas = [], [], [], []
    sets = shinings(picture)
    for light in picture.lights:
        s = light.settings
        shining = sets.index(Chosen.of(s.shines, s.figures)), s.shadows
        if light.kind == "sun":
            suns.append([*sun_way(s), *shone(s), np.tan(np.radians(s.width / 2)), *shining])
        elif light.kind == "key":
            keys.append([*s.position, *shone(s), s.width, s.reach, *shining, light.soft**2])
        elif light.kind == "sky":
            colours = np.stack([s.top, s.horizon, s.ground]) * s.brightness
            skies.append([*colours.ravel(), s.hollows, *shining, -1, 1, 1, 0])
        elif light.panorama is not None:
            if light.panorama not in panoramas:
                panoramas.append(light.panorama)
            turn = np.radians(s.turn)
            place = panoramas.index(light.panorama), s.brightness, np.cos(turn), np.sin(turn)
            skies.append([*np.zeros(9), s.hollows, *shining, *place])
    rows = (("suns", suns, SUN_SIZE), ("keys", keys, KEY_SIZE), ("skies", skies, SKY_SIZE))
    made = {name: frozen(np.array(some).reshape(-1, size)) for name, some, size in rows}
    return {**made, "around": _around(panoramas)}


def _around(panoramas):
    """Panoramas for kernels; several are put together once for all the pictures that show them."""
    if not panoramas:
        return NO_AROUND
    return _keep("around", " ".join(one.key for one in panoramas), lambda: around_of(panoramas))


def shone(settings) -> np.ndarray:
    """How much light a light gives: red, green, blue."""
    return np.asarray(settings.colour) * settings.brightness
