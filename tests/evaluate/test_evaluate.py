"""Evaluation: any frame in any order, known results not computed twice, too much refused."""

import tracemalloc

import numpy as np
import pytest

from pirouette.checks.lanes import sample_lanes
from pirouette.data import Cancelled, ProblemError
from pirouette.document import read_scene
from pirouette.evaluate import Memo, evaluate, routines
from pirouette.schema import Settings
from tests.scenes import (
    DEMOS,
    LIBRARY,
    brief_demo,
    clause,
    document,
    field,
    figure,
    formula,
    has_past,
    keyed,
    scene,
    step,
    swing,
)

MOVING = figure(
    step("sphere"), step("grid", columns=3), step("drift", churn=2), step("displace", churn=1.5), name="Moving"
)


def shapes(picture):
    return [
        (one.mesh.points.tobytes(), one.matrices.tobytes(), [tints_of(look) for look in one.looks])
        for one in picture.drawables
    ]


def tints_of(look):
    return [None if tints is None else tints.tobytes() for tints in (look.tints, look.point_tints)]


def test_the_faces_of_a_moving_subdivided_mesh_are_those_of_every_frame():
    moving = scene(figure(step("sphere"), step("displace", churn=1), step("subdivide", times=2)))
    memo = Memo(1 << 28)
    first, second = (evaluate(moving, frame, memo=memo).drawables[0].mesh for frame in (0, 7))
    assert not np.array_equal(first.points, second.points)
    # What is made of the faces alone, and sent to the page, is made and sent once.
    assert first.topology is second.topology
    assert first.topology.key
    assert evaluate(moving, 7).drawables[0].mesh.topology.key == first.topology.key


@pytest.mark.parametrize("name", DEMOS)
def test_any_frame_is_the_same_by_play_and_by_jump(name):
    opened = read_scene(brief_demo(name), LIBRARY)
    memo = Memo()
    played = {frame: shapes(evaluate(opened, frame, memo=memo)) for frame in range(0, 12, 3)}
    # Where each jump costs the whole run before the first frame, the furthest is enough.
    for frame in (9,) if has_past(name) else (9, 3):
        assert shapes(evaluate(opened, frame, memo=Memo())) == played[frame]


def test_fractional_frames_lie_between_their_neighbours():
    moving = scene(figure(step("box"), place={"position": [keyed((0, 0), (10, 10)), 0, 0]}))
    xs = [evaluate(moving, frame).drawables[0].matrices[0, 0, 3] for frame in (3, 3.25, 4)]
    assert xs == pytest.approx([3, 3.25, 4])


def test_a_figure_that_does_not_move_is_computed_once():
    still = scene(figure(step("sphere"), step("grid"), step("shuffle"), step("twist")))
    memo = Memo()
    first = evaluate(still, 0, memo=memo)
    for frame in range(1, 20):
        assert evaluate(still, frame, memo=memo).drawables[0] is first.drawables[0]


def test_a_changed_value_recomputes_only_what_is_below_it(monkeypatch):
    memo, made, named = Memo(), [], routines.named
    monkeypatch.setattr(routines, "named", lambda result, key: made.append(key) or named(result, key))
    evaluate(scene(figure(step("sphere"), step("displace", strength=3), step("twist", angle=10))), 0, memo=memo)
    assert len(made) == 3
    evaluate(scene(figure(step("sphere"), step("displace", strength=3), step("twist", angle=20))), 0, memo=memo)
    assert len(made) == 4


def test_equal_keys_mean_equal_bytes():
    memo = Memo()
    moving = scene(MOVING)
    seen = {}
    for frame in (0, 5, 5, 0, 96):
        drawable = evaluate(moving, frame, memo=memo).drawables[0]
        assert seen.setdefault(drawable.mesh.key, drawable.mesh.points.tobytes()) == drawable.mesh.points.tobytes()
    assert len(seen) == 2  # frame 96 is frame 0 again


def test_the_topology_of_a_moving_mesh_keeps_its_key():
    moving = scene(MOVING)
    keys = {evaluate(moving, frame, memo=Memo()).drawables[0].mesh.topology.key for frame in (0, 7)}
    assert len(keys) == 1


def test_the_memo_forgets_what_was_not_asked_for_longest():
    memo = Memo(limit=1000)
    made = []

    def make(name):
        made.append(name)
        return np.zeros(100, np.float32)

    for name in ("a", "b", "a", "c", "a", "b"):
        memo.get(name, lambda name=name: make(name))
    assert made == ["a", "b", "c", "b"]
    assert memo.bytes <= 1000


def test_what_is_larger_than_the_memo_is_not_kept():
    memo = Memo(limit=10)
    memo.get("a", lambda: np.zeros(100))
    assert memo.bytes == 0


