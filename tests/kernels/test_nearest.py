"""Nearest places and insides against brute force."""

import numpy as np
import pytest
from scipy.optimize import minimize

from pirouette.kernels.geometry.nearest import Tree
from pirouette.kernels.geometry.strew import keep_apart
from tests.kinds.test_all_forms import form


def queries(count=200, spread=90, seed=1):
    return np.random.default_rng(seed).normal(size=(count, 3)).astype(np.float32) * spread


def test_the_nearest_place_on_a_ball_is_straight_towards_its_middle():
    ball = form("sphere", form="even", parts=40, radius=50)
    tree = Tree(ball.points, ball.topology.triangles)
    points = queries()
    found, barys, away = tree.closest(points)
    np.testing.assert_allclose(away, np.abs(np.linalg.norm(points, axis=1) - 50), atol=0.06)
    np.testing.assert_allclose(np.linalg.norm(points - tree.places(found, barys), axis=1), away, atol=1e-4)


def test_nearest_segments_are_those_of_brute_force():
    points = queries(60, 50, 2)
    items = np.random.default_rng(3).integers(0, 60, (80, 2))
    tree = Tree(points, items)
    asked = queries(100, 60, 4)
    a, b = points[items[:, 0]].astype(float), points[items[:, 1]].astype(float)
    way = b - a
    t = np.einsum("qnc,nc->qn", asked[:, None] - a[None], way) / np.maximum((way**2).sum(axis=1), 1e-12)
    at = a[None] + np.clip(t, 0, 1)[..., None] * way[None]
    truth = np.linalg.norm(asked[:, None] - at, axis=2).min(axis=1)
    np.testing.assert_allclose(tree.closest(asked)[2], truth, atol=1e-3)


@pytest.mark.parametrize("seed", range(6))
def test_the_nearest_place_on_a_triangle_is_the_least_distance(seed):
    rng = np.random.default_rng(seed)
    corners = rng.normal(size=(3, 3)) * 10
    asked = rng.normal(size=(12, 3)) * 15
    away = Tree(corners, [[0, 1, 2]]).closest(asked)[2]
    for point, found in zip(asked, away, strict=True):
        distance = lambda w, point=point: np.linalg.norm(w[0] * corners[0] + w[1] * corners[1]  # noqa: E731
                                                         + (1 - w[0] - w[1]) * corners[2] - point)  # fmt: skip
        bounds = {"type": "ineq", "fun": lambda w: [w[0], w[1], 1 - w[0] - w[1]]}
        best = min(minimize(distance, start, constraints=bounds).fun for start in ([0.3, 0.3], [0.1, 0.8], [0.8, 0.1]))
        assert found == pytest.approx(best, abs=1e-3)


@pytest.mark.parametrize("kind", ["sphere", "box", "torus", "cylinder", "cone"])
def test_inside_is_what_the_form_holds(kind):
    mesh = form(kind)
    points = queries(3000, 30)
    inside = Tree(mesh.points, mesh.topology.triangles).inside(points)
    x, y, z = points.T
    truth = {
        "sphere": np.linalg.norm(points, axis=1) < 50,
        "box": np.abs(points).max(axis=1) < 50,
        "torus": np.hypot(np.hypot(x, z) - 40, y) < 10,
        "cylinder": (np.hypot(x, z) < 50) & (np.abs(y) < 50),
        "cone": (np.hypot(x, z) < (50 - y) / 2) & (y > -50),
    }[kind]
    # Facets lie a little inside of round forms.
    assert (inside == truth).mean() > 0.99


def test_nothing_to_be_near_to_is_an_error():
    with pytest.raises(ValueError, match="nothing to be near"):
        Tree(np.zeros((0, 3)), np.zeros((0, 3))).closest(queries(2))


def test_kept_points_are_apart_and_no_other_would_fit():
    points = queries(3000, 20)
    kept = keep_apart(points, 5.0, 3000)
    chosen = points[kept]
    away = np.linalg.norm(chosen[:, None] - chosen[None], axis=2) + np.eye(len(kept)) * 99
    assert away.min() >= 5
    left_out = np.delete(points, kept, axis=0)
    assert np.linalg.norm(left_out[:, None] - chosen[None], axis=2).min(axis=1).max() < 5


def test_hints_change_nothing_but_the_time():
    rng = np.random.default_rng(8)
    mesh = form("sphere", rings=12, segments=20)
    tree = Tree(mesh.points, mesh.topology.triangles)
    # Corners, middles of edges and places between: where several triangles are as near as each other.
    ends = mesh.points[mesh.topology.edges]
    queries = np.concatenate([mesh.points, ends.mean(axis=1), rng.normal(size=(300, 3)) * 60]).astype(np.float32)
    plain = tree.closest(queries)
    for hints in (np.zeros(len(queries)), rng.integers(0, len(tree.items), len(queries)), plain[0]):
        for one, two in zip(plain, tree.closest(queries, hints), strict=True):
            np.testing.assert_array_equal(one, two)


@pytest.mark.parametrize("count", [1, 7, 8, 9, 64, 65, 300, 513])
@pytest.mark.parametrize("scale", [1e-18, 1, 1e15])
@pytest.mark.parametrize("corners", [2, 3])
def test_what_is_left_out_is_never_nearer_nor_as_near_and_lower(count, scale, corners):
    rng = np.random.default_rng(count)
    # Half of the items twice, and half of the points far off, where what is near differs by little.
    points = (rng.normal(size=(200, 3)) + 30) * scale
    items = rng.integers(0, 200, (count, corners))
    items[count // 2 :] = items[: count - count // 2]
    asked = points[rng.integers(0, 200, 120)] + rng.normal(size=(120, 3)) * scale
    asked[60:] *= 40
    tree = Tree(points, items)
    away = np.stack([tree.on_items(asked, np.full(120, k))[1] for k in range(count)])
    found, _, distance = tree.closest(asked)
    np.testing.assert_array_equal(distance, away.min(axis=0))
    np.testing.assert_array_equal(found, away.argmin(axis=0))
    for hints in (np.zeros(120, int), rng.integers(0, count, 120), found):
        np.testing.assert_array_equal(tree.closest(asked, hints)[0], found)
