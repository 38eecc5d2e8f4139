"""Fields: every clause, join and direction, what they keep, and what they limit."""

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.evaluate import Evaluator, evaluate
from pirouette.formats.png import png_bytes
from tests.scenes import LIBRARY, clause, document, field, figure, formula, keyed, look, scene, step

POINTS = np.array([[0, 0, 0], [30, 0, 0], [60, 0, 0], [0, 50, 0], [0, 0, 90]], np.float32)


def weights(*clauses, points=POINTS, frame=0, share=None, figures=(), **more):
    opened = scene(*figures, fields=[field("Gust", *clauses)], **more)
    return Evaluator(opened, frame).weights(opened.fields[0], np.asarray(points, np.float32), share)


def directions(*clauses, points=POINTS, **more):
    opened = scene(fields=[field("Gust", *clauses)], **more)
    return Evaluator(opened, 0).directions(opened.fields[0], np.asarray(points, np.float32))


@pytest.mark.parametrize(
    ("form", "inside", "outside"),
    [
        ("ball", [29, 0, 0], [31, 0, 0]),
        ("block", [29, 29, 29], [31, 0, 0]),
        ("column", [20, 29, 20], [25, 29, 25]),
        ("funnel", [0, -29, 0], [10, -29, 0]),
        ("funnel", [28, 29, 0], [31, 29, 0]),
        ("ring", [26, 0, 0], [0, 0, 0]),
    ],
)
def test_regions_hold_what_is_inside_their_form(form, inside, outside):
    found = weights(clause("region", form=form, size=[60, 60, 60], fade=0), points=[inside, outside])
    assert found.tolist() == [1, 0]


def test_a_turned_region_is_turned():
    found = weights(
        clause("region", form="block", size=[100, 10, 10], rotation=[0, 0, 90], fade=0), points=[[0, 40, 0], [40, 0, 0]]
    )
    assert found.tolist() == [1, 0]


def test_an_angle_goes_round_without_a_jump():
    turn = np.radians(np.arange(0, 360, 5))
    ring = np.stack([np.cos(turn), np.sin(turn), np.zeros(72)], axis=1) * 40
    found = weights(clause("angle", middle=350, width=60, fade=20), points=ring)
    assert found[0] == 1
    assert np.abs(np.diff(np.append(found, found[0]))).max() <= 0.26
    assert found[36] == 0


def test_a_rule_weighs_by_its_formula():
    found = weights(clause("rule", weight=formula("x / 60")))
    np.testing.assert_allclose(found, [0, 0.5, 1, 0, 0], atol=1e-6)
    folded = weights(clause("rule", weight=formula("x / 20"), beyond="fold back"))
    np.testing.assert_allclose(folded, [0, 0.5, 1, 0, 0], atol=1e-6)


HUB = {"id": "hub", "name": "Hub", "place": {"position": [30, 0, 0]}}


def test_near_a_guide_falls_with_the_distance():
    found = weights(clause("near", to="hub", within=10, fade=40), guides=[HUB])
    np.testing.assert_allclose(found[:3], [0.5, 1, 0.5], atol=1e-5)


def test_near_a_curve_counts_from_its_nearest_place():
    line = figure(step("line", start=[-100, 0, 0], end=[100, 0, 0]), name="Rail", looks=[])
    found = weights(clause("near", to="rail", within=0, fade=100), figures=[line])
    np.testing.assert_allclose(found, [1, 1, 1, 0.5, 0.1], atol=1e-5)


def test_near_a_figure_counts_from_its_surface_where_it_stands():
    ball = figure(
        step("sphere", form="even", parts=12, radius=20), name="Ball", looks=[], place={"position": [60, 0, 0]}
    )
    found = weights(clause("near", to="ball", within=0, fade=40), figures=[ball])
    np.testing.assert_allclose(found[:3], [0, 0.75, 0.5], atol=0.02)


def test_near_nothing_weighs_nothing():
    assert not weights(clause("near")).any()


