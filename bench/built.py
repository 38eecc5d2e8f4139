"""Speed of what cuts, breaks, sweeps, links, lays and smooths, against libraries that do a part of the same."""

from itertools import cycle

import numpy as np
import scipy

from pirouette import catalogue
from pirouette.data import Copies, Mesh
from pirouette.data.link import tree_over
from pirouette.data.mesh import Topology
from pirouette.geometry.boolean import Solid
from pirouette.geometry.cutting import cut
from pirouette.geometry.meld import melded, placed_in
from pirouette.geometry.neighbours import neighbours
from pirouette.geometry.net import net
from pirouette.geometry.shatter import planes_of, shattered
from pirouette.kernels.geometry.relax import relaxed
from pirouette.kinds.forms.box import BoxSettings, box
from pirouette.kinds.forms.sphere import SphereSettings, sphere

from .measure import line

TURNS = 8


def _ball(rings, segments, radius=50.0) -> Mesh:
    return sphere(SphereSettings({"rings": rings, "segments": segments, "radius": radius}).resolve())


def bench_cut():
    """A moving box through a ball of 20,000 faces, what is kept and what is not."""
    ball, plain = _ball(100, 200), box(BoxSettings({"width": 60, "height": 60, "depth": 60}).resolve())
    moved = [plain.with_points(plain.points + np.float32([30 + k, 5, 3])) for k in range(TURNS)]
    trees = [tree_over(mesh) for mesh in moved]
    bodies = [Solid.of(ball).body, *(Solid.of(mesh).body for mesh in moved)]
    turns = cycle(range(TURNS))

    def ours():
        turn = next(turns)
        for keeps_inside in (True, False):
            cut(ball, [Solid.of(moved[turn])], [trees[turn]], keeps_inside, True)

    def peer():
        turn = next(turns)
        for made in (bodies[0] ^ bodies[1 + turn], bodies[0] - bodies[1 + turn]):
            made.to_mesh()

    yield line("cut by a moving box", ours, "manifold3d alone", peer, 0.7)


def bench_shards():
    """A ball of 5,000 faces into 200 pieces."""
    ball = _ball(50, 100)
    body = Solid.of(ball).body
    corners = np.array(body.bounding_box()).reshape(2, 3)
    seeds = [np.random.default_rng(k).uniform(-45, 45, (200, 3)) for k in range(TURNS)]
    turns = cycle(range(TURNS))

    def ours():
        shattered(ball, seeds[next(turns)], 0.0, 0.0)

    def peer():
        for planes in planes_of(seeds[next(turns)], corners, 0.0):
            piece = body
            for plane in planes:
                piece = piece.trim_by_plane(tuple(-plane[:3]), float(plane[3]))
            piece.to_mesh()

    yield line("200 shards", ours, "manifold3d by planes", peer, 0.7)


def bench_web():
    """Links of 25,000 moving points, at most six at each."""
    points = np.random.default_rng(1).uniform(0, 1000, (25_000, 3))
    reach, shifts = 40.0, cycle(range(TURNS))

    def ours():
        net(points + next(shifts), reach, 6)

    def peer():
        moved = points + next(shifts)
        pairs = scipy.spatial.cKDTree(moved).query_pairs(reach, output_type="ndarray")
        lengths = np.linalg.norm(moved[pairs[:, 0]] - moved[pairs[:, 1]], axis=1)
        pairs[np.argsort(lengths, kind="stable")]

    yield line("links of 25,000 points", ours, "cKDTree.query_pairs", peer, 2)


def bench_cling():
    """100,000 points to the nearest place of a form of 200,000 faces."""
    import trimesh

    ball = _ball(316, 632)
    points = np.random.default_rng(1).normal(size=(100_000, 3)) * 40
    tree = tree_over(ball)
    form = trimesh.Trimesh(ball.points, ball.topology.triangles, process=False)
    few = points[:2000]

    def ours():
        tree.closest(points)

    def peer():
        trimesh.proximity.closest_point(form, few)

    found = line("100,000 points on a form", ours, "trimesh, of 2,000 of them", peer, 20)
    # The peer was measured with a fiftieth of the points.
    found["peer_ms"] = round(found["peer_ms"] * len(points) / len(few), 2)
    found["ratio"] = round(found["peer_ms"] / found["ours_ms"], 3)
    found["ok"] = bool(found["ratio"] >= found["goal"])
    yield found


def bench_relax():
    """Ten rounds over a million points."""
    side = 1000
    across, up = np.meshgrid(np.arange(side), np.arange(side), indexing="ij")
    points = np.stack([across.ravel(), up.ravel(), np.zeros(side * side)], axis=1).astype(np.float32)
    corner = (across[:-1, :-1] * side + up[:-1, :-1]).ravel()
    sheet = Mesh(points, Topology.of_faces(np.stack([corner, corner + side, corner + side + 1, corner + 1], axis=1),
                                           len(points)))  # fmt: skip
    around = neighbours(sheet)
    at, shares = points.astype(np.float64), np.full(len(points), 0.5)
    counts = np.diff(around.offsets)
    rows = np.repeat(np.arange(len(points)), counts)
    weights = (1 / np.maximum(counts, 1))[rows]
    mean = scipy.sparse.csr_matrix((weights, around.others, around.offsets), (len(points), len(points)))

    def ours():
        relaxed(at, around.offsets, around.others, shares, 0.0, 10)

    def peer():
        moved = at
        for _ in range(10):
            moved = moved + (mean @ moved - moved) * 0.5

    yield line("10 rounds of a million points", ours, "scipy sparse products", peer, 2)


