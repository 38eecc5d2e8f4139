"""What follows from how a form is joined alone is found once while its points move."""

import numpy as np

from pirouette.data import Mesh
from pirouette.data.mesh import Topology
from pirouette.geometry.boolean import Solid
from pirouette.geometry.neighbours import neighbours, smoothed_creases
from pirouette.geometry.revolve import bow, revolve
from tests.kinds.test_all_forms import form


def ball(radius, parts=8):
    return revolve([bow((0, 0), radius, 90, -90, parts)], 2 * parts)


def test_a_form_of_revolution_of_another_size_is_joined_by_the_same_topology():
    assert ball(10).topology is ball(30).topology
    assert ball(10).topology.key != ball(10, parts=9).topology.key
    np.testing.assert_allclose(ball(30).points, 3 * ball(10).points, rtol=1e-6)


def test_neighbours_are_found_anew_only_where_points_meet():
    small, large = ball(10), ball(30)
    assert neighbours(small) is neighbours(large)
    points = small.points.copy()
    points[5] = points[6]
    met = neighbours(small.with_points(points))
    assert len(met.first) == len(points) - 1
    assert met.place[5] == met.place[6]


def test_neighbours_of_a_square_are_those_along_its_sides():
    square = Mesh(np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]), Topology.of_faces([[0, 1, 2, 3]], 4))
    around = neighbours(square)
    assert [sorted(around.others[a:b]) for a, b in zip(around.offsets, around.offsets[1:], strict=False)] == [
        [1, 3], [0, 2], [1, 3], [0, 2],
    ]  # fmt: skip
    assert around.is_rim.all()


def test_normals_of_points_in_one_place_become_one_where_they_hardly_differ():
    box = form("cylinder")
    smooth = smoothed_creases(box, neighbours(box))
    # A quarter turn stays a crease.
    np.testing.assert_array_equal(smooth.normals, box.normals)
    tilted = box.normals.copy()
    pairs = neighbours(box)
    first = np.flatnonzero(np.bincount(pairs.place)[pairs.place] == 2)[0]
    twins = np.flatnonzero(pairs.place == pairs.place[first])
    tilted[twins] = [[0.1, 0.995, 0], [-0.1, 0.995, 0]]
    smooth = smoothed_creases(box.with_points(box.points, tilted), pairs)
    np.testing.assert_allclose(smooth.normals[twins], [[0, 1, 0]] * 2, atol=1e-6)


def test_the_solid_of_what_stands_still_is_made_once():
    box = form("box")
    assert Solid.of(box, "one") is Solid.of(box, "other")
    assert Solid.of(form("box", width=40)) is not Solid.of(box)