def test_within_a_closed_figure_grows_from_its_surface():
    box = figure(step("box", width=100, height=100, depth=100), name="Crate", looks=[])
    found = weights(clause("within", figure="crate", fade=40), figures=[box])
    np.testing.assert_allclose(found, [1, 0.5, 0, 0, 0], atol=1e-5)


def test_within_an_open_form_is_nothing():
    plane = figure(step("line"), name="Flat", looks=[])
    assert not weights(clause("within", figure="flat"), figures=[plane]).any()


def test_order_takes_a_stretch_of_the_copies():
    found = weights(clause("order", start=0, end=0.5, fade=0.25))
    np.testing.assert_allclose(found, [1, 1, 1, 0, 0], atol=1e-6)
    shares = weights(clause("order", start=0.9, end=1, fade=0), share=np.array([1, 0, 0, 0, 0.95]))
    assert shares.tolist() == [1, 0, 0, 0, 1]


def test_a_beat_pulses_in_time_and_closes():
    at = [weights(clause("beat", times=4, fall=[[0, 1], [1, 0]]), frame=frame)[0] for frame in (0, 12, 23, 24, 96)]
    np.testing.assert_allclose(at, [1, 0.5, 1 / 24, 1, 1], atol=1e-6)


class Pictures:
    """A library of one picture: white on the right, black on the left."""

    def __init__(self):
        pixels = np.zeros((4, 8, 4), np.uint8)
        pixels[:, 4:] = 255
        pixels[..., 3] = 255
        from pirouette.assets.library import Asset

        self.asset = Asset("half.png", "picture", png_bytes(pixels))

    def ids(self):
        return {"half.png": "picture"}

    def find(self, asset_id):
        return self.asset


def test_a_picture_weighs_by_its_brightness():
    from pirouette.document import read_scene

    raw = document(fields=[field("Gust", clause("picture", file="half.png", size=[100, 100, 100]))])
    opened = read_scene(raw, Pictures())
    points = np.array([[-40, 0, 0], [40, 0, 0], [90, 0, 0]], np.float32)
    assert Evaluator(opened, 0).weights(opened.fields[0], points).tolist() == [0, 1, 0]


JOINS = {
    "plus": [1, 0.9],
    "less": [0.5, 0.1],
    "only where": [0, 0.2],
    "whichever is more": [0.5, 0.5],
    "whichever is less": [0, 0.4],
    "instead": [0, 0.4],
    "half and half": [0.25, 0.45],
}


@pytest.mark.parametrize("join", JOINS)
def test_joins_do_what_their_words_say(join):
    first = clause("rule", weight=0.5, id="a")
    second = clause("rule", {"join": join}, weight=formula("x / 100"), id="b")
    expected = {"plus": [0.5, 0.9]}.get(join, JOINS[join])
    found = weights(first, second, points=[[0, 0, 0], [40, 0, 0]])
    np.testing.assert_allclose(found, expected, atol=1e-6)


def test_inside_out_strength_and_response():
    turned = weights(clause("rule", {"inside_out": True}, weight=0.3))
    np.testing.assert_allclose(turned, 0.7, atol=1e-6)
    bent = weights(clause("rule", {"response": [[0, 0], [0.5, 1], [1, 0]]}, weight=0.25))
    np.testing.assert_allclose(bent, 0.5, atol=1e-6)
    weak = weights(clause("rule", id="a", weight=1), clause("rule", {"join": "less", "strength": 0.5}, weight=1))
    np.testing.assert_allclose(weak, 0.5, atol=1e-6)


def test_a_clause_lives_in_the_space_of_the_guide_it_follows():
    hub = {"id": "hub", "name": "Hub", "place": {"position": [60, 0, 0], "scale": [2, 2, 2]}}
    found = weights(clause("region", {"follows": "hub"}, size=[20, 20, 20], fade=0), guides=[hub])
    assert found.tolist() == [0, 0, 1, 0, 0]


