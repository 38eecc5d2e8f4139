"""Jiggle and strands against closed forms, and what their settings say of them."""

import numpy as np
import pytest
from scipy.optimize import brentq

from pirouette.checks import notes_of
from pirouette.craft.springs import sprung
from pirouette.document import read_scene
from pirouette.evaluate import Evaluator, Memo
from pirouette.kernels.geometry.ropes import lengths_kept
from tests.scenes import clause, document, field, figure, force, formula, keyed, pushed, step

# Pulled over evenly during the first frame.
JUMPS = {"position": [formula("50 * min(frame, 1)"), 0, 0]}


def once(*figures, fps=24, frames=96, **more):
    return read_scene(document(*figures, clock={"fps": fps, "frames": frames, "loops": False}, **more))


def points_at(scene, frame, memo=None):
    shape = Evaluator(scene, frame, Memo() if memo is None else memo).shape_of(scene.figures[0])
    return shape.points if hasattr(shape, "points") else shape.position


def curves(mesh):
    return mesh.points[mesh.topology.lines.corners].reshape(mesh.topology.curve_count, -1, 3)


@pytest.mark.parametrize("damping", [0.05, 0.5, 1.0, 2.5])
def test_a_spring_solves_its_equation(damping):
    at, velocity = np.array([[1.0, 0, 0]]), np.array([[0.0, 2, 0]])
    goal, after, swings, seconds = np.zeros((1, 3)), np.array([[0.3, 0.1, 0]]), 1.5, 0.4
    place, speed = sprung(at, velocity, goal, after, swings, damping, seconds)
    omega, x, v, count = 2 * np.pi * swings, at.copy(), velocity.copy(), 20_000
    for k in range(count):
        here = goal + (after - goal) * ((k + 0.5) / count)
        v = v + (omega**2 * (here - x) - 2 * damping * omega * v) * (seconds / count)
        x = x + v * (seconds / count)
    np.testing.assert_allclose(place, x, atol=2e-4)
    np.testing.assert_allclose(speed, v, atol=2e-3)
    halfway = sprung(at, velocity, goal, after / 2, swings, damping, seconds / 2)
    np.testing.assert_allclose(sprung(*halfway, after / 2, after, swings, damping, seconds / 2)[0], place, atol=1e-12)


