"""Swarms and their forces: physics in closed form, births, lives, what holds and what is met."""

import numpy as np
import pytest

from pirouette.data import Copies, ProblemError
from pirouette.document import read_scene
from pirouette.evaluate import Evaluator, Memo
from tests.scenes import clause, document, field, figure, force, formula, keyed, pushed, step

# All at one point, all at once, for ever, without chance.
PLAIN = {"born": "all at once", "life": 0, "life_chance": 0, "speed_chance": 0, "spread": 0}
DOT = step("sphere", radius=1e-4)
BALL = figure(step("sphere", radius=40, rings=48, segments=96), name="Ball", visible="hidden")


def once(*figures, fps=24, frames=96, **more):
    return read_scene(document(*figures, clock={"fps": fps, "frames": frames, "loops": False}, **more))


def looping(*figures, frames=48, **more):
    return read_scene(document(*figures, clock={"fps": 24, "frames": frames, "loops": True}, **more))


def shape_at(scene, frame, memo=None):
    return Evaluator(scene, frame, Memo() if memo is None else memo).shape_of(scene.figures[0])


def test_free_fall_is_a_parabola():
    scene = once(figure(DOT, pushed("swarm", force("gravity", strength=200), count=5, speed=0, **PLAIN)))
    for frame in (12, 24.5, 48):
        seconds = frame / 24
        mesh = shape_at(scene, frame)
        # Steps of a ninety-sixth of a second are this much too far.
        np.testing.assert_allclose(mesh.points[:, 1], -100 * seconds**2 - seconds * 200 / 192, rtol=1e-3, atol=0.05)
        np.testing.assert_allclose(mesh.at_points["velocity"][:, 1], -200 * seconds, rtol=1e-4)


@pytest.mark.parametrize("fps", [12, 24, 60])
def test_every_rate_of_frames_gives_the_same_motion(fps):
    # Not so wild that the least difference grows.
    forces = force("gust", strength=100, size=80), force("drag", strength=1)
    scene = once(
        figure(step("sphere", radius=20), pushed("swarm", *forces, count=50, **PLAIN)), fps=fps, frames=fps * 2
    )
    points = shape_at(scene, fps * 2).points
    finest = once(figure(step("sphere", radius=20), pushed("swarm", *forces, count=50, **PLAIN)), fps=96, frames=192)
    assert np.abs(points - shape_at(finest, 192).points).max() < 1.0
    assert np.linalg.norm(points, axis=1).mean() > 40


def test_drag_decays_exactly_and_what_falls_reaches_a_terminal_speed():
    slowed = once(figure(DOT, pushed("swarm", force("drag", strength=2), count=3, speed=80, **PLAIN)))
    assert shape_at(slowed, 24).at_points["speed"] == pytest.approx(80 * np.exp(-2), rel=1e-4)
    falling = force("gravity", strength=300), force("drag", strength=3)
    scene = once(figure(DOT, pushed("swarm", *falling, count=3, speed=0, **PLAIN)))
    assert shape_at(scene, 90).at_points["speed"] == pytest.approx(100, rel=0.02)
    square = force("gravity", strength=100), force("drag", strength=0, when_fast=4)
    scene = once(figure(DOT, pushed("swarm", *square, count=3, speed=0, **PLAIN)))
    # 100 = (4 / 100) v²
    assert shape_at(scene, 95).at_points["speed"] == pytest.approx(50, rel=0.02)


def test_a_whirl_and_a_pull_keep_to_their_axis_and_place():
    whirled = once(
        figure(
            step("circle", radius=50),
            pushed(
                "swarm",
                force("whirl", strength=40, axis="z", reach=1e6),
                out_of="its points",
                speed=0,
                count=20,
                **PLAIN,
            ),
        )
    )
    mesh = shape_at(whirled, 2)
    out, way = mesh.points[:, :2], mesh.at_points["velocity"][:, :2]
    assert (out[:, 0] * way[:, 1] - out[:, 1] * way[:, 0] > 0).all()
    np.testing.assert_allclose((out * way).sum(axis=1) / 50 / np.linalg.norm(way, axis=1), 0, atol=0.02)
    pulled = once(
        figure(
            step("sphere", radius=60),
            pushed(
                "swarm",
                force("pull", strength=400, fades="not at all"),
                force("drag", strength=4),
                count=40,
                speed=0,
                **PLAIN,
            ),
        )
    )
    assert np.linalg.norm(shape_at(pulled, 90).points, axis=1).max() < 2


