"""Joining, repeating, cutting and flattening: nothing is lost and nothing stands in for another."""

import numpy as np
import pytest

from pirouette.data import Copies, Mesh
from pirouette.geometry.join import expanded, joined, placed
from tests.kinds.test_all_forms import form
from tests.kinds.test_forms import area, volume


def moved(mesh, by):
    return placed(mesh, np.column_stack([np.eye(3), by]))


def test_joined_meshes_have_all_faces_curves_and_points():
    box, ring = form("box"), form("circle", points=12)
    both = joined([box, moved(ring, [0, 0, 90]), box])
    assert len(both.points) == 2 * len(box.points) + 12
    assert both.topology.face_count == 12
    assert both.topology.lines.count == 1
    np.testing.assert_allclose(both.points[both.topology.lines.corners][:, 2], 90)
    assert volume(both) == pytest.approx(2 * volume(box), rel=1e-5)


def test_a_flat_form_beside_a_smooth_one_keeps_its_flat_faces():
    both = joined([form("box"), form("sphere")])
    first = both.points[:24]
    assert len(np.unique(np.round(first, 3), axis=0)) == 8
    np.testing.assert_allclose(np.sort(np.abs(both.normals[:24]), axis=1), [[0, 0, 1]] * 24, atol=1e-6)


def test_a_mirroring_place_turns_normals_with_the_faces():
    mesh = placed(form("sphere"), np.diag([-1.0, 1, 1, 1])[:3])
    out = np.einsum("ij,ij->i", mesh.normals, mesh.points)
    assert (np.abs(out) > 49).all()


def test_copies_of_several_sources_are_flattened_by_mesh():
    box, ball = form("box"), form("sphere")
    inner = Copies.at([box, ball], np.array([[0, 0, 0], [9, 0, 0.0], [18, 0, 0]]), which=[0, 1, 0])
    outer = Copies.at(inner, np.array([[0, 0, 0], [0, 100, 0.0]]))
    found = {len(one.mesh.points): one for one in outer.flattened()}
    np.testing.assert_allclose(sorted(found[8].matrices[:, :2, 3].tolist()), [[0, 0], [0, 100], [18, 0], [18, 100]])
    assert len(found[len(ball.points)].matrices) == 2
    assert outer.drawn_count == 6
    assert outer.point_count == 4 * 8 + 2 * len(ball.points)


def test_colours_and_opacity_of_nested_copies_are_multiplied():
    inner = Copies.at(form("box"), np.zeros((2, 3))).moved(
        colours=np.array([[1, 0.5, 1], [0, 1, 1.0]]), opacity=np.array([0.5, 1])
    )
    outer = Copies.at(inner, np.zeros((1, 3))).moved(colours=np.array([[0.5, 0.5, 1.0]]), opacity=np.array([0.5]))
    (one,) = outer.flattened()
    np.testing.assert_allclose(one.colours, [[0.5, 0.25, 1], [0, 0.5, 1]])
    np.testing.assert_allclose(one.opacity, [0.25, 0.5])
    mesh = expanded(outer)
    np.testing.assert_allclose(mesh.opacity[[0, 8]], [0.25, 0.5])


def test_leaving_faces_out_leaves_no_points_behind():
    plane = form("plane", width=100, height=100, across=10, up=10)
    half = plane.with_faces_where(plane.points[:, 0] < 1)
    assert area(half) == pytest.approx(100 * 60, rel=1e-5) or area(half) == pytest.approx(100 * 50, rel=1e-5)
    assert len(np.unique(half.topology.corners)) == len(half.points)
    assert len(half.uvs) == len(half.topology.corners)


def test_a_closed_curve_cut_in_one_place_is_one_open_curve():
    ring = form("circle", points=20)
    cut = ring.with_faces_where(ring.points[:, 0] < 45)
    assert cut.topology.lines.closed.tolist() == [False]
    assert cut.topology.lines.count == 1


def test_nothing_joins_to_nothing():
    assert len(joined([]).points) == len(joined([Mesh.empty()]).points) == 0
