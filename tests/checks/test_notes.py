"""Notes: what has no effect is named with what would help, and what has one is left in peace."""

import jsonpatch
import pytest

from pirouette.checks import notes_of
from pirouette.document import read_scene
from tests.scenes import clause, document, field, figure, formula, keyed, look, scene, step, swing

HUB = {"id": "hub", "name": "Hub", "place": {}}
TURNING = {"id": "hub", "name": "Hub", "place": {"rotation": [0, keyed((0, 0), (96, 360)), 0]}}


def told(raw):
    return [(note.name, note.code) for note in notes_of(read_scene(raw))]


def mended(raw):
    """The codes that are told of a scene once every mend was made."""
    for note in notes_of(read_scene(raw)):
        raw = jsonpatch.apply_patch(raw, note.patch)
    return told(raw)


def test_notes_say_what_has_no_effect_and_what_would_help():
    raw = document(
        figure(step("box"), step("displace"), step("shift"), looks=[], name="Crate"),
        figure(step("sphere"), step("grid"), step("shift", "far"), name="Balls"),
        fields=[
            field("Far", clause("region", position=[9999, 0, 0])),
            field("Idle", clause("region")),
        ],
        lights=[],
    )
    told = {(note.name, note.code): note.message for note in notes_of(read_scene(raw))}
    assert "8 points; add Subdivide" in told[("Crate", "step.no-effect")]
    assert "no look" in told[("Crate", "look.none")]
    assert "“Far” never reaches" in told[("Balls", "field.misses")]
    assert "limits nothing" in told[("Idle", "field.unused")]
    assert "no light is on" in told[("Scene", "light.none")]


@pytest.mark.parametrize(
    ("routine", "looks", "expected"),
    [
        ([step("circle")], ["surface"], ("look.no-faces", "Add Wire")),
        ([step("sphere"), step("strands")], ["surface"], ("look.no-faces", "Add Wire")),
        ([step("sphere"), step("scatter"), step("points")], ["surface"], ("look.no-faces", "Add Dots")),
        ([step("sphere"), step("scatter"), step("points")], ["wire"], ("look.no-edges", "Add Dots")),
        ([step("circle")], ["surface", "wire"], None),
    ],
)
def test_what_a_look_cannot_draw_is_told_with_one_that_can(routine, looks, expected):
    raw = document(figure(*routine, looks=[look(kind) for kind in looks]))
    found = [(note.code, note.mend) for note in notes_of(read_scene(raw)) if note.code.startswith("look.")]
    assert found == ([expected] if expected else [])
    assert not [code for _, code in mended(raw) if code.startswith("look.")]


def test_a_field_that_passes_by_later_is_not_called_idle():
    gust = field("Gust", clause("region", position=[keyed((0, -5000), (48, 0)), 0, 0]))
    passing = scene(figure(step("box"), step("grid"), step("shift", "gust")), fields=[gust])
    assert not notes_of(passing)


@pytest.mark.parametrize(("guide", "expected"), [(HUB, [("Thing", "follow.still")]), (TURNING, [])])
def test_who_lags_behind_what_never_moves_is_told(guide, expected):
    late = figure(step("box"), place={"follows": "hub", "lag": 12})
    assert told(document(late, guides=[guide])) == expected


def test_cameras_and_clauses_that_lag_in_vain_are_told_too():
    gust = field("Gust", clause("region", size=[900, 900, 900]))
    gust["clauses"][0]["joining"] = {"follows": "hub", "lag": 3}
    raw = document(figure(step("box"), step("grid"), step("shift", "gust")), fields=[gust], guides=[HUB])
    raw["cameras"][0]["settings"] = {"follows": "hub", "lag": 2}
    assert told(raw) == [("Camera 1", "follow.still"), ("Gust", "follow.still")]


@pytest.mark.parametrize(
    ("steps", "more", "is_told"),
    [
        ([step("box"), step("grid"), step("stagger", time=-12)], {}, True),
        ([step("box", width=swing(40, 9)), step("grid"), step("stagger", time=-12)], {}, False),
        ([step("box"), step("grid"), step("drift", churn=1), step("shift", time=formula("-index"))], {}, False),
        ([step("box"), step("afterimage")], {}, True),
        ([step("box"), step("afterimage")], {"place": {"position": [swing(0, 90), 0, 0]}}, False),
        ([step("box"), step("twist", angle=keyed((0, 0), (48, 90))), step("afterimage")], {}, False),
        ([step("plane"), step("lag")], {}, True),
        ([step("plane"), step("lag"), step("drift", churn=1)], {"place": {"position": [swing(0, 90), 0, 0]}}, True),
        ([step("plane"), step("drift", churn=1), step("lag")], {}, False),
        ([step("box")], {"own_time": {"offset": 12}}, True),
        ([step("box")], {"own_time": {"speed": 2}, "place": {"rotation": [0, keyed((0, 0), (96, 360)), 0]}}, False),
        ([step("box", width=swing(40, 9))], {"own_time": {"offset": 12}}, False),
        ([step("box")], {}, False),
    ],
)
def test_what_is_late_where_nothing_moves_is_told(steps, more, is_told):
    assert (("Thing", "time.still") in told(document(figure(*steps, **more)))) == is_told