@pytest.mark.parametrize(
    ("steps", "says"),
    [
        ([step("box"), step("grid", columns=1000, rows=1000, layers=1000)], "1,000,000,000 copies; allowed up to"),
        ([step("plane", across=10000, up=10000)], "100,020,001 points; allowed up to 8,000,000"),
        ([step("box"), step("grid", columns=1000, rows=900), step("wheel", count=1000)], "900,000,000 copies"),
        ([step("plane", across=300, up=300), step("grid", columns=99, rows=99), step("twist")], "(9,801 × 90,601)"),
        ([step("box", parts=100), step("subdivide", times=7)], "points; allowed"),
    ],
)  # fmt: skip
def test_what_would_need_too_much_memory_is_refused_before_it_is_made(steps, says):
    huge = scene(figure(*steps))
    tracemalloc.start()
    with pytest.raises(ProblemError) as error:
        evaluate(huge, 0)
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert says in str(error.value)
    assert "figures/Thing/routine/" in str(error.value)
    assert peak < 300 * 2**20


def test_a_routine_without_a_form_says_so():
    with pytest.raises(ProblemError, match=r"figures/Thing/routine/0 \(twist\): there is no form yet"):
        evaluate(scene(figure(step("twist"))), 0)


def test_a_routine_with_nothing_draws_nothing():
    assert evaluate(scene(figure()), 0).drawables == ()


def test_steps_that_are_off_do_nothing():
    on = evaluate(scene(figure(step("box"))), 0).drawables[0]
    off = evaluate(scene(figure(step("box"), {**step("twist"), "on": False})), 0).drawables[0]
    np.testing.assert_array_equal(on.mesh.points, off.mesh.points)


def test_cancelling_stops_between_steps():
    asked = []

    def is_cancelled():
        asked.append(1)
        return len(asked) > 2

    with pytest.raises(Cancelled):
        evaluate(scene(figure(step("box"), step("grid"), step("shift"), step("twist"))), 0, is_cancelled=is_cancelled)
    assert len(asked) == 3


@pytest.mark.parametrize(
    ("visible", "view", "render"), [("shown", 1, 1), ("view only", 1, 0), ("render only", 0, 1), ("hidden", 0, 0)]
)
def test_visibility_has_its_say(visible, view, render):
    opened = scene(figure(step("box"), visible=visible))
    assert len(evaluate(opened, 0, purpose="view").drawables) == view
    assert len(evaluate(opened, 0, purpose="render").drawables) == render


def test_deforming_copies_needs_no_converting():
    drawable = evaluate(scene(figure(step("box"), step("grid", columns=4, rows=2), step("twist"))), 0).drawables[0]
    assert len(drawable.matrices) == 1
    assert len(drawable.mesh.points) == 8 * 8


def test_subdividing_copies_refines_what_they_are_copies_of():
    drawable = evaluate(scene(figure(step("box"), step("grid", columns=4, rows=2), step("subdivide"))), 0).drawables[0]
    assert len(drawable.matrices) == 8
    assert drawable.mesh.topology.face_count == 24


def test_modulating_a_single_form_takes_it_for_one_copy():
    drawable = evaluate(scene(figure(step("box"), step("shift", place=[5, 0, 0]))), 0).drawables[0]
    np.testing.assert_allclose(drawable.matrices[:, :, 3], [[5, 0, 0]])


def test_figures_follow_guides_that_follow_guides():
    guides = [
        {"id": "a", "name": "A", "place": {"position": [10, 0, 0], "rotation": [0, 0, 90]}},
        {"id": "b", "name": "B", "place": {"position": [5, 0, 0], "scale": [2, 2, 2], "follows": "a"}},
    ]
    opened = scene(figure(step("box"), place={"position": [1, 0, 0], "follows": "b"}), guides=guides)
    np.testing.assert_allclose(evaluate(opened, 0).drawables[0].matrices[0, :, 3], [10, 7, 0], atol=1e-5)


def test_a_formula_can_refer_to_a_guide():
    guides = [{"id": "hub", "name": "Hub", "place": {"scale": [4, 1, 1]}}]
    opened = scene(figure(step("box"), place={"position": [formula("100 / {Hub.scale.x}"), 0, 0]}), guides=guides)
    assert evaluate(opened, 0).drawables[0].matrices[0, 0, 3] == 25


@pytest.mark.parametrize("reference", ["Nobody.scale.x", "Hub.size.x", "Hub.scale", "Hub", "Hub.scale.w"])
def test_a_reference_to_nothing_names_the_setting(reference):
    guides = [{"id": "hub", "name": "Hub", "place": {}}]
    opened = scene(figure(step("box"), place={"position": [formula(f"{{{reference}}}"), 0, 0]}), guides=guides)
    with pytest.raises(ProblemError, match="figures/Thing/place/position: nothing in the scene is called"):
        evaluate(opened, 0)