def test_directions_lead_away_towards_along_and_around():
    at = [[10, 0, 0]]
    way = lambda name: directions(clause("region", {"direction": name}), points=at)[0]  # noqa: E731
    np.testing.assert_allclose(way("away"), [1, 0, 0], atol=1e-6)
    np.testing.assert_allclose(way("towards"), [-1, 0, 0], atol=1e-6)
    np.testing.assert_allclose(way("along"), [0, 1, 0], atol=1e-6)
    np.testing.assert_allclose(way("around"), [0, 0, -1], atol=1e-6)
    np.testing.assert_allclose(way("none"), [0, 0, 0])


def test_directions_across_stand_at_a_right_angle_to_both():
    clauses = (
        clause("region", {"direction": "away"}, id="a"),
        clause("noise", {"direction": "away", "direction_join": "across"}, id="b", size=40),
    )
    found = directions(*clauses)
    np.testing.assert_allclose(np.linalg.norm(found[1:], axis=1), 1, atol=1e-5)
    noise = directions(clause("noise", {"direction": "away"}, size=40))
    np.testing.assert_allclose((found * noise).sum(axis=1), 0, atol=1e-5)
    np.testing.assert_allclose((found * POINTS).sum(axis=1), 0, atol=1e-3)


def swept(then, over=10, frame=0, **clock):
    """Copies in a row; a slab passes over them, one copy in ten frames."""
    slab = clause("between", {"follows": "hub"}, start=-2, end=2, fade=0)
    hub = {"id": "hub", "name": "Hub", "place": {"position": [keyed((0, -20), (40, 20)), 0, 0]}}
    gust = {**field("Gust", slab), "after": {"then": then, "over": over}}
    row = figure(step("box", width=1), step("row", count=5, apart=[10, 0, 0]), step("shift", "gust", place=[0, 1, 0]))
    opened = scene(row, fields=[gust], guides=[hub], clock={"fps": 24, "frames": 41, "loops": False, **clock})
    return evaluate(opened, frame).drawables[0].matrices[:, 1, 3]


def test_a_field_that_follows_forgets_at_once():
    np.testing.assert_allclose(swept("follows", frame=20), [0, 0, 1, 0, 0])


def test_a_field_that_keeps_holds_all_it_touched_at_any_frame():
    np.testing.assert_allclose(swept("keeps", frame=20), [1, 1, 1, 0, 0])
    np.testing.assert_allclose(swept("keeps", frame=40), [1, 1, 1, 1, 1])
    np.testing.assert_allclose(swept("keeps", frame=0), [1, 0, 0, 0, 0])


def test_a_field_that_lets_go_forgets_over_its_frames():
    found = swept("lets go", over=16, frame=20)
    # The slab left the second copy 8 frames ago and the first 18 frames ago.
    np.testing.assert_allclose(found, [0, 0.5, 1, 0, 0], atol=1e-6)


def test_what_is_let_go_goes_on_over_the_seam_of_a_loop():
    found = swept("lets go", over=16, frame=0, loops=True)
    assert found[0] == 1
    assert found[4] > 0.8


def limited(*looks, **place):
    left = field("Left", clause("between", start=-1000, end=0, fade=0))
    return scene(
        figure(step("plane", width=100, height=100, across=4, up=4), looks=list(looks), **place), fields=[left]
    )


def test_a_look_limited_by_a_field_has_its_opacity_there():
    (drawable,) = evaluate(limited({**look("surface"), "only_where": "left"}), 0).drawables
    (drawn,) = drawable.looks
    inside = drawn.mesh.points[:, 0] <= 0
    is_clear_of_it = np.abs(drawn.mesh.points[:, 0]) > 0.2
    np.testing.assert_allclose(drawn.point_tints[is_clear_of_it, 3], inside[is_clear_of_it])
    # Where it ends, it does so to a thousandth of the figure.
    corners = drawn.mesh.points[drawn.mesh.topology.triangles]
    is_across = inside[drawn.mesh.topology.triangles].any(axis=1) & ~inside[drawn.mesh.topology.triangles].all(axis=1)
    assert np.ptp(corners[is_across], axis=1)[:, 0].max() <= 0.001 * 2 * np.linalg.norm(
        np.ptp(drawable.mesh.points, axis=0)
    )
    # What the figure is stays as it was.
    assert len(drawable.mesh.points) == 25
    plain, finer = drawable.apart
    assert plain.looks == () and finer.mesh is drawn.mesh and finer.part != plain.part


