"""A drag: each move is read once, evaluated once and saved; its picture is left out when a newer move waits."""

import copy

import jsonpatch
import pytest

from pirouette.data import ProblemError
from pirouette.document import read_scene
from studio.computing import tasks
from studio.scenes import services
from studio.scenes.models import Scene
from studio.scenes.patching import applied, joined
from tests.scenes import DEMOS, LIBRARY, demo

pytestmark = pytest.mark.django_db


@pytest.fixture
def stored(request, monkeypatch):
    monkeypatch.setattr(tasks.library, "of", lambda known: LIBRARY)
    return services.create_scene(demo(request.param))


def counted(monkeypatch, name):
    """Count the calls of a function that tasks use."""
    calls, inner = [], getattr(tasks, name)
    monkeypatch.setattr(tasks, name, lambda *args, **more: calls.append(args) or inner(*args, **more))
    return calls


def number_in(document) -> str:
    """The pointer of a plain number in the first figure's last step."""
    figure = document["figures"][0]
    last = len(figure["routine"]) - 1
    name = next(n for n, value in figure["routine"][last]["settings"].items() if isinstance(value, (int, float)))
    return f"/figures/0/routine/{last}/settings/{name}"


@pytest.mark.parametrize("stored", ["wind-map", "hundred-kite-lens"], indirect=True)
def test_a_move_is_read_once_and_evaluated_once(stored, monkeypatch, client):
    pointer = number_in(stored.document)
    reads, evaluations = counted(monkeypatch, "read_scene"), counted(monkeypatch, "evaluate")
    body = {"revision": 0, "patch": [{"op": "replace", "path": pointer, "value": 7}], "gesture": "drag"}
    answer = client.post(f"/api/scenes/{stored.id}/patch", body, content_type="application/json")
    assert answer["Content-Type"] == "application/octet-stream"
    assert (len(reads), len(evaluations)) == (1, 1)


@pytest.mark.parametrize("stored", ["wind-map"], indirect=True)
def test_a_newer_move_stops_the_evaluation_and_the_edit_is_saved_all_the_same(stored, monkeypatch):
    pointer = number_in(stored.document)
    asked = []

    def is_cancelled():
        asked.append(1)
        return len(asked) > 1

    tasks.memo.clear()
    edited = services.edit(
        stored.id, 0, [{"op": "replace", "path": pointer, "value": 7}], services.Look(3, is_cancelled=is_cancelled)
    )
    assert edited.packet is None
    assert len(asked) == 2
    kept = Scene.objects.get(id=stored.id)
    assert kept.revision == 1
    assert tasks.scene_of(services.subject(kept)).raw == edited.scene.document


@pytest.mark.parametrize("stored", ["wind-map"], indirect=True)
def test_a_page_that_hurries_gets_its_history_without_a_picture(stored, client, monkeypatch):
    inner = tasks.evaluate

    def slow(*args, **more):
        client.post(f"/api/scenes/{stored.id}/hurry", {"view": "mine"}, content_type="application/json")
        tasks.memo.clear()
        return inner(*args, **more)

    monkeypatch.setattr(tasks, "evaluate", slow)
    body = {"revision": 0, "patch": [{"op": "replace", "path": "/name", "value": "Dragged"}], "view": "mine"}
    answer = client.post(f"/api/scenes/{stored.id}/patch", body, content_type="application/json")
    assert answer.json()["revision"] == 1
    assert Scene.objects.get(id=stored.id).name == "Dragged"


DOCUMENT = {"a": {"b": 1, "c": [1, 2, 3]}, "d": [{"e": 1}, {"e": 2}]}
PATCHES = [
    [{"op": "replace", "path": "/a/b", "value": 5}],
    [{"op": "add", "path": "/a/new", "value": {"x": 1}}],
    [{"op": "add", "path": "/a/b", "value": "other"}],
    [{"op": "add", "path": "/d/1", "value": {"e": 9}}, {"op": "remove", "path": "/d/0"}],
    [{"op": "add", "path": "/a/c/-", "value": 4}, {"op": "replace", "path": "/a/c/3", "value": 5}],
    [{"op": "move", "from": "/d/0", "path": "/d/1"}],
    [{"op": "move", "from": "/a/b", "path": "/d/0/b"}],
    [{"op": "copy", "from": "/a/c", "path": "/a/b"}],
    [{"op": "remove", "path": "/a"}],
    [{"op": "replace", "path": "", "value": {"whole": True}}],
    [{"op": "test", "path": "/a/b", "value": 1}, {"op": "remove", "path": "/a/b"}],
]


