"""Outlines: fill rules, holes, solids, strokes, middle lines against mathematics."""

import numpy as np
import pytest

from pirouette.geometry.medial import centre_lines
from pirouette.geometry.outline import area_of, resolve, shrunk, straight_contour, stroked
from pirouette.geometry.solid import filled, outlines, solid
from tests.kinds.test_forms import area, volume


def circle(radius, count=64, at=(0, 0)):
    turn = np.linspace(0, 2 * np.pi, count, endpoint=False)
    return np.stack([at[0] + radius * np.cos(turn), at[1] + radius * np.sin(turn)], axis=1)


def square(half, at=(0, 0)):
    return np.array([[-half, -half], [half, -half], [half, half], [-half, half]], float) + at


STAR = np.stack([np.sin(np.arange(5) * 4 * np.pi / 5), np.cos(np.arange(5) * 4 * np.pi / 5)], axis=1) * 50


def total(rings):
    return sum(area_of(ring) for ring in rings.rings)


def euler(mesh):
    return mesh.topology.point_count - len(mesh.topology.face_edges) + mesh.topology.face_count


def test_a_hole_is_left_open():
    rings = resolve([circle(50), circle(20)[::-1]])
    assert total(rings) == pytest.approx(area_of(circle(50)) - area_of(circle(20)), rel=1e-5)
    mesh = filled(rings)
    assert area(mesh) == pytest.approx(total(rings), rel=1e-5)
    inside = np.linalg.norm(mesh.points[mesh.topology.triangles].mean(axis=1), axis=1)
    assert inside.min() > 19


@pytest.mark.parametrize(("rule", "is_full"), [("nonzero", True), ("evenodd", False)])
def test_fill_rules_differ_where_a_star_crosses_itself(rule, is_full):
    found = total(resolve([STAR], rule))
    inner = 50 * np.cos(2 * np.pi / 5) / np.cos(np.pi / 5)
    pentagon = 5 / 2 * inner**2 * np.sin(2 * np.pi / 5)
    star = 5 * 50 * inner * np.sin(np.pi / 5)
    assert found == pytest.approx(star if is_full else star - pentagon, rel=1e-4)


def test_paths_that_overlap_become_one():
    assert total(resolve([square(10), square(10, (5, 0))])) == pytest.approx(25 * 20, rel=1e-5)


def test_nothing_comes_of_paths_without_area():
    assert resolve([np.zeros((0, 2)), np.zeros((5, 2)), np.array([[0, 0], [5, 5.0]])]).polygons == []


SHAPES = {
    "a square": ([square(50)], 2),
    "a ring": ([circle(50), circle(25)[::-1]], 0),
    "two discs": ([circle(20, at=(-40, 0)), circle(20, at=(40, 0))], 4),
    "a ring with an island": ([circle(60), circle(40)[::-1], circle(20)], 2),
    "a letter with two holes": ([square(60), square(15, (-30, 0))[::-1], square(15, (30, 0))[::-1]], -2),
}


@pytest.mark.parametrize("bevel", [(0, 1), (3, 1), (3, 4)])
@pytest.mark.parametrize("name", SHAPES)
def test_solids_are_closed_with_the_euler_number_of_their_shape(name, bevel):
    paths, number = SHAPES[name]
    rings = resolve(paths)
    mesh = solid(rings, 20, *bevel)
    assert mesh.topology.is_closed
    assert euler(mesh) == number
    whole = total(rings) * 20
    assert volume(mesh) <= whole * (1 + 1e-5)
    assert volume(mesh) == pytest.approx(whole, rel=1e-5 if bevel[0] == 0 else 0.12)


def test_a_bevelled_square_has_exactly_its_volume():
    mesh = solid(resolve([square(50)]), 20, 4)
    # Two frustums of height 4 between squares of 100 and 92, and a block of 12 between them.
    frustum = 4 / 3 * (100**2 + 92**2 + 100 * 92)
    assert volume(mesh) == pytest.approx(2 * frustum + 12 * 100**2, rel=1e-4)


def test_thin_parts_vanish_under_a_wide_bevel_and_the_solid_stays_closed():
    mesh = solid(resolve([np.array([[-50, -3], [50, -3], [50, 3], [-50, 3]], float)]), 20, 6, 3)
    assert mesh.topology.is_closed
    assert mesh.points[:, 2].max() <= 10


def test_walls_caps_and_corners_keep_their_normals():
    mesh = solid(resolve([square(50)]), 20)
    flat = np.sort(np.abs(mesh.normals), axis=1)
    np.testing.assert_allclose(flat, [[0, 0, 1]] * len(flat), atol=1e-6)


def test_wires_of_a_solid_show_its_outline_and_not_its_triangles():
    mesh = solid(resolve([square(50)]), 20)
    ends = np.unique(np.sort(np.round(mesh.points[mesh.topology.edges], 3), axis=1).reshape(-1, 6), axis=0)
    assert len(ends) == 12


def test_shrinking_moves_edges_inwards():
    assert total(shrunk(resolve([square(50)]), 10)) == pytest.approx(80**2, rel=1e-5)
    assert shrunk(resolve([square(5)]), 10).polygons == []


@pytest.mark.parametrize(("cap", "extra"), [("butt", 0), ("square", 10 * 10), ("round", np.pi * 25)])
def test_strokes_have_their_caps(cap, extra):
    line = np.array([[0, 0], [100, 0]], float)
    assert total(stroked([line], [False], 10, cap)) == pytest.approx(1000 + extra, rel=2e-2)


def test_a_closed_stroke_is_a_ring():
    rings = stroked([circle(50, 200)], [True], 10)
    assert len(rings.rings) == 2
    assert total(rings) == pytest.approx(np.pi * (55**2 - 45**2), rel=1e-3)


def test_the_middle_of_a_long_box_is_a_straight_line_through_it():
    (line,) = centre_lines([np.array([[-100, -8], [100, -8], [100, 8], [-100, 8]], float)])
    length = np.linalg.norm(np.diff(line, axis=0), axis=1).sum()
    assert 180 < length < 215
    middle = line[np.abs(line[:, 0]) < 80]
    assert np.abs(middle[:, 1]).max() < 0.5


def test_the_middle_of_a_bent_stroke_follows_it():
    turn = np.linspace(0, np.pi, 80)
    arc = np.stack([np.cos(turn), np.sin(turn)], axis=1) * 80
    (polygon,) = stroked([arc], [False], 12, "round").polygons
    (line,) = centre_lines(polygon)
    # Its two ends run out into the round caps.
    middle = line[len(line) // 20 : -len(line) // 20]
    assert np.abs(np.linalg.norm(middle, axis=1) - 80).max() < 1.5


def test_outlines_are_curves():
    mesh = outlines([square(10), np.array([[0, 0], [5, 5.0]])], [True, False])
    assert mesh.topology.lines.closed.tolist() == [True, False]
    assert len(mesh.topology.edges) == 5


def test_straight_contours_keep_their_points_at_any_detail():
    for detail in (1, 9):
        np.testing.assert_allclose(straight_contour(square(7), True).flattened(detail), square(7))