def test_a_force_is_limited_by_its_field_and_by_formulas_for_each_point():
    right = field("Right", clause("between", start=0, end=100, fade=0, axis="x"))
    falls = force("gravity", "right", strength=100)
    swarm = pushed("swarm", falls, count=60, speed=0, **PLAIN)
    scene = once(figure(step("sphere", radius=30), swarm), fields=[right])
    first, mesh = shape_at(scene, 0), shape_at(scene, 20)
    weights = Evaluator(scene, 0, Memo()).weights(scene.fields[0], first.points)
    assert 0 < (weights > 0.5).sum() < 60
    fell = first.points[:, 1] - mesh.points[:, 1] > 1
    np.testing.assert_array_equal(fell, weights > 0.5)
    scene = once(
        figure(
            step("sphere", radius=30),
            pushed("swarm", force("gravity", strength=formula("100 * order")), count=60, speed=0, **PLAIN),
        )
    )
    fell = shape_at(scene, 0).points[:, 1] - shape_at(scene, 24).points[:, 1]
    np.testing.assert_allclose(fell, np.linspace(0, fell[-1], 60), atol=0.02)
    assert fell[-1] > 40


def test_points_held_to_a_ball_stay_on_it_while_they_are_blown_about():
    forces = force("gust", strength=500, size=30), force("stick", to="ball")
    swarm = pushed("swarm", *forces, count=300, **{**PLAIN, "speed": 100})
    scene = once(figure(step("sphere", radius=40, rings=48, segments=96), swarm), BALL)
    mesh = shape_at(scene, 30.5)
    tree_gap = np.abs(np.linalg.norm(mesh.points, axis=1) - 40)
    # The ball is made of flat faces.
    assert tree_gap.max() < 0.09
    gaps = (
        Evaluator(scene, 30.5, Memo())
        .links(
            scene.figures[0].routine[1].forces[1].settings, scene.figures[0].routine[1].forces[1].settings.resolve()
        )[0]["to"]
        .tree.closest(mesh.points)[2]
    )
    assert gaps.max() < 1e-3
    assert mesh.at_points["speed"].mean() > 20


def test_a_full_grip_takes_points_along_with_a_turning_figure_and_none_lets_them_be():
    for grip, turned in ((1, True), (0, False)):
        ball = {**BALL, "place": {"rotation": [0, 0, keyed((0, 0), (48, 90))]}}
        swarm = pushed("swarm", force("stick", to="ball", grip=grip), count=30, **{**PLAIN, "speed": 0})
        scene = once(figure(step("sphere", radius=40, rings=48, segments=96), swarm), ball)
        first, last = shape_at(scene, 0).points, shape_at(scene, 48).points
        wanted = np.stack([-first[:, 1], first[:, 0], first[:, 2]], axis=1) if turned else first
        assert np.abs(last - wanted).max() < (0.4 if turned else 0.2)


@pytest.mark.parametrize(("meeting", "height"), [("bounce", 0.3), ("slide", 0.0), ("stick", 0.0)])
def test_what_falls_on_a_floor_does_there_as_it_is_told(meeting, height):
    floor = figure(step("box", width=400, height=40, depth=400), name="Floor", visible="hidden",
                   place={"position": [0, -70, 0]})  # fmt: skip
    swarm = pushed("swarm", force("gravity", strength=200), count=20, meets=["floor"], meeting=meeting, bounce=0.8,
                   **{**PLAIN, "speed": 30, "way": "along x"})  # fmt: skip
    scene = once(figure(step("sphere", radius=5), swarm), floor)
    tops = [shape_at(scene, frame) for frame in range(20, 40)]
    lowest = min(mesh.points[:, 1].min() for mesh in tops)
    assert lowest > -50.01
    rises = max(mesh.at_points["velocity"][:, 1].max() for mesh in tops)
    assert (rises > 50) == (height > 0)
    drift = tops[-1].points[:, 0] - tops[-8].points[:, 0]
    assert (np.abs(drift) < 1e-3).all() if meeting == "stick" else (drift > 5).all()


