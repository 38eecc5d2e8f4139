"""Builders that cut, break, push, join and link, against what mathematics says of them."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette.data import Mesh, ProblemError
from pirouette.evaluate import evaluate
from pirouette.geometry.boolean import Solid
from pirouette.geometry.curve import Line, curves_of
from pirouette.geometry.net import net, triangles_among
from pirouette.geometry.weld import welded
from pirouette.kernels.geometry.links import in_order, pairs_within
from tests.kinds.test_deformers import volume
from tests.kinds.test_swept import area, euler
from tests.scenes import clause, field, figure, keyed, scene, step

BOX = step("box", width=80, height=80, depth=80, parts=3)
ROUND = step("sphere", radius=40, rings=24, segments=48)
SHEET = step("plane", width=100, height=60, across=4, up=3)


def meshes(*steps, frame=0, others=(), **more) -> list[Mesh]:
    found = evaluate(scene(figure(*steps), *others, **more), frame).drawables
    return [one.mesh for one in found if one.figure_id == "thing"]


def shape(*steps, **more) -> Mesh:
    return (meshes(*steps, **more) or [Mesh.empty()])[0]


def tool(*steps, at=(0, 0, 0), name="Tool"):
    return figure(*steps, name=name, looks=[], place={"position": list(at)})


def cut(keeps="outside", by=("tool",), **more):
    return step("cut", keeps=keeps, by=list(by), **more)


# --- cut ---


@pytest.mark.parametrize("solid", [BOX, step("cylinder", radius=40, height=80), step("torus", radius=40, thickness=30)])
@pytest.mark.parametrize("at", [(30, 10, 5), (0, 0, 0), (500, 0, 0)])
def test_what_is_inside_and_outside_add_up_to_the_whole(solid, at):
    others = [tool(ROUND, at=at)]
    parts = [shape(solid, cut(keeps), others=others) for keeps in ("inside", "outside")]
    whole = volume(shape(solid))
    assert sum(volume(part) for part in parts) == pytest.approx(whole, rel=1e-4)
    assert all(part.topology.is_closed for part in parts if part.topology.face_count)
    if at[0] == 500:
        assert not parts[0].topology.face_count


def test_the_cut_faces_are_told_apart_and_left_out_if_wanted():
    others = [tool(ROUND, at=(30, 10, 5))]
    filled = shape(BOX, cut("outside"), others=others)
    inner = filled.at_faces["inner"] == 1
    offsets, corners = filled.topology.offsets, filled.topology.corners
    faces = zip(offsets[:-1][inner], offsets[1:][inner], strict=True)
    at = np.array([filled.points[corners[start:end]].mean(axis=0) for start, end in faces])
    assert np.abs(np.linalg.norm(at - (30, 10, 5), axis=1) - 40).max() < 1
    hollow = shape(BOX, cut("outside", is_filled=False), others=others)
    assert not hollow.topology.is_closed
    assert area(hollow) == pytest.approx(area(filled) - area_where(filled, inner), rel=1e-4)


def area_where(mesh, faces) -> float:
    return float(np.linalg.norm(mesh.face_vectors[faces], axis=1).sum() / 2)


def test_a_surface_is_cut_at_the_skin_and_nothing_else_of_it_is_seen():
    others = [tool(step("sphere", radius=25, rings=64, segments=128))]
    disc, rest = (shape(SHEET, cut(keeps), others=others) for keeps in ("inside", "outside"))
    assert area(disc) == pytest.approx(np.pi * 625, rel=3e-3)
    assert area(disc) + area(rest) == pytest.approx(6000, rel=1e-4)
    np.testing.assert_allclose(disc.points[:, 2], 0, atol=1e-4)
    assert np.linalg.norm(disc.points, axis=1).max() == pytest.approx(25, abs=0.1)


def test_curves_end_exactly_where_they_meet_the_skin():
    others = [tool(step("box", width=40, height=40, depth=40))]
    line = step("line", start=[-100, 0, 0], end=[100, 0, 0], points=8)
    outside = shape(line, cut(), others=others)
    found = sorted(tuple(np.round([points[0, 0], points[-1, 0]], 4)) for points, _ in curves_of(outside))
    assert found == [(-100, -20), (20, 100)]
    inside = shape(line, cut("inside"), others=others)
    assert [Line(points, closed).length for points, closed in curves_of(inside)] == pytest.approx([40], abs=1e-3)
    ring = shape(step("circle", radius=10, points=40), cut("inside"), others=others)
    assert ring.topology.lines.closed.all()
    assert len(ring.points) == 40


def test_several_tools_and_copies_cut_together():
    row = [step("sphere", radius=10, rings=12, segments=24), step("row", count=3, apart=[30, 0, 0])]
    others = [tool(*row), tool(step("box", width=8, height=200, depth=8), name="Bar")]
    mesh = shape(BOX, cut(by=("tool", "bar")), others=others)
    lost = volume(shape(BOX)) - volume(mesh)
    balls = 3 * volume(shape(row[0]))
    assert balls < lost < balls + 8 * 8 * 80
    copies = [step("box", width=10, height=10, depth=10), step("row", count=5, apart=[20, 0, 0])]
    half = shape(*copies, cut("inside"), others=[tool(step("box", width=50, height=50, depth=50))])
    assert volume(half) == pytest.approx(3 * 1000, rel=1e-3)


def test_what_is_not_closed_cannot_cut_and_says_so():
    with pytest.raises(ProblemError, match="not closed"):
        shape(BOX, cut(), others=[tool(SHEET)])


def test_colours_and_pictures_stay_where_they_were():
    tinted = [BOX, step("tint")]
    whole, part = shape(*tinted), shape(*tinted, cut("outside"), others=[tool(ROUND, at=(40, 0, 0))])
    assert (part.uvs is None) == (whole.uvs is None)
    on_left = part.points[:, 0] < -39.9
    assert on_left.any()
    uvs = part.uvs[np.isin(part.topology.corners, np.flatnonzero(on_left))]
    assert np.ptp(uvs, axis=0).min() > 0.1


# --- shards ---


@given(st.integers(1, 40), st.integers(0, 500), st.sampled_from(["scattered points", "a grid"]))
@settings(max_examples=12, deadline=None)
def test_shards_add_up_to_the_form(count, seed, by):
    for solid in (step("box", width=80, height=60, depth=40), step("sphere", radius=30, rings=12, segments=24)):
        pieces = meshes(solid, step("shards", count=count, seed=seed, by=by))
        assert sum(volume(piece) for piece in pieces) == pytest.approx(volume(shape(solid)), rel=1e-4)
        assert all(piece.topology.is_closed for piece in pieces)


def test_a_sheet_breaks_into_pieces_as_thick_as_asked():
    pieces = meshes(SHEET, step("shards", count=20, thickness=3))
    assert sum(volume(piece) for piece in pieces) == pytest.approx(100 * 60 * 3, rel=1e-3)
    thin = meshes(SHEET, step("shards", count=20, thickness=0))
    assert sum(area(piece) for piece in thin) == pytest.approx(6000, rel=1e-3)
    assert all(np.ptp(piece.points[:, 2]) < 1e-3 for piece in thin)


def test_edges_cut_back_leave_a_joint():
    pieces = meshes(step("box", width=80, height=80, depth=80), step("shards", count=8, by="a grid", chance=0, gap=4))
    assert [np.round(volume(piece), 0) for piece in pieces] == [38**3] * 8


def test_pieces_are_copies_that_know_their_number_and_vary_one_by_one():
    (drawable, *_) = found = evaluate(scene(figure(BOX, step("shards", count=12), step("burst", distance=100))), 0
                                      ).drawables  # fmt: skip
    assert len(found) == 12
    assert drawable.mesh.at_faces["inner"].max() == 1
    middles = np.array([one.matrices[0][:, 3] for one in found])
    assert np.linalg.norm(middles, axis=1).min() > 40


def test_more_pieces_lie_where_a_field_is_stronger():
    right = field("Right", clause("between", start=0, end=10_000, axis="x", fade=0))
    found = evaluate(scene(figure(BOX, step("shards", "right", count=30)), fields=[right]), 0).drawables
    on_right = sum(one.matrices[0][0, 3] > 0 for one in found)
    assert on_right > 0.7 * len(found)


# --- extrude and struts ---


def test_faces_pushed_one_by_one_stay_closed_and_grow_by_frustums():
    before = step("box", width=80, height=80, depth=80, parts=1)
    mesh = shape(before, step("extrude", distance=10, inset=0.5))
    assert mesh.topology.is_closed
    assert volume(mesh) == pytest.approx(80**3 + 6 * 10 / 3 * (80**2 + 40**2 + 80 * 40), rel=1e-4)
    assert euler(mesh) == 2


def test_pushed_together_walls_stand_only_at_the_rim():
    mesh = shape(SHEET, step("extrude", ways="together", distance=12, inset=0))
    assert area(mesh) == pytest.approx(6000 + 2 * (100 + 60) * 12, rel=1e-4)
    right = field("Right", clause("between", start=1, end=10_000, axis="x", fade=0))
    ball = shape(ROUND, step("extrude", "right", ways="together", distance=10, inset=0), fields=[right])
    assert ball.topology.is_closed
    assert volume(ball) > volume(shape(ROUND)) * 1.1
    whole = shape(ROUND, step("extrude", ways="together", distance=10, inset=0))
    assert whole.topology.is_closed
    np.testing.assert_allclose(np.linalg.norm(whole.points[whole.topology.corners], axis=1), 50, atol=0.05)


def test_a_field_pushes_faces_by_its_weight():
    half = field("Half", clause("rule", weight=0.5))
    mesh = shape(BOX, step("extrude", "half", distance=20, inset=0), fields=[half])
    assert np.abs(mesh.points).max() == pytest.approx(50, abs=1e-4)


def test_struts_of_a_box_are_twelve_bars_and_eight_balls():
    mesh = shape(step("box", width=100, height=100, depth=100, parts=1), step("struts", width=4, sides=24))
    assert mesh.topology.is_closed
    ball, bar = 4 / 3 * np.pi * 8, np.pi * 4 * 100
    assert volume(mesh) == pytest.approx(12 * bar + 8 * ball, rel=2e-2)
    bars = shape(step("cylinder", radius=30, height=60, segments=32), step("struts", which="sharp ones", joints="none"))
    np.testing.assert_allclose(np.abs(bars.points[:, 1]).min(), 28, atol=0.2)


def test_solids_are_kept_by_their_meshes_and_told_apart():
    ball, crate = (shape(*steps) for steps in ([ROUND], [BOX]))
    bare = [mesh.with_points(mesh.points) for mesh in (ball, crate)]
    solids = [Solid.of(mesh) for mesh in (ball, crate, *bare)]
    assert [solid.mesh for solid in solids] == [ball, crate, *bare]
    assert Solid.of(ball) is solids[0]
    assert len({solid.number for solid in solids}) == 4
    assert solids[1].body.volume() == pytest.approx(80**3, rel=1e-5)


# --- web ---


@given(st.integers(0, 1000), st.floats(5, 80), st.integers(1, 6))
@settings(max_examples=30, deadline=None)
def test_no_link_is_too_long_and_no_point_has_too_many(seed, reach, most):
    points = np.random.default_rng(seed).uniform(-50, 50, (80, 3))
    ends, lengths = net(points, reach, most)
    np.testing.assert_allclose(lengths, np.linalg.norm(points[ends[:, 0]] - points[ends[:, 1]], axis=1), atol=1e-6)
    assert (lengths < reach).all()
    degrees = np.bincount(ends.reshape(-1), minlength=80)
    assert degrees.max(initial=0) <= most
    # Whoever is near enough and has room on both sides is linked.
    linked = set(map(tuple, ends.tolist()))
    apart = np.linalg.norm(points[:, None] - points[None], axis=2)
    for a, b in zip(*np.nonzero(np.triu(apart < reach, 1)), strict=True):
        assert (a, b) in linked or degrees[a] == most or degrees[b] == most


LATTICE = np.stack(np.meshgrid(*[np.arange(6.0)] * 3), axis=-1).reshape(-1, 3) * 10
CLOUDS = {
    "anywhere": np.random.default_rng(1).uniform(-50, 50, (300, 3)),
    "a lattice": LATTICE,
    "all in one place": np.zeros((40, 3)),
    "two far clusters": np.concatenate([LATTICE[:50], LATTICE[:50] + 1e6]),
    "on a line": np.linspace(0, 900, 200)[:, None] * [1.0, 0, 0],
    "many around each": np.random.default_rng(2).normal(size=(200, 3)),
}


@pytest.mark.parametrize("name", CLOUDS)
@pytest.mark.parametrize("reach", [4.0, 10.0, 25.0])
def test_pairs_are_those_that_are_near(name, reach):
    points = CLOUDS[name]
    away = np.sqrt(((points[:, None] - points) ** 2).sum(axis=2))
    wanted = np.stack(np.nonzero(np.triu(away < reach, 1)), axis=1)
    ends, lengths = pairs_within(points, reach, 10**6)
    assert ends.tolist() == wanted.tolist()
    np.testing.assert_allclose(lengths, away[tuple(wanted.T)], rtol=1e-12)
    assert in_order(lengths).tolist() == np.argsort(lengths, kind="stable").tolist()
    if len(wanted):
        assert pairs_within(points, reach, len(wanted) - 1) is None


def test_links_are_the_same_where_there_are_too_many_pairs_to_look_at_all(monkeypatch):
    points = CLOUDS["many around each"]
    found = net(points, 2.0, 3)
    monkeypatch.setattr("pirouette.geometry.net.MOST_PAIRS", 10)
    again = net(points, 2.0, 3)
    assert found[0].tolist() == again[0].tolist()


def test_lengths_that_lie_close_together_are_in_order_too():
    lengths = np.concatenate([np.random.default_rng(3).uniform(1, 1 + 1e-9, 3000), [5.0]])
    assert in_order(lengths).tolist() == np.argsort(lengths, kind="stable").tolist()


def test_triangles_are_those_of_three_links():
    ends = np.array([[0, 1], [0, 2], [1, 2], [1, 3], [2, 3], [3, 4]])
    found = {frozenset(ends[row].reshape(-1).tolist()) for row in triangles_among(ends, 5)}
    assert found == {frozenset({0, 1, 2}), frozenset({1, 2, 3})}


def test_links_of_copies_run_between_their_places_and_thin_out_with_length():
    grid = [step("box", width=2, height=2, depth=2), step("grid", columns=4, rows=4, layers=1, apart=[20, 20, 0])]
    mesh = shape(*grid, step("web", reach=40, most=8, width=3))
    lengths = np.array([Line(points, closed).length for points, closed in curves_of(mesh)])
    assert set(np.round(lengths, 3)) == {20, 28.284}
    straight = np.repeat(np.isclose(lengths, 20), 2)
    np.testing.assert_allclose(mesh.at_points["width"][straight], 1.5, rtol=1e-4)
    np.testing.assert_allclose(mesh.opacity[straight], 0.5, rtol=1e-4)
    filled = shape(*grid, step("web", reach=40, most=8, triangles=True))
    assert filled.topology.face_count > 0


def test_a_link_is_as_strong_as_the_weaker_of_its_ends():
    row = [step("box", width=2, height=2, depth=2), step("row", count=5, apart=[20, 0, 0])]
    right = field("Right", clause("between", start=10, end=10_000, axis="x", fade=0))
    mesh = shape(*row, step("web", "right", reach=25), fields=[right])
    assert mesh.topology.lines.count == 1


# --- bolt ---


def test_a_bolt_has_its_ends_and_every_curve_knows_its_branch():
    mesh = shape(step("bolt", start=[0, 90, 0], end=[0, -90, 0], branches=4, depth=2, detail=5))
    branches = mesh.at_curves["branch"]
    assert np.bincount(branches.astype(int)).tolist() == [1, 4, 8]
    trunk = curves_of(mesh)[0][0]
    np.testing.assert_allclose(trunk[[0, -1]], [[0, 90, 0], [0, -90, 0]], atol=1e-4)
    starts = np.array([points[0] for points, _ in curves_of(mesh)[1:]])
    places = {tuple(np.round(point, 3)) for points, _ in curves_of(mesh) for point in points[1:-1]}
    assert all(tuple(np.round(start, 3)) in places for start in starts)


def test_a_new_shape_comes_in_whole_steps_and_the_loop_closes():
    flashing = step("bolt", renews=4)
    keys = [evaluate(scene(figure(flashing)), frame).drawables[0].mesh.points.tobytes() for frame in range(0, 97, 8)]
    assert len(set(keys)) == 4
    assert keys[0] == keys[1] == keys[2] == keys[-1]
    assert keys[0] != keys[3]


def test_along_a_curve_it_stays_near_it():
    rail = figure(step("circle", radius=100, points=200), name="Rail", looks=[])
    mesh = shape(step("bolt", track="rail", raggedness=0.05, branches=0), others=[rail])
    assert np.abs(np.linalg.norm(mesh.points, axis=1) - 100).max() < 25


# --- degenerate input ---


@pytest.mark.parametrize("kind", ["cut", "shards", "extrude", "struts", "web", "tube", "ribbon"])
@pytest.mark.parametrize(
    "form",
    [
        step("line", start=[0, 0, 0], end=[0, 0, 0], points=4),
        step("plane", width=0.001, height=0.001),
        step("box", width=50, height=50, depth=0.001),
        step("disc"),
        step("line"),
    ],
)
def test_what_has_hardly_any_size_is_taken_too(kind, form):
    extra = {"by": ["tool"]} if kind == "cut" else {}
    for mesh in meshes(form, step(kind, **extra), others=[tool(ROUND)]):
        assert np.isfinite(mesh.points).all()
        assert np.isfinite(mesh.normals).all()


def test_points_in_one_place_are_found_whatever_their_sign_of_zero():
    points = np.array([[0.0, 1, 2], [3, 4, 5], [-0.0, 1, 2], [3, 4, 5.0001]], np.float32)
    first, place = welded(points)
    assert first.tolist() == [0, 1, 3]
    assert place.tolist() == [0, 1, 0, 2]


def test_moving_tools_cut_anew_at_every_frame():
    mover = figure(ROUND, name="Tool", looks=[], place={"position": [keyed((0, -200), (48, 40)), 0, 0]})
    volumes = [volume(shape(BOX, cut(), others=[mover], frame=frame)) for frame in (0, 48)]
    assert volumes[0] == pytest.approx(80**3, rel=1e-5)
    assert volumes[1] < 0.9 * volumes[0]
