"""Following: by place, along a curve, in part, late; a figure's own time; formulas that refer to any value."""

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.document import read_scene
from pirouette.evaluate import Evaluator, evaluate
from tests.scenes import clause, document, field, figure, formula, keyed, look, scene, step, swing

SLIDE = {"position": [keyed((0, 0), (96, 96)), 0, 0]}


def guide(name, **place):
    return {"id": name.lower(), "name": name, "place": place}


def matrix(made, frame=0.0, name="thing"):
    world = Evaluator(made, frame)
    return world.figure_matrix(made.figures_by_id[name])


def box(**place):
    return figure(step("box"), place=place)


def test_a_figure_follows_another_figure():
    hub = figure(
        step("sphere"), name="Hub", place={"position": [10, 20, 30], "rotation": [0, 90, 0], "scale": [2, 2, 2]}
    )
    made = scene(hub, box(position=[5, 0, 0], follows="hub"))
    np.testing.assert_allclose(matrix(made)[:3, 3], [10, 20, 30 - 10], atol=1e-5)


@pytest.mark.parametrize(
    ("takes", "position", "x_axis"),
    [
        (["position"], [15, 0, 0], [1, 0, 0]),
        (["rotation"], [0, 5, 0], [0, 1, 0]),
        (["scale"], [15, 0, 0], [3, 0, 0]),
        (["position", "rotation"], [10, 5, 0], [0, 1, 0]),
        ([], [5, 0, 0], [1, 0, 0]),
    ],
)
def test_only_what_is_taken_carries(takes, position, x_axis):
    hub = guide("Hub", position=[10, 0, 0], rotation=[0, 0, 90], scale=[3, 3, 3])
    made = scene(box(position=[5, 0, 0], follows="hub", takes=takes), guides=[hub])
    np.testing.assert_allclose(matrix(made)[:3, 3], position, atol=1e-5)
    np.testing.assert_allclose(matrix(made)[:3, 0], x_axis, atol=1e-5)


def test_a_lag_is_where_the_other_was_so_many_frames_before_also_across_the_seam():
    made = scene(box(follows="hub", lag=10), guides=[guide("Hub", **SLIDE)])
    assert matrix(made, 30)[0, 3] == pytest.approx(20)
    assert matrix(made, 4)[0, 3] == pytest.approx(90)
    once = read_scene({**made.raw, "clock": {"loops": False, "frames": 96}})
    assert matrix(once, 4)[0, 3] == pytest.approx(0)


def test_a_figure_rides_along_a_circle_and_turns_with_it():
    ring = figure(step("circle", radius=50, points=720), name="Ring", place={"position": [0, 0, 7]})
    made = scene(ring, box(follows="ring", rides="its curve", along=keyed((0, 0), (96, 1))))
    start = matrix(made, 0)
    quarter = matrix(made, 24)
    for one in (start, quarter):
        assert np.linalg.norm(one[:2, 3]) == pytest.approx(50, abs=1e-2)
        assert one[2, 3] == pytest.approx(7)
        # x leads along the curve, at a right angle to the way from the middle.
        assert one[:3, 0] @ one[:3, 3] == pytest.approx(0, abs=0.5)
        np.testing.assert_allclose(one[:3, :3].T @ one[:3, :3], np.eye(3), atol=1e-5)
    assert start[:3, 3] @ quarter[:3, 3] == pytest.approx(49, abs=1)
    np.testing.assert_allclose(matrix(made, 96), start, atol=1e-4)


def test_past_the_end_of_an_open_curve_it_stays_at_the_end():
    made = scene(
        figure(step("line", start=[0, 0, 0], end=[100, 0, 0]), name="Rail"),
        box(follows="rail", rides="its curve", along=1.4),
    )
    np.testing.assert_allclose(matrix(made)[:3, 3], [100, 0, 0], atol=1e-5)


@pytest.mark.parametrize(
    ("follows", "says"), [("hub", "a guide has no curve"), ("ball", "“Ball” has no curve to follow")]
)
def test_what_has_no_curve_says_so(follows, says):
    made = scene(figure(step("sphere"), name="Ball"), box(follows=follows, rides="its curve"), guides=[guide("Hub")])
    with pytest.raises(ProblemError, match=says) as caught:
        evaluate(made, 0)
    assert "Thing/place/follows" in str(caught.value)


