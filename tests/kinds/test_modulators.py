"""Modulators: each channel, each way of choosing which copies change."""

import numpy as np
import pytest

from pirouette.data import Copies
from pirouette.data.link import Link
from pirouette.evaluate import evaluate
from pirouette.values import Moment, Surroundings
from tests.kinds.test_all_forms import form
from tests.kinds.test_steps import STEPS, row
from tests.scenes import clause, field, figure, formula, keyed, scene, step

RED = "#ff0000"


def modulate(kind, copies, weights=None, links=None, directions=None, **raw):
    weights = np.ones(copies.count, np.float32) if weights is None else np.asarray(weights, np.float32)
    around = Surroundings(moment=Moment()).for_copies(copies.position, weights)
    return STEPS[kind].call(
        copies=copies,
        weights=weights,
        settings=STEPS[kind].settings(raw).resolve(around),
        moment=Moment(),
        links=links or {},
        directions=directions,
        matrix=np.eye(4),
    )


def guide(*at):
    matrix = np.eye(4)
    matrix[:3, 3] = at
    return Link("g", matrix)


def test_every_channel_of_a_shift_is_changed_by_its_weight():
    copies = modulate(
        "shift", row(), weights=[0, 0.25, 0.5, 0.75, 1], size=3, colour=RED, colouring=1, opacity=0, time=-8
    )
    np.testing.assert_allclose(copies.scale[:, 0], [1, 1.5, 2, 2.5, 3])
    np.testing.assert_allclose(copies.colours[:, 1], [1, 0.75, 0.5, 0.25, 0])
    np.testing.assert_allclose(copies.opacity, [1, 0.75, 0.5, 0.25, 0])
    np.testing.assert_allclose(copies.delay, [0, 2, 4, 6, 8])


def test_a_channel_that_is_switched_off_keeps_its_number_and_does_nothing():
    before = row()
    copies = modulate("shift", before, place=[0, 9, 0], size=2, opacity=0.5, acts_on=["size"])
    np.testing.assert_array_equal(copies.position, before.position)
    np.testing.assert_array_equal(copies.opacity, 1)
    np.testing.assert_allclose(copies.scale, 2)


def test_a_push_goes_along_the_field_s_direction():
    ways = np.tile(np.array([0, 0, 1], np.float32), (5, 1))
    copies = modulate("shift", row(), weights=[0, 1, 1, 1, 0.5], directions=ways, push=10)
    np.testing.assert_allclose(copies.position[:, 2], [0, 10, 10, 10, 5])


@pytest.mark.parametrize("kind", ["shuffle", "drift"])
def test_chance_stays_within_the_amounts_and_follows_the_seed(kind):
    many = Copies.at(form("box"), np.random.default_rng(1).normal(size=(2000, 3)) * 200)
    one, two, other = (
        modulate(kind, many, place=[5, 0, 0], turn=[0, 0, 0], time=4, opacity=0.5, seed=seed) for seed in (1, 1, 2)
    )
    moved = one.position - many.position
    assert np.abs(moved[:, 0]).max() <= 5 * (1 if kind == "shuffle" else 1.6)
    assert moved[:, 0].std() > 1
    np.testing.assert_array_equal(moved[:, 1:], 0)
    np.testing.assert_array_equal(one.position, two.position)
    assert not np.array_equal(one.position, other.position)
    assert one.delay.std() > 0.5
    assert one.opacity.min() >= 0.2


def test_chances_of_neighbouring_copies_and_channels_are_unlike():
    many = Copies.at(form("box"), np.zeros((4000, 3)))
    copies = modulate("shuffle", many, place=[1, 1, 1], turn=[0, 0, 0])
    x, y = copies.position[:, 0], copies.position[:, 1]
    assert abs(np.corrcoef(x, y)[0, 1]) < 0.05
    assert abs(np.corrcoef(x[1:], x[:-1])[0, 1]) < 0.05
    # Evenly spread over -1..1: a chi-square test with 9 degrees of freedom.
    counts, _ = np.histogram(x, np.linspace(-1, 1, 11))
    assert ((counts - 400) ** 2 / 400).sum() < 27.9


def test_stagger_by_distance_counts_from_a_guide():
    copies = modulate("stagger", row(), links={"away_from": guide(-20, 0, 0)}, order="distance", turn=[0, 0, 0], size=2)
    np.testing.assert_allclose(copies.scale[:, 0], [1, 1.25, 1.5, 1.75, 2], atol=1e-5)


