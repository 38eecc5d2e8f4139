"""Repeats: where copies stand, which source each is, and that scattered places stay."""

import numpy as np
import pytest

from pirouette.data import Copies, Mesh, ProblemError
from pirouette.data.link import Link
from pirouette.evaluate import evaluate
from pirouette.geometry.curve import frames_along
from tests.kinds.test_all_forms import form
from tests.kinds.test_steps import STEPS
from tests.scenes import figure, formula, keyed, scene, step


def repeat(kind, shape, links=None, **raw):
    settings = STEPS[kind].settings(raw).resolve()
    offered = {"shape": shape, "mesh": shape, "rest": shape}
    return STEPS[kind].call(**offered, settings=settings, links=links or {})


def link(mesh, rest=None):
    return Link("x", np.eye(4), np.eye(4), mesh, lambda: mesh, lambda: rest or mesh)


def three() -> Copies:
    """A ball, a box and a disc, side by side."""
    shapes = [form("sphere"), form("box"), form("disc")]
    return Copies.at(shapes, np.array([[-9.0, 0, 0], [0, 0, 0], [9, 0, 0]]), which=np.arange(3))


def test_a_row_is_measured_from_one_to_the_next_or_over_all():
    each = repeat("row", form("box"), count=5, apart=[10, 0, 0])
    np.testing.assert_allclose(each.position[:, 0], [-20, -10, 0, 10, 20])
    whole = repeat("row", form("box"), count=5, apart=[10, 0, 0], measured="from the first to the last", centred=False)
    np.testing.assert_allclose(whole.position[:, 0], [0, 2.5, 5, 7.5, 10])


def test_a_fitted_grid_stands_its_copies_side_by_side():
    copies = repeat("grid", form("box", width=30, height=20), columns=3, rows=2, apart=[5, 0, 0], pitch="fitted")
    np.testing.assert_allclose(np.unique(copies.position[:, 0]), [-35, 0, 35])
    np.testing.assert_allclose(np.unique(copies.position[:, 1]), [-10, 10])


def test_a_brick_grid_shifts_every_other_row():
    copies = repeat("grid", form("box"), columns=4, rows=2, apart=[10, 10, 10], offset=0.5)
    np.testing.assert_allclose(copies.position[4:, 0] - copies.position[:4, 0], 5)


@pytest.mark.parametrize(("fills", "share"), [("ball", np.pi / 6), ("cylinder", np.pi / 4)])
def test_a_filled_ball_or_cylinder_holds_its_share_of_the_box(fills, share):
    copies = repeat("grid", form("box"), columns=24, rows=24, layers=24, apart=[1, 1, 1], fills=fills)
    assert copies.count / 24**3 == pytest.approx(share, rel=0.05)


def test_a_wheel_of_rings_has_more_copies_further_out():
    copies = repeat("wheel", form("box"), count=6, radius=10, rings=3, ring_apart=10, more=6)
    away = np.round(np.linalg.norm(copies.position, axis=1), 3)
    assert [(away == radius).sum() for radius in (10, 20, 30)] == [6, 12, 18]


def test_sources_are_taken_in_turn_to_fill_all_places():
    copies = repeat("row", three(), count=7, take="in turn")
    assert copies.which.tolist() == [0, 1, 2, 0, 1, 2, 0]
    assert [len(one.points) for one in copies.sources] == [len(one.points) for one in three().sources]
    assert copies.drawn_count == 7
    assert repeat("row", three(), count=7).drawn_count == 21


def test_sources_taken_at_random_follow_the_seed_alone():
    first, again, other = (repeat("row", three(), count=300, take="at random", seed=s).which for s in (1, 1, 2))
    np.testing.assert_array_equal(first, again)
    assert (first != other).mean() > 0.5
    assert np.bincount(first).min() > 60


def test_sources_taken_by_a_field_follow_its_weight():
    field = Link("f", np.eye(4), weigh=lambda points: np.clip(points[:, 0] / 100 + 0.5, 0, 1))
    copies = repeat("row", three(), {"source_field": field}, count=11, apart=[10, 0, 0], take="by a field")
    assert copies.which.tolist() == sorted(copies.which.tolist())
    assert set(copies.which) == {0, 1, 2}


def test_blended_sources_pass_from_the_first_to_the_last():
    small, large = form("sphere", radius=10), form("sphere", radius=30)
    copies = repeat("row", Copies.at([small, large], np.zeros((2, 3)), which=[0, 1]), count=5, take="blended")
    radii = [np.linalg.norm(one.points, axis=1).max() for one in copies.sources]
    np.testing.assert_allclose(radii, [10, 15, 20, 25, 30], rtol=1e-4)


def test_blending_unlike_sources_is_refused_in_words():
    with pytest.raises(ProblemError, match="equally many points"):
        repeat("row", three(), count=5, take="blended")


