"""Deformers that go by another thing: cling, follow, morph, tie; burst and relax, which go by what hangs together."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette.data import ProblemError
from pirouette.evaluate import evaluate
from pirouette.geometry.curve import Line, curves_of
from pirouette.geometry.pieces import pieces_of
from pirouette.kernels.geometry.nearest import Tree
from tests.kinds.test_deformers import volume
from tests.scenes import clause, field, figure, formula, keyed, scene, step

BALL = step("sphere", radius=50, rings=32, segments=64)
GRID = step("plane", width=60, height=60, across=12, up=12)


def shape(*steps, frame=0, others=(), **more):
    (drawable, *_) = evaluate(scene(figure(*steps), *others, **more), frame).drawables
    return drawable.mesh


def copies_of(*steps, frame=0, others=(), **more):
    """Places and turns of a figure's copies, as matrices."""
    (drawable, *_) = evaluate(scene(figure(*steps), *others, **more), frame).drawables
    return drawable.matrices.astype(np.float64)


def other(*steps, name="Other", **more):
    return figure(*steps, name=name, **more)


def guide(name, position=(0, 0, 0), rotation=(0, 0, 0), scale=(1, 1, 1)):
    return {"id": name.lower(), "name": name,
            "place": {"position": list(position), "rotation": list(rotation), "scale": list(scale)}}  # fmt: skip


# --- cling ---


def test_every_point_stands_as_far_off_a_ball_as_asked():
    onto = other(step("sphere", radius=50, rings=96, segments=192), looks=[])
    mesh = shape(GRID, step("cling", onto="other", off=4), others=[onto])
    np.testing.assert_allclose(np.linalg.norm(mesh.points, axis=1), 54, atol=0.05)


@given(st.integers(0, 1000))
@settings(max_examples=15, deadline=None)
def test_along_an_axis_the_surface_is_met_where_every_triangle_was_tried(seed):
    rng = np.random.default_rng(seed)
    points, triangles = rng.normal(size=(60, 3)).astype(np.float32), rng.integers(0, 60, (80, 3))
    queries, way = rng.normal(size=(50, 3)).astype(np.float32), np.eye(3)[seed % 3]
    found = Tree(points, triangles).struck(queries, way)[2]
    a, b, c = (points[triangles[:, k]].astype(np.float64) for k in range(3))
    for query, distance in zip(queries.astype(np.float64), found, strict=True):
        with np.errstate(all="ignore"):
            normal = np.cross(b - a, c - a)
            t = ((a - query) * normal).sum(axis=1) / (normal @ way)
            at = query + t[:, None] * way
            inside = np.all(
                [(np.cross(q - p, at - p) * normal).sum(axis=1) >= 0 for p, q in ((a, b), (b, c), (c, a))], axis=0
            )
            hits = np.abs(t[inside & np.isfinite(t)])
        assert abs(distance) == pytest.approx(hits.min(initial=np.inf), rel=1e-5, abs=1e-6)


def test_what_misses_a_surface_stays_and_what_is_thick_may_stay_so():
    floor = other(step("plane", width=40, height=40), looks=[], place={"position": [0, 0, -30]})
    mesh, before = shape(GRID, step("cling", onto="other", way="along z", off=0), others=[floor]), shape(GRID)
    over = np.abs(before.points[:, :2]).max(axis=1) <= 20
    np.testing.assert_allclose(mesh.points[over, 2], -30, atol=1e-4)
    np.testing.assert_array_equal(mesh.points[~over], before.points[~over])
    box = step("box", width=20, height=20, depth=6)
    for keeps, thick in ((True, 6), (False, 0)):
        laid = shape(box, step("cling", onto="other", way="along z", off=1, keeps_thickness=keeps), others=[floor])
        assert np.ptp(laid.points[:, 2]) == pytest.approx(thick, abs=1e-4)


