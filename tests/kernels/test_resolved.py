"""Which corners of a solid's triangles are one point, and what they carry, against plain loops over all of them."""

import numpy as np
import pytest

from pirouette.kernels.geometry.resolved import points_of, seams_of, twins_of
from pirouette.kernels.geometry.within import clothe, corners_mixed, gather

# An octahedron: points, and triangles seen from outside.
POINTS = np.array([[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]], np.float32)
FACES = np.array(
    [[0, 2, 4], [2, 1, 4], [1, 3, 4], [3, 0, 4], [2, 0, 5], [1, 2, 5], [3, 1, 5], [0, 3, 5]], np.int32
)  # fmt: skip


def plain_twins(triangles):
    """Each edge with the first one before it that runs the other way and is free, found by looking at all of them."""
    ends, twins = [(t[k], t[(k + 1) % 3]) for t in triangles.tolist() for k in range(3)], []
    for c, (begin, end) in enumerate(ends):
        twins.append(next((e for e in range(c) if ends[e] == (end, begin) and twins[e] < 0), -1))
        if twins[c] >= 0:
            twins[twins[c]] = c
    return twins


@pytest.mark.parametrize("places", [4, 6, 40])
def test_twins_run_the_other_way_and_are_each_others(places):
    """Of a few places many triangles share an edge, of many places hardly any."""
    triangles = np.random.default_rng(places).integers(0, places, (60, 3)).astype(np.int32)
    triangles = triangles[(triangles != np.roll(triangles, 1, axis=1)).all(axis=1)]
    assert twins_of(triangles).tolist() == plain_twins(triangles)


def test_no_triangles_have_no_twins():
    assert len(twins_of(np.zeros((0, 3), np.int32))) == 0


EACH_ITS_FACE = np.arange(8)


def clothed(points, triangles, known, source_normals, is_inner=False, owners=None):
    """Normals and origins of triangles that lie within those of the octahedron, of those that are its own."""
    normals, origins = np.full((3 * len(triangles), 3), np.nan), np.full(3 * len(triangles), -1, np.int32)
    owners = np.zeros(len(triangles)) if owners is None else owners
    of = origins[:0] if is_inner else origins
    clothe(points, triangles, owners, 0, known, POINTS, FACES, source_normals, is_inner, normals, of)
    return normals, origins


def test_whole_triangles_know_their_points_however_they_are_turned():
    turned = np.stack([np.roll(face, -k) for k, face in zip([0, 1, 2, 0, 1, 2, 1, 0], FACES, strict=True)])
    _, origins = clothed(POINTS, turned, np.arange(8), 2 * POINTS)
    assert origins.tolist() == turned.ravel().tolist()
    # Where one of its points has no normal, a triangle's own is taken for that corner.
    without = POINTS.copy()
    without[4] = 0
    normals, origins = clothed(POINTS, turned, np.arange(8), without)
    assert origins.reshape(8, 3)[:4].tolist() == [[-1] * 3] * 4
    corners = normals.reshape(8, 3, 3)[:4]
    at_top = turned[:4] == 4
    np.testing.assert_allclose(np.abs(corners[at_top]), 3**-0.5)
    np.testing.assert_allclose(corners[~at_top], POINTS[turned[:4][~at_top]], atol=1e-12)


def test_only_triangles_of_the_source_are_clothed():
    owners = np.array([0, 1, 0, 2, 1, 0, 0, 1])
    normals, origins = clothed(POINTS, FACES, np.arange(8), POINTS, owners=owners)
    assert np.isnan(normals).all()
    assert np.array_equal(origins.reshape(8, 3) >= 0, np.repeat(owners[:, None] == 0, 3, axis=1))
    flat, _ = clothed(POINTS, FACES, np.arange(8), POINTS[:0], owners=owners)
    assert np.array_equal(np.isnan(flat).any(axis=1), np.repeat(owners != 0, 3))


def test_parts_of_triangles_mix_what_the_corners_carry():
    """A triangle from a corner to the middles of two edges."""
    points = np.concatenate([POINTS, [(POINTS[0] + POINTS[2]) / 2, (POINTS[0] + POINTS[4]) / 2]]).astype(np.float32)
    part = np.array([[0, 6, 7]], np.int32)
    normals, origins = clothed(points, part, np.array([0]), POINTS)
    assert origins.tolist() == [-1, -1, -1]
    np.testing.assert_allclose(
        normals, np.array([[1, 0, 0], [0.5**0.5, 0.5**0.5, 0], [0.5**0.5, 0, 0.5**0.5]]), atol=1e-7
    )
    turned, _ = clothed(points, part, np.array([0]), -POINTS, is_inner=True)
    np.testing.assert_allclose(turned, normals, atol=1e-7)
    as_they_are, _ = clothed(points, part, np.array([0]), -POINTS)
    np.testing.assert_allclose(as_they_are, -normals, atol=1e-7)
    values = np.random.default_rng(2).random((24, 2)).astype(np.float32)
    within = np.arange(24, dtype=np.int32).reshape(8, 3)
    both = np.concatenate([part, part])
    mixed = corners_mixed(points, both, np.array([0, -1]), POINTS, FACES, within, values, 8)
    wanted = [values[0], (values[0] + values[1]) / 2, (values[0] + values[2]) / 2]
    np.testing.assert_allclose(mixed[:3], wanted, atol=1e-6)
    assert not mixed[3:].any()