def test_a_strong_force_never_explodes():
    forces = [force("gust", strength=500, size=5, detail=4), force("pull", strength=500, fades="not at all"),
              force("whirl", strength=500), force("stick", to="ball")]  # fmt: skip
    scene = once(figure(step("sphere", radius=40), pushed("swarm", *forces, count=100, **PLAIN)), BALL)
    mesh = shape_at(scene, 95)
    assert np.isfinite(mesh.points).all()
    assert np.linalg.norm(mesh.points, axis=1).max() < 41


def test_births_come_over_time_with_lives_by_chance_and_ages_that_say_so():
    scene = once(figure(step("sphere"), step("swarm", count=100, over=40, life=20, life_chance=0.5, speed=10)))
    ages = [shape_at(scene, frame).at_points["age"] for frame in (5, 30, 39.5, 49)]
    assert [len(age) > 0 for age in ages] == [True, True, True, True]
    assert ages[0].max() <= 5.5
    assert ages[1].max() <= 20
    assert len(shape_at(scene, 61).points) == 0
    mesh = shape_at(scene, 30)
    spans = mesh.at_points["age"] / mesh.at_points["life"]
    assert spans.min() >= 10 - 1e-3
    assert spans.max() <= 20 + 1e-3


def test_between_frames_points_are_born_and_die_at_their_own_times():
    scene = once(figure(step("sphere"), step("swarm", count=400, over=40, life=12, speed=40)))
    memo = Memo()
    counts, before = [], None
    for frame in np.arange(20, 22.01, 0.125):
        mesh = shape_at(scene, float(frame), memo)
        named = {
            seed: (age, point)
            for seed, age, point in zip(mesh.at_points["seed"], mesh.at_points["age"], mesh.points, strict=True)
        }
        if before is not None:
            stay = set(named) & set(before)
            assert all(abs(named[one][0] - before[one][0] - 0.125) < 1e-3 for one in stay)
            assert max(np.linalg.norm(named[one][1] - before[one][1]) for one in stay) < 40 / 24 * 0.125 + 0.01
            counts.append((len(set(named) - set(before)), len(set(before) - set(named))))
        before = named
    # Ten are born in each frame, and about as many die: not all of them at whole frames.
    assert sum(born > 0 for born, _ in counts) > 10
    assert sum(died > 0 for _, died in counts) > 8


@pytest.mark.parametrize("life", [20, 48, 130])
def test_a_loop_of_births_is_exactly_as_it_was_after_one_turn(life):
    forces = force("gust", strength=200, churn=2), force("drag", strength=1)
    scene = looping(figure(step("sphere"), pushed("swarm", *forces, count=40, life=life)))
    memo = Memo()
    start, end, near = (shape_at(scene, frame, memo) for frame in (0, 48, 47.99))
    np.testing.assert_array_equal(start.points, end.points)
    np.testing.assert_array_equal(start.at_points["age"], end.at_points["age"])
    assert len(near.points) == len(start.points)
    assert np.abs(near.points - start.points).max() < 0.1
    assert len(start.points) == pytest.approx(40 * life / 48 * 0.85, rel=0.15)


def test_points_for_ever_are_blended_so_that_place_and_speed_meet_and_are_held_again():
    forces = force("gust", strength=300, size=30), force("stick", to="ball")
    scene = looping(
        figure(step("sphere", radius=40), pushed("swarm", *forces, count=80, closes_by="blending", life=0)), BALL
    )
    memo = Memo()
    points = {frame: shape_at(scene, frame, memo).points for frame in (0, 1, 2, 46, 47, 48)}
    np.testing.assert_array_equal(points[0], points[48])
    across, ordinary = points[0] - points[47], points[47] - points[46]
    assert np.linalg.norm(across - (points[1] - points[0]), axis=1).max() < 3 * np.linalg.norm(ordinary, axis=1).max()
    assert np.abs(np.linalg.norm(shape_at(scene, 23.5, memo).points, axis=1) - 40).max() < 0.2
    assert np.linalg.norm(shape_at(scene, 24, memo).points - points[0], axis=1).mean() > 5


