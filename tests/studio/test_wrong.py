"""What is wrong, missing or out of all bounds is answered in words, and takes nothing else along."""

import json
import time

import pytest

from pirouette.document.read import new_scene
from studio.scenes.models import Scene
from studio.scenes.services import create_scene
from tests.scenes import clause, document, field, figure, step

pytestmark = pytest.mark.django_db(transaction=True)
BALLS = (step("sphere", rings=4, segments=6), step("grid", columns=2, rows=2, layers=1))
KEEPS = {**field("Trace", clause("region")), "after": {"then": "keeps"}}


@pytest.fixture(autouse=True)
def own_folder(settings, tmp_path):
    settings.DATA = tmp_path


def post(client, path, body):
    return client.post(path, body if isinstance(body, str) else json.dumps(body), content_type="application/json")


def asks(client, scene_id):
    """Everything that is asked of a scene without changing it."""
    yield client.get("/")
    for path in ("", "scene.json", "thumbnail.png"):
        yield client.get(f"/scenes/{scene_id}/{path}")
    for path in ("", "/checks", "/states"):
        yield client.get(f"/api/scenes/{scene_id}{path}")
    yield post(client, f"/api/scenes/{scene_id}/proof", {"width": 32, "samples": 1})


@pytest.mark.parametrize("section", ["clock", "frame", "figures", "fields", "guides", "lights", "finish"])
def test_a_scene_without_a_section_is_stored_whole(client, section):
    raw = new_scene("Bare")
    del raw[section]
    stored = post(client, "/api/scenes", raw).json()["id"]
    assert all(answer.status_code == 200 for answer in asks(client, stored))
    patch = {"revision": 0, "patch": [{"op": "remove", "path": f"/{section}"}]}
    refused = post(client, f"/api/scenes/{stored}/patch", patch)
    assert refused.status_code == 422
    assert refused.json()["problems"][0]["code"] == "scene.section"


def test_one_broken_row_takes_no_list_down(client):
    create_scene(new_scene("Sound"))
    for broken in ([], {}, {"clock": 5}, "text"):
        Scene.objects.create(name="Broken", document=broken)
    page = client.get("/")
    assert page.status_code == 200
    assert b"Sound" in page.content


EMPTY = [
    (step("lettering", text=text, pieces=pieces),)
    for text in ("", "a\n\nb", "\n")
    for pieces in ("letters", "words", "lines", "one piece")
]


@pytest.mark.parametrize("steps", [(*BALLS, step("rule")), (step("lettering", typeface=None),), *EMPTY])
def test_steps_with_their_defaults_or_nothing_in_them_can_be_asked_for_all(client, steps):
    stored = create_scene(document(figure(*steps)))
    assert all(answer.status_code == 200 for answer in asks(client, stored.id))


def test_a_rule_that_nobody_wrote_is_checked(client):
    stored = create_scene(document(figure(*BALLS, step("shift", "rule")), fields=[field("Rule", clause("rule"))]))
    assert all(answer.status_code == 200 for answer in asks(client, stored.id))


@pytest.mark.parametrize("frame", ["NaN", "Infinity", "-Infinity", "1e13", "-1e300"])
def test_numbers_that_are_no_frames_are_refused(client, frame):
    stored = create_scene(document(figure(*BALLS, step("shift", "trace")), fields=[KEEPS]))
    for path, body in (
        ("proof", '{"frame": %s}'),
        ("frames", '{"frames": [%s]}'),
        ("patch", '{"revision": 0, "patch": [], "frame": %s}'),
    ):
        assert post(client, f"/api/scenes/{stored.id}/{path}", body % frame).status_code == 422
    assert client.get(f"/api/scenes/{stored.id}/checks?frame={frame}").status_code == 422


@pytest.mark.parametrize("loops", [True, False])
@pytest.mark.parametrize("frame", [-5, -0.5, 0, 95.5, 40_000])
def test_a_field_that_keeps_answers_at_any_frame(client, loops, frame):
    steps = (*BALLS, step("shift", "trace"), step("afterimage", count=3, apart=4))
    clock = {"fps": 24, "frames": 96, "loops": loops}
    stored = create_scene(document(figure(*steps), fields=[KEEPS], clock=clock))
    began = time.monotonic()
    answer = post(client, f"/api/scenes/{stored.id}/patch", {"revision": 0, "patch": [], "frame": frame})
    assert answer.status_code == 200 if loops or frame < 1000 else 422
    assert time.monotonic() - began < 30
    assert client.get(f"/api/scenes/{stored.id}/checks?frame={frame}").status_code == 200


