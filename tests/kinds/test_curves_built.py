"""Builders that make curves, or less of them: edges, stretches of curves, points alone."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette.checks.notes import notes_of
from pirouette.data import Mesh
from pirouette.evaluate import evaluate
from pirouette.geometry.curve import Line, curves_of
from pirouette.geometry.trim import trimmed
from tests.scenes import clause, field, figure, formula, look, scene, step

CIRCLE = step("circle", radius=100, points=64)
SHARES = st.floats(0, 1, width=32)


def shape(*steps, frame=0, others=(), **more) -> Mesh:
    found = evaluate(scene(figure(*steps), *others, **more), frame).drawables
    return found[0].mesh if found else Mesh.empty()


def lengths(mesh) -> list[float]:
    return [Line(points, closed).length for points, closed in curves_of(mesh)]


# --- trim ---


@given(SHARES, SHARES, st.booleans(), st.integers(2, 30))
@settings(max_examples=60, deadline=None)
def test_a_stretch_has_its_share_of_the_length_and_lies_on_the_curve(start, end, closed, count):
    points = np.random.default_rng(count).normal(size=(count, 3)) * 50
    mesh = Mesh.curves(points, [count], closed and count > 2)
    whole = lengths(mesh)[0]
    found = lengths(trimmed(mesh, np.array([start]), np.array([end])))
    assert sum(found) == pytest.approx(max(end - start, 0) * whole, rel=1e-4, abs=1e-3)


def test_what_is_whole_stays_as_it_is_and_closed():
    mesh = shape(CIRCLE)
    same = trimmed(mesh, np.zeros(1), np.ones(1))
    np.testing.assert_array_equal(same.points, mesh.points)
    np.testing.assert_array_equal(same.topology.lines.closed, [True])
    np.testing.assert_allclose(same.at_points["along"], mesh.at_points["along"])


def test_ends_lie_exactly_where_they_are_asked_for():
    line = step("line", start=[0, 0, 0], end=[100, 0, 0], points=7)
    mesh = shape(line, step("trim", start=0.13, end=0.71))
    assert mesh.points[0, 0] == pytest.approx(13, abs=1e-4)
    assert mesh.points[-1, 0] == pytest.approx(71, abs=1e-4)
    assert (np.diff(mesh.points[:, 0]) > 0).all()
    np.testing.assert_allclose(mesh.at_points["along"], (mesh.points[:, 0] - 13) / 58, atol=1e-5)


def test_a_place_that_is_met_exactly_stands_there_once():
    mesh = shape(step("line", start=[0, 0, 0], end=[100, 0, 0], points=5), step("trim", start=0.25, end=0.75))
    np.testing.assert_allclose(mesh.points[:, 0], [25, 50, 75], atol=1e-4)


def test_colours_are_mixed_where_a_curve_is_cut():
    mesh = Mesh.curves([[0, 0, 0], [10, 0, 0]], [2], False)
    mesh = Mesh(mesh.points, mesh.topology, colours=[[0, 0, 0], [1, 0.5, 0]], at_points=mesh.at_points)
    np.testing.assert_allclose(trimmed(mesh, np.array([0.5]), np.ones(1)).colours[0], [0.5, 0.25, 0])


def crosses(count):
    """Closed polygons of growing size, as one mesh of curves."""
    return [step("polygon", radius=20), step("row", count=count, apart=[50, 0, 0], id="row"),
            step("stagger", size=3, turn=[0, 0, 0], id="larger"), step("bend", angle=0)]  # fmt: skip


@pytest.mark.parametrize("late", ["in order", "by length", "by chance"])
def test_curves_grow_one_after_the_other_until_all_are_whole(late):
    whole = lengths(shape(*crosses(6)))
    assert len(whole) == 6
    grown = [
        lengths(shape(*crosses(6), step("trim", start=0, end=end, late=late, spread=0.8))) for end in (0.3, 0.6, 1)
    ]
    counts = [len(one) for one in grown]
    assert counts[0] < counts[1] <= counts[2] == 6
    np.testing.assert_allclose(grown[2], whole, rtol=1e-5)
    assert lengths(shape(*crosses(6), step("trim", start=1, end=1, late=late))) == []


def test_copies_take_turns_if_the_order_is_among_all_of_them():
    copies = [step("line", start=[0, 0, 0], end=[10, 0, 0], points=3), step("row", count=4, apart=[0, 5, 0])]

    def kept(**more):
        trim = step("trim", end=0.5, late="in order", spread=0.75, **more)
        (drawable,) = evaluate(scene(figure(*copies, trim)), 0).drawables
        return lengths(drawable.mesh), len(drawable.matrices)

    # Each goes in a quarter of the time, one after the other.
    assert kept(among="all copies'") == (pytest.approx([10, 10]), 1)
    own, count = kept()
    assert count == 4
    assert own == pytest.approx([10])
    notes = notes_of(scene(figure(*copies, step("trim", late="in order"), looks=[look("wire")])))
    assert any("choose the order among all copies'" in note.message for note in notes)


def test_a_moving_end_draws_the_curve():
    end = {
        "sort": "keyed",
        "keys": [{"frame": 0, "value": 0, "ease": "linear"}, {"frame": 90, "value": 1, "ease": "linear"}],
    }
    found = [sum(lengths(shape(CIRCLE, step("trim", end=end), frame=frame))) for frame in (0, 30, 60, 90)]
    np.testing.assert_allclose(found, np.array([0, 1, 2, 3]) / 3 * lengths(shape(CIRCLE))[0], rtol=1e-4)


def test_a_field_leaves_curves_whole():
    right = field("Right", clause("between", start=60, end=10_000, axis="x", fade=0))
    found = lengths(shape(*crosses(4), step("trim", "right", end=0), fields=[right]))
    assert 0 < len(found) < 4


# --- edges ---


def test_all_edges_of_a_box_are_twelve_curves():
    mesh = shape(step("box", width=10, height=20, depth=30, parts=1), step("edges"))
    assert mesh.topology.lines.count == 12
    assert sorted(np.round(lengths(mesh)).tolist()) == [10] * 4 + [20] * 4 + [30] * 4
    assert mesh.topology.face_count == 0


def test_sharp_edges_of_a_fine_cylinder_are_its_two_rims():
    mesh = shape(step("cylinder", radius=10, height=40, segments=32), step("edges", which="sharp ones", angle=40))
    assert mesh.topology.lines.closed.all()
    np.testing.assert_allclose(lengths(mesh), 2 * 32 * 10 * np.sin(np.pi / 32), rtol=1e-3)
    assert mesh.topology.lines.count == 2


def test_the_border_of_a_plane_is_one_closed_curve_around_it():
    mesh = shape(step("plane", width=30, height=20), step("edges", which="borders"))
    assert mesh.topology.lines.closed.tolist() == [True]
    assert lengths(mesh)[0] == pytest.approx(100)


def test_a_closed_ball_has_no_border_and_no_sharp_edge():
    for which in ("borders", "sharp ones"):
        assert not len(shape(step("sphere", rings=24, segments=48), step("edges", which=which)).points)


def test_a_sharp_edge_runs_on_until_three_meet():
    mesh = shape(step("box", width=10, height=10, depth=10, parts=3), step("edges", which="sharp ones"))
    assert mesh.topology.lines.count == 12
    np.testing.assert_allclose(lengths(mesh), 10, rtol=1e-5)


UNLIKE = "where an attribute changes"


def test_the_rim_of_a_cut_is_where_inner_changes():
    ball = step("sphere", radius=30, rings=48, segments=96)
    tool = [figure(ball, name="Tool", looks=[], place={"position": [0, 0, 50]})]
    box, cut = step("box", width=100, height=100, depth=100), step("cut", by=["tool"])
    mesh = shape(box, cut, step("edges", which=UNLIKE), others=tool)
    assert mesh.topology.lines.closed.tolist() == [True]
    np.testing.assert_allclose(mesh.points[:, 2], 50, atol=1e-4)
    assert lengths(mesh)[0] == pytest.approx(2 * np.pi * 30, rel=2e-3)
    bare = [box, step("edges", which=UNLIKE)]
    assert not len(shape(*bare).points)
    assert any("nothing here carries inner" in note.message for note in notes_of(scene(figure(*bare))))
    assert not any("carries" in note.message for note in notes_of(scene(figure(box, cut, bare[1]), *tool)))
    bars = shape(box, cut, step("struts", which=UNLIKE, width=2), others=tool)
    assert bars.bounds[0][2] == pytest.approx(49, abs=0.05)


def test_a_change_of_what_points_carry_is_taken_from_face_to_face():
    """Along 0..1 in ten stretches: two faces beside each other differ by a tenth."""
    tube = step("tube", width=4, sides=6, ends="open")
    line = step("line", start=[0, 0, 0], end=[100, 0, 0], points=11)
    found = {
        change: shape(line, tube, step("edges", which=UNLIKE, attribute="along", change=change)).topology.curve_count
        for change in (0.0, 0.09, 0.11)
    }
    # Nine rings between ten stretches.
    assert found == {0.0: 9, 0.09: 9, 0.11: 0}


def test_curves_stay_among_the_edges_and_edges_draw_themselves():
    assert shape(CIRCLE, step("edges")).topology.lines.closed.tolist() == [True]
    half = shape(step("box", width=10, height=10, depth=10), step("edges"), step("trim", end=0.5))
    np.testing.assert_allclose(lengths(half), 5, rtol=1e-5)


# --- points ---


def test_points_are_left_alone_with_what_they_carry():
    mesh = shape(CIRCLE, step("points", each=4, begin=2))
    whole = shape(CIRCLE)
    np.testing.assert_array_equal(mesh.points, whole.points[2::4])
    np.testing.assert_array_equal(mesh.at_points["along"], whole.at_points["along"][2::4])
    assert (mesh.topology.face_count, mesh.topology.curve_count) == (0, 0)


def test_formulas_reach_points_that_were_left_alone():
    mesh = shape(CIRCLE, step("points"), step("rule_points", place=[0, 0, formula("100 * along")]))
    np.testing.assert_allclose(mesh.points[:, 2], 100 * np.arange(64) / 64, atol=1e-3)