@pytest.mark.parametrize("fps", [12, 24, 60])
def test_a_jiggle_swings_and_decays_as_the_damped_oscillator_at_every_rate_of_frames(fps):
    scene = once(
        figure(step("box"), pushed("jiggle", swings=2, damping=0.1, holds_together=0), place=JUMPS), fps=fps,
        frames=fps * 2,
    )  # fmt: skip
    memo, rest = Memo(), points_at(once(figure(step("box"))), 0)
    omega = 2 * np.pi * 2
    ring = omega * np.sqrt(1 - 0.01)
    for frame in (fps // 4 + 1, fps // 2 + 1, fps + 1):
        seconds = np.array([(frame - share) / fps for share in np.linspace(0, 1, 201)])
        swung = np.exp(-0.1 * omega * seconds) * (np.cos(ring * seconds) + 0.1 * omega / ring * np.sin(ring * seconds))
        wanted = -50 * np.mean(swung)
        assert (points_at(scene, frame, memo) - rest)[:, 0] == pytest.approx(wanted, abs=0.3)


def test_a_field_says_what_swings_and_neighbours_hold_together():
    top = field("Top", clause("between", start=0, end=100, fade=0, axis="y"))
    bar = step("box", width=10, height=100, depth=10, parts=8)
    scene = once(figure(bar, {**pushed("jiggle", holds_together=0), "only_where": "top"}, place=JUMPS), fields=[top])
    rest, moved = points_at(scene, 0), points_at(scene, 4)
    away = np.linalg.norm(moved - rest, axis=1)
    assert away[rest[:, 1] < -1].max() == 0
    assert away[rest[:, 1] > 1].min() > 5
    loose, tight = (
        once(figure(bar, pushed("jiggle", force("gust", strength=4000, size=15), holds_together=share)))
        for share in (0, 0.95)
    )
    spread = [np.std(points_at(one, 30) - points_at(one, 0), axis=0).mean() for one in (loose, tight)]
    assert spread[1] < 0.4 * spread[0]


def test_copies_jiggle_as_wholes_and_know_their_speed():
    scene = once(figure(step("box"), step("row", count=3), pushed("jiggle", moves="whole copies"), place=JUMPS))
    shape = Evaluator(scene, 3, Memo()).shape_of(scene.figures[0])
    assert shape.count == 3
    assert (shape.at_copies["speed"] > 20).all()
    assert len(shape.sources[0].points) == 8


def test_a_rope_held_at_both_ends_hangs_as_a_catenary():
    count, wide, length = 41, 100.0, 150.0
    at = np.zeros((1, count, 3))
    at[0, :, 0] = np.linspace(-wide / 2, wide / 2, count)
    weights = np.ones((1, count))
    weights[0, [0, -1]] = 0
    lengths, velocity, part = np.full((1, count - 1), length / (count - 1)), np.zeros_like(at), 1 / 96
    for _ in range(96 * 12):
        before = at
        velocity = velocity * np.exp(-3 * part)
        velocity[:, 1:-1, 1] -= 100 * part
        at = lengths_kept(at + velocity * part, lengths, weights)
        velocity = (at - before) / part
    a = brentq(lambda a: 2 * a * np.sinh(wide / 2 / a) - length, 5, 500)
    hung = a * (np.cosh(at[0, :, 0] / a) - np.cosh(wide / 2 / a))
    assert np.abs(hung - at[0, :, 1]).max() < 0.1
    assert at[0, :, 1].min() < -45


def test_strands_keep_their_length_whatever_blows():
    forces = force("gust", strength=500, size=30, churn=4), force("gravity", strength=300)
    strands = pushed("strands", *forces, count=30, parts=32, length=100, length_chance=0.5)
    ball = figure(step("sphere", radius=39), name="Ball", visible="hidden")
    strands["settings"]["meets"] = ["ball"]
    scene, memo = once(figure(step("sphere", radius=40), strands), ball), Memo()
    first = curves(Evaluator(scene, 0, memo).shape_of(scene.figures[0]))
    for frame in (7, 20.5, 60):
        now = curves(Evaluator(scene, frame, memo).shape_of(scene.figures[0]))
        grown, kept = (np.linalg.norm(np.diff(one.astype(float), axis=1), axis=2) for one in (first, now))
        assert np.abs(kept / grown - 1).max() < 1e-3
        np.testing.assert_allclose(now[:, 0], first[:, 0], atol=1e-4)
        assert np.linalg.norm(now - first, axis=2).max() > 20
    assert 50 <= grown.sum(axis=1).min() < 65
    assert grown.sum(axis=1).max() <= 100.001


def test_strands_hang_down_stay_out_of_what_they_meet_and_stand_when_they_are_stiff():
    def hanging(**more):
        strands = pushed("strands", force("gravity", strength=400), force("drag", strength=2), count=40, parts=16,
                         length=60, length_chance=0, meets=["ball"], **more)  # fmt: skip
        ball = figure(step("sphere", radius=39, rings=24, segments=48), name="Ball", visible="hidden")
        scene = once(figure(step("sphere", radius=40, rings=24, segments=48), strands), ball)
        return curves(Evaluator(scene, 95, Memo()).shape_of(scene.figures[0])), Evaluator(scene, 0, Memo())

    loose, _ = hanging(swings=0)
    ways = loose[:, -1] - loose[:, -4]
    assert (ways[:, 1] < 0).mean() > 0.9
    assert np.linalg.norm(loose, axis=2).min() > 38
    stiff, first = hanging(swings=20)
    grown = curves(first.shape_of(first.scene.figures[0]))
    assert np.linalg.norm(stiff - grown, axis=2).max() < 2


def test_side_strands_gather_at_the_tip_or_the_root_and_know_that_they_are_some():
    def shape(**more):
        scene = once(figure(step("sphere"), step("strands", count=4, sides=5, around=10, parts=64, **more)))
        return Evaluator(scene, 0, Memo()).shape_of(scene.figures[0])

    for gather, near, far in (("at the tip", -1, 0), ("at the root", 0, -1)):
        mesh = shape(gather=gather)
        each = curves(mesh)
        assert len(each) == 24
        branch = mesh.at_points["branch"].reshape(24, -1)[:, 0]
        assert list(branch) == [0] * 4 + [1] * 20
        seeds = mesh.at_points["seed"].reshape(24, -1)[:, 0].astype(int)
        main = each[:4][seeds[4:]]
        apart = np.linalg.norm(each[4:] - main, axis=2)
        # Those that gather at the tip may end a quarter before it.
        along = np.array([np.linalg.norm(main[k] - each[4 + k][near], axis=1).min() for k in range(20)])
        assert along.max() < 1.5
        assert apart[:, far].max() > 5
        assert apart.max() < 10 + 30
    width = mesh.at_points["width"].reshape(24, -1)
    assert (np.diff(width, axis=1) <= 0).all()


def test_strands_go_with_their_form_and_need_faces():
    place = {"position": [keyed((0, 0), (48, 100)), 0, 0]}
    scene = once(figure(step("sphere"), pushed("strands", count=6), place=place))
    roots = [curves(Evaluator(scene, frame, Memo()).shape_of(scene.figures[0]))[:, 0] for frame in (0, 24)]
    np.testing.assert_allclose(roots[0], roots[1], atol=1e-3)
    tips = curves(Evaluator(scene, 24, Memo()).shape_of(scene.figures[0]))[:, -1]
    first = curves(Evaluator(scene, 0, Memo()).shape_of(scene.figures[0]))[:, -1]
    assert (tips[:, 0] < first[:, 0] - 3).mean() > 0.8


def test_strands_are_held_to_a_figure_go_with_it_and_keep_their_lengths():
    ball = figure(step("sphere", radius=40, rings=48, segments=96), name="Ball", visible="hidden")
    form, held = step("sphere", radius=40, rings=24, segments=48), force("stick", to="ball", off=2)
    hair = {"count": 12, "parts": 24, "length": 50, "length_chance": 0, "swings": 0}
    blown = force("gust", strength=120, size=60)
    scene = once(figure(form, pushed("strands", blown, held, **hair)), ball)
    found = curves(Evaluator(scene, 30, Memo()).shape_of(scene.figures[0]))
    away = np.linalg.norm(found[:, 1:], axis=2) - 42
    assert np.abs(away).max() < 1
    lengths = np.linalg.norm(np.diff(found, axis=1), axis=2)
    np.testing.assert_allclose(lengths, 50 / 23, rtol=1e-3)
    free = once(figure(form, pushed("strands", blown, **hair)), ball)
    assert np.abs(np.linalg.norm(points_at(free, 30), axis=1) - 42).max() > 20
    # A full grip takes them along with a ball that turns; without any they let it turn beneath them.
    turning = {**ball, "place": {"rotation": [0, formula("frame * 2"), 0]}}
    turn = np.radians(8)
    turned = np.array([[np.cos(turn), 0, np.sin(turn)], [0, 1, 0], [-np.sin(turn), 0, np.cos(turn)]])
    for grip, comes_along in ((0, np.eye(3)), (1, turned)):
        gripped = force("stick", to="ball", off=2, grip=grip)
        scene, memo = once(figure(form, pushed("strands", gripped, **hair)), turning), Memo()
        tips = [curves(Evaluator(scene, frame, memo).shape_of(scene.figures[0]))[:, -1] for frame in (4, 8)]
        assert np.linalg.norm(tips[0] @ comes_along.T - tips[1], axis=1).mean() < 1.2, grip
        other = turned if grip == 0 else np.eye(3)
        assert np.linalg.norm(tips[0] @ other.T - tips[1], axis=1).mean() > 3, grip


def test_what_jiggles_is_held_to_a_figure_and_a_force_without_a_figure_says_so():
    ball = figure(step("sphere", radius=40, rings=48, segments=96), name="Ball", visible="hidden")
    form, held = step("sphere", radius=40, rings=24, segments=48), force("stick", to="ball", off=2)
    blown = force("gust", strength=800, size=20)
    scene = once(figure(form, pushed("jiggle", blown, held)), ball)
    assert np.abs(np.linalg.norm(points_at(scene, 20), axis=1) - 42).max() < 0.2
    free = once(figure(form, pushed("jiggle", blown)), ball)
    assert np.abs(np.linalg.norm(points_at(free, 20), axis=1) - 42).max() > 3
    assert not [note for note in notes_of(scene) if note.where.startswith("stick")]
    lost = once(figure(form, pushed("swarm", force("stick"), force("stream"), count=4)))
    assert [note.where for note in notes_of(lost) if note.code == "step.no-effect"] == [
        "stick, under line 2",
        "stream, under line 2",
    ]