def test_copies_are_laid_as_a_whole_and_stand_on_the_surface():
    onto = other(step("sphere", radius=50, rings=64, segments=128), looks=[])
    row = [step("box", width=2, height=2, depth=2), step("grid", columns=5, rows=5, layers=1, apart=[15, 15, 0])]
    found = copies_of(*row, step("cling", onto="other", moves="whole copies", off=0), others=[onto])
    np.testing.assert_allclose(np.linalg.norm(found[:, :, 3], axis=1), 50, atol=0.1)
    out = found[:, :, 3] / np.linalg.norm(found[:, :, 3], axis=1, keepdims=True)
    assert (found[:, :, 2] * out).sum(axis=1).min() > 0.999
    np.testing.assert_allclose(np.linalg.det(found[:, :, :3]), 1, atol=1e-4)


def test_it_lies_on_a_target_that_moves_and_deforms():
    onto = other(step("sphere", radius=keyed((0, 40), (24, 80)), rings=48, segments=96), looks=[],
                 place={"position": [keyed((0, 0), (24, 30)), 0, 0]})  # fmt: skip
    late = shape(GRID, step("cling", onto="other", off=0), others=[onto], frame=24)
    np.testing.assert_allclose(np.linalg.norm(late.points - np.float32([30, 0, 0]), axis=1), 80, atol=0.2)


# --- follow ---


def lengths(mesh):
    return [Line(points, closed).length for points, closed in curves_of(mesh)]


def test_a_line_laid_along_a_curve_keeps_its_length_or_takes_the_curves():
    curve = other(step("circle", radius=100, points=720), looks=[])
    bar = step("line", start=[-75, 0, 0], end=[75, 0, 0], points=301)
    own = shape(bar, step("follow", curve="other"), others=[curve])
    assert lengths(own)[0] == pytest.approx(150, rel=1e-3)
    np.testing.assert_allclose(np.linalg.norm(own.points, axis=1), 100, atol=0.05)
    whole = shape(bar, step("follow", curve="other", fit="stretched"), others=[curve])
    assert lengths(whole)[0] == pytest.approx(2 * np.pi * 100, rel=2e-3)


def test_as_many_are_laid_as_fit_best():
    curve = other(step("line", start=[0, 0, 0], end=[100, 0, 0], points=20), looks=[])
    box = step("box", width=24, height=4, depth=4)
    mesh = shape(box, step("follow", curve="other", fit="repeated"), others=[curve])
    assert int(pieces_of(mesh).max()) + 1 == 4
    assert np.ptp(mesh.points[:, 0]) == pytest.approx(100, abs=1e-3)
    assert volume(mesh) == pytest.approx(100 * 4 * 4, rel=1e-4)


def test_past_an_open_end_it_goes_straight_on_and_round_a_closed_curve_it_comes_back():
    line = other(step("line", start=[0, 0, 0], end=[0, 50, 0], points=9), looks=[])
    mesh = shape(step("line", start=[0, 0, 0], end=[80, 0, 0], points=9), step("follow", curve="other"), others=[line])
    np.testing.assert_allclose(mesh.points[-1], [0, 80, 0], atol=1e-3)
    ring = other(step("circle", radius=60, points=90), looks=[])
    one, two = (shape(step("box"), step("follow", curve="other", slide=slide), others=[ring]) for slide in (0.3, 1.3))
    np.testing.assert_allclose(one.points, two.points, atol=1e-3)


def test_copies_placed_along_a_curve_turn_with_it_and_keep_their_form():
    ring = other(step("circle", radius=100, points=360), looks=[])
    row = [step("box", width=10, height=6, depth=6), step("row", count=5, apart=[40, 0, 0])]
    found = copies_of(*row, step("follow", curve="other", moves="whole copies"), others=[ring])
    np.testing.assert_allclose(np.linalg.norm(found[:, :, 3], axis=1), 100, atol=0.05)
    # Their x axes run along the circle, across its radius.
    out = found[:, :, 3] / 100
    np.testing.assert_allclose((found[:, :, 0] * out).sum(axis=1), 0, atol=0.02)
    np.testing.assert_allclose(np.linalg.det(found[:, :, :3]), 1, atol=1e-4)