def test_a_curve_made_with_the_place_of_its_rider_is_refused():
    ring = figure(step("circle"), step("aim", at="thing"), name="Ring")
    with pytest.raises(ProblemError, match="made of each other in a circle: Thing → Ring → Thing"):
        scene(ring, box(follows="ring", rides="its curve"))
    # The place alone may well be needed by what it follows.
    assert scene(figure(step("circle"), step("aim", at="thing"), name="Ring"), box(follows="ring"))


def test_cameras_follow_and_aim():
    camera = {
        "id": "camera",
        "name": "Camera",
        "settings": {"position": [0, 0, 100], "follows": "hub", "aims_at": "thing"},
    }
    made = scene(box(position=[40, 0, 0]), guides=[guide("Hub", **SLIDE)], cameras=[camera])
    view = evaluate(made, 40).view
    np.testing.assert_allclose(view.position, [40, 0, 100], atol=1e-5)
    np.testing.assert_allclose(view.forward, [0, 0, -1], atol=1e-6)
    np.testing.assert_allclose(evaluate(made, 0).view.forward, np.array([40, 0, -100]) / np.hypot(40, 100), atol=1e-6)


def test_lights_and_clauses_follow_figures():
    key = {"id": "key", "name": "Key", "kind": "key", "settings": {"position": [0, 10, 0], "follows": "thing"}}
    gust = field("Gust", clause("region", {"follows": "thing"}, size=[20, 20, 20]))
    made = scene(
        box(position=[100, 0, 0]),
        figure(step("plane"), step("displace", "gust"), name="Net"),
        fields=[gust],
        lights=[key],
    )
    picture = evaluate(made, 0)
    np.testing.assert_allclose(picture.lights[0].settings.position, [100, 10, 0], atol=1e-5)
    weights = Evaluator(made, 0).weights(made.fields[0], np.array([[100, 0, 0], [0, 0, 0]], np.float32))
    np.testing.assert_allclose(weights, [1, 0], atol=1e-5)


RIDE = {"follows": "ring", "rides": "its curve"}
RING = figure(step("circle", radius=50, points=720), name="Ring", place={"position": [0, 0, 7]})


def seen_by(settings, frame, *figures, **more):
    camera = {"id": "camera", "name": "Camera", "settings": settings}
    return evaluate(scene(*figures, cameras=[camera], **more), frame).view


def test_a_camera_rides_along_a_curve_and_looks_where_it_leads():
    along = keyed((0, 0), (96, 1))
    view = seen_by({"position": [0, 0, 0], "target": [10, 0, 0], "along": along, **RIDE}, 24, RING)
    assert np.linalg.norm(view.position[:2]) == pytest.approx(50, abs=1e-2)
    assert view.position[2] == pytest.approx(7)
    # A quarter of the way round it looks at a right angle to the way from the middle.
    assert view.forward @ [*view.position[:2], 0] == pytest.approx(0, abs=0.5)
    still = seen_by({"position": [0, 0, 0], "target": [0, 0, -9], "along": along, "aligned": False, **RIDE}, 24, RING)
    np.testing.assert_allclose(still.forward, [0, 0, -1], atol=1e-6)


def test_a_camera_leans_with_what_carries_it_and_only_then():
    hub = guide("Hub", rotation=[0, 0, 30])
    leaning = seen_by({"position": [0, 0, 100], "follows": "hub"}, 0, box(), guides=[hub])
    np.testing.assert_allclose(leaning.up, [-0.5, np.sqrt(0.75), 0], atol=1e-6)
    upright = seen_by({"position": [0, 0, 100], "follows": "hub", "takes": ["position"]}, 0, box(), guides=[hub])
    np.testing.assert_allclose(upright.up, [0, 1, 0], atol=1e-6)


def test_cameras_lights_and_clauses_follow_late():
    late = {"follows": "hub", "lag": 10}
    key = {"id": "key", "name": "Key", "kind": "key", "settings": {"position": [0, 10, 0], **late}}
    gust = field("Gust", clause("region", late, size=[20, 20, 20]))
    hub = guide("Hub", **SLIDE)
    net = figure(step("plane", width=300), step("displace", "gust"), name="Net")
    view = seen_by({"position": [0, 0, 100], **late}, 30, net, guides=[hub], lights=[key], fields=[gust])
    assert view.position[0] == pytest.approx(20)
    made = scene(net, guides=[hub], lights=[key], fields=[gust])
    assert evaluate(made, 30).lights[0].settings.position[0] == pytest.approx(20)
    at = np.array([[20, 0, 0], [30, 0, 0], [45, 0, 0]], np.float32)
    weights = Evaluator(made, 30).weights(made.fields[0], at)
    assert weights[0] == pytest.approx(1)
    assert weights[2] == pytest.approx(0)