def test_corners_are_one_point_where_normals_go_on():
    """Once as whole triangles of a smooth source, once by their normals alone: the same points."""
    inner = np.zeros(8, bool)
    twins, none = twins_of(FACES), np.full(24, -1, np.int32)
    normals, origins = clothed(POINTS, FACES, np.arange(8), POINTS)
    whole = points_of(FACES, twins, normals, origins, POINTS, inner, EACH_ITS_FACE, 0.999)
    by_normals = points_of(FACES, twins, POINTS[FACES.ravel()], none, POINTS[:0], inner, EACH_ITS_FACE, 0.999)
    for one, other in zip(whole, by_normals, strict=True):
        assert one.tolist() == other.tolist()
    assert len(whole[1]) == 6
    at, smooth_normals = gather(POINTS, FACES, normals, origins, 3 * POINTS, whole[1])
    np.testing.assert_allclose(at, POINTS[FACES.ravel()[whole[1]]])
    np.testing.assert_allclose(smooth_normals, at, atol=1e-7)
    # Flat, no two of them are; the edge of each pair is seen from both sides, and sewn together.
    flat, _ = clothed(POINTS, FACES, np.arange(8), POINTS[:0])
    numbers, firsts, smooth, begins = points_of(FACES, twins, flat, none, POINTS[:0], inner, EACH_ITS_FACE, 0.999)
    assert firsts.tolist() == list(range(24))
    assert not smooth.any()
    edges, corners, sizes = seams_of(FACES, twins, smooth, numbers, begins)
    assert begins.tolist() == list(range(24))
    assert edges.tolist() == [[c, 3 * (c // 3) + (c + 1) % 3] for c in range(24)]
    # Twelve edges, and six corners of four triangles each.
    assert sizes.tolist() == [4] * 18
    assert len(corners) == sizes.sum()


def test_smooth_edges_are_seen_once_between_faces_and_never_within_a_cut():
    twins, inner = twins_of(FACES), np.zeros(8, bool)
    normals, origins = clothed(POINTS, FACES, np.arange(8), POINTS)
    pairs = np.array([0, 0, 1, 1, 2, 2, 3, 3])

    def seen(inner, groups):
        numbers, _, smooth, begins = points_of(FACES, twins, normals, origins, POINTS, inner, groups, 0.999)
        edges, corners, _ = seams_of(FACES, twins, smooth, numbers, begins)
        assert np.array_equal(numbers[begins], edges[:, 0])
        return begins.tolist(), smooth, len(corners)

    begins, smooth, corner_count = seen(inner, pairs)
    assert smooth.all()
    assert not corner_count
    is_between = pairs.repeat(3) != pairs.repeat(3)[twins]
    assert begins == np.flatnonzero(is_between & (np.arange(24) < twins)).tolist()
    assert len(begins) == 12 - 4
    assert seen(~inner, pairs)[0] == []


def test_a_cut_parts_points_that_its_source_has_as_one():
    """Faces that the cut made are apart from those beside them, however their normals run."""
    twins = twins_of(FACES)
    normals, origins = clothed(POINTS, FACES, np.arange(8), POINTS)
    inner = FACES.max(axis=1) == 5
    origins[np.repeat(inner, 3)] = -1
    normals[np.repeat(inner, 3)] = POINTS[FACES[inner].ravel()]
    numbers, firsts, _, _ = points_of(FACES, twins, normals, origins, POINTS, inner, EACH_ITS_FACE, 0.999)
    # Five points above, five below: four places have both.
    assert len(firsts) == 10
    above, below = numbers[np.repeat(~inner, 3)], numbers[np.repeat(inner, 3)]
    assert not set(above.tolist()) & set(below.tolist())


def test_a_place_with_two_normals_stays_two_points():
    """As along a crease: two points of the source's are in one place, which is one place of the solid's."""
    twins = twins_of(FACES)
    _, origins = clothed(POINTS, FACES, np.arange(8), POINTS)
    origins[6:12][origins[6:12] == 4] = 6
    creased = np.concatenate([POINTS, [[1, 0, 0]]]).astype(np.float32)
    numbers, firsts, smooth, _ = points_of(
        FACES, twins, np.zeros((24, 3)), origins, creased, np.zeros(8, bool), EACH_ITS_FACE, 0.999
    )
    assert len(firsts) == 7
    top = numbers[FACES.ravel() == 4]
    assert top[0] == top[1] != top[2] == top[3]
    # The two edges of the crease are sharp, each from both sides.
    assert (~smooth).sum() == 4