# --- morph ---


def test_a_morph_is_exact_at_both_ends_and_halfway_in_the_middle():
    into = other(BALL, step("stretch", factor=2), looks=[], place={"position": [30, 0, 0]})
    plain = shape(BALL)
    target = shape(BALL, step("stretch", factor=2)).points + np.float32([30, 0, 0])
    for amount, wanted in ((0, plain.points), (1, target), (0.5, (plain.points + target) / 2)):
        mesh = shape(BALL, step("morph", into="other", amount=amount), others=[into])
        np.testing.assert_allclose(mesh.points, wanted, atol=0 if amount == 0 else 2e-5)


def test_shapes_of_other_sizes_go_to_the_nearest_place_or_the_one_in_the_picture():
    into = other(step("sphere", radius=80, rings=64, segments=128), looks=[])
    for by in ("as fits", "nearest place", "place in the picture"):
        mesh = shape(BALL, step("morph", into="other", amount=1, by=by), others=[into])
        np.testing.assert_allclose(np.linalg.norm(mesh.points, axis=1), 80, atol=0.2)
    same = shape(BALL, step("morph", into="other", amount=1, by="place in the picture"), others=[into])
    before = shape(BALL).points / 50
    assert (same.points / 80 * before).sum(axis=1).min() > 0.99
    with pytest.raises(ProblemError, match="equally many"):
        shape(BALL, step("morph", into="other", by="number"), others=[into])


def test_copies_go_to_the_places_of_the_others_copies():
    dot = step("box", width=2, height=2, depth=2)
    into = other(dot, step("wheel", count=9, radius=70), looks=[])
    row = [dot, step("row", count=9, apart=[10, 0, 0])]
    found = copies_of(*row, step("morph", into="other", amount=1), others=[into])
    wanted = evaluate(scene(other(dot, step("wheel", count=9, radius=70))), 0).drawables[0].matrices
    np.testing.assert_allclose(found, wanted, atol=1e-4)


# --- tie ---

TURNING = guide("Hand", (20, 0, 0), (0, 0, keyed((0, 0), (24, 90))), (1, 1, 1))


