"""What stands still is found once; whatever moves in any way is never taken to stand still."""

import pytest

from pirouette.evaluate import Evaluator, Memo, routines
from pirouette.evaluate.still import Still
from tests.scenes import DEMOS, clause, demo_scene, field, figure, formula, keyed, pushed, scene, step, swing

BALL = step("sphere", rings=4, segments=6)
GUIDE = {"id": "hook", "name": "Hook", "place": {}}
MOVING_GUIDE = {"id": "hook", "name": "Hook", "place": {"position": [swing(0, 9), 0, 0]}}
BAND = field("Band", clause("between"))
MOVING_BAND = field("Band", clause("between", start=swing(0, 50)))


@pytest.mark.parametrize("name", DEMOS)
def test_what_is_called_still_is_made_alike_at_every_frame(name):
    opened, memo = demo_scene(name), Memo()
    for one in opened.figures:
        if not Still(opened).shape(one):
            continue
        evaluators = [Evaluator(opened, frame, memo) for frame in (0, 11, 23.5)]
        shapes = [routines.run_routine(routines.Run.of(ev.own(one), one)) for ev in evaluators]
        assert len({shape and shape.key for shape in shapes}) == 1, one.name
    for thing in (*opened.figures, *opened.guides):
        if Still(opened).place(thing.id):
            places = [Evaluator(opened, frame, memo).thing_matrix(thing.id) for frame in (0, 11, 23.5)]
            assert all((places[0] == place).all() for place in places), thing.name


def test_most_of_what_stands_in_the_demo_is_still():
    scenes = [demo_scene(name) for name in DEMOS]
    found = [(Still(opened).shape(one), one.name) for opened in scenes for one in opened.figures]
    assert sum(is_still for is_still, _ in found) > 0.4 * len(found)
    assert sum(not is_still for is_still, _ in found) > 0.2 * len(found)


@pytest.mark.parametrize(
    ("routine", "more", "is_still"),
    [
        ((BALL, step("twist", angle=40)), {}, True),
        ((BALL, step("displace")), {}, True),
        ((BALL, step("displace", churn=1)), {}, False),
        ((step("sphere", radius=swing(40, 5)),), {}, False),
        ((step("sphere", radius=keyed((0, 40), (20, 50))),), {}, False),
        ((step("sphere", radius=formula("40 + turn")),), {}, False),
        ((step("sphere", radius=formula("{Hook.position.x} + 40")),), {"guides": [GUIDE]}, False),
        ((BALL, step("displace", strength=formula("index"))), {}, True),
        ((BALL, step("displace", "band")), {"fields": [BAND]}, True),
        ((BALL, step("displace", "band")), {"fields": [MOVING_BAND]}, False),
        ((BALL, step("displace", "band")), {"fields": [{**BAND, "after": {"then": "keeps"}}]}, False),
        ((BALL, step("displace", lives_in="hook")), {"guides": [GUIDE]}, True),
        ((BALL, step("displace", lives_in="hook")), {"guides": [MOVING_GUIDE]}, False),
        ((BALL, step("row"), step("stagger", time=3)), {}, False),
        ((BALL, pushed("jiggle")), {}, False),
        ((BALL, pushed("swarm", count=3)), {}, False),
        ((BALL, step("smear")), {}, False),
        ((BALL, {**step("displace", churn=1), "on": False}), {}, True),
    ],
)
def test_what_moves_in_any_way_is_not_still(routine, more, is_still):
    opened = scene(figure(*routine), **more)
    assert Still(opened).shape(opened.figures[0]) == is_still


def test_what_is_limited_by_a_field_is_still_only_where_its_figure_is():
    moving = {"position": [swing(0, 50), 0, 0]}
    for place, is_still in (({}, True), (moving, False)):
        opened = scene(figure(BALL, step("displace", "band"), place=place), fields=[BAND])
        assert Still(opened).shape(opened.figures[0]) == is_still
    opened = scene(figure(BALL, place=moving))
    assert Still(opened).shape(opened.figures[0])


def test_what_is_made_of_others_is_still_only_with_them():
    for place, is_still in (({}, True), ({"follows": "hook"}, False)):
        opened = scene(
            figure(step("others", figures=["ball"]), name="All"),
            figure(BALL, name="Ball", place=place),
            guides=[MOVING_GUIDE],
        )
        assert Still(opened).shape(opened.figures[0]) == is_still


def test_a_still_shape_is_made_once_however_many_frames_are_asked_for(monkeypatch):
    opened, memo, ran = scene(figure(BALL, step("twist"))), Memo(), []
    run = routines.run_step
    monkeypatch.setattr(routines, "run_step", lambda offers: ran.append(offers.index) or run(offers))
    for frame in range(5):
        Evaluator(opened, frame, memo).shape_of(opened.figures[0])
    assert ran == [0, 1]
