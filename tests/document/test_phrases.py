"""Phrases: what goes along, under which names, and that a scene with them is right and draws what they drew."""

import copy
import json

import jsonpatch
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pirouette.data import ProblemError
from pirouette.document import read_scene
from pirouette.document.ids import pointer_of
from pirouette.document.phrases import phrase_of, read_phrase
from pirouette.document.placing import placed
from pirouette.evaluate import Evaluator, Memo
from tests.scenes import DEMOS, LIBRARY, clause, demo, document, field, figure, formula, keyed, look, step


def kept(raw, figure_id, steps=None, shows=()):
    """A phrase as it is after it was written to a file and read."""
    scene = read_scene(raw, LIBRARY)
    made = phrase_of(scene, figure_id, steps, "Mine", "It does this.", shows)
    return read_phrase(json.loads(json.dumps(made)), LIBRARY)


def put(raw, phrase, *where):
    """The scene with a phrase in it, and where that is."""
    found = placed(raw, phrase, *where)
    made = jsonpatch.apply_patch(copy.deepcopy(raw), found.patch)
    read_scene(made, LIBRARY)
    return made, found


def points(raw, figure_id, frame):
    scene = read_scene(raw, LIBRARY)
    evaluator = Evaluator(scene, frame, Memo())
    return evaluator.shape_of(scene.figures_by_id[figure_id])


def windy() -> dict:
    """A figure on another one, limited by a field near a guide, with a formula that reads that guide."""
    hub = {"id": "hub", "name": "Hub", "place": {"position": [keyed((0, 0), (96, 60)), 0, 0]}}
    gust = field("Gust", clause("near", {"follows": "hub"}, to="hub", within=30, fade=20))
    unused = field("Unused", clause("region"))
    kite = figure(
        step("sphere", radius=40, rings=6, segments=8),
        step("scatter", onto="target", count=9),
        step("twist", "gust", angle=formula("{Hub.position.x} * 2")),
        step("shift", place=[0, 5, 0]),
        name="Kite",
    )
    target = {**figure(step("box", width=90, parts=3), name="Target"), "visible": "hidden"}
    other = figure(step("cone"), name="Other")
    return document(kite, target, other, fields=[gust, unused], guides=[hub])


SHOWS = [
    {"value": "routine/twist/settings/angle", "words": "twisted", "range": [0, 90]},
    {"value": "/fields/gust/clauses/near/settings/within", "words": "near"},
]


def test_what_a_figure_leads_to_goes_along_and_nothing_else():
    phrase = kept(windy(), "kite", shows=SHOWS)
    scene = phrase.scene
    assert [one.id for one in scene.figures] == ["kite", "target"]
    assert [one.id for one in scene.fields] == ["gust"]
    assert [one.id for one in scene.guides] == ["hub"]
    assert phrase.is_whole
    assert len(phrase.steps) == 4


@pytest.mark.parametrize("name", DEMOS)
def test_every_figure_of_the_demo_can_be_kept_and_put_into_another_scene_twice(name):
    raw, host = demo(name), windy()
    for one in read_scene(raw, LIBRARY).figures:
        once, first = put(host, kept(raw, one.id))
        twice, second = put(once, kept(raw, one.id))
        assert first.figure != second.figure
        assert len(twice["figures"]) == 2 * len(once["figures"]) - len(host["figures"])


def test_what_is_put_in_is_made_as_it_was():
    source = windy()
    made, found = put(document(figure(step("cone"), name="Kite"), guides=[{"id": "hub", "name": "Hub"}]),
                      kept(source, "kite"))  # fmt: skip
    # Names and ids that are taken are others, also in formulas and references.
    assert found.figure == "kite-2"
    inside = next(one for one in made["figures"] if one["id"] == "kite-2")
    assert inside["name"] == "Kite 2"
    assert inside["routine"][2]["settings"]["angle"]["text"] == "{Hub 2.position.x} * 2"
    assert made["fields"][0]["clauses"][0]["settings"]["to"] == "hub-2"
    assert made["fields"][0]["clauses"][0]["joining"]["follows"] == "hub-2"
    for frame in (0, 40.5):
        before, after = points(source, "kite", frame), points(made, "kite-2", frame)
        assert before.position.tobytes() == after.position.tobytes()
        assert before.rotation.tobytes() == after.rotation.tobytes()


def test_steps_are_put_after_others_with_what_they_need_alone():
    phrase = kept(windy(), "kite", ["twist", "shift"], SHOWS)
    assert [one["id"] for one in phrase.steps] == ["twist", "shift"]
    host = document(figure(step("box"), step("grid"), step("twist", angle=5), name="Wall"))
    made, found = put(host, phrase, "wall", 2)
    wall = made["figures"][0]
    assert [one["id"] for one in wall["routine"]] == ["box", "grid", "twist-2", "shift", "twist"]
    assert [one.get("phrase") for one in wall["routine"]] == [None, None, "mine", "mine", None]
    # The figure that only the steps above were made with stays where it was.
    assert len(made["figures"]) == 1
    assert [one["id"] for one in made["fields"]] == ["gust"]
    shown = wall["phrases"][0]
    assert shown["name"] == "Mine"
    assert [one["value"] for one in shown["shows"]] == [
        "routine/twist-2/settings/angle", "/fields/gust/clauses/near/settings/within"
    ]  # fmt: skip
    assert pointer_of(wall, shown["shows"][0]["value"]) == "/routine/2/settings/angle"