def test_copies_move_turn_and_are_as_many_as_live():
    swarm = step("swarm", out_of="its copies", count=500, speed=60, way="along x", **PLAIN)
    scene = once(figure(step("box", width=4), step("grid", columns=4, rows=3, layers=1), swarm))
    first, last = shape_at(scene, 0), shape_at(scene, 24)
    assert isinstance(first, Copies)
    assert first.count == last.count == 12
    np.testing.assert_allclose(last.position - first.position, [[60, 0, 0]] * 12, atol=1e-3)
    # Their z axes point along x.
    ahead = last.matrices[:, :3, 2]
    np.testing.assert_allclose(ahead / np.linalg.norm(ahead, axis=1, keepdims=True), [[1, 0, 0]] * 12, atol=1e-5)


def test_where_a_field_is_low_nobody_is_born():
    right = field("Right", clause("between", start=0, end=100, fade=0, axis="x"))
    scene = once(figure(step("sphere", radius=50), step("swarm", "right", count=400, **{**PLAIN, "speed": 0})),
                 fields=[right])  # fmt: skip
    mesh = shape_at(scene, 1)
    weights = Evaluator(scene, 1, Memo()).weights(scene.fields[0], mesh.points)
    assert 0 < len(mesh.points) < 400
    assert weights.min() > 0


@pytest.mark.parametrize("loops", [True, False])
def test_points_are_born_as_a_field_reaches_them(loops):
    sweep = clause(
        "between", start=formula("-150 + 300 * frame / 48"), end=formula("-120 + 300 * frame / 48"), fade=0, axis="x"
    )
    swarm = step(
        "swarm", "sweep", count=300, speed=0, spread=0, life=20, life_chance=0, born="as the field reaches them"
    )
    make = looping if loops else once
    scene = make(figure(step("sphere", radius=100), swarm), frames=48, fields=[field("Sweep", sweep)])
    memo = Memo()
    for frame in (0, 9, 30):
        mesh = shape_at(scene, frame, memo)
        # The field's front goes 6.25 units a frame; who is born within a frame is there at its end.
        reached = np.ceil((mesh.points[:, 0] + 120) / 6.25)
        age = frame - reached
        np.testing.assert_allclose(mesh.at_points["age"], age % 48 if loops else np.minimum(age, frame), atol=1e-3)
        assert (len(mesh.points) > 30) == (loops or frame > 0)
    if loops:
        assert all(np.array_equal(shape_at(scene, frame, memo).points, shape_at(scene, frame, Memo()).points)
                   for frame in (0, 30))  # fmt: skip


def test_without_a_field_that_could_reach_them_points_are_born_one_after_the_other():
    figures = [
        figure(step("sphere"), step("swarm", count=50, life=20, born=born))
        for born in ("over time", "as the field reaches them")
    ]
    over_time, reached = (shape_at(looping(one), 7).points for one in figures)
    np.testing.assert_array_equal(over_time, reached)


def test_more_than_can_be_held_is_refused_in_words():
    scene = looping(figure(step("sphere"), step("swarm", count=100_000, life=1000)), frames=24)
    with pytest.raises(ProblemError, match="each living 42 loops, would be 4,200,000; allowed 400,000"):
        shape_at(scene, 0)


def test_size_and_colour_go_with_life():
    scene = once(figure(step("sphere"), step("swarm", count=200, over=40, life=20, size=6, colour="as they live")))
    mesh = shape_at(scene, 30)
    life, width = mesh.at_points["life"], mesh.at_points["width"]
    np.testing.assert_allclose(width, 6 * np.interp(life, [0, 0.15, 0.7, 1], [0, 1, 1, 0]), atol=1e-4)
    young, old = mesh.colours[life < 0.1].mean(axis=0), mesh.colours[life > 0.9].mean(axis=0)
    assert young[1] > 0.7
    assert old[1] < 0.3