def test_with_one_guide_a_shape_moves_as_it_does():
    hand = guide("Hand", (keyed((0, 20), (24, -10)), 5, 0), (0, 0, keyed((0, 30), (24, 120))),
                 (keyed((0, 1), (24, 2)), 1, 1))  # fmt: skip
    tied = step("tie", to=["hand"])
    np.testing.assert_allclose(shape(BALL, tied, guides=[hand]).points, shape(BALL).points, atol=1e-3)

    def matrix(x, degrees, size):
        turn = np.radians(degrees)
        made = np.eye(4)
        made[:2, :2] = [[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]
        made[:3, :3] = made[:3, :3] @ np.diag([size, 1, 1])
        made[:3, 3] = (x, 5, 0)
        return made

    moved = matrix(-10, 120, 2) @ np.linalg.inv(matrix(20, 30, 1))
    wanted = shape(BALL).points @ moved[:3, :3].T + moved[:3, 3]
    np.testing.assert_allclose(shape(BALL, tied, guides=[hand], frame=24).points, wanted, atol=2e-3)


def test_each_guide_takes_what_was_nearest_at_the_first_frame():
    left = guide("Left", (-50, keyed((0, 0), (24, 40)), 0))
    right = guide("Right", (50, 0, 0))
    bar = step("line", start=[-50, 0, 0], end=[50, 0, 0], points=11)
    mesh = shape(bar, step("tie", to=["left", "right"]), guides=[left, right], frame=24)
    np.testing.assert_allclose(mesh.points[:, 1], [40] * 6 + [0] * 5, atol=1e-4)
    shared = shape(bar, step("tie", to=["left", "right"], takes="all, by nearness"), guides=[left, right], frame=24)
    assert (np.diff(shared.points[:, 1]) < 0).all()
    np.testing.assert_allclose(shared.points[[0, 5, -1], 1], [40, 20, 0], atol=1e-3)


def test_within_a_radius_its_hold_has_a_soft_edge():
    hand = guide("Hand", (0, keyed((0, 0), (24, 40)), 0))
    bar = step("line", start=[-100, 0, 0], end=[100, 0, 0], points=21)
    tied = step("tie", to=["hand"], takes="points within a radius", radius=20, fade=40)
    mesh = shape(bar, tied, guides=[hand], frame=24)
    np.testing.assert_allclose(mesh.points[[0, 4, 6, 8, 10], 1], [0, 0, 20, 40, 40], atol=1e-3)


def test_only_the_parts_that_are_wanted_are_taken():
    hand = guide("Hand", (keyed((0, 0), (24, 30)), 0, 0), (0, 0, keyed((0, 0), (24, 90))))
    mesh = shape(BALL, step("tie", to=["hand"], parts=["position"]), guides=[hand], frame=24)
    np.testing.assert_allclose(mesh.points, shape(BALL).points + np.float32([30, 0, 0]), atol=1e-3)


def test_a_figure_that_turns_itself_keeps_what_each_guide_held_at_first():
    left, right = guide("Left", (-50, 0, 0)), guide("Right", (50, keyed((0, 0), (24, 40)), 0))
    bar = step("line", start=[-50, 0, 0], end=[50, 0, 0], points=11)
    place = {"rotation": [0, 0, keyed((0, 0), (24, 180))]}
    (drawable,) = evaluate(scene(figure(bar, step("tie", to=["left", "right"]), place=place), guides=[left, right]), 24
                           ).drawables  # fmt: skip
    world = drawable.mesh.points @ drawable.matrices[0][:, :3].T + drawable.matrices[0][:, 3]
    # What was at the right is at the left now, and is held by the right guide still.
    np.testing.assert_allclose(world[-1], [-50, 40, 0], atol=1e-2)
    np.testing.assert_allclose(world[0], [50, 0, 0], atol=1e-2)


def test_copies_are_tied_by_where_they_stand():
    row = [step("box", width=4, height=4, depth=4), step("row", count=3, apart=[50, 0, 0])]
    turning = guide("Hand", (50, 0, 0), (0, 0, keyed((0, 0), (24, 90))))
    still = guide("Still", (0, 0, 0))
    tied = step("tie", to=["hand", "still"], moves="whole copies")
    found = copies_of(*row, tied, guides=[turning, still], frame=24)
    np.testing.assert_allclose(found[2][:, :3], [[0, -1, 0], [1, 0, 0], [0, 0, 1]], atol=1e-4)
    np.testing.assert_allclose(found[:2, :, :3], [np.eye(3)] * 2, atol=1e-5)


# --- burst ---


def test_pieces_keep_their_form_and_stay_where_no_field_reaches():
    row = [step("box", width=10, height=10, depth=10), step("row", count=6, apart=[30, 0, 0]), step("bend", angle=0)]
    before, mesh = shape(*row), shape(*row, step("burst", distance=200))
    assert pieces_of(mesh).max() == 5
    for number in range(6):
        mine = pieces_of(before) == number
        ways = [points[mine][:, None] - points[mine][None] for points in (before.points, mesh.points)]
        np.testing.assert_allclose(np.linalg.norm(ways[0], axis=2), np.linalg.norm(ways[1], axis=2), atol=1e-3)
    far = field("Right", clause("between", start=40, end=10_000, axis="x", fade=0))
    limited = shape(*row, step("burst", "right"), fields=[far])
    still = before.points[:, 0] < 25
    np.testing.assert_array_equal(limited.points[still], before.points[still])
    assert np.abs(limited.points - before.points).max() > 10


@pytest.mark.parametrize("spin", [0, 200])
def test_without_chance_all_copies_fly_as_far_as_asked(spin):
    ball = [step("box", width=2, height=2, depth=2), step("wheel", count=12, radius=50)]
    settings = {"distance": 70, "chance": 0, "spread": 0, "spin": spin}
    found = copies_of(*ball, step("burst", **settings))
    np.testing.assert_allclose(np.linalg.norm(found[:, :, 3], axis=1), 120, atol=1e-3)
    turns = np.einsum("nii->n", np.linalg.inv(copies_of(*ball)[:, :, :3]) @ found[:, :, :3])
    np.testing.assert_allclose(turns, 1 + 2 * np.cos(np.radians(spin)), atol=1e-3)


def test_by_chance_they_differ_and_a_place_sends_them_away_from_itself():
    ball = [step("box", width=2, height=2, depth=2), step("grid", columns=6, rows=6, layers=1, apart=[10, 10, 0])]
    here = guide("Here", (0, 0, -500))
    burst = step("burst", ways="from a place", place="here", distance=100, spread=0, spin=0, chance=0.5)
    away = copies_of(*ball, burst, guides=[here])[:, :, 3] - copies_of(*ball)[:, :, 3]
    far = np.linalg.norm(away, axis=1)
    assert far.min() >= 50 - 1e-3
    assert far.max() <= 100 + 1e-3
    assert np.ptp(far) > 20
    assert (away[:, 2] / far).min() > 0.99


# --- relax ---


def test_relaxing_evens_out_what_a_noise_did_and_keeps_borders():
    rough = [step("plane", width=100, height=100, across=40, up=40), step("displace", strength=10, size=12)]
    before, mesh = shape(*rough), shape(*rough, step("relax", times=40))
    rim = np.abs(before.points[:, :2]).max(axis=1) > 49.9
    np.testing.assert_allclose(mesh.points[rim], before.points[rim], atol=1e-4)
    steep = [np.abs(np.diff(one.points[~rim, 2])).mean() for one in (before, mesh)]
    assert steep[1] < steep[0] / 3


def test_a_flat_sheet_and_nothing_stay_as_they_are():
    flat = [step("plane", width=100, height=100, across=10, up=10)]
    np.testing.assert_allclose(shape(*flat, step("relax", times=30)).points, shape(*flat).points, atol=1e-3)
    np.testing.assert_array_equal(shape(BALL, step("relax", times=0)).points, shape(BALL).points)


def test_no_crease_opens_and_the_size_is_kept_if_wanted():
    solid = [step("cylinder", radius=40, height=80, segments=48, rows=12)]
    mesh = shape(*solid, step("relax", keeps="nothing", times=30))
    # Doubled points along the rims are still doubled.
    assert len(np.unique(mesh.points, axis=0)) == len(np.unique(shape(*solid).points, axis=0))
    assert volume(mesh) < 0.93 * volume(shape(*solid))
    kept = shape(*solid, step("relax", keeps="nothing", times=30, keeps_size=True))
    assert abs(volume(kept) / volume(shape(*solid)) - 1) < abs(volume(mesh) / volume(shape(*solid)) - 1) / 2


def test_curves_keep_their_ends_and_where_pieces_meet_nothing_moves():
    zigzag = step("rule_points", place=[0, formula("10 * (1 - 2 * mod(floor(x / 10 + 0.5), 2))"), 0])
    line = [step("line", start=[0, 0, 0], end=[100, 0, 0], points=11), zigzag]
    mesh, before = shape(*line, step("relax", times=50, amount=0.5)), shape(*line)
    np.testing.assert_allclose(mesh.points[[0, -1]], before.points[[0, -1]], atol=1e-5)
    assert np.abs(np.diff(mesh.points[:, 1], 2)).max() < 1