def test_a_light_rides_along_a_curve():
    key = {"id": "key", "name": "Key", "kind": "key", "settings": {"position": [0, 0, 0], "along": 0.5, **RIDE}}
    position = evaluate(scene(RING, lights=[key]), 0).lights[0].settings.position
    first = evaluate(scene(RING, lights=[{**key, "settings": {**key["settings"], "along": 0}}]), 0).lights[0]
    np.testing.assert_allclose(position, [-first.settings.position[0], 0, 7], atol=1e-2)


ON_BALL = {**RIDE, "follows": "ball"}


@pytest.mark.parametrize(
    ("more", "where"),
    [
        ({"cameras": [{"id": "camera", "name": "Eye", "settings": ON_BALL}]}, "cameras/Eye/follows"),
        ({"lights": [{"id": "key", "name": "Key", "kind": "key", "settings": ON_BALL}]}, "lights/Key/follows"),
        ({"fields": [field("Gust", clause("region", ON_BALL))]}, "fields/Gust/clauses"),
    ],
)
def test_whoever_rides_what_has_no_curve_is_named(more, where):
    made = scene(figure(step("sphere"), name="Ball"), **more)
    with pytest.raises(ProblemError, match="“Ball” has no curve to follow") as caught:
        evaluate(made, 0)
    assert where in str(caught.value)


def test_a_clause_that_rides_a_curve_made_with_its_own_field_is_refused():
    gust = field("Gust", clause("region", RIDE))
    ring = figure(step("circle"), step("displace", "gust"), name="Ring")
    with pytest.raises(ProblemError, match="made of each other in a circle"):
        scene(ring, fields=[gust])


# A figure's own time


def moving(**own_time):
    steps = step("sphere"), step("shift", place=[keyed((0, 0), (96, 96)), 0, 0])
    return figure(*steps, place={"position": [0, keyed((0, 0), (96, 960)), 0]}, own_time=own_time)


def where(made, frame):
    return evaluate(made, frame).drawables[0].matrices[0, :, 3]


def test_an_offset_shows_a_figure_as_it_is_at_another_frame():
    there = where(scene(moving()), 42)
    np.testing.assert_allclose(where(scene(moving(offset=12)), 30), there, atol=1e-4)
    np.testing.assert_allclose(where(scene(moving(offset=-60)), 6), there, atol=1e-4)


def test_a_speed_runs_through_the_loop_so_often():
    made = scene(moving(speed=3))
    np.testing.assert_allclose(where(made, 10), where(scene(moving()), 30), atol=1e-4)
    np.testing.assert_allclose(where(made, 42), where(made, 10), atol=1e-3)


def test_a_keyed_offset_is_a_speed_ramp():
    stopped = scene(moving(offset=keyed((20, 0), (40, -20), (60, -20), (80, 0))))
    np.testing.assert_allclose(where(stopped, 40), where(stopped, 20), atol=1e-4)
    np.testing.assert_allclose(where(stopped, 30), where(stopped, 20), atol=1e-4)
    np.testing.assert_allclose(where(stopped, 80), where(scene(moving()), 80), atol=1e-4)


def test_what_carries_a_figure_does_not_move_with_its_own_time():
    made = scene(
        figure(step("sphere"), own_time={"offset": 50}, place={"follows": "hub"}), guides=[guide("Hub", **SLIDE)]
    )
    assert where(made, 10)[0] == pytest.approx(10)


def test_afterimages_and_delays_run_in_the_figure_s_own_time():
    steps = (*moving()["routine"], step("afterimage", count=3, apart=4))
    late = scene(figure(*steps, own_time={"offset": 9}))
    plain = scene(figure(*steps))
    np.testing.assert_allclose(
        evaluate(late, 30).drawables[0].matrices, evaluate(plain, 39).drawables[0].matrices, atol=1e-4
    )


# References


def resolved(text, *figures, frame=24, **more):
    made = scene(*figures, figure(step("box", width=formula(text)), name="Reader"), **more)
    low, high = evaluate(made, frame).drawables[-1].mesh.bounds
    return float(high[0] - low[0])


