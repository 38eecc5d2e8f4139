"""Repeats, modulators, deformers and clauses: each does what its sentence says."""

import numpy as np
import pytest

from pirouette import catalogue
from pirouette.data import Copies
from pirouette.geometry.join import expanded
from pirouette.values import Moment, Surroundings
from tests.kinds.test_contract import ball
from tests.scenes import formula

STEPS = catalogue.STEPS
CLAUSES = catalogue.CLAUSES


def repeat(kind, **raw):
    return STEPS[kind].call(shape=ball(), settings=STEPS[kind].settings(raw).resolve())


def modulate(kind, copies, weights=None, moment=None, **raw):
    weights = np.ones(copies.count, np.float32) if weights is None else np.asarray(weights, np.float32)
    moment = moment or Moment()
    around = Surroundings(moment=moment).for_copies(copies.position, weights)
    settings = STEPS[kind].settings(raw).resolve(around)
    return STEPS[kind].call(copies=copies, weights=weights, settings=settings, moment=moment)


def deform(kind, points, weights=None, **raw):
    weights = np.ones(len(points), np.float32) if weights is None else weights
    settings = STEPS[kind].settings(raw).resolve()
    points = np.asarray(points, np.float32)
    return STEPS[kind].call(points=points, normals=points, weights=weights, settings=settings, moment=Moment())


def weigh(kind, points, **raw):
    settings = CLAUSES[kind].settings(raw).resolve()
    return CLAUSES[kind].call(points=np.asarray(points, np.float32), settings=settings, moment=Moment())


def row(count=5, apart=10):
    return Copies.at(
        ball(), np.arange(count)[:, None] * np.array([[apart, 0, 0]]) - np.array([apart * (count - 1) / 2, 0, 0])
    )


def test_a_grid_stands_around_the_origin_in_reading_order():
    copies = repeat("grid", columns=3, rows=2, layers=2, apart=[10, 20, 30])
    assert copies.count == 12
    np.testing.assert_allclose(copies.position.mean(axis=0), 0, atol=1e-5)
    np.testing.assert_allclose(copies.position[:4], [[-10, -10, -15], [0, -10, -15], [10, -10, -15], [-10, 10, -15]])


def test_a_whole_wheel_does_not_double_its_first_copy():
    copies = repeat("wheel", count=8, radius=50)
    np.testing.assert_allclose(np.linalg.norm(copies.position, axis=1), 50, atol=1e-4)
    gaps = np.linalg.norm(copies.position - np.roll(copies.position, 1, axis=0), axis=1)
    np.testing.assert_allclose(gaps, 2 * 50 * np.sin(np.pi / 8), atol=1e-3)


def test_an_arc_has_copies_on_both_ends():
    copies = repeat("wheel", count=3, radius=10, arc=90)
    np.testing.assert_allclose(copies.position[[0, -1]], [[10, 0, 0], [0, 10, 0]], atol=1e-5)


def test_aligned_copies_turn_with_the_wheel():
    turned = repeat("wheel", count=4, radius=10).matrices[:, :, 0]
    np.testing.assert_allclose(turned, [[1, 0, 0], [0, 1, 0], [-1, 0, 0], [0, -1, 0]], atol=1e-6)
    still = repeat("wheel", count=4, radius=10, aligned=False).matrices[:, :, 0]
    np.testing.assert_allclose(still, [[1, 0, 0]] * 4)


def test_copies_of_copies_are_drawn_everywhere():
    inner = repeat("wheel", count=3)
    outer = STEPS["grid"].call(shape=inner, settings=STEPS["grid"].settings({"columns": 2, "rows": 1}).resolve())
    (one,) = outer.flattened()
    mesh, matrices = one.mesh, one.matrices
    assert outer.drawn_count == len(matrices) == len(one.colours) == 6
    np.testing.assert_allclose(matrices[:3, :, 3] + [60, 0, 0], matrices[3:, :, 3], atol=1e-4)
    whole = expanded(outer)
    assert len(whole.points) == 6 * len(mesh.points)
    assert whole.topology.is_closed


def test_shift_moves_by_its_weight():
    moved = modulate("shift", row(), weights=[0, 0.25, 0.5, 0.75, 1], place=[0, 8, 0])
    np.testing.assert_allclose(moved.position[:, 1], [0, 2, 4, 6, 8])


def test_a_formula_gives_each_copy_its_own():
    moved = modulate("shift", row(), place=[0, formula("index * 3"), 0], size=formula("1 + share"))
    np.testing.assert_allclose(moved.position[:, 1], [0, 3, 6, 9, 12])
    np.testing.assert_allclose(moved.scale[:, 0], [1, 1.25, 1.5, 1.75, 2])


def test_three_copies_with_a_number_each_are_not_taken_for_one_vector():
    moved = modulate("shift", row(3), size=formula("1 + index"))
    np.testing.assert_allclose(moved.scale, [[1] * 3, [2] * 3, [3] * 3])