def test_copies_along_a_circle_are_even_and_face_along_it():
    copies = repeat("along", form("box"), {"curve": link(form("circle", radius=50, points=300))}, count=12)
    np.testing.assert_allclose(np.linalg.norm(copies.position, axis=1), 50, rtol=1e-3)
    ahead = np.roll(copies.position, -1, axis=0) - np.roll(copies.position, 1, axis=0)
    ahead /= np.linalg.norm(ahead, axis=1)[:, None]
    assert (np.einsum("ij,ij->i", copies.matrices[:, :, 0], ahead) > 0.999).all()


def test_sliding_by_a_whole_round_of_a_closed_curve_changes_nothing():
    curve = {"curve": link(form("circle"))}
    still, round_ = (repeat("along", form("box"), curve, count=8, slide=slide) for slide in (0, 1))
    np.testing.assert_allclose(still.position, round_.position, atol=1e-4)


@pytest.mark.parametrize("curve", [form("helix", turns=5, points=400), form("circle", points=200, facing="y")])
def test_frames_along_a_curve_do_not_flip(curve):
    is_closed = bool(curve.topology.lines.closed[0])
    _, frames = frames_along(curve.points.astype(np.float64), is_closed)
    neighbours = np.einsum("ni,ni->n", frames[1:, :, 1], frames[:-1, :, 1])
    assert neighbours.min() > 0.98
    np.testing.assert_allclose(np.linalg.det(frames), 1, atol=1e-6)
    if is_closed:
        np.testing.assert_allclose(frames[0], frames[-1], atol=1e-6)


def scattered(mesh, **raw):
    return repeat("scatter", form("box", width=1), {"onto": link(mesh)}, **raw)


def test_scattered_places_lie_on_the_surface_evenly_by_area():
    ball = form("sphere", radius=50, rings=60, segments=120)
    copies = scattered(ball, count=6000)
    np.testing.assert_allclose(np.linalg.norm(copies.position, axis=1), 50, rtol=2e-3)
    # Slices of equal height of a ball have equal areas: a chi-square test with 19 degrees of freedom.
    counts, _ = np.histogram(copies.position[:, 1], np.linspace(-50, 50, 21))
    assert ((counts - 300) ** 2 / 300).sum() < 36.2
    turns, _ = np.histogram(np.arctan2(copies.position[:, 0], copies.position[:, 2]), np.linspace(-np.pi, np.pi, 21))
    assert ((turns - 300) ** 2 / 300).sum() < 36.2


def test_aligned_copies_stand_on_the_surface():
    copies = scattered(form("sphere", radius=50), count=100)
    out = copies.position / np.linalg.norm(copies.position, axis=1)[:, None]
    assert (np.einsum("ij,ij->i", copies.matrices[:, :, 2], out) > 0.99).all()


def test_no_two_places_are_nearer_than_the_least_distance():
    copies = scattered(form("sphere", radius=50), count=2000, apart=6)
    from scipy.spatial import cKDTree

    pairs = cKDTree(copies.position).query_pairs(5.999)
    assert not pairs
    assert 500 < copies.count < 2000


def test_fewer_places_are_the_first_of_more():
    ball = form("sphere")
    few, many = (scattered(ball, count=count, apart=3, seed=4).count for count in (50, 100))
    assert (few, many) == (50, 100)


@pytest.mark.parametrize(("where", "expected"), [("corners", 8), ("edges", 12), ("face centres", 6)])
def test_a_box_has_its_corners_edges_and_faces(where, expected):
    copies = scattered(form("box"), where=where, count=1000)
    assert copies.count == expected
    assert scattered(form("box"), where=where, count=3).count == 3


def test_places_inside_fill_the_volume_evenly():
    copies = scattered(form("sphere", radius=50, rings=40, segments=80), where="inside", count=4000)
    away = np.linalg.norm(copies.position, axis=1)
    assert away.max() <= 50
    # Shells of equal volume hold equally many: chi-square with 9 degrees of freedom.
    counts, _ = np.histogram((away / 50) ** 3, np.linspace(0, 1, 11))
    assert ((counts - 400) ** 2 / 400).sum() < 30


def test_bare_points_are_strewn_over_the_shape_itself():
    copies = repeat("scatter", form("sphere"), count=30)
    assert copies.count == 30
    assert all(isinstance(one, Mesh) and len(one.points) == 1 for one in copies.sources)


def test_a_scattered_point_stays_on_its_face_while_the_form_moves():
    moving = scene(
        figure(step("sphere", rings=20, segments=40), step("displace", strength=30, churn=2), looks=[], name="Base"),
        figure(step("box", width=1), step("scatter", onto="base", count=300), name="Crumbs"),
    )

    def places(frame):
        (drawable,) = [one for one in evaluate(moving, frame).drawables if one.figure_id == "crumbs"]
        return drawable.matrices[:, :, 3]

    steps = np.linalg.norm(places(11) - places(10), axis=1)
    # The noise moves each point a little; one that changed its face would jump by the size of the ball.
    assert 0 < steps.max() < 8
    base = next(one for one in evaluate(moving, 10).drawables if one.figure_id == "base").mesh
    away = Link("b", np.eye(4), np.eye(4), base, lambda: base).tree.closest(places(10))[2]
    assert away.max() < 1e-3