def bench_tubes():
    """Tubes of eight sides along a thousand curves of a hundred points, whose widths change from point to point."""
    import vtk
    from vtk.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray, vtk_to_numpy

    curves, each = 1000, 100
    steps = np.random.default_rng(1).normal(size=(curves, each, 3))
    points = (np.cumsum(steps, axis=1) + np.random.default_rng(2).uniform(-500, 500, (curves, 1, 3))).reshape(-1, 3)
    wide = np.tile(1 + np.sin(np.linspace(0, np.pi, each)), curves)
    kind, turns = catalogue.STEPS["tube"], cycle(range(TURNS))
    settings = kind.settings({"sides": 8, "ends": "flat"}).resolve().changed(width=wide)
    line_ids = np.column_stack([np.full(curves, each), np.arange(curves * each).reshape(curves, each)]).reshape(-1)

    def ours():
        moved = (points + next(turns)).astype(np.float32)
        mesh = Mesh.curves(moved, [each] * curves, False)
        kind.call(mesh=mesh, weights=np.ones(len(moved), np.float32), settings=settings, links={})

    def peer():
        moved = points + next(turns)
        shape, at, lines = vtk.vtkPolyData(), vtk.vtkPoints(), vtk.vtkCellArray()
        at.SetData(numpy_to_vtk(moved, deep=True))
        lines.SetCells(curves, numpy_to_vtkIdTypeArray(line_ids, deep=True))
        shape.SetPoints(at)
        shape.SetLines(lines)
        radius = numpy_to_vtk(wide / 2, deep=True)
        radius.SetName("radius")
        shape.GetPointData().AddArray(radius)
        shape.GetPointData().SetActiveScalars("radius")
        tube = vtk.vtkTubeFilter()
        tube.SetInputData(shape)
        tube.SetNumberOfSides(8)
        tube.SetVaryRadiusToVaryRadiusByAbsoluteScalar()
        tube.CappingOn()
        tube.Update()
        vtk_to_numpy(tube.GetOutput().GetPoints().GetData())

    yield line("1,000 tubes", ours, "vtk's tube filter", peer, 8)


def bench_meld():
    """Sixty moving balls and three forms as one skin, 128 cells along the longest side."""
    import skimage.measure

    generator = np.random.default_rng(1)
    ways, at = generator.normal(size=(60, 3)), generator.uniform(-100, 100, (60, 3))
    radii, middles = generator.uniform(8, 20, 60), np.array([[0, 0, 0], [70, 0, 0], [-60, 40, 0]], float)
    ball = _ball(16, 32, 1.0)
    forms = [box(BoxSettings({"width": 60, "height": 60, "depth": 60}).resolve()), _ball(24, 48, 30.0),
             _ball(24, 48, 25.0)]  # fmt: skip
    cell, flow, turns = 240 / 128, 10.0, cycle(range(TURNS))
    nodes = np.stack(np.meshgrid(*[np.arange(-120, 120, cell)] * 3, indexing="ij"), axis=-1)

    def ours():
        moved = at + ways * next(turns)
        copies = Copies.at(ball, moved.astype(np.float32)).moved(scale=np.repeat(radii[:, None], 3, axis=1))
        placed = placed_in(copies) + [
            one for form, middle in zip(forms, middles, strict=True)
            for one in placed_in(Copies.at(form, middle[None].astype(np.float32)))
        ]  # fmt: skip
        melded(placed, cell, flow, 1.0, 0.0, None, lambda: None)

    def peer():
        moved = at + ways * next(turns)
        total = np.zeros(nodes.shape[:3])
        away = [np.linalg.norm(nodes - one, axis=-1) - radius for one, radius in zip(moved, radii, strict=True)]
        beyond = np.abs(nodes - middles[0]) - 30
        away.append(np.linalg.norm(np.maximum(beyond, 0), axis=-1) + np.minimum(beyond.max(axis=-1), 0))
        away += [np.linalg.norm(nodes - one, axis=-1) - r for one, r in zip(middles[1:], (30, 25), strict=True)]
        for one in away:
            total += np.maximum(1 - one / flow, 0) ** 2
        skimage.measure.marching_cubes(flow * (1 - np.sqrt(total)), 0)

    yield line("63 things as one skin", ours, "numpy and marching cubes", peer, 6)


BUILT = {
    "tubes": bench_tubes,
    "meld": bench_meld,
    "cut": bench_cut,
    "shards": bench_shards,
    "web": bench_web,
    "cling": bench_cling,
    "relax": bench_relax,
}
