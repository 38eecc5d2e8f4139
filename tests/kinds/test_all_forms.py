"""Every form against mathematics: closedness, Euler characteristic, area, volume, normals."""

import numpy as np
import pytest

from pirouette import catalogue
from pirouette.data import Mesh
from pirouette.values import Moment
from tests.kinds.test_forms import area, volume

STEPS = catalogue.STEPS


def form(kind, **raw) -> Mesh:
    settings = STEPS[kind].settings(raw).resolve()
    return STEPS[kind].call(settings=settings, moment=Moment(), rest=Mesh.empty())


def euler(mesh) -> int:
    topology = mesh.topology
    return topology.point_count - len(topology.face_edges) + topology.face_count


CLOSED = {
    "cylinder": ({"radius": 20, "height": 70}, np.pi * 400 * 70, 2 * np.pi * 20 * 90, 2),
    "cone": ({"radius": 30, "height": 80}, np.pi * 900 * 80 / 3, np.pi * 30 * (30 + np.hypot(30, 80)), 2),
    "torus": ({"radius": 40, "thickness": 16}, 2 * np.pi**2 * 40 * 64, 4 * np.pi**2 * 40 * 8, 0),
    "capsule": ({"radius": 20, "height": 90}, np.pi * 400 * 50 + 4 / 3 * np.pi * 8000, 2 * np.pi * 20 * 90, 2),
    "sphere": ({"radius": 30}, 4 / 3 * np.pi * 27000, 4 * np.pi * 900, 2),
}
FINE = {
    "cylinder": lambda n: {"segments": n},
    "cone": lambda n: {"segments": n},
    "torus": lambda n: {"segments": n, "sides": n},
    "capsule": lambda n: {"segments": n, "rings": n // 2},
    "sphere": lambda n: {"form": "even", "parts": n // 4},
}


@pytest.mark.parametrize("kind", CLOSED)
def test_closed_forms_approach_their_volume_and_area_as_their_faces_grow(kind):
    raw, true_volume, true_area, number = CLOSED[kind]
    errors = []
    for n in (16, 32, 64):
        mesh = form(kind, **raw, **FINE[kind](n))
        assert mesh.topology.is_closed
        assert euler(mesh) == number
        errors.append((abs(1 - volume(mesh) / true_volume), abs(1 - area(mesh) / true_area)))
    # Second order: twice as many faces around leave a quarter of the error.
    for coarse, fine in zip(errors, errors[1:], strict=False):
        assert coarse[0] / fine[0] == pytest.approx(4, rel=0.15)
        assert coarse[1] / fine[1] == pytest.approx(4, rel=0.2)


@pytest.mark.parametrize(("sides", "parts"), [(3, 1), (4, 1), (4, 5), (6, 2)])
def test_a_pyramid_is_exact(sides, parts):
    mesh = form("pyramid", radius=30, height=50, sides=sides, parts=parts)
    base = sides / 2 * 900 * np.sin(2 * np.pi / sides)
    assert mesh.topology.is_closed
    assert euler(mesh) == 2
    assert volume(mesh) == pytest.approx(base * 50 / 3, rel=1e-5)


def test_a_cut_off_cone_has_both_caps():
    mesh = form("cone", radius=30, top=10, height=60, segments=256)
    assert mesh.topology.is_closed
    assert volume(mesh) == pytest.approx(np.pi * 60 / 3 * (900 + 300 + 100), rel=1e-3)


@pytest.mark.parametrize("raw", [{"capped": False}, {"arc": 200}])
def test_an_open_or_partial_cylinder_is_not_closed(raw):
    mesh = form("cylinder", **raw)
    assert not mesh.topology.is_closed
    assert len(mesh.points)


def test_a_cylinder_s_wall_and_caps_keep_their_own_normals():
    mesh = form("cylinder", radius=10, height=40)
    on_rim = np.isclose(np.hypot(mesh.points[:, 0], mesh.points[:, 2]), 10, atol=1e-4)
    walls = on_rim & (np.abs(mesh.normals[:, 1]) < 0.5)
    assert 2 * walls.sum() == on_rim.sum()
    np.testing.assert_allclose(mesh.normals[walls] * 10, mesh.points[walls] * [1, 0, 1], atol=1e-4)
    np.testing.assert_allclose(np.abs(mesh.normals[on_rim & ~walls][:, 1]), 1)


def test_sharp_edges_are_drawn_once_as_wires():
    mesh = form("cylinder", segments=12, rows=1)
    ends = np.sort(np.round(mesh.points[mesh.topology.edges], 3), axis=1).reshape(-1, 6)
    assert len(np.unique(ends, axis=0)) == len(ends) == 12 * 5


def test_even_triangles_are_nearly_alike():
    mesh = form("sphere", form="even", parts=8)
    assert len(mesh.points) == 10 * 64 + 2
    sizes = np.linalg.norm(mesh.face_vectors, axis=1)
    assert sizes.max() / sizes.min() < 2.2
    rings = np.linalg.norm(form("sphere").face_vectors, axis=1)
    assert rings.max() / rings.min() > 5


@pytest.mark.parametrize(("facing", "axis"), [("x", 0), ("y", 1), ("z", 2)])
@pytest.mark.parametrize("arc", [360, 90])
def test_a_disc_faces_where_it_says_and_has_its_part_of_the_area(facing, axis, arc):
    mesh = form("disc", radius=20, hole=10, segments=200, arc=arc, facing=facing)
    assert area(mesh) == pytest.approx(np.pi * 300 * arc / 360, rel=1e-3)
    np.testing.assert_allclose(mesh.normals[:, axis], 1)
    unit = mesh.face_vectors / np.linalg.norm(mesh.face_vectors, axis=1)[:, None]
    np.testing.assert_allclose(unit[:, axis], 1, atol=1e-5)
    assert mesh.uvs.min() >= 0
    assert mesh.uvs.max() <= 1


def test_a_disc_without_a_hole_has_one_point_in_its_middle():
    mesh = form("disc", segments=8, rings=3)
    assert len(mesh.points) == 1 + 3 * 8
    assert euler(mesh) == 1


@pytest.mark.parametrize("kind", ["flat", "round"])
def test_a_terrain_is_level_where_it_is_filled_up(kind):
    mesh = form("terrain", form=kind, parts=40, height=30, level=0.1, width=200)
    heights = mesh.points[:, 1] if kind == "flat" else np.linalg.norm(mesh.points, axis=1) - 100
    assert heights.min() == pytest.approx(3, abs=1e-3)
    level = np.isclose(heights, 3, atol=1e-3).mean()
    assert 0.2 < level < 0.95
    assert mesh.topology.is_closed == (kind == "round")


def test_a_round_terrain_of_no_height_is_a_ball():
    mesh = form("terrain", form="round", height=0, width=100)
    np.testing.assert_allclose(np.linalg.norm(mesh.points, axis=1), 50, rtol=1e-5)


@pytest.mark.parametrize("kind", ["cylinder", "cone", "pyramid", "torus", "disc", "capsule", "sphere", "box", "plane"])
def test_default_forms_are_about_a_hundred_units_large_with_unit_normals_that_agree_with_their_faces(kind):
    mesh = form(kind)
    low, high = mesh.bounds
    assert 80 <= (high - low).max() <= 130
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-4)
    topology = mesh.topology
    mean = np.zeros((topology.face_count, 3))
    np.add.at(mean, np.repeat(np.arange(topology.face_count), topology.sizes), mesh.normals[topology.corners])
    has_area = np.linalg.norm(mesh.face_vectors, axis=1) > 1e-3
    assert (np.einsum("ij,ij->i", mean, mesh.face_vectors)[has_area] > 0).all()


def lengths(points, is_closed) -> np.ndarray:
    ends = np.roll(points, -1, axis=0) if is_closed else points[1:]
    return np.linalg.norm(ends - points[: len(ends)], axis=1)


def test_a_line_is_even():
    mesh = form("line", start=[0, 0, 0], end=[30, 40, 0], points=6)
    np.testing.assert_allclose(lengths(mesh.points, False), 10, rtol=1e-5)
    assert mesh.topology.edges.tolist() == [[0, 1], [1, 2], [2, 3], [3, 4], [4, 5]]


def test_a_circle_closes_and_approaches_its_length():
    mesh = form("circle", radius=10, points=200)
    assert mesh.topology.lines.closed.tolist() == [True]
    assert lengths(mesh.points, True).sum() == pytest.approx(20 * np.pi, rel=1e-3)
    arc = form("circle", radius=10, points=200, arc=90)
    assert arc.topology.lines.closed.tolist() == [False]
    np.testing.assert_allclose(arc.points[[0, -1]], [[10, 0, 0], [0, 10, 0]], atol=1e-4)


def test_a_star_has_inner_and_outer_corners():
    mesh = form("polygon", sides=5, radius=10, inner=0.5)
    away = np.linalg.norm(mesh.points, axis=1)
    np.testing.assert_allclose(away[0::2], 10, rtol=1e-5)
    np.testing.assert_allclose(away[1::2], 5, rtol=1e-5)


def test_a_helix_has_its_length_and_is_even():
    mesh = form("helix", radius=10, end_radius=10, height=50, turns=2, points=400)
    steps = lengths(mesh.points.astype(np.float64), False)
    assert steps.sum() == pytest.approx(np.hypot(2 * 2 * np.pi * 10, 50), rel=1e-3)
    assert steps.max() / steps.min() < 1.01


def test_a_path_passes_its_nodes_and_is_even_by_arc_length():
    nodes = [{"at": [0, 0, 0], "leave": [10, 0, 0]}, {"at": [50, 50, 0], "arrive": [-40, 0, 0]}, {"at": [100, 0, 0]}]
    mesh = form("path", nodes=nodes, points=300)
    for node in nodes:
        assert np.linalg.norm(mesh.points - node["at"], axis=1).min() < 0.5
    steps = lengths(mesh.points.astype(np.float64), False)
    assert steps.max() / steps.min() < 1.05


def test_a_closed_path_leads_back():
    nodes = [{"at": [0, 0, 0]}, {"at": [10, 0, 0]}, {"at": [10, 10, 0]}]
    mesh = form("path", nodes=nodes, points=30, closed=True, spaced="by its points")
    assert mesh.topology.lines.closed.tolist() == [True]
    assert len(mesh.topology.edges) == len(mesh.points) == 30