def test_stagger_by_field_takes_the_weights_and_bends_them_by_its_pace():
    copies = modulate(
        "stagger", row(), weights=[0, 0.25, 0.5, 0.75, 1], order="field", turn=[0, 0, 0], size=2,
        pace=[[0, 0], [0.5, 0], [1, 1]],
    )  # fmt: skip
    np.testing.assert_allclose(copies.scale[:, 0], [1, 1, 1, 1.5, 2], atol=1e-5)


def test_a_rule_sets_or_changes_by_formulas_on_each_copy():
    place = [formula("index * 7"), 0, formula("share")]
    changed = modulate("rule", row(), place=place)
    np.testing.assert_allclose(changed.position[:, 0], row().position[:, 0] + np.arange(5) * 7)
    set_ = modulate("rule", row(), place=place, means="sets", size=2)
    np.testing.assert_allclose(set_.position, np.stack([np.arange(5) * 7, np.zeros(5), np.arange(5) / 4], axis=1))
    np.testing.assert_allclose(set_.scale, 2)


@pytest.mark.parametrize("axis", ["+x", "-x", "+y", "-y", "+z", "-z"])
@pytest.mark.parametrize("upright", [True, False])
def test_aimed_copies_point_their_axis_at_the_guide(axis, upright):
    copies = modulate("aim", row(), links={"at": guide(3, 40, 25)}, with_axis=axis, upright=upright)
    sign = 1 if axis[0] == "+" else -1
    own = copies.matrices[:, :, "xyz".index(axis[1])] * sign
    ways = np.array([3, 40, 25]) - copies.position
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    np.testing.assert_allclose(own, ways, atol=1e-5)


def test_aiming_by_half_turns_half_the_way():
    whole, half = (modulate("aim", row(1), links={"at": guide(0, 50, 0)}, strength=s, upright=False) for s in (1, 0.5))
    assert whole.matrices[0, 1, 2] == pytest.approx(1, abs=1e-5)
    assert half.matrices[0, 1, 2] == pytest.approx(np.sin(np.pi / 4), abs=1e-5)


def test_a_copy_at_the_place_it_should_look_at_keeps_its_turn():
    copies = modulate("aim", row(1), links={"at": guide(0, 0, 0)})
    np.testing.assert_allclose(copies.rotation, [[0, 0, 0, 1]])


def lagged(frame, **settings):
    jump = [keyed((0, 0), (10, 100), (40, 100)), 0, 0]
    steps = step("row", count=1), step("shift", place=jump), step("lag", **settings)
    opened = scene(figure(step("box"), *steps), clock={"fps": 24, "frames": 100, "loops": False})
    return float(evaluate(opened, frame).drawables[0].matrices[0, 0, 3])


def test_a_lagging_copy_is_behind_and_arrives():
    assert 0 < lagged(8, behind=4, bounce=0) < 80
    assert lagged(40, behind=4, bounce=0) == pytest.approx(100, abs=1)


def test_a_bouncing_copy_overshoots():
    assert max(lagged(frame, behind=4, bounce=0.8) for frame in range(10, 30)) > 105
    assert max(lagged(frame, behind=4, bounce=0) for frame in range(10, 40)) < 101


def test_lag_is_right_at_any_frame_of_a_loop():
    swinging = [formula("50 * wave(turn)"), 0, 0]
    steps = step("row", count=1), step("shift", place=swinging), step("lag", behind=5)
    opened = scene(figure(step("box"), *steps))
    at = lambda frame: evaluate(opened, frame).drawables[0].matrices[0, 0, 3]  # noqa: E731
    assert at(0) == pytest.approx(at(96), abs=1e-3)
    assert at(0) != pytest.approx(0, abs=1)


def test_tint_by_field_takes_its_weights_for_places_in_the_gradient():
    gradient = [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]
    copies = modulate("tint", row(), weights=[0, 0.25, 0.5, 0.75, 1], by="field", gradient=gradient)
    np.testing.assert_allclose(copies.colours[1:, 0], [0.25, 0.5, 0.75, 1], atol=1e-5)


def test_tint_by_picture_takes_the_colour_at_each_place():
    picture = np.zeros((2, 2, 4), np.uint8)
    picture[..., 3] = 255
    picture[0, 0, 0] = picture[0, 1, 1] = picture[1, 0, 2] = 255  # above: red, green; below: blue, black
    held = type("Held", (), {"content": picture})()
    corners = Copies.at(form("box"), np.array([[-5, 5, 0], [5, 5, 0], [-5, -5, 0], [5, -5, 0.0]]))
    copies = modulate("tint", corners, links={"picture": Link("p", np.eye(4), asset=held)}, by="picture")
    np.testing.assert_allclose(copies.colours, [[1, 0, 0], [0, 1, 0], [0, 0, 1], [0, 0, 0]], atol=1e-6)


