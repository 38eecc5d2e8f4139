"""What stands still is found once; whatever moves in any way is never taken to stand still."""

import gc
import weakref
from dataclasses import replace

import pytest

from pirouette.checks import seam
from pirouette.evaluate import Evaluator, Memo, evaluate, routines
from pirouette.evaluate.still import Still
from pirouette.formats.packet import decode_packet, encode_packet
from tests.scenes import DEMOS, clause, demo_scene, field, figure, formula, keyed, look, pushed, scene, step, swing

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


@pytest.mark.parametrize("name", DEMOS)
def test_what_is_drawn_still_is_told_alike_at_every_frame(name):
    opened = demo_scene(name)
    still = {one.id for one in opened.figures if Still(opened).drawn(one)}
    if not still:
        return
    only = replace(opened, figures=tuple(one if one.id in still else hidden(one) for one in opened.figures))
    # Each with a memo of its own: what is remembered would be alike in any case.
    told = [decode_packet(encode_packet(evaluate(only, frame, purpose="view", memo=Memo())))[0] for frame in (0, 13.5)]
    assert told[0]["drawables"] == told[1]["drawables"]
    assert told[0]["drawables"] or all(one.visible == "hidden" for one in only.figures)


def hidden(one):
    return replace(one, visible="hidden")


@pytest.mark.parametrize(
    ("more", "is_still"),
    [
        ({}, True),
        ({"looks": [look("surface", glow=swing(0, 1))]}, False),
        ({"looks": [{**look("surface", glow=swing(0, 1)), "on": False}, look("wire")]}, True),
        ({"looks": [{**look("wire"), "only_where": "band"}]}, True),
        ({"looks": [{**look("wire"), "only_where": "moving"}]}, False),
        ({"looks": [look("surface", paint="pattern", lives_in="hook")]}, False),
        ({"looks": [look("surface", paint="pattern", pattern_churn=1)]}, False),
        ({"place": {"position": [swing(0, 5), 0, 0]}}, False),
        ({"place": {"follows": "hook"}}, False),
    ],
)
def test_what_is_drawn_is_still_with_its_shape_its_place_and_its_looks(more, is_still):
    fields = [BAND, {**MOVING_BAND, "id": "moving", "name": "Moving"}]
    opened = scene(figure(BALL, **more), fields=fields, guides=[MOVING_GUIDE])
    assert Still(opened).drawn(opened.figures[0]) == is_still


def test_the_seam_of_what_stands_still_is_not_gone_through(monkeypatch):
    standing = [figure(BALL, name=f"Ball {k}", id=f"ball-{k}") for k in range(3)]
    moving = figure(BALL, name="Moving", id="moving", place={"position": [swing(0, 9), 0, 0]})
    drawn = []
    monkeypatch.setattr(seam, "evaluate", lambda *a, **k: drawn.append(evaluate(*a, **k)) or drawn[-1])
    assert seam.measure_seam(scene(*standing, moving)).state == "closed"
    # Once all is drawn, so that what is wrong is told of.
    first, *others = [{drawable.name for drawable in picture.drawables} for picture in drawn]
    assert len(first) == 4
    assert len(others) > 4
    assert all(names == {"Moving"} for names in others)


def test_what_is_known_of_a_scene_goes_with_it():
    opened = scene(figure(BALL))
    shared = [Evaluator(opened, frame).shared for frame in (0, 5)]
    assert shared[0].still is shared[1].still
    assert shared[0].signatures is shared[1].signatures
    gone = weakref.ref(opened)
    del opened, shared
    gc.collect()
    assert gone() is None


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
