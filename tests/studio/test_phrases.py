"""Phrases in the studio: kept out of scenes, put into others, as files, with their pictures; those that ship."""

import io
import json
import zipfile

import jsonpatch
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from PIL import Image

from pirouette.data import ProblemError
from pirouette.document import load_scene, read_scene
from pirouette.document.phrases import phrase_of, read_phrase
from studio.assets import bundle
from studio.assets.models import Asset
from studio.phrases import services
from studio.phrases.models import Phrase
from studio.phrases.shipped import FOLDER, RECIPES, SCENES
from studio.scenes.models import Scene
from studio.scenes.services import create_scene
from tests.scenes import LIBRARY, clause, document, field, figure, look, step
from tests.studio.test_assets import BIRD, KITE, upload

pytestmark = pytest.mark.django_db
SHOWS = [{"value": "routine/twist/settings/angle", "words": "twisted", "range": [0.0, 90.0]}]


@pytest.fixture(autouse=True)
def own_folder(settings, tmp_path):
    settings.DATA = tmp_path


def wall(name="Wall"):
    return document(
        figure(step("box"), step("grid"), step("twist", "gust", angle=20), name="Wall", looks=[look("surface")]),
        fields=[field("Gust", clause("region"))],
        name=name,
    )


def keep(client, scene, **more):
    body = {"figure": "wall", "steps": ["twist"], "name": "Twisted", "says": "Twists.", "shows": SHOWS, **more}
    return client.post(f"/api/scenes/{scene.id}/phrases", body, content_type="application/json")


def put(client, scene, phrase, **where):
    answer = client.post(f"/api/scenes/{scene.id}/phrases/{phrase}/place", where, content_type="application/json")
    return answer.json() if answer.status_code == 200 else answer


def test_steps_are_kept_listed_and_put_into_another_scene_by_an_edit_that_can_be_undone(client):
    answer = keep(client, create_scene(wall()))
    assert answer.status_code == 201
    told = answer.json()
    assert {**told, "strip": ""} == {
        "id": told["id"],
        "name": "Twisted",
        "says": "Twists.",
        "whole": False,
        "strip": "",
    }
    assert client.get("/api/phrases").json() == [told]
    scene = create_scene(document(figure(step("cone"), name="Other")))
    found = put(client, scene, told["id"], figure="other", at=1)
    assert found["figure"] == "other"
    edit = {"revision": found["revision"], "patch": found["patch"], "frame": 0}
    assert client.post(f"/api/scenes/{scene.id}/patch", edit, content_type="application/json").status_code == 200
    scene.refresh_from_db()
    other = scene.document["figures"][0]
    assert other["routine"][1] == {
        "id": "twist", "kind": "twist", "settings": {"angle": 20}, "only_where": "gust", "phrase": "twisted"
    }  # fmt: skip
    assert other["phrases"] == [{"id": "twisted", "name": "Twisted", "shows": SHOWS}]
    assert scene.document["fields"][0]["name"] == "Gust"
    client.post(f"/api/scenes/{scene.id}/undo", {"revision": scene.revision}, content_type="application/json")
    scene.refresh_from_db()
    assert scene.document["figures"] == [figure(step("cone"), name="Other")]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"figure": "nobody"}, "no figure"),
        ({"steps": ["nothing"]}, "not steps that follow each other"),
        ({"name": ""}, "1 to 80 characters"),
        ({"name": "{}"}, "1 to 80 characters"),
        ({"says": "x" * 201}, "at most 200"),
        ({"shows": [{"value": "routine/nothing/settings/angle", "words": "x"}]}, "no value"),
        ({"shows": SHOWS * 13}, "at most 12"),
    ],
)
def test_wrong_wishes_are_refused_in_words_and_nothing_is_kept(client, change, says):
    answer = keep(client, create_scene(wall()), **change)
    assert answer.status_code == 422
    assert says in answer.content.decode()
    assert not Phrase.objects.exists()