def test_formulas_that_refer_in_a_circle_are_named():
    guides = [
        {"id": "a", "name": "A", "place": {"position": [formula("{B.position.x}"), 0, 0]}},
        {"id": "b", "name": "B", "place": {"position": [formula("{A.position.x}"), 0, 0]}},
    ]
    with pytest.raises(ProblemError, match="in a circle: .*B.position.x → A.position.x → B.position.x"):
        evaluate(scene(figure(step("box"), place={"follows": "a"}), guides=guides), 0)


def test_two_clauses_join_as_their_word_says():
    def weights(join, **joining):
        gust = field(
            "Gust",
            clause("between", start=-10, end=1000, fade=0),
            clause("between", {"join": join, **joining}, id="second", start=-1000, end=10, fade=0),
        )
        opened = scene(
            figure(
                step("box"), step("grid", columns=3, rows=1, apart=[50, 0, 0]), step("shift", "gust", place=[0, 1, 0])
            ),
            fields=[gust],
        )
        return evaluate(opened, 0).drawables[0].matrices[:, 1, 3].tolist()

    assert weights("plus") == [1, 1, 1]
    assert weights("less") == [0, 0, 1]
    assert weights("only where") == [0, 1, 0]
    assert weights("whichever is more") == [1, 1, 1]
    assert weights("whichever is less") == [0, 1, 0]
    assert weights("instead") == [1, 1, 0]
    assert weights("half and half") == [0.5, 1, 0.5]
    assert weights("only where", inside_out=True) == [0, 0, 1]
    assert weights("less", strength=0.5) == [0, 0.5, 1]
    assert weights("instead", response=[[0, 0.2], [1, 0.7]]) == pytest.approx([0.7, 0.7, 0.2])


def test_a_field_that_follows_a_guide_goes_with_it():
    guides = [{"id": "wind", "name": "Wind", "place": {"position": [keyed((0, -500), (96, 500)), 0, 0]}}]
    gust = field("Gust", clause("region", {"follows": "wind"}, size=[100] * 3, fade=0))
    opened = scene(figure(step("box"), step("shift", "gust", place=[0, 1, 0])), fields=[gust], guides=guides)
    heights = [evaluate(opened, frame).drawables[0].matrices[0, 1, 3] for frame in (0, 48, 96)]
    assert heights == [0, 1, 0]


def test_a_field_acts_in_the_world_not_in_the_figure():
    gust = field("Gust", clause("region", position=[300, 0, 0], size=[100] * 3, fade=0))
    moved = figure(step("box"), step("shift", "gust", place=[0, 1, 0]), place={"position": [300, 0, 0]})
    assert evaluate(scene(moved, fields=[gust]), 0).drawables[0].matrices[0, 1, 3] == 1


def test_reach_shows_the_weights_of_a_field():
    gust = field("Gust", clause("between", start=-10, end=10, fade=0))
    opened = scene(figure(step("box"), step("grid", columns=3, rows=1)), fields=[gust])
    assert evaluate(opened, 0, reach="gust").drawables[0].reach.tolist() == [0, 1, 0]
    single = scene(figure(step("plane", across=2, up=1)), fields=[gust])
    assert evaluate(single, 0, reach="gust").drawables[0].reach.tolist() == [0, 1, 0] * 2


def test_a_problem_at_one_frame_does_not_spoil_the_others():
    opened = scene(figure(step("sphere"), step("twist", angle=formula("10 / (frame - 3)"))))
    assert evaluate(opened, 2).drawables
    with pytest.raises(ProblemError, match=r"routine/1 \(twist\)/angle: .* at frame 3"):
        evaluate(opened, 3)


def test_lanes_are_sampled_from_the_first_frame_to_the_end():
    opened = read_scene(document(figure(step("sphere"), step("twist", angle=swing(10, 5)))))
    (lane,) = sample_lanes(opened)
    assert len(lane["samples"]) == 97
    assert lane["samples"][24] == 15
    assert lane["sort"] == "live"


def test_each_setting_is_resolved_once_for_a_moment(monkeypatch):
    """However often a place, a field or a step is asked for: by copies, by references, by what follows it."""
    counts, inner = {}, Settings.resolve

    def counted(self, around=None):
        if around is not None and around.count == 1:
            key = id(self), around.moment.frame
            counts[key] = counts.get(key, 0) + 1
        return inner(self, around)

    gust = field("Gust", clause("near", {"follows": "hub"}, to="hub"))
    guides = [{"id": "hub", "name": "Hub", "place": {"position": [swing(0, 50), 0, 0]}}]
    opened = scene(
        figure(step("sphere"), step("grid", "gust"), step("aim", at="hub"),
               step("shift", "gust", place=[swing(0, 9), 0, 0]), place={"follows": "hub"}),
        figure(step("box"), step("scatter", onto="thing"), name="Crumbs", place={"follows": "thing", "lag": 2}),
        fields=[gust], guides=guides,
    )  # fmt: skip
    monkeypatch.setattr(Settings, "resolve", counted)
    evaluate(opened, 7, memo=Memo())
    assert len(counts) > 15
    assert {key for key, count in counts.items() if count > 1} == set()