def test_shuffle_is_bounded_even_and_the_same_per_seed():
    copies = row(4000)
    one = modulate("shuffle", copies, place=[5, 0, 0], turn=[0, 0, 0], seed=3)
    change = (one.position - copies.position)[:, 0]
    assert np.abs(change).max() <= 5
    assert abs(change.mean()) < 0.2
    assert change.std() == pytest.approx(5 / np.sqrt(3), rel=0.05)
    again = modulate("shuffle", copies, place=[5, 0, 0], turn=[0, 0, 0], seed=3)
    other = modulate("shuffle", copies, place=[5, 0, 0], turn=[0, 0, 0], seed=4)
    np.testing.assert_array_equal(one.position, again.position)
    assert (
        abs(np.corrcoef(one.position[:, 0] - copies.position[:, 0], other.position[:, 0] - copies.position[:, 0])[0, 1])
        < 0.06
    )


def test_a_shuffled_copy_keeps_its_chance_when_others_are_added():
    few, many = (modulate("shuffle", row(n), place=[0, 9, 0], seed=1).position[:3, 1] for n in (3, 50))
    np.testing.assert_array_equal(few, many)


def test_stagger_grows_from_the_first_to_the_last():
    copies = modulate("stagger", row(), turn=[0, 0, 0], size=2, place=[0, 4, 0])
    np.testing.assert_allclose(copies.position[:, 1], [0, 1, 2, 3, 4])
    np.testing.assert_allclose(copies.scale[:, 0], [1, 1.25, 1.5, 1.75, 2])


@pytest.mark.parametrize(
    ("order", "expected"),
    [
        ("backwards", [4, 3, 2, 1, 0]),
        ("left to right", [0, 1, 2, 3, 4]),
        ("middle outwards", [4, 2, 0, 2, 4]),
        ("outside inwards", [0, 2, 4, 2, 0]),
    ],
)
def test_orders_go_the_way_they_are_called(order, expected):
    copies = modulate("stagger", row(), turn=[0, 0, 0], place=[0, 4, 0], order=order)
    np.testing.assert_allclose(copies.position[:, 1], expected, atol=1e-5)


def test_drift_closes_its_loop():
    start, end = (
        modulate("drift", row(50), moment=Moment(frame, 48), churn=1.7, slide=[90, 0, 0], turn=[40, 0, 0])
        for frame in (0.0, 48.0)
    )
    np.testing.assert_allclose(start.matrices, end.matrices, atol=1e-4)
    middle = modulate("drift", row(50), moment=Moment(20.0, 48), churn=1.7)
    assert np.abs(middle.position - start.position).max() > 1


def test_tint_takes_its_colours_along_the_order():
    stops = [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]
    copies = modulate("tint", row(), gradient=stops)
    np.testing.assert_allclose(copies.colours[:, 0], [0, 0.25, 0.5, 0.75, 1], atol=1e-6)
    half = modulate("tint", row(), gradient=stops, strength=0.5)
    np.testing.assert_allclose(half.colours[0], 0.5)


def test_a_full_twist_returns_every_point_of_the_ends_to_its_place():
    points = np.array([[5, -10, 0], [3, 10, 4]], np.float32)
    np.testing.assert_allclose(deform("twist", points, angle=720), points, atol=1e-4)
    np.testing.assert_allclose(deform("twist", points, angle=180)[0], [0, -10, 5], atol=1e-5)


def test_twisting_keeps_every_distance_from_the_axis():
    points = ball().points
    twisted = deform("twist", points, angle=333)
    np.testing.assert_allclose(np.hypot(*twisted[:, [0, 2]].T), np.hypot(*points[:, [0, 2]].T), atol=1e-4)


def test_a_bend_of_half_a_turn_makes_the_ends_face_back():
    line = np.stack([np.linspace(-50, 50, 101), np.zeros(101), np.zeros(101)], axis=1)
    bent = deform("bend", line, angle=180)
    steps = np.linalg.norm(np.diff(bent, axis=0), axis=1)
    np.testing.assert_allclose(steps, 1, atol=1e-3)
    np.testing.assert_allclose(bent[[0, -1], 2], 100 / np.pi, atol=1e-3)
    np.testing.assert_allclose(bent[50], 0, atol=1e-5)


def test_displacing_along_an_axis_leaves_the_others():
    points = ball().points
    moved = deform("displace", points, along="y", strength=20)
    np.testing.assert_array_equal(moved[:, [0, 2]], points[:, [0, 2]])
    assert np.abs(moved[:, 1] - points[:, 1]).max() > 3


def test_a_ball_region_is_one_in_its_middle_and_nothing_outside():
    weights = weigh("region", [[0, 0, 0], [99, 0, 0], [101, 0, 0], [75, 0, 0]], fade=0.5)
    np.testing.assert_allclose(weights, [1, 0.02, 0, 0.5], atol=1e-5)


def test_a_turned_block_turns_its_corners():
    corner = [[68, 0, 0]]
    assert weigh("region", corner, form="block", size=[100] * 3, fade=0) == [0]
    assert weigh("region", corner, form="block", size=[100] * 3, fade=0, rotation=[0, 0, 45]) == [1]


def test_between_fades_outside_of_its_planes():
    points = [[x, 7, 7] for x in (-80, -60, -50, 0, 50, 65)]
    np.testing.assert_allclose(weigh("between", points), [0, 0.5, 1, 1, 1, 0.25])


def test_noise_level_and_contrast_rule_the_weight():
    points = np.random.default_rng(1).uniform(-500, 500, (5000, 3))
    assert weigh("noise", points, contrast=0, level=0.3) == pytest.approx(0.3)
    strong = weigh("noise", points, contrast=4)
    assert 0.35 < strong.mean() < 0.65
    assert (strong == 0).any() and (strong == 1).any()