def test_steps_without_a_figure_are_refused(client):
    told = keep(client, create_scene(wall())).json()
    answer = put(client, create_scene(wall("Other")), told["id"])
    assert answer.status_code == 422
    assert "choose one first" in answer.content.decode()
    answer = put(client, Scene.objects.get(name="Other"), told["id"], figure="wall", revision=9)
    assert (answer.status_code, answer.json()["revision"]) == (409, 0)
    assert client.post("/api/scenes/1000/phrases/1/place", {}, content_type="application/json").status_code == 404


def test_a_phrase_is_renamed_with_its_line_and_removed(client):
    told = keep(client, create_scene(wall())).json()
    answer = client.patch(f"/api/phrases/{told['id']}", {"name": "Turned"}, content_type="application/json")
    assert answer.json()["name"] == "Turned"
    scene = create_scene(document(figure(step("cone"), name="Other")))
    patch = put(client, scene, told["id"], figure="other")["patch"]
    assert jsonpatch.apply_patch(scene.document, patch)["figures"][0]["phrases"][0]["name"] == "Turned"
    wrong = client.patch(f"/api/phrases/{told['id']}", {"name": "a/b"}, content_type="application/json")
    assert wrong.status_code == 422
    assert client.delete(f"/api/phrases/{told['id']}").status_code == 204
    assert client.get("/api/phrases").json() == []


def test_its_moving_picture_is_made_once_and_swept_with_it(client):
    told = keep(client, create_scene(wall()), steps=None).json()
    answer = client.get(told["strip"])
    assert answer["Content-Type"] == "image/webp"
    with Image.open(io.BytesIO(answer.content)) as picture:
        assert picture.size == (12 * 240, 150)
        # Something is to be seen in it.
        assert max(high - low for low, high in picture.convert("RGB").getextrema()) > 60
    path = services.strip_path(Phrase.objects.get())
    assert path.read_bytes() == answer.content
    path.write_bytes(b"kept")
    assert client.get(told["strip"]).content == b"kept"
    renamed = client.patch(f"/api/phrases/{told['id']}", {"name": "Other"}, content_type="application/json").json()
    assert renamed["strip"] != told["strip"]
    client.delete(f"/api/phrases/{told['id']}")
    assert not path.exists()


def kite_phrase(client) -> int:
    upload(client)
    scene = create_scene(document(figure(step("artwork", file="kite.svg"), name="Wall")))
    return keep(client, scene, steps=None, shows=[]).json()["id"]


def test_a_phrase_travels_with_its_assets(client):
    phrase = kite_phrase(client)
    answer = client.get(f"/api/phrases/{phrase}/file")
    assert answer["Content-Disposition"] == 'attachment; filename="Twisted.phrase.zip"'
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        assert sorted(archive.namelist()) == ["assets/kite.svg", "phrase.json"]
    Phrase.objects.all().delete()
    Scene.objects.all().delete()
    Asset.objects.all().delete()
    sent = {"file": SimpleUploadedFile("a.zip", answer.content)}
    assert client.post("/api/phrases", sent).json()["name"] == "Twisted"
    assert Asset.objects.get().slug == "kite.svg"
    # Where the name stands for another file, the phrase is told.
    client.post("/api/assets/kite.svg/replace", {"file": SimpleUploadedFile("bird.svg", BIRD)})
    client.post("/phrases/import", {"file": SimpleUploadedFile("a.zip", answer.content)})
    newest = Phrase.objects.order_by("id").last()
    assert newest.document["scene"]["figures"][0]["routine"][0]["settings"]["file"] == "kite-2.svg"


def test_a_plain_phrase_is_plain_json_and_comes_in_again(client):
    told = keep(client, create_scene(wall())).json()
    data = client.get(f"/api/phrases/{told['id']}/file").content
    assert json.loads(data)["format"] == "pirouette-phrase"
    again = client.post("/api/phrases", {"file": SimpleUploadedFile("a.json", data)}).json()
    one, two = (Phrase.objects.get(id=which).document for which in (told["id"], again["id"]))
    assert one == two


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"\xff\xfe", "not a text file"),
        (b"{", "not JSON"),
        (b"[]", "is not &#x27;pirouette-phrase&#x27;"),
        (json.dumps(document(figure(step("box")))).encode(), "is not &#x27;pirouette-phrase&#x27;"),
        (b"PK\x03\x04", "zip file cannot be read"),
    ],
)
def test_wrong_files_are_refused_in_words(client, data, says):
    answer = client.post("/phrases/import", {"file": SimpleUploadedFile("a.json", data)})
    assert answer.status_code == 422
    assert says in answer.content.decode()
    assert not Phrase.objects.exists()