def test_formulas_name_any_value_of_the_scene():
    ribbons = figure(
        step("sphere", radius=33), step("twist", angle=swing(0, 80)), step("twist", id="more", angle=70),
        name="Ribbons 2.0", looks=[look("surface", glow=5)], own_time={"offset": 3},
    )  # fmt: skip
    ribbons["id"] = "ribbons"
    gust = field("Gust", clause("region", size=[11, 22, 44]))
    glow = [{"id": "glow", "kind": "glow", "settings": {"strength": 9}}]
    light = [{"id": "sun", "name": "Sun", "kind": "sun", "settings": {"brightness": 6}}]
    for text, expected in {
        "{Ribbons 2.0.sphere.radius}": 33,
        "{Ribbons 2.0.twist.angle}": 80,
        "{Ribbons 2.0.twist 2.angle} + 1": 71,
        "{Ribbons 2.0.surface.glow}": 5,
        "{Ribbons 2.0.offset}": 3,
        "{Ribbons 2.0.scale.y}": 1,
        "{Gust.region.size.z}": 44,
        "{Finish.glow.strength}": 9,
        "{Sun.brightness}": 6,
        "{Camera 1.lens}": 35,
    }.items():
        assert resolved(text, ribbons, fields=[gust], finish=glow, lights=light) == pytest.approx(expected)


@pytest.mark.parametrize(
    "text", ["{Gust.region.size}", "{Gust.region.form}", "{Gust.region.size.w}", "{Gust.wind.size.x}", "{Nobody.x}"]
)
def test_what_is_no_number_cannot_be_named(text):
    with pytest.raises(ProblemError, match="nothing in the scene is called|is not"):
        resolved(text, fields=[field("Gust", clause("region"))])


def test_steps_that_refer_to_each_other_in_a_circle_are_named():
    a = figure(step("sphere", radius=formula("{B.sphere.radius}")), name="A")
    b = figure(step("sphere", radius=formula("{A.sphere.radius}")), name="B")
    with pytest.raises(ProblemError, match="in a circle: .*sphere.radius → .*sphere.radius"):
        evaluate(scene(a, b), 0)


def test_a_dragged_value_reaches_what_refers_to_it():
    raw = document(
        figure(step("sphere", radius=20), name="Ball"), figure(step("box", width=formula("2 * {Ball.sphere.radius}")))
    )
    first = evaluate(read_scene(raw), 0).drawables[1].mesh.bounds[1][0]
    raw["figures"][0]["routine"][0]["settings"]["radius"] = 30
    assert evaluate(read_scene(raw), 0).drawables[1].mesh.bounds[1][0] == pytest.approx(first * 1.5)


# Noise in the space of a guide, and the angle of view


@pytest.mark.parametrize(
    "steps",
    [
        [step("sphere"), step("displace", strength=20, size=30, lives_in="hub")],
        [step("box"), step("grid"), step("drift", lives_in="hub")],
        [step("terrain", lives_in="hub")],
        [step("sphere"), step("twist", "rough")],
    ],
)
def test_a_noise_is_carried_by_the_guide_it_lives_in(steps):
    rough = field("Rough", clause("noise", size=30, lives_in="hub"))

    def points(place):
        made = scene(figure(*steps), guides=[guide("Hub", **place)], fields=[rough])
        return evaluate(made, 0).drawables[0]

    home, away, back = points({}), points({"position": [17, 5, 3]}), points({"position": [0, 0, 0], "scale": [1, 1, 1]})
    same = lambda one, two: np.allclose(one.mesh.points, two.mesh.points) and np.allclose(one.matrices, two.matrices)  # noqa: E731
    assert same(home, back)
    assert not same(home, away)


def test_a_pattern_that_moves_with_its_figure_stays_on_it():
    def mesh(place):
        ball = figure(step("sphere"), step("displace", strength=20, size=30, lives_in="hub"), place=place)
        return evaluate(scene(ball, guides=[guide("Hub", **place)]), 0).drawables[0].mesh.points

    np.testing.assert_allclose(mesh({}), mesh({"position": [40, 0, 9], "rotation": [0, 70, 0]}), atol=2e-3)


def test_the_angle_of_view_spans_the_picture():
    camera = {"id": "camera", "name": "Camera", "settings": {"measured": "angle", "angle": 90}}
    assert evaluate(scene(box(), cameras=[camera]), 0).view.tangent == pytest.approx(1)
    camera["settings"] = {"lens": 18}
    assert evaluate(scene(box(), cameras=[camera]), 0).view.tangent == pytest.approx(1)