def test_half_of_a_character_is_refused_with_its_place(client):
    raw = document(figure(step("lettering", text="a\ud83db")))
    raw["name"] = "x\udc00"
    answer = post(client, "/api/scenes", raw)
    assert answer.status_code == 422
    places = {problem["path"] for problem in answer.json()["problems"]}
    assert places == {"name", "figures/0/routine/0/settings/text"}


@pytest.mark.parametrize("body", ["[]", '"x"', "5", "null", "{", "", "\ud800", '{"a": NaN}', "[" * 100_000])
def test_bodies_that_are_no_objects_are_refused_in_words(client, body):
    stored = create_scene(new_scene("Bare"))
    for path in (
        "/api/scenes",
        *(f"/api/scenes/{stored.id}/{name}" for name in ("patch", "renders", "frames", "proof")),
    ):
        answer = client.post(path, body.encode("utf-8", "surrogatepass"), content_type="application/json")
        assert answer.status_code == 422
        assert set(answer.json()) & {"problems", "detail"}
    answer = client.post(f"/api/scenes/{stored.id}/patch", {"patch": "x"})
    assert answer.status_code == 422


def test_pictures_of_a_very_thin_scene_are_small(client):
    stored = create_scene({**new_scene("Thin"), "frame": {"width": 16, "height": 8192}})
    assert all(answer.status_code == 200 for answer in asks(client, stored.id))


def test_what_is_not_there_is_not_found(client):
    for path, body in (("frames", {"frames": [0]}), ("proof", {}), ("patch", {"revision": 0, "patch": []})):
        assert post(client, f"/api/scenes/999/{path}", body).status_code == 404


def test_a_problem_never_repeats_the_document(client):
    stored = create_scene(document(*(figure(step("sphere"), name=f"F{k}", id=f"f{k}") for k in range(200))))
    for operation in ({"op": "replace", "path": "/figures/0/nope/" + "x" * 9000, "value": 1}, {"op": "no", "path": ""}):
        answer = post(client, f"/api/scenes/{stored.id}/patch", {"revision": 0, "patch": [operation]})
        assert answer.status_code == 422
        assert len(answer.content) < 1000


def test_a_document_cannot_grow_by_copies_of_itself(client):
    stored = create_scene(document(*(figure(step("sphere"), name=f"F{k}", id=f"f{k}") for k in range(50))))
    patch = [{"op": "copy", "from": "", "path": f"/more{k}"} for k in range(17)]
    began = time.monotonic()
    answer = post(client, f"/api/scenes/{stored.id}/patch", {"revision": 0, "patch": patch})
    assert answer.status_code == 422
    assert answer.json()["problems"][0]["code"] == "patch.size"
    assert time.monotonic() - began < 10


def test_a_document_stays_small_enough_for_its_own_import(client):
    stored = create_scene(new_scene("Grows"))
    meant = [{"thing": "figures/a", "what": "x" * 9_000} for _ in range(950)]
    patch = [{"op": "add", "path": "/meant", "value": meant}]
    answer = post(client, f"/api/scenes/{stored.id}/patch", {"revision": 0, "patch": patch})
    assert answer.status_code == 422
    assert answer.json()["problems"][0]["code"] == "scene.size"


def test_an_edit_of_a_thousand_figures_is_one_step(client):
    stored = create_scene(
        document(*(figure(step("box"), name=f"F{k}", id=f"f{k}", visible="hidden") for k in range(1000)))
    )
    patch = [{"op": "add", "path": f"/figures/{k}/place", "value": {"position": [k, 0, 0]}} for k in range(1000)]
    answer = post(client, f"/api/scenes/{stored.id}/patch", {"revision": 0, "patch": patch})
    assert answer.status_code == 200
    assert Scene.objects.get(id=stored.id).position == 1


def test_what_answers_get_answers_head(client):
    stored = create_scene(new_scene("Bare"))
    for path in ("/", f"/scenes/{stored.id}/", "/api/scenes", "/assets/", f"/scenes/{stored.id}/scene.json"):
        assert client.head(path).status_code == 200


def test_the_page_of_the_api_tells_of_every_address(client):
    page = client.get("/api/docs")
    assert page.status_code == 200
    assert "script-src 'self'" in page.headers["Content-Security-Policy"]
    for path in client.get("/api/openapi.json").json()["paths"]:
        assert path.encode() in page.content


def test_what_goes_wrong_unexpectedly_is_told_without_its_insides(client, monkeypatch):
    stored = create_scene(new_scene("Bare"))
    monkeypatch.setattr("studio.computing.tasks.report", lambda *_: 1 / 0)
    answer = client.get(f"/api/scenes/{stored.id}/checks")
    assert answer.status_code == 500
    assert answer.json() == {"message": "Something unexpected went wrong here."}