def test_no_file_and_too_large_a_file_are_told(client, monkeypatch):
    answer = client.post("/phrases/import", {})
    assert answer.status_code == 422
    assert "choose a file of up to 128 MB" in answer.content.decode()
    monkeypatch.setattr(bundle, "MAX_IMPORT", 1)
    answer = client.post("/api/phrases", {"file": SimpleUploadedFile("a.json", b"{}")})
    assert "choose a file" in answer.json()["problems"][0]["message"]


def test_a_bundle_whose_phrase_is_wrong_leaves_nothing(client):
    phrase = kite_phrase(client)
    raw = Phrase.objects.get(id=phrase).document
    raw["scene"]["figures"][0]["routine"] = "nothing"
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("phrase.json", json.dumps(raw))
        archive.writestr("assets/mine.svg", KITE)
    answer = client.post("/api/phrases", {"file": SimpleUploadedFile("a.zip", out.getvalue())})
    assert answer.status_code == 422
    assert "scene/figures" in answer.json()["problems"][0]["path"]
    assert [one.slug for one in Asset.objects.all()] == ["kite.svg"]


def test_an_asset_of_a_phrase_is_not_removed(client):
    kite_phrase(client)
    Scene.objects.all().delete()
    answer = client.delete("/api/assets/kite.svg")
    assert answer.status_code == 422
    assert "used by “Twisted”" in answer.json()["problems"][0]["message"]


def test_the_page_shows_renames_begins_with_and_removes(client):
    told = keep(client, create_scene(wall())).json()
    page = client.get("/phrases/").content.decode()
    assert "Twisted" in page
    assert "Shows twisted" in page
    client.post(f"/phrases/{told['id']}/rename", {"name": "Turned", "says": "Turns."})
    assert Phrase.objects.get().says == "Turns."
    assert client.post(f"/phrases/{told['id']}/rename", {"name": ""}).status_code == 422
    client.post(f"/phrases/{told['id']}/begin")
    assert Scene.objects.filter(name="Turned").exists()
    client.post(f"/phrases/{told['id']}/remove")
    assert not Phrase.objects.exists()


def test_there_is_an_end_to_how_many_are_kept(client, monkeypatch):
    monkeypatch.setattr(services, "MOST", 1)
    scene = create_scene(wall())
    assert keep(client, scene).status_code == 201
    assert "there are 1 phrases already" in keep(client, scene).content.decode()


@pytest.mark.parametrize("recipe", RECIPES, ids=lambda recipe: recipe.path.stem)
def test_the_phrases_that_ship_are_those_of_the_demo_scenes(recipe):
    scene = load_scene(SCENES / f"{recipe.scene}.json")
    made = phrase_of(scene, recipe.figure, recipe.steps, recipe.name, recipe.says, recipe.told)
    assert read_phrase(made, LIBRARY).raw == json.loads(recipe.path.read_text("utf-8"))
    with Image.open(recipe.path.with_suffix(".webp")) as picture:
        assert picture.size == (12 * 240, 150)


def test_they_are_stored_once_and_each_can_be_put_into_a_scene(client):
    call_command("load_demo", verbosity=0)
    call_command("load_phrases", verbosity=0)
    call_command("load_phrases", verbosity=0)
    assert Phrase.objects.count() == len(RECIPES) == len(list(FOLDER.glob("*.json"))) >= 12
    scene = create_scene(wall())
    for phrase in Phrase.objects.all():
        patch = put(client, scene, phrase.id, figure="wall")["patch"]
        read_scene(jsonpatch.apply_patch(scene.document, patch), services.library.current())
        assert services.strip_path(phrase).exists()


def test_steps_that_are_kept_from_a_scene_that_cannot_be_read_say_why(client):
    scene = create_scene(wall())
    Scene.objects.filter(id=scene.id).update(document={**scene.document, "figures": "gone"})
    with pytest.raises(ProblemError):
        services.keep(Scene.objects.get(), "wall", None, "x", "", [])