def test_the_line_is_called_as_the_phrase_is():
    raw = kept(windy(), "kite", ["twist"]).raw
    made, _ = put(windy(), read_phrase({**raw, "scene": {**raw["scene"], "name": "Renamed"}}, LIBRARY), "other", None)
    assert made["figures"][2]["phrases"][0]["name"] == "Renamed"


def test_a_phrase_is_not_put_into_the_middle_of_another():
    phrase = kept(windy(), "kite", ["twist", "shift"])
    host = document(figure(step("box"), name="Wall"))
    made, first = put(host, phrase, "wall", 1)
    made, second = put(made, phrase, "wall", 2)
    marks = [one.get("phrase") for one in made["figures"][0]["routine"]]
    assert marks == [None, first.phrase, first.phrase, second.phrase, second.phrase]
    assert first.phrase != second.phrase
    made, third = put(made, phrase, "wall", 1)
    marks = [one.get("phrase") for one in made["figures"][0]["routine"]]
    assert marks[1:3] == [third.phrase] * 2


def test_keys_are_drawn_out_so_that_a_loop_of_another_length_closes():
    short = document(figure(step("box"), name="Wall"))
    short["clock"]["frames"] = 24
    made, _ = put(short, kept(windy(), "kite"))
    keys = made["guides"][0]["place"]["position"][0]["keys"]
    assert [key["frame"] for key in keys] == [0, 24]
    once = document(figure(step("box"), name="Wall"))
    once["clock"] = {"frames": 24, "loops": False}
    made, _ = put(once, kept(windy(), "kite"))
    assert [key["frame"] for key in made["guides"][0]["place"]["position"][0]["keys"]] == [0, 96]


def test_things_that_are_called_alike_are_told_apart():
    """A figure and a guide of one id, and names of which one begins with another."""
    raw = document(
        figure(step("box"), step("shift", place=[formula("{Hub one.position.x} + {Hub.position.x}"),
                                                 formula("{Hub.low.position.y}"), 0]),
               step("aim", at="hub"), name="Kite"),
        guides=[{"id": one, "name": name} for one, name in (("hub", "Hub"), ("kite", "Hub one"), ("low", "Hub.low"))],
    )  # fmt: skip
    host = document(figure(step("box"), name="Hub"), guides=[{"id": "hub", "name": "Far"}])
    made, _ = put(host, kept(raw, "kite", ["shift", "aim"]), "hub", None)
    shift, aim = made["figures"][0]["routine"][1:]
    assert shift["settings"]["place"][0]["text"] == "{Hub one.position.x} + {Hub 2.position.x}"
    assert shift["settings"]["place"][1]["text"] == "{Hub.low.position.y}"
    assert aim["settings"]["at"] == "hub-2"
    assert {(one["id"], one["name"]) for one in made["guides"]} == {
        ("hub", "Far"), ("hub-2", "Hub 2"), ("kite", "Hub one"), ("low", "Hub.low")
    }  # fmt: skip


def test_shared_formulas_go_along_as_what_they_say():
    raw = windy()
    raw["formulas"] = [{"id": "slow", "name": "Slow", "text": "{Hub.position.x} / 2"}]
    raw["figures"][0]["routine"][2]["settings"]["angle"] = {"sort": "formula", "shared": "slow"}
    phrase = kept(raw, "kite")
    assert "formulas" not in phrase.raw["scene"]
    made, _ = put(document(figure(step("box"), name="Hub")), phrase)
    twist = made["figures"][-1]["routine"][2]
    assert twist["settings"]["angle"]["text"] == "{Hub 2.position.x} / 2"


@pytest.mark.parametrize(
    ("change", "steps", "says"),
    [
        ({"angle": formula("{Camera.lens}")}, None, "of a camera"),
        ({"angle": formula("{Sun.brightness}")}, None, "of a light"),
        ({"angle": formula("{Finish.exposure.stops}")}, None, "of the finish"),
        ({"angle": formula("{Kite.shift.place.y}")}, ["twist"], "of its own figure"),
    ],
)
def test_what_cannot_go_along_is_told(change, steps, says):
    raw = windy()
    raw["cameras"] = [{"id": "camera", "name": "Camera"}]
    raw["lights"] = [{"id": "sun", "name": "Sun", "kind": "sun"}]
    raw["finish"] = [{"id": "exposure", "kind": "exposure"}]
    raw["figures"][0]["routine"][2]["settings"].update(change)
    with pytest.raises(ProblemError, match=says):
        kept(raw, "kite", steps)