def test_time_that_shows_nothing_is_mended():
    staggered = figure(step("box"), step("grid"), step("stagger", time=-12))
    raw = document(staggered, figure(step("box"), name="Other", own_time={"offset": 3}))
    assert [code for _, code in told(raw)] == ["time.still", "time.still"]
    assert mended(raw) == []


def test_lines_too_thin_to_be_seen_are_told_and_drawn_in_pixels():
    raw = document(figure(step("sphere", radius=50), looks=[look("wire", width=0.05, unit="units")]))
    (note,) = notes_of(read_scene(raw))
    assert note.code == "look.thin"
    assert "0.17 px" in note.message
    assert mended(raw) == []
    raw["figures"][0]["looks"] = [look("wire", width=1, unit="units")]
    assert told(raw) == []
    raw["figures"][0]["looks"] = [look("wire", width=0.05, unit="px")]
    assert told(raw) == []


def test_a_figure_behind_the_camera_is_not_said_to_be_thin():
    far = figure(step("box"), looks=[look("wire", width=0.01, unit="units")], place={"position": [0, 0, 9000]})
    assert told(document(far)) == []


@pytest.mark.parametrize(
    ("steps", "has_note"),
    [
        ([step("box"), step("shift", place=[9, 0, 0])], False),
        ([step("box"), step("drift")], False),
        ([step("box"), step("stagger")], True),
        ([step("box"), step("make_room")], True),
        ([step("box"), step("row", count=3), step("stagger")], False),
    ],
)
def test_one_copy_is_too_few_only_for_what_needs_several(steps, has_note):
    notes = notes_of(read_scene(document(figure(*steps))))
    assert any("only one copy" in note.message for note in notes) is has_note


def test_a_field_that_reaches_copies_somewhere_else_than_their_source_is_not_called_a_miss():
    # The lines stand on a ball of 100; at the origin, where each is made, the field is not.
    shell = field("Shell", clause("region", form="ring", size=[260, 260, 260], fade=0, thickness=0.9))
    ball = figure(step("sphere", radius=100), name="Ball")
    lines = figure(
        step("line"), step("scatter", onto="ball", count=60), step("displace", "shell", strength=5), name="Lines"
    )
    codes = {note.code for note in notes_of(read_scene(document(ball, lines, fields=[shell]))) if note.name == "Lines"}
    assert "field.misses" not in codes


def test_a_field_that_reaches_what_a_repeat_makes_is_not_called_a_miss():
    far = field("Far", clause("between", start=150, end=1000, fade=0))
    made = figure(step("box", width=10), step("row", "far", count=9, apart=[60, 0, 0]))
    assert "field.misses" not in {note.code for note in notes_of(read_scene(document(made, fields=[far])))}
    miss = figure(step("box", width=10), step("row", "far", count=3, apart=[60, 0, 0]))
    assert "field.misses" in {note.code for note in notes_of(read_scene(document(miss, fields=[far])))}


def test_a_step_that_helps_at_another_time_is_left_in_peace():
    """A curve that has not begun yet at this frame is none that a tube could be made along."""
    growing = step("trim", end=keyed((10, 0), (20, 1)))
    later = figure(step("line"), growing, step("tube"), name="Later")
    never = figure(step("line"), step("trim", end=0), step("tube"), name="Never")
    told = {(note.name, note.code) for note in notes_of(scene(later, never, clock={"fps": 24, "frames": 48}))}
    assert told & {("Later", "step.no-effect"), ("Never", "step.no-effect")} == {("Never", "step.no-effect")}


def test_cuts_by_nothing_are_told():
    def cut(seen, **more):
        return {**figure(step("plane"), looks=[look("surface")], name="Sheet"), "cut": {"seen": seen, **more}}

    disc, ring = ({**figure(step(kind), name=kind), "visible": "hidden"} for kind in ("disc", "circle"))
    assert told(document(cut("only through", mask="disc"), disc)) == []
    assert told(document(cut("everywhere"))) == []
    for raw in (document(cut("only outside")), document(cut("only outside", mask="circle"), ring)):
        assert [name for name, code in told(raw) if code.startswith("cut")] == ["Sheet"]
        assert not [code for _, code in mended(raw) if code.startswith("cut")]
    (message,) = (note.message for note in notes_of(read_scene(document(cut("only through", mask="circle"), ring))))
    assert message == "circle has no faces to be seen through, so nothing of it is seen"