def spread(scale, *steps):
    figures = figure(step("box", width=10), step("grid", columns=4, rows=3), *steps, place={"follows": "hub"})
    hub = {"id": "hub", "name": "Hub", "place": {"scale": [scale] * 3}}
    return evaluate(scene(figures, guides=[hub]), 0).drawables[0].matrices


@pytest.mark.parametrize(
    "against",
    [
        step("keep_size"),
        step("rule", place=[0, 0, 0], size=formula("base / {Hub.scale.x}", base=1)),
    ],
    ids=["keep_size", "formula"],
)
def test_tiles_spread_with_their_guide_and_keep_their_size(against):
    before, after = spread(1, against), spread(2, against)
    np.testing.assert_allclose(after[:, :, 3], before[:, :, 3] * 2, rtol=1e-5)
    lengths = [np.linalg.norm(matrices[:, :, :3], axis=1) for matrices in (before, after)]
    np.testing.assert_allclose(lengths[1], lengths[0], atol=1e-5)


def test_without_it_tiles_grow_with_their_guide():
    assert np.linalg.norm(spread(2)[0, :, 0]) == pytest.approx(2, abs=1e-5)


def test_copies_that_make_room_do_not_touch():
    rng = np.random.default_rng(2)
    crowd = Copies.at(form("sphere", radius=5), rng.normal(size=(150, 3)) * 12)
    apart = modulate("make_room", crowd, times=200)
    away = np.linalg.norm(apart.position[:, None] - apart.position[None], axis=2) + np.eye(150) * 99
    assert away.min() > 9.7


def test_copies_in_one_place_part_and_stay_in_their_plane():
    pile = Copies.at(form("sphere", radius=5), np.zeros((8, 3)))
    apart = modulate("make_room", pile, times=100, within="x and y")
    np.testing.assert_allclose(apart.position[:, 2], 0, atol=1e-6)
    away = np.linalg.norm(apart.position[:, None] - apart.position[None], axis=2) + np.eye(8) * 99
    assert away.min() > 9


def test_a_copy_that_does_not_give_way_stays():
    pair = Copies.at(form("sphere", radius=5), np.array([[0, 0, 0], [4, 0, 0.0]]))
    apart = modulate("make_room", pair, weights=[0, 1], times=60)
    np.testing.assert_allclose(apart.position[0], 0, atol=1e-6)
    assert apart.position[1, 0] == pytest.approx(10, abs=0.1)


def test_hidden_copies_are_not_drawn_but_keep_their_place_in_the_order():
    hidden = modulate("hide", row(), weights=[0, 0.4, 0.6, 1, 0])
    assert hidden.opacity.tolist() == [1, 1, 0, 0, 1]
    (one,) = hidden.flattened()
    np.testing.assert_allclose(one.matrices[:, 0, 3], [-20, -10, 20])
    assert hidden.count == 5


def test_hiding_by_order_fades_beyond_the_level():
    copies = modulate("hide", row(), by="index", level=0.25, fade=0.5)
    np.testing.assert_allclose(copies.opacity, [1, 1, 0.5, 0, 0], atol=1e-6)
    below = modulate("hide", row(), by="index", level=0.5, hides="below")
    assert below.opacity.tolist() == [0, 0, 1, 1, 1]


def test_hiding_by_chance_hides_about_its_share():
    many = Copies.at(form("box"), np.zeros((4000, 3)))
    shown = modulate("hide", many, by="chance", level=0.3).opacity.mean()
    assert shown == pytest.approx(0.3, abs=0.03)


def test_a_shared_formula_is_given_to_several_steps():
    shared = {"sort": "formula", "shared": "lift"}
    figures = [
        figure(step("box"), step("row", count=3), step("rule", place=[0, shared, 0]), name=name) for name in ("A", "B")
    ]
    raw_formulas = [{"id": "lift", "name": "Lift", "text": "index * 5"}]
    opened = scene(*figures, formulas=raw_formulas)
    for drawable in evaluate(opened, 0).drawables:
        np.testing.assert_allclose(drawable.matrices[:, 1, 3], [0, 5, 10])


def test_a_field_limits_what_a_repeat_makes():
    left = field("Left", clause("between", start=-999, end=0, fade=0))
    opened = scene(figure(step("box"), step("grid", "left", columns=4, rows=1, apart=[10, 10, 10])), fields=[left])
    np.testing.assert_allclose(evaluate(opened, 0).drawables[0].matrices[:, 0, 3], [-15, -5])
