"""Faces cut finer where weights change within them."""

import numpy as np
import pytest

from pirouette.data import Mesh
from pirouette.data.attribute import Attributes
from pirouette.data.mesh import Topology
from pirouette.geometry.finer import CLOSE, finer


def sheet(size=100.0, **more):
    points = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]]) * size / 2
    return Mesh(points, Topology.of_faces([[0, 1, 2, 3]], 4), **more)


def step_at(x):
    return lambda points: (points[:, :1] > x).astype(np.float32)


def ball(points):
    return np.clip(1 - np.linalg.norm(points, axis=1, keepdims=True) / 30, 0, 1).astype(np.float32)


def areas(mesh):
    corners = mesh.points[mesh.topology.triangles]
    return np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2


@pytest.mark.parametrize("weights_of", [step_at(11.3), ball], ids=["a hard edge", "a soft ball"])
def test_between_its_points_weights_are_close_but_at_what_is_too_small(weights_of):
    mesh = finer(sheet(), weights_of)
    assert areas(mesh).sum() == pytest.approx(100 * 100, rel=1e-5)
    at = mesh.points[mesh.topology.triangles]
    shares = np.random.default_rng(1).dirichlet(np.ones(3), len(at)).astype(np.float32)
    inside = np.einsum("tk,tkc->tc", shares, at)
    off = np.abs(
        np.einsum("tk,tk->t", shares, weights_of(mesh.points)[mesh.topology.triangles, 0]) - weights_of(inside)[:, 0]
    )
    is_small = np.linalg.norm(at - np.roll(at, 1, axis=1), axis=2).max(axis=1) < 0.4
    assert off[~is_small].max() < 4 * CLOSE
    assert areas(mesh)[is_small].sum() < 100


def test_faces_beside_each_other_stay_joined():
    points = (
        np.array([[-1, -1, -1], [1, -1, -1], [1, 1, -1], [-1, 1, -1], [-1, -1, 1], [1, -1, 1], [1, 1, 1], [-1, 1, 1]])
        * 40.0
    )
    faces = [[0, 3, 2, 1], [4, 5, 6, 7], [0, 1, 5, 4], [2, 3, 7, 6], [1, 2, 6, 5], [0, 4, 7, 3]]
    box = Mesh(points, Topology.of_faces(faces, 8))
    mesh = finer(box, lambda points: ball(points - [40, 40, 40]))
    there = Topology(mesh.topology.offsets, mesh.topology.corners, len(mesh.points))
    assert len(mesh.points) > 500 and there.is_closed


def test_what_points_corners_and_faces_carry_is_as_it_was():
    mesh = sheet(
        colours=np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]), opacity=np.array([0, 1, 1, 0]),
        known_uvs=np.array([[0, 0], [1, 0], [1, 1], [0, 1]]), at_points=Attributes(along=np.array([0, 1, 1, 0])),
        at_faces=Attributes(piece=np.array([7])),
    )  # fmt: skip
    made = finer(mesh, ball)
    across, up = (made.points[:, axis] / 100 + 0.5 for axis in (0, 1))
    assert np.allclose(made.colours[:, 0], across, atol=1e-5) and np.allclose(made.opacity, across, atol=1e-5)
    assert np.allclose(made.at_points["along"], across, atol=1e-5)
    corners = made.topology.corners
    assert np.allclose(made.uvs, np.stack([across[corners], up[corners]], axis=1), atol=1e-5)
    assert (made.at_faces["piece"] == 7).all() and len(made.at_faces["piece"]) == made.topology.face_count
    assert np.allclose(made.points[:4], mesh.points)


def test_where_weights_are_even_nothing_is_made():
    mesh = sheet()
    assert finer(mesh, lambda points: np.ones((len(points), 1), np.float32)) is mesh


def test_it_is_named_by_what_it_holds():
    named = sheet(key="sheet")
    one, other = finer(named, step_at(3)), finer(named, step_at(4))
    assert one.key == finer(named, step_at(3)).key and one.key != other.key != ""
