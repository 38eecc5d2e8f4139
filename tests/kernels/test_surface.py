"""Normals against plain numpy, and closed surfaces against mathematics."""

import numpy as np
import pytest

from pirouette.data import Mesh, Topology
from pirouette.kernels.geometry.surface import face_normals, faces_at_points


def tetrahedron():
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], np.float32)
    faces = [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]]
    return Mesh(points, Topology.of_faces(faces, 4))


def test_face_vectors_are_cross_products():
    mesh = tetrahedron()
    a, b, c = (mesh.points[mesh.topology.triangles[:, k]] for k in range(3))
    np.testing.assert_allclose(mesh.face_vectors, np.cross(b - a, c - a), atol=1e-6)


def test_face_vectors_of_a_closed_mesh_sum_to_nothing():
    np.testing.assert_allclose(tetrahedron().face_vectors.sum(axis=0), 0, atol=1e-6)


def test_a_polygon_has_twice_its_area_as_length():
    angle = np.arange(7) * 2 * np.pi / 7
    ring = np.stack([np.cos(angle), np.sin(angle), np.full(7, 3.0)], axis=1)
    (vector,) = face_normals(ring, [0, 7], np.arange(7))
    area = 7 / 2 * np.sin(2 * np.pi / 7)
    np.testing.assert_allclose(vector, [0, 0, 2 * area], atol=1e-5)


def test_normals_are_unit_and_points_without_faces_get_one_too():
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [9, 9, 9]], np.float32)
    mesh = Mesh(points, Topology.of_faces([[0, 1, 2]], 4))
    np.testing.assert_allclose(mesh.normals, [[0, 0, 1]] * 4)


def test_faces_at_points_list_every_use_in_order():
    starts, faces = faces_at_points(4, [0, 3, 6], [0, 1, 2, 0, 2, 3])
    assert [list(faces[starts[p] : starts[p + 1]]) for p in range(4)] == [[0, 1], [0], [0, 1], [1]]


def test_topology_knows_its_edges_and_whether_it_is_closed():
    topology = tetrahedron().topology
    assert len(topology.edges) == 6
    assert topology.is_closed
    opened = Topology.of_faces([[0, 2, 1], [0, 1, 3], [0, 3, 2]], 4)
    assert not opened.is_closed


def test_quads_become_two_triangles_but_keep_four_edges():
    topology = Topology.of_faces([[0, 1, 2, 3]], 4)
    assert topology.triangles.tolist() == [[0, 1, 2], [0, 2, 3]]
    assert topology.edges.tolist() == [[0, 1], [0, 3], [1, 2], [2, 3]]
    assert topology.triangle_faces.tolist() == [0, 0]


def test_arrays_cannot_be_changed_afterwards():
    mesh = tetrahedron()
    with pytest.raises(ValueError, match="read-only"):
        mesh.points[0, 0] = 5


def test_a_mesh_refuses_points_that_its_topology_does_not_have():
    with pytest.raises(ValueError, match="3 points for a topology of 4"):
        Mesh(np.zeros((3, 3)), tetrahedron().topology)
