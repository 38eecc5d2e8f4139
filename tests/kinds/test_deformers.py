"""Deformers against what mathematics says of them."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette import catalogue
from pirouette.evaluate import evaluate
from tests.scenes import clause, field, figure, formula, scene, step

AXIS = st.sampled_from("xyz")


def shape(*steps, frame=0, **more):
    (drawable,) = evaluate(scene(figure(*steps), **more), frame).drawables
    return drawable.mesh


def volume(mesh) -> float:
    """By the divergence theorem over its triangles."""
    a, b, c = (mesh.points[mesh.topology.triangles[:, k]].astype(np.float64) for k in range(3))
    return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)


def bar(length, points):
    """A straight line along x, about the origin."""
    return step("line", start=[-length / 2, 0, 0], end=[length / 2, 0, 0], points=points)


BOX = step("box", width=40, height=100, depth=60, parts=12)
BALL = step("sphere", radius=50, rings=48, segments=96)


@pytest.mark.parametrize("size", [0.0, 0.3, 1.0, 2.0])
def test_a_tapered_box_is_a_frustum(size):
    mesh = shape(BOX, step("taper", size=size))
    low, high = mesh.points[mesh.points[:, 1] < -49.9], mesh.points[mesh.points[:, 1] > 49.9]
    assert np.ptp(low[:, 0]) == pytest.approx(40)
    assert np.ptp(high[:, 0]) == pytest.approx(40 * size, abs=1e-4)
    assert volume(mesh) == pytest.approx(40 * 60 * 100 * (1 + size + size * size) / 3, rel=1e-4)


def test_a_bulge_leaves_both_ends_and_widens_the_middle():
    mesh, plain = shape(BOX, step("bulge", amount=0.5)), shape(BOX)
    ends = np.abs(plain.points[:, 1]) > 49.9
    np.testing.assert_allclose(mesh.points[ends], plain.points[ends], atol=1e-4)
    middle = np.abs(plain.points[:, 1]) < 1e-3
    np.testing.assert_allclose(mesh.points[middle][:, [0, 2]], plain.points[middle][:, [0, 2]] * 1.5, rtol=1e-5)


@given(st.floats(-80, 80), AXIS, AXIS, st.sampled_from(["the middle", "the low end", "the high end"]))
@settings(max_examples=25, deadline=None)
def test_leaning_keeps_the_volume(angle, axis, towards, stays):
    mesh = shape(BOX, step("shear", angle=angle, axis=axis, towards=towards, stays=stays))
    assert volume(mesh) == pytest.approx(40 * 100 * 60, rel=1e-4)


def test_it_leans_by_the_angle_about_what_stays():
    mesh = shape(bar(100, 11), step("shear", angle=45, axis="x", towards="y", stays="the low end"))
    np.testing.assert_allclose(mesh.points[:, 1], mesh.points[:, 0] + 50, atol=1e-3)


@given(st.floats(0.1, 8), AXIS)
@settings(max_examples=25, deadline=None)
def test_stretching_keeps_the_volume_or_only_the_width(factor, axis):
    kept = shape(BALL, step("stretch", factor=factor, axis=axis))
    assert volume(kept) == pytest.approx(volume(shape(BALL)), rel=1e-4)
    free = shape(BALL, step("stretch", factor=factor, axis=axis, keeps_volume=False))
    assert volume(free) == pytest.approx(volume(shape(BALL)) * factor, rel=1e-4)


def test_stretching_there_and_back_is_nothing():
    there = step("stretch", factor=3, id="there")
    mesh = shape(BALL, there, step("stretch", factor=formula("1 / {Thing.stretch.factor}"), id="back"))
    np.testing.assert_allclose(mesh.points, shape(BALL).points, atol=1e-3)


def test_a_ball_inflated_is_a_larger_ball_and_a_box_goes_towards_one():
    mesh = shape(BALL, step("inflate", amount=10))
    np.testing.assert_allclose(np.linalg.norm(mesh.points, axis=1), 60, rtol=2e-3)
    round_one = np.linalg.norm(shape(BOX, step("inflate", amount=0, roundness=1)).points, axis=1)
    np.testing.assert_allclose(round_one, round_one.mean(), rtol=1e-4)


def test_waves_have_their_height_and_length_and_run_by_whole_ones():
    line = bar(400, 401)
    run = {"moves": "y", "runs": "along x", "height": 10, "length": 80}
    still = shape(line, step("wave", **run, speed=0)).points
    np.testing.assert_allclose(still[:, 1], 10 * np.sin(2 * np.pi * still[:, 0] / 80), atol=1e-3)
    # A quarter of the loop at two waves a loop is half a wave; the whole loop is none.
    later = shape(line, step("wave", **run, speed=2), frame=24).points
    np.testing.assert_allclose(later[:, 1], -still[:, 1], atol=1e-3)
    np.testing.assert_allclose(shape(line, step("wave", **run, speed=3), frame=96).points, still, atol=1e-3)
    np.testing.assert_allclose(
        shape(line, step("wave", **run, speed=0, offset=0.5)).points[:, 1], -still[:, 1], atol=1e-3
    )


def test_round_waves_are_alike_all_around():
    mesh = shape(step("disc", radius=100, rings=20), step("wave", moves="z", runs="round from a point", speed=0))
    away, height = np.hypot(*mesh.points[:, :2].T), mesh.points[:, 2]
    np.testing.assert_allclose(height, 15 * np.sin(2 * np.pi * away / 80), atol=1e-3)


@pytest.mark.parametrize("how", ["by a noise", "at random"])
def test_waves_break_up_within_bounds_and_the_same_every_time(how):
    steps = bar(400, 401), step("wave", moves="y", runs="along x", breaks_up=how, height=10)
    one, again = shape(*steps).points, shape(*steps).points
    np.testing.assert_array_equal(one, again)
    assert np.abs(one[:, 1]).max() <= 10 * 1.9
    assert not np.allclose(one[:, 1], shape(steps[0], step("wave", moves="y", runs="along x", height=10)).points[:, 1])
    assert not np.allclose(one, shape(steps[0], {**steps[1], "settings": {**steps[1]["settings"], "seed": 2}}).points)


def test_formulas_stand_for_each_point():
    line = bar(100, 11)
    plain = shape(line).points
    moved = shape(line, step("rule_points", place=[0, formula("x / 10"), formula("index")])).points
    np.testing.assert_allclose(moved[:, 1], plain[:, 0] / 10, atol=1e-5)
    np.testing.assert_allclose(moved[:, 2], np.arange(11), atol=1e-5)
    put = shape(line, step("rule_points", means="sets", place=[formula("x * 2"), 7, 0])).points
    np.testing.assert_allclose(put, np.stack([plain[:, 0] * 2, np.full(11, 7), np.zeros(11)], 1), atol=1e-4)


NEW = ["taper", "bulge", "shear", "stretch", "inflate", "wave", "rule_points"]


@pytest.mark.parametrize("kind", NEW[:-1])
def test_numbers_that_vary_take_formulas_for_each_point(kind):
    """Of a formula that is the number itself nothing comes out otherwise."""
    declared = catalogue.STEPS[kind].settings.declared()
    name = next(name for name, one in declared.items() if one.per_copy)
    value = declared[name].default
    one = shape(BOX, step(kind, **{name: value})).points
    each = shape(BOX, step(kind, **{name: formula(f"{value} + 0 * x")})).points
    np.testing.assert_allclose(one, each, atol=1e-3)
    varied = shape(BOX, step(kind, **{name: formula(f"{value} * (1 + x / 100)")})).points
    assert not np.allclose(one, varied)


@pytest.mark.parametrize("kind", NEW)
def test_a_field_holds_them_back(kind):
    """Where its weight is nothing points stay; where it is one they move as without it."""
    right = field("Right", clause("between", start=0, end=1000, axis="x", fade=0))
    plain, moved = shape(BOX).points, shape(BOX, step(kind)).points
    held = shape(BOX, step(kind, "right"), fields=[right]).points
    there = plain[:, 0] > 1
    np.testing.assert_allclose(held[plain[:, 0] < -1], plain[plain[:, 0] < -1], atol=1e-4)
    np.testing.assert_allclose(held[there], moved[there], atol=1e-3)
    assert not np.allclose(moved[there], plain[there])


TINY = step("box", width=1e-6, height=1e-6, depth=1e-6)


@pytest.mark.parametrize("kind", NEW)
@pytest.mark.parametrize("form", [bar(0.001, 2), step("plane"), step("artwork"), TINY])
def test_what_is_flat_tiny_or_nothing_comes_through(kind, form):
    for drawable in evaluate(scene(figure(form, step(kind))), 5).drawables:
        assert np.isfinite(drawable.mesh.points).all()
