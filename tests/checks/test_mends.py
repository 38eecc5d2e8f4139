"""Twenty scenes with one fault each at the seam: every one is named, with a mend that closes it."""

import copy

import pytest

from pirouette.checks import measure_seam, notes_of
from pirouette.document import read_scene
from tests.scenes import clause, document, field, figure, formula, keyed, look, step, swing


def box(**place):
    return figure(step("box", width=50), place=place)


def turned(value):
    return box(rotation=[0, value, 0])


def scene_of(*figures, **more):
    return document(*figures, **more)


def camera(**settings):
    return [{"id": "camera", "name": "Eye", "settings": {"position": [0, 0, 600], **settings}}]


SPREAD = figure(step("box"), step("grid"), step("shift", place=[0, formula("9 * turn * index"), 0]))
WANDERING = field("Gust", clause("region", position=[keyed((0, -100), (96, 100)), 0, 0], size=[200] * 3))
FAULTS = {
    "half a swing": scene_of(turned(swing(0, 40, times=0.5))),
    "1.3 swings": scene_of(box(position=[swing(0, 40, times=1.3), 0, 0])),
    "a triangle of 2.4 swings": scene_of(turned(swing(0, 40, times=2.4, shape="triangle"))),
    "355 of 360 degrees": scene_of(turned(keyed((0, 0), (96, 355)))),
    "300 degrees": scene_of(turned(keyed((0, 0), (96, 300)))),
    "backwards by 340 degrees": scene_of(turned(keyed((0, 10), (96, -330)))),
    "two rounds, nearly": scene_of(turned(keyed((0, 0), (48, 360), (96, 700)))),
    "the last frame repeats the first": scene_of(turned(keyed((0, 0), (95, 360)))),
    "a place that does not come back": scene_of(box(position=[keyed((0, 0), (96, 80)), 0, 0])),
    "a place with a last key elsewhere": scene_of(box(position=[keyed((0, 0), (40, 90), (96, 20)), 0, 0])),
    "a last key before the end": scene_of(box(position=[keyed((0, 0), (40, 90), (70, 20)), 0, 0])),
    "a scale that grows at the end": scene_of(box(scale=[keyed((0, 1), (90, 1), (96, 2)), 1, 1])),
    "a radius that grows": scene_of(figure(step("sphere", radius=keyed((0, 10), (96, 40))))),
    "a twist that stays": scene_of(figure(step("sphere"), step("twist", angle=keyed((0, 0), (96, 90))))),
    "a twist of a whole turn": scene_of(figure(step("sphere"), step("twist", angle=keyed((0, 0), (96, 360))))),
    "a colour that changes": scene_of(
        figure(step("box"), looks=[look("surface", colour=keyed((0, "#000000"), (96, "#ffffff")))])
    ),
    "a formula of 288 degrees": scene_of(turned(formula("3 * frame"))),
    "a formula per copy": scene_of(SPREAD),
    "a formula in seconds": scene_of(box(position=[0, formula("12 * seconds + 3"), 0])),
    "a field that leaps in sight": scene_of(
        figure(step("box"), step("grid"), step("shift", "gust", place=[0, 50, 0])), fields=[WANDERING]
    ),
    "a camera that moves away": scene_of(box(), cameras=camera(lens=keyed((0, 35), (96, 50)))),
    "time that runs half through": scene_of(
        {**box(position=[swing(0, 50), 0, 0]), "own_time": {"speed": 0.5}}
    ),
    "a picture that slides too little": scene_of(
        figure(step("plane"), looks=[look("surface", paint="gradient", slide_across=keyed((0, 0), (96, 0.8)))])
    ),
}  # fmt: skip


def mended(raw, offenders):
    raw = copy.deepcopy(raw)
    for offender in offenders:
        for one in offender.patch:
            *way, last = one["path"].split("/")[1:]
            at = raw
            for part in way:
                at = at[int(part)] if isinstance(at, list) else at[part]
            at[int(last) if isinstance(at, list) else last] = one["value"]
    return raw


@pytest.mark.parametrize("name", FAULTS)
def test_every_fault_has_a_mend_that_closes_the_seam(name):
    raw = FAULTS[name]
    found = measure_seam(read_scene(raw))
    assert found.state != "closed"
    told = [offender for offender in found.offenders if offender.patch]
    assert told, found.offenders
    assert all(offender.mend and offender.cause for offender in told)
    after = measure_seam(read_scene(mended(raw, told)))
    assert after.state == "closed", after.offenders


@pytest.mark.parametrize(
    ("name", "cause", "mend"),
    [
        ("1.3 swings", "1.3 swings in a loop", "use 1"),
        ("355 of 360 degrees", "the last key is 355 and the first 0: 355 of 360", "use 360"),
        ("the last frame repeats the first", "frame 95 repeats frame 0", "last key one frame later"),
        ("a place that does not come back", "ends at 80 and begins at 0", "go there and back"),
        ("a formula of 288 degrees", "288 in a loop of 360", "make it 360"),
        ("time that runs half through", "its own time runs 0.5 times through a loop", "use 1"),
    ],
)
def test_causes_and_mends_are_in_words(name, cause, mend):
    told = [(one.cause, one.mend) for one in measure_seam(read_scene(FAULTS[name])).offenders]
    assert (cause, mend) in told


def test_a_sweep_that_slows_at_the_seam_is_noted_with_its_mend():
    raw = document(turned(keyed((0, 0), (96, 360), ease="smooth")))
    assert measure_seam(read_scene(raw)).state == "closed"
    (note,) = [one for one in notes_of(read_scene(raw)) if one.code == "seam.eased"]
    assert (note.name, note.mend) == ("Thing", "Make it linear")
    raw["figures"][0]["place"]["rotation"][1] = note.patch[0]["value"]
    assert not [one for one in notes_of(read_scene(raw)) if one.code == "seam.eased"]


def test_what_closes_is_left_alone():
    from pirouette.checks.mend import mends_of

    for value in (keyed((0, 0), (96, 360)), swing(0, 9, times=3), formula("9 * wave(turn)"), formula("360 * turn")):
        assert mends_of(read_scene(document(turned(value)))) == {}
    there_and_back = keyed((0, 0), (48, 9), (96, 0), ease="smooth")
    assert mends_of(read_scene(document(box(position=[there_and_back, 0, 0])))) == {}
