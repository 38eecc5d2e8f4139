"""The ways of points, copies and guides as curves."""

import numpy as np
import pytest

from pirouette.data.attribute import Attributes
from pirouette.document import read_scene
from pirouette.evaluate import Evaluator, Memo
from pirouette.geometry.curve import Line, sampled
from pirouette.geometry.ways import MOST_BETWEEN, ways
from tests.scenes import clause, document, field, figure, force, formula, keyed, pushed, step, swing

CIRCLE = [formula("50 * cos(tau * turn)"), formula("50 * sin(tau * turn)"), 0]


def shape_at(raw, frame):
    scene = read_scene(raw)
    return Evaluator(scene, frame, Memo()).shape_of(scene.figures[0])


def scene(*steps, loops=True, place=None, **more):
    raw = document(figure(*steps, place=place or {}), **more)
    raw["clock"] = {"fps": 24, "frames": 48, "loops": loops}
    return raw


def test_a_guide_on_a_circle_leaves_its_circle_closed_and_evenly_spaced():
    hub = {"id": "hub", "name": "Hub", "place": {"position": CIRCLE}}
    mesh = shape_at(scene(step("box"), step("trail", of=["hub"], lasts="the whole loop"), guides=[hub]), 7)
    assert mesh.topology.curve_count == 1
    assert mesh.topology.lines.closed[0]
    np.testing.assert_allclose(np.linalg.norm(mesh.points, axis=1), 50, atol=1e-3)
    assert len(mesh.points) == 48
    even = shape_at(scene(step("box"), step("trail", of=["hub"], lasts="the whole loop", spacing=3), guides=[hub]), 7)
    gaps = np.linalg.norm(np.diff(even.points, axis=0), axis=1)
    assert len(even.points) == pytest.approx(2 * np.pi * 50 / 3, abs=2)
    assert gaps.max() / gaps.min() < 1.05


@pytest.mark.parametrize("is_closed", [False, True])
@pytest.mark.parametrize("spacing", [0.3, 2.5, 40])
def test_ways_are_spaced_as_each_by_itself_would_be(is_closed, spacing):
    moments, count = 9, 7
    places = np.random.default_rng(4).normal(size=(moments, count, 3)).cumsum(axis=0) * 5
    places[:, 2] = [4, 5, 6]  # one that stands still
    places[5:, 3] = np.nan  # one that came later
    places[1:, 4] = np.nan  # one that is only now there
    mesh = ways(np.arange(moments), places, Attributes(), is_closed, spacing)
    lines, kept = mesh.topology.lines, [k for k in range(count) if k != 4]
    assert lines.count == len(kept)
    for k, start, end in zip(kept, lines.offsets, lines.offsets[1:], strict=False):
        # The oldest first.
        own = places[:, k][np.isfinite(places[:, k]).all(axis=1)][::-1]
        line = Line(own, is_closed)
        made = int(min(np.ceil(line.length / spacing) + (not is_closed), MOST_BETWEEN * len(own)))
        assert end - start == max(made, 2)
        at = np.arange(end - start) / (end - start - (not is_closed))
        np.testing.assert_allclose(mesh.points[start:end], sampled(line, at), rtol=1e-5, atol=1e-5)
        if line.length:
            ages = np.arange(len(own), dtype=float)[::-1]
            ages = np.append(ages, ages[0])[: len(line.shares), None]
            np.testing.assert_allclose(mesh.at_points["age"][start:end], sampled(ages, at, line)[:, 0], atol=1e-4)


@pytest.mark.parametrize("frame", [20, 20.25])
def test_a_trail_of_some_frames_ends_where_its_points_are_and_stays_where_they_were(frame):
    wheel = step("row", count=2, apart=[0, 30, 0])
    moved = step("shift", id="moved", place=[swing(0, 80), 0, 0])
    mesh = shape_at(scene(step("box"), wheel, moved, step("trail", frames=10)), frame)
    assert mesh.topology.curve_count == 2
    x = lambda at: 80 * np.sin(2 * np.pi * at / 48)  # noqa: E731
    lines = mesh.points[mesh.topology.lines.corners].reshape(2, -1, 3)
    np.testing.assert_allclose(lines[0, [0, -1], 0], [x(frame - 10), x(frame)], atol=0.5)
    whole = [point for point, age in zip(lines[0, :, 0], mesh.at_points["age"], strict=False) if (frame - age) % 1 == 0]
    np.testing.assert_allclose(whole, [x(np.ceil(frame - 10) + k) for k in range(len(whole))], atol=0.05)
    ages = mesh.at_points["age"].reshape(2, -1)[0]
    assert (ages[0], ages[-1]) == (10, 0)
    np.testing.assert_allclose(mesh.at_points["width"].reshape(2, -1)[0], 2 * (1 - ages / 10), atol=1e-5)


def test_trails_stay_in_the_world_or_go_with_their_figure():
    place = {"position": [keyed((0, 0), (48, 96)), 0, 0]}
    for stays, long in (("the world", 20.0), ("the figure's own space", 0.0)):
        mesh = shape_at(scene(step("sphere"), step("trail", frames=10, stays_in=stays), loops=False, place=place), 30)
        reach = np.ptp(mesh.points[mesh.topology.lines.corners].reshape(mesh.topology.curve_count, -1, 3)[0, :, 0])
        assert reach == pytest.approx(long, abs=0.01)


def test_points_of_a_swarm_are_followed_by_their_names_back_to_their_birth():
    raw = scene(
        step("sphere", radius=30), pushed("swarm", force("gust", strength=100), count=60, life=30),
        step("trail", lasts="since birth"),
    )  # fmt: skip
    mesh = shape_at(raw, 3)
    lines, ages = mesh.topology.lines, mesh.at_points["age"]
    assert lines.count > 20
    for k in range(lines.count):
        corners = lines.corners[lines.offsets[k] : lines.offsets[k + 1]]
        assert len(set(mesh.at_points["seed"][corners])) == 1
        assert (np.diff(ages[corners]) < 0).all()
        # From the ball's skin on, without a leap, also over the loop's seam.
        assert np.linalg.norm(mesh.points[corners[0]]) == pytest.approx(30, abs=1.2)
        assert np.linalg.norm(np.diff(mesh.points[corners], axis=0), axis=1).max() < 6
    assert ages.max() > 10


def test_only_chosen_points_leave_trails_and_all_may_be_linked_in_order():
    right = field("Right", clause("between", start=0, end=500, fade=0, axis="x"))
    row = step("row", count=5, apart=[30, 0, 0])
    moved = step("shift", id="moved", place=[0, swing(0, 80), 0])
    mesh = shape_at(scene(step("box"), row, moved, step("trail", "right", frames=5), fields=[right]), 9)
    assert 1 <= mesh.topology.curve_count < 5
    linked = shape_at(scene(step("box"), row, step("trail", lasts="from one to the next")), 9)
    assert linked.topology.curve_count == 1
    np.testing.assert_allclose(np.diff(linked.points[:, 0]), 30, atol=1e-4)


def test_what_plays_once_has_no_trail_from_before_it_began():
    moved = step("shift", id="moved", place=[keyed((0, 0), (48, 96)), 0, 0])
    mesh = shape_at(scene(step("box"), moved, step("trail", frames=20), loops=False), 6)
    assert mesh.at_points["age"].max() == 6
    assert shape_at(scene(step("box"), moved, step("trail", frames=20), loops=False), 0).topology.curve_count == 0