def kite(frames=24):
    place = {"position": [keyed((0, 0), (frames, 240)), 0, 0], "scale": [1, 1, 1]}
    return figure(step("box", width=10), step("afterimage", count=4, apart=3, fade=0.5), name="Kite", place=place)


def test_afterimages_stand_where_the_figure_was():
    opened = scene(kite(), clock={"fps": 24, "frames": 24, "loops": False})
    (drawable,) = evaluate(opened, 12).drawables
    np.testing.assert_allclose(drawable.matrices[:, 0, 3], [120, 90, 60, 30], atol=1e-3)
    np.testing.assert_allclose(drawable.looks[0].tints[:, 3], [1, 5 / 6, 4 / 6, 0.5], atol=1e-5)


def test_afterimages_go_on_before_the_first_frame_of_a_loop():
    opened = scene(kite(), clock={"fps": 24, "frames": 24, "loops": True})
    (drawable,) = evaluate(opened, 2).drawables
    np.testing.assert_allclose(drawable.matrices[:, 0, 3], [20, 230, 200, 170], atol=1e-3)


def test_afterimages_carry_only_what_they_are_told_to():
    raw = kite()
    raw["routine"][1]["settings"]["carries"] = ["shape"]
    (drawable,) = evaluate(scene(raw, clock={"fps": 24, "frames": 24, "loops": False}), 12).drawables
    np.testing.assert_allclose(drawable.matrices[:, 0, 3], 120, atol=1e-3)


def test_an_afterimage_shows_the_shape_as_it_was():
    grows = figure(step("box", width=formula("10 + frame")), step("afterimage", count=3, apart=2, carries=["shape"]))
    opened = scene(grows, clock={"fps": 24, "frames": 48, "loops": False})
    widths = [np.ptp(one.mesh.points[:, 0]) for one in evaluate(opened, 20).drawables]
    np.testing.assert_allclose(widths, [30, 28, 26], rtol=1e-5)


def test_a_staggered_time_puts_each_copy_behind_the_one_before():
    grows = figure(
        step("box", width=formula("10 + frame")), step("row", count=3), step("stagger", time=-8, turn=[0, 0, 0])
    )
    opened = scene(grows, clock={"fps": 24, "frames": 48, "loops": False})
    widths = {
        round(float(one.matrices[0, 0, 3])): np.ptp(one.mesh.points[:, 0]) for one in evaluate(opened, 20).drawables
    }
    assert widths == pytest.approx({-60: 30, 0: 26, 60: 22})


def test_other_figures_in_their_places_are_delayed_with_them():
    flyer = figure(
        step("box", width=4), name="Flyer", place={"position": [keyed((0, 0), (48, 96)), 0, 0]}, visible="hidden"
    )
    echo = figure(
        step("others", figures=["flyer"], places=True), step("row", count=3, apart=[0, 0, 0]),
        step("stagger", time=-10, turn=[0, 0, 0]), name="Echo",
    )  # fmt: skip
    opened = scene(flyer, echo, clock={"fps": 24, "frames": 48, "loops": False})
    found = evaluate(opened, 30).drawables
    xs = sorted(float(x) for one in found for x in one.matrices[:, 0, 3])
    assert xs == pytest.approx([40, 50, 60])


def test_any_frame_of_delayed_copies_is_the_same_by_play_and_by_jump():
    grows = figure(step("box"), step("displace", churn=2), step("row", count=5), step("stagger", time=-7))
    from pirouette.evaluate import Memo

    played = Memo()
    for frame in range(12):
        walked = evaluate(scene(grows), frame, memo=played)
    jumped = evaluate(scene(grows), 11)
    pairs = zip(walked.drawables, jumped.drawables, strict=True)
    assert all(a.mesh.points.tobytes() == b.mesh.points.tobytes() for a, b in pairs)


def test_a_delay_reaches_the_steps_above_it():
    rising = figure(
        step("box"), step("row", count=3, apart=[10, 0, 0]), step("shift", place=[0, formula("frame"), 0]),
        step("stagger", time=-10, turn=[0, 0, 0]),
    )  # fmt: skip
    opened = scene(rising, clock={"fps": 24, "frames": 48, "loops": False})
    (drawable,) = evaluate(opened, 30).drawables
    np.testing.assert_allclose(drawable.matrices[:, 1, 3], [30, 25, 20], atol=1e-4)


def test_an_edit_of_another_frame_reaches_delayed_copies_at_once():
    from pirouette.evaluate import Memo

    def opened(first):
        place = [0, keyed((0, first), (20, 0), (40, 0)), 0]
        steps = step("row", count=2), step("shift", place=place), step("stagger", time=-20, turn=[0, 0, 0])
        return scene(figure(step("box"), *steps), clock={"fps": 24, "frames": 48, "loops": False})

    memo = Memo()
    heights = [evaluate(opened(first), 20, memo=memo).drawables[0].matrices[:, 1, 3].tolist() for first in (5, 9)]
    assert heights == [[0, 5], [0, 9]]