def test_a_field_that_goes_by_more_than_places_limits_points_as_they_are():
    raw = limited({**look("surface"), "only_where": "left"})
    every = field("Left", clause("order", start=0, end=0.5))
    opened = scene(
        figure(step("plane", across=4, up=4), looks=[{**look("surface"), "only_where": "left"}]), fields=[every]
    )
    assert evaluate(opened, 0).drawables[0].looks[0].mesh is None
    assert evaluate(raw, 0).drawables[0].looks[0].mesh is not None


def test_a_field_gives_a_look_another_colour_and_glow():
    (drawable,) = evaluate(
        limited(look("surface", colour="#000000", other_colour="#ffffff", colour_where="left", glow_where="left")), 0
    ).drawables
    (drawn,) = drawable.looks
    across = drawn.mesh.points[:, 0]
    np.testing.assert_allclose(drawn.point_tints[across < -0.2][:, [0, 4]], 1)
    np.testing.assert_allclose(drawn.point_tints[across > 0.2][:, [0, 4]], 0)


def test_a_look_that_a_field_never_reaches_is_not_drawn():
    far = limited({**look("surface"), "only_where": "left"}, place={"position": [500, 0, 0]})
    assert evaluate(far, 0).drawables[0].looks == ()


def test_copies_of_a_limited_look_are_weighed_point_by_point():
    left = field("Left", clause("between", start=-1000, end=0, fade=0))
    opened = scene(
        figure(step("box", width=20), step("row", count=1), looks=[{**look("surface"), "only_where": "left"}]),
        fields=[left],
    )
    (drawable,) = evaluate(opened, 0).drawables
    assert len(drawable.matrices) == 1
    assert set(drawable.looks[0].point_tints[: len(drawable.mesh.points), 3]) == {0, 1}


@pytest.mark.parametrize(
    ("figures", "says"),
    [
        ([figure(step("others", figures=["a"]), name="A")], "A → A"),
        (
            [figure(step("box"), step("scatter", onto="b"), name="A"), figure(step("others", figures=["a"]), name="B")],
            "A → B → A",
        ),
        ([figure(step("sphere"), step("twist", "gust"), name="A")], "A → A"),
    ],
)
def test_figures_made_of_each_other_are_refused_in_words(figures, says):
    with pytest.raises(ProblemError, match=f"made of each other in a circle: {says}"):
        scene(*figures, fields=[field("Gust", clause("near", to="a"))])


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (figure(step("box"), step("along", curve="nowhere")), "there is no figure “nowhere”"),
        (figure(step("box"), step("aim", at="nobody")), "there is no guide or figure “nobody”"),
        (figure(step("box"), looks=[look("surface", glow_where="gone")]), "there is no field “gone”"),
        (figure(step("lettering", typeface="comic.ttf")), "there is no font “comic.ttf”; there are bowlby-one.woff2"),
        (figure(step("artwork", file="gloock.woff2")), "there is no artwork “gloock.woff2”"),
    ],
)
def test_references_that_lead_nowhere_are_told(raw, says):
    with pytest.raises(ProblemError, match=says):
        scene(raw)


def test_a_shared_formula_that_is_not_there_is_told_with_those_that_are():
    raw = document(
        figure(step("box", width={"sort": "formula", "shared": "lost"})),
        formulas=[{"id": "lift", "name": "Lift", "text": "3"}],
    )
    from pirouette.document import read_scene

    with pytest.raises(ProblemError, match="there is no shared formula 'lost'; there are lift"):
        read_scene(raw, LIBRARY)
