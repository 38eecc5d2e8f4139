"""Forms against mathematics."""

import weakref

import numpy as np
import pytest

from pirouette.data import Mesh, Topology
from pirouette.geometry.subdivision import subdivision_of
from pirouette.kinds.builders.subdivide import SubdivideSettings, subdivide
from pirouette.kinds.forms.box import BoxSettings, box
from pirouette.kinds.forms.plane import PlaneSettings, plane
from pirouette.kinds.forms.sphere import SphereSettings, sphere


def subdivided(mesh, settings):
    return subdivide(mesh, np.ones(len(mesh.points), np.float32), settings)


def made(settings_model, function, **raw) -> Mesh:
    return function(settings_model(raw).resolve())


def area(mesh) -> float:
    return float(np.linalg.norm(mesh.face_vectors.astype(np.float64), axis=1).sum() / 2)


def volume(mesh) -> float:
    a, b, c = (mesh.points[mesh.topology.triangles[:, k]].astype(np.float64) for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def euler(mesh) -> int:
    return mesh.topology.point_count - len(mesh.topology.edges) + mesh.topology.face_count


@pytest.mark.parametrize("parts", [1, 2, 5])
def test_a_box_is_closed_with_euler_number_two_and_the_right_size(parts):
    mesh = made(BoxSettings, box, width=20, height=30, depth=40, parts=parts)
    assert mesh.topology.is_closed
    assert euler(mesh) == 2
    assert area(mesh) == pytest.approx(2 * (20 * 30 + 30 * 40 + 40 * 20), rel=1e-5)
    assert volume(mesh) == pytest.approx(20 * 30 * 40, rel=1e-5)
    assert len(mesh.points) == 6 * parts**2 + 2


@pytest.mark.parametrize(("rings", "segments"), [(2, 3), (3, 4), (24, 48)])
def test_a_sphere_is_closed_with_euler_number_two(rings, segments):
    mesh = made(SphereSettings, sphere, rings=rings, segments=segments)
    assert mesh.topology.is_closed
    assert euler(mesh) == 2
    assert volume(mesh) > 0


def test_sphere_area_and_volume_approach_their_formulas_as_rings_grow():
    errors = []
    for rings in (8, 16, 32, 64):
        mesh = made(SphereSettings, sphere, radius=10, rings=rings, segments=rings * 2)
        errors.append((1 - area(mesh) / (4 * np.pi * 100), 1 - volume(mesh) / (4 / 3 * np.pi * 1000)))
    for (area_1, volume_1), (area_2, volume_2) in zip(errors, errors[1:], strict=False):
        # Second order: halving the faces quarters the error.
        assert area_1 / area_2 == pytest.approx(4, rel=0.1)
        assert volume_1 / volume_2 == pytest.approx(4, rel=0.1)


def test_sphere_normals_are_unit_and_point_outwards():
    mesh = made(SphereSettings, sphere, radius=7)
    np.testing.assert_allclose(mesh.normals, mesh.points / 7, atol=1e-6)


@pytest.mark.parametrize(("facing", "normal"), [("x", [1, 0, 0]), ("y", [0, 1, 0]), ("z", [0, 0, 1])])
def test_a_plane_faces_where_it_says(facing, normal):
    mesh = made(PlaneSettings, plane, width=30, height=20, across=3, up=2, facing=facing)
    np.testing.assert_allclose(mesh.face_vectors / np.linalg.norm(mesh.face_vectors, axis=1)[:, None], [normal] * 6)
    np.testing.assert_allclose(mesh.normals, [normal] * 12)
    assert area(mesh) == pytest.approx(600)
    assert euler(mesh) == 1
    assert not mesh.topology.is_closed


def test_plane_texture_coordinates_fill_the_square():
    uvs = made(PlaneSettings, plane).uvs
    assert uvs.min() == 0
    assert uvs.max() == 1


@pytest.mark.parametrize("surface", ["smooth", "as it is"])
def test_subdividing_keeps_a_box_closed(surface):
    mesh = subdivided(made(BoxSettings, box), SubdivideSettings({"times": 2, "surface": surface}).resolve())
    assert mesh.topology.is_closed
    assert euler(mesh) == 2
    assert mesh.topology.face_count == 6 * 4**2
    assert (mesh.topology.sizes == 4).all()


def test_subdividing_as_it_is_keeps_area_and_volume():
    mesh = subdivided(made(BoxSettings, box), SubdivideSettings({"times": 3, "surface": "as it is"}).resolve())
    assert area(mesh) == pytest.approx(60_000, rel=1e-4)
    assert volume(mesh) == pytest.approx(1_000_000, rel=1e-4)


def test_a_smoothed_cube_takes_the_known_first_positions():
    mesh = subdivided(made(BoxSettings, box, width=2, height=2, depth=2), SubdivideSettings({}).resolve())
    # One step moves the corners of a cube to 5/9 of where they were and edge middles to 3/4.
    np.testing.assert_allclose(np.abs(mesh.points[:8]), 5 / 9, atol=1e-6)
    np.testing.assert_allclose(np.sort(np.abs(mesh.points[8:20]), axis=1), [[0, 0.75, 0.75]] * 12, atol=1e-6)


def test_where_three_faces_meet_an_edge_stays_and_weights_share_the_rounding():
    points = np.array([[0, 0, 0], [0, 2, 0], [2, 1, 0], [-2, 1, 1], [0, 1, 3]], np.float32)
    fan = Mesh(points, Topology.of_faces([[0, 1, 2], [1, 0, 3], [0, 1, 4]], 5))
    settings = SubdivideSettings({}).resolve()
    whole = subdivided(fan, settings)
    # The shared edge is the first: its middle, and its ends, where more than two borders cross, stay.
    np.testing.assert_allclose(whole.points[[0, 1, 5]], [[0, 0, 0], [0, 2, 0], [0, 1, 0]], atol=1e-6)
    # The tip of a face follows its two borders.
    np.testing.assert_allclose(whole.points[2], ((points[0] + points[1]) / 2 + 3 * points[2]) / 4, atol=1e-6)
    half = subdivide(fan, np.full(5, 0.5, np.float32), settings)
    plain = subdivide(fan, np.zeros(5, np.float32), settings)
    np.testing.assert_allclose(half.points, (whole.points + plain.points) / 2, atol=1e-6)


def test_faces_that_were_cut_are_given_back_with_their_last_use():
    topology = Topology.of_faces([[0, 1, 2, 3]], 4)
    assert subdivision_of(topology).fine.face_count == 4
    gone = weakref.ref(topology)
    del topology
    assert gone() is None


def test_the_border_of_an_open_plane_stays_straight_when_smoothed():
    mesh = subdivided(made(PlaneSettings, plane, across=2, up=2), SubdivideSettings({"times": 2}).resolve())
    inner = mesh.points[np.abs(mesh.points[:, 0]) < 30]
    assert inner[:, 1].max() == pytest.approx(50, abs=1e-4)
    np.testing.assert_allclose(mesh.points[:, 2], 0, atol=1e-6)
