"""The seam: closed loops are called closed; every planted fault is named."""

import pytest

from pirouette.checks import measure_seam, notes_of
from pirouette.data import ProblemError
from pirouette.document import read_scene
from pirouette.document.read import new_scene
from tests.scenes import LOOPS, clause, demo_scene, document, field, figure, formula, keyed, look, step, swing


def seam(*figures, **more):
    return measure_seam(read_scene(document(*figures, **more)))


def turning(value):
    return figure(step("box", width=50), place={"rotation": [0, value, 0]})


@pytest.mark.parametrize("name", LOOPS)
def test_demo_loops_are_closed(name):
    found = measure_seam(demo_scene(name))
    assert found.state == "closed", found.offenders


@pytest.mark.parametrize(
    "closed",
    [
        turning(0),
        turning(keyed((0, 0), (96, 360))),
        turning(keyed((0, 0), (96, -720))),
        turning(formula("360 * turn")),
        turning(swing(10, 30, times=3)),
        turning(swing(10, 30, shape="triangle", times=2)),
        figure(step("sphere"), step("displace", churn=1.7, slide=[300, 0, 0], strength=30)),
        figure(step("box"), step("grid"), step("drift", churn=0.7, turn=[90, 0, 0])),
        figure(step("box"), step("grid"), step("shift", turn=[0, 0, formula("360 * turn + 40 * share")])),
        figure(step("box"), step("grid"), step("shift", place=[0, formula("9 * wave(turn + share)"), 0])),
        figure(step("box"), place={"position": [keyed((0, 0), (48, 9), (96, 0), ease="smooth"), 0, 0]}),
    ],
)
def test_loops_that_close_are_called_closed(closed):
    found = seam(closed)
    assert found.state == "closed", found.offenders


@pytest.mark.parametrize(
    ("fault", "what"),
    [
        (turning(swing(0, 40, times=0.5)), "place · rotation"),
        (turning(swing(0, 40, times=1.3)), "place · rotation"),
        (turning(keyed((0, 0), (96, 300))), "place · rotation"),
        (turning(keyed((0, 0), (96, 355))), "place · rotation"),
        (turning(formula("3 * frame")), "place · rotation"),
        (figure(step("sphere", radius=keyed((0, 10), (96, 40)))), "sphere · radius"),
        (figure(step("sphere"), step("twist", angle=keyed((0, 0), (96, 90)))), "twist · angle"),
        (figure(step("box"), step("grid"), step("shift", place=[0, formula("9 * turn * index"), 0])), "shift · place"),
        (
            figure(step("box"), looks=[look("surface", colour=keyed((0, "#000000"), (96, "#ffffff")))]),
            "surface · colour",
        ),
        (figure(step("box"), place={"scale": [keyed((0, 1), (90, 1), (96, 2)), 1, 1]}), "place · scale"),
    ],
)
def test_faults_are_named_with_figure_and_value(fault, what):
    found = seam(fault)
    assert found.state in ("open", "nearly")
    assert ("Thing", what) in [(offender.name, offender.what) for offender in found.offenders]
    assert all(offender.cause for offender in found.offenders)


def test_a_kink_in_speed_is_found_where_nothing_jumps():
    # There and back in half a swing: the ends meet, but the speed turns round.
    found = seam(turning(swing(0, 60, times=0.5, shape="sine")))
    assert found.state != "closed"
    assert max(offender.kink for offender in found.offenders) > 1.5


def test_cameras_lights_and_finish_count_by_themselves():
    camera = [{"id": "camera", "name": "Eye", "settings": {"position": [keyed((0, 0), (96, 50)), 0, 600]}}]
    lights = [{"id": "sun", "name": "Sun", "kind": "sun", "settings": {"brightness": keyed((0, 1), (96, 2))}}]
    finish = [{"id": "e", "kind": "exposure", "settings": {"stops": keyed((0, 0), (96, 1))}}]
    found = seam(figure(step("box")), cameras=camera, lights=lights, finish=finish)
    assert {offender.name for offender in found.offenders} == {"Eye", "Sun", "Finish"}


def test_a_field_may_leap_back_while_it_is_out_of_sight():
    gust = field("Gust", clause("region", position=[keyed((0, -900), (96, 900)), 0, 0], size=[200] * 3))
    still = figure(step("box"), step("grid"), step("shift", "gust", place=[0, 50, 0]))
    assert seam(still, fields=[gust]).state == "closed"
    seen = field("Gust", clause("region", position=[keyed((0, -100), (96, 100)), 0, 0], size=[200] * 3))
    found = seam(still, fields=[seen])
    assert found.state == "open"
    assert ("Gust", "region · position") in [(offender.name, offender.what) for offender in found.offenders]


def test_a_count_that_changes_is_an_open_seam():
    found = seam(figure(step("box"), step("wheel", count=keyed((0, 4), (96, 9)))))
    assert found.state == "open"
    assert any("another number" in offender.cause for offender in found.offenders)


def test_a_scene_that_plays_once_has_no_seam():
    once = {"clock": {"fps": 24, "frames": 48, "loops": False}}
    assert seam(turning(keyed((0, 0), (48, 30))), **once).state == "one-shot"


def test_a_new_scene_has_nothing_to_remark_on():
    empty = read_scene(new_scene("Empty"))
    assert measure_seam(empty).state == "closed"
    assert notes_of(empty) == []


def test_what_is_meant_to_jump_keeps_no_loop_open():
    slab = figure(step("box", width=20), place={"position": [keyed((0, -900), (96, 900)), 0, 0]}, name="Slab")
    raw = document(slab)
    found = measure_seam(read_scene(raw))
    assert found.state == "open"
    assert {(one.thing, one.what) for one in found.offenders} >= {("figures/slab", "shape")}
    # The value that moves it acts through the figure alone, and is not told of beside it.
    raw["meant"] = [{"thing": "figures/slab", "what": "shape"}]
    again = measure_seam(read_scene(raw))
    assert again.state == "closed"
    assert [one.name for one in again.meant] == ["Slab"]
    # What else jumps is still told of.
    raw["figures"].append(turning(swing(0, 40, times=0.5)))
    assert measure_seam(read_scene(raw)).state == "open"


def test_what_is_said_to_be_meant_is_checked():
    with pytest.raises(ProblemError, match="meant/0: allowed an object with thing"):
        read_scene(document(meant=[{"thing": 3}]))