@pytest.mark.parametrize("patch", PATCHES)
def test_the_inverse_of_a_patch_leads_back(patch):
    changed, inverse = applied(DOCUMENT, patch)
    assert changed != DOCUMENT
    assert applied(changed, inverse)[0] == DOCUMENT


@pytest.mark.parametrize("first", PATCHES[:5])
@pytest.mark.parametrize("second", PATCHES[:5])
def test_two_steps_of_one_gesture_are_undone_together(first, second):
    middle, back = applied(DOCUMENT, first)
    end, further_back = applied(middle, second)
    patch, inverse = joined(first, back, second, further_back)
    assert applied(DOCUMENT, patch)[0] == end
    assert applied(end, inverse)[0] == DOCUMENT


def test_a_thousand_moves_of_one_value_are_one_operation():
    patch, inverse = [{"op": "add", "path": "/a/x", "value": 0}], [{"op": "remove", "path": "/a/x"}]
    for value in range(1000):
        move, back = (
            [{"op": "replace", "path": "/a/x", "value": value}],
            [{"op": "replace", "path": "/a/x", "value": 0}],
        )
        patch, inverse = joined(patch, inverse, move, back)
    assert patch == [{"op": "add", "path": "/a/x", "value": 999}]
    assert inverse == [{"op": "remove", "path": "/a/x"}]


def test_demo_scenes_are_of_an_older_version_and_read_all_the_same():
    for name in DEMOS:
        assert read_scene(demo(name), LIBRARY).raw["version"] >= demo(name)["version"]


PATCHES = {
    "a number": [{"op": "replace", "path": "/figures/1/routine/0/width", "value": 9}],
    "what it brought": [
        {"op": "add", "path": "/figures/-", "value": {"id": "c", "routine": []}},
        {"op": "add", "path": "/figures/3/routine/0", "value": {"kind": "box"}},
        {"op": "replace", "path": "/figures/3/routine/0/kind", "value": "cone"},
    ],
    "a copy": [
        {"op": "copy", "from": "/figures/0", "path": "/figures/1"},
        {"op": "replace", "path": "/figures/1/routine/0/width", "value": 9},
    ],
    "a move away from before": [
        {"op": "replace", "path": "/figures/1/id", "value": "moved"},
        {"op": "move", "from": "/figures/0", "path": "/figures/1/routine/0"},
        {"op": "replace", "path": "/figures/1/routine/0/id", "value": "below"},
    ],
    "out and in": [
        {"op": "remove", "path": "/figures/0/routine/0"},
        {"op": "add", "path": "/figures/0/routine/0", "value": {"kind": "ball"}},
        {"op": "test", "path": "/figures/0/id", "value": "a"},
    ],
    "all": [
        {"op": "replace", "path": "", "value": {"figures": [{"id": "z"}]}},
        {"op": "replace", "path": "/figures/0/id", "value": "y"},
    ],
}


@pytest.mark.parametrize("name", PATCHES)
def test_a_patch_changes_nothing_that_is_somebodys(name):
    before = {
        "figures": [{"id": one, "routine": [{"kind": "box", "width": 1}]} for one in "abc"],
        "guides": [{"id": "g"}],
    }
    patch, kept, given = PATCHES[name], copy.deepcopy(before), copy.deepcopy(PATCHES[name])
    changed, inverse = applied(before, patch)
    assert changed == jsonpatch.apply_patch(kept, patch)
    assert (before, patch) == (kept, given)
    assert applied(changed, inverse)[0] == before
    if name == "a number":
        # What it does not reach is not copied.
        assert changed["figures"][0] is before["figures"][0]
        assert changed["guides"] is before["guides"]


@pytest.mark.parametrize("path", ["/figures/-/id", "/figures/7/id", "/figures/x/id", "/figures/0/id/0", "figures"])
def test_a_patch_that_leads_nowhere_is_refused_in_words(path):
    with pytest.raises(ProblemError, match="does not fit the scene"):
        applied({"figures": [{"id": "a"}]}, [{"op": "add", "path": path, "value": 1}])