def test_its_own_place_is_read_wherever_the_steps_are_put():
    raw = windy()
    raw["figures"][0]["routine"][2]["settings"]["angle"] = formula("{Kite.position.x} + {Kite.world.y}")
    made, _ = put(document(figure(step("box"), name="Wall")), kept(raw, "kite", ["twist"]), "wall", None)
    assert made["figures"][0]["routine"][1]["settings"]["angle"]["text"] == "{Wall.position.x} + {Wall.world.y}"


@pytest.mark.parametrize(
    ("figure_id", "steps", "shows", "says"),
    [
        ("nobody", None, [], "no figure 'nobody'"),
        ("kite", ["scatter", "shift"], [], "not steps that follow each other"),
        ("kite", ["nothing"], [], "not steps that follow each other"),
        ("kite", [], [], "not steps that follow each other"),
        ("kite", ["sphere", "scatter"], [], "cannot begin with a form"),
        ("kite", None, [{"value": "routine/twist/settings/nothing", "words": "x"}], "no value"),
        ("kite", None, [{"value": "/fields/unused/clauses/region/settings/size", "words": "x"}], "no value"),
        ("kite", None, [{"value": "routine/twist", "words": "x"}], "no value"),
        ("kite", None, [{"value": "routine/twist/settings/angle", "words": ""}], "1 to 40 characters"),
        (
            "kite",
            None,
            [{"value": "routine/twist/settings/angle", "words": "x", "range": [5, 5]}],
            "least and the most",
        ),
        ("kite", None, [{"value": "routine/twist/settings/angle", "words": "x", "more": 1}], "unknown"),
    ],
)
def test_wrong_wishes_are_refused_in_words(figure_id, steps, shows, says):
    with pytest.raises(ProblemError, match=says):
        kept(windy(), figure_id, steps, shows)


def test_steps_need_a_figure_to_be_put_into():
    with pytest.raises(ProblemError, match="choose one first"):
        placed(windy(), kept(windy(), "kite", ["twist"]), None)


CHANGES = {
    "format": ("pirouette-scene", "is not 'pirouette-phrase'"),
    "version": (2, "allowed 1"),
    "says": ("x" * 201, "up to 200"),
    "figure": ("nobody", "no figure"),
    "whole": ("yes", "neither true nor false"),
    "more": (1, "unknown"),
    "scene": ({"format": "other"}, "scene/format"),
}


@pytest.mark.parametrize("name", CHANGES)
def test_files_that_are_no_phrases_are_refused_in_words(name):
    value, says = CHANGES[name]
    with pytest.raises(ProblemError, match=says):
        read_phrase({**kept(windy(), "kite").raw, name: value}, LIBRARY)


def test_a_phrase_whose_marks_are_wrong_is_refused():
    raw = kept(windy(), "kite", ["twist", "shift"]).raw
    for change, says in (
        (lambda made: made.pop("phrases") and [one.pop("phrase", None) for one in made["routine"]], "no phrase"),
        (lambda made: [one.pop("phrase", None) for one in made["routine"]], "no step"),
        (lambda made: made["routine"][1].update(phrase="mine") or made["routine"][2].pop("phrase"), "follow each"),
        (lambda made: made["routine"][0].update(phrase="other"), "no phrase 'other'"),
    ):
        wrong = copy.deepcopy(raw)
        change(wrong["scene"]["figures"][0])
        with pytest.raises(ProblemError, match=says):
            read_phrase(wrong, LIBRARY)


@given(st.recursive(st.none() | st.booleans() | st.integers(-9, 9) | st.text(max_size=4),
                    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
                    max_leaves=6))  # fmt: skip
def test_whatever_stands_in_a_figures_phrases_is_read_or_refused_in_words(value):
    raw = windy()
    raw["figures"][0]["phrases"] = value
    raw["figures"][0]["routine"][0]["phrase"] = value
    try:
        read_scene(raw, LIBRARY)
    except ProblemError as error:
        assert all(problem.message for problem in error.problems)


def test_what_a_phrase_says_changes_nothing_that_is_computed():
    raw = windy()
    marked = copy.deepcopy(raw)
    marked["figures"][0]["phrases"] = [{"id": "mine", "name": "Mine", "shows": SHOWS}]
    for one in marked["figures"][0]["routine"][1:]:
        one["phrase"] = "mine"
    assert points(raw, "kite", 7).key == points(marked, "kite", 7).key


def test_looks_and_their_fields_go_along_with_a_figure_only():
    raw = windy()
    raw["figures"][0]["looks"] = [{**look("wire"), "only_where": "unused"}]
    assert {one.id for one in kept(raw, "kite").scene.fields} == {"gust", "unused"}
    made, _ = put(document(figure(step("box"), name="Wall")), kept(raw, "kite", ["twist"]), "wall", None)
    assert [one["id"] for one in made["fields"]] == ["gust"]
