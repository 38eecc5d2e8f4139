"""Assets in the studio: kept, shown, replaced, refused; and scenes that travel with theirs."""

import io
import json
import zipfile

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from studio.assets import library, services
from studio.assets.models import Asset
from studio.renders import services as renders
from studio.renders.work import Worker
from studio.scenes.models import Scene
from studio.scenes.services import create_scene
from studio.shelf import services as shelf
from tests.scenes import document, figure, step

pytestmark = pytest.mark.django_db
KITE = b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0 L10 0 L5 9 Z" fill="#e2553a"/></svg>'
BIRD = b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0 H9 V9 Z M20 0 h4 v4 z" fill="#2f8f9d"/></svg>'


@pytest.fixture(autouse=True)
def own_folder(settings, tmp_path):
    settings.DATA = tmp_path


def upload(client, name="kite.svg", data=KITE):
    return client.post("/api/assets", {"file": SimpleUploadedFile(name, data)})


def artwork_scene(name="Kite", file="kite.svg"):
    return create_scene(document(figure(step("artwork", file=file)), name=name))


def test_an_upload_is_read_kept_and_listed(client):
    answer = upload(client)
    assert answer.status_code == 201
    assert answer.json() | {"preview": ""} == {
        "id": "kite.svg", "name": "kite.svg", "sort": "artwork", "summary": "1 path", "notes": [], "preview": "",
    }  # fmt: skip
    listed = {one["id"]: one["sort"] for one in client.get("/api/assets").json()}
    assert listed["kite.svg"] == "artwork"
    assert listed["gloock.woff2"] == "font"


def test_the_same_file_again_is_the_same_asset_and_another_gets_a_name_of_its_own(client):
    assert [upload(client).json()["id"] for _ in range(2)] == ["kite.svg", "kite.svg"]
    assert upload(client, data=BIRD).json()["id"] == "kite-2.svg"
    assert upload(client, "gloock.woff2", b"x").status_code == 422


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("kite.exe", b"MZ", "is of no sort that can be used"),
        ("kite.svg", b"not xml", "not SVG"),
        ("kite.png", KITE, "no picture"),
        ("kite.obj", b"v 0 0 0", "no faces"),
        ("big.svg", b" " * (5 << 20), "larger than 4 MB"),
        ("../../../x.svg", b"<svg>", "not SVG"),
    ],
)
def test_what_cannot_be_used_is_refused_and_nothing_is_kept(client, name, data, says):
    answer = upload(client, name, data)
    assert answer.status_code == 422
    assert says in answer.json()["problems"][0]["message"]
    assert not Asset.objects.exists()
    assert not list(services.file_path("x").parent.glob("*")) if services.file_path("x").parent.exists() else True


def test_previews_are_pictures(client):
    upload(client)
    for slug in ("kite.svg", "caveat.woff2"):
        answer = client.get(f"/api/assets/{slug}/preview")
        assert answer["Content-Type"] == "image/png"
        assert answer.content[:4] == b"\x89PNG"
    assert client.get("/api/assets/nobody.svg/preview").status_code == 404


def test_a_download_is_never_shown_by_the_browser(client):
    upload(client)
    answer = client.get("/api/assets/kite.svg/file")
    assert answer["Content-Type"] == "application/octet-stream"
    assert "attachment" in answer["Content-Disposition"]
    assert b"".join(answer.streaming_content) == KITE


def test_a_scene_uses_an_asset_and_the_page_says_so(client):
    upload(client)
    artwork_scene()
    page = client.get("/assets/").content.decode()
    assert "Used by 1 scene" in page
    assert "1 path" in page


def test_an_asset_in_use_is_not_removed(client):
    upload(client)
    scene = artwork_scene()
    answer = client.delete("/api/assets/kite.svg")
    assert answer.status_code == 422
    assert "used by “Kite”" in answer.json()["problems"][0]["message"]
    scene.delete()
    assert client.delete("/api/assets/kite.svg").status_code == 204
    assert not Asset.objects.exists()
    assert not any(services.file_path("x").parent.iterdir())


def test_a_replaced_file_changes_the_scenes_that_use_it(client):
    upload(client)
    scene = artwork_scene()

    def pictures():
        proof = client.post(f"/api/scenes/{scene.id}/proof", {"width": 64}, content_type="application/json")
        kept = [client.get(f"/scenes/{scene.id}/{name}") for name in ("thumbnail.png", "first")]
        return [one.content for one in (proof, *kept)]

    before = pictures()
    answer = client.post("/api/assets/kite.svg/replace", {"file": SimpleUploadedFile("bird.svg", BIRD)})
    assert answer.json()["id"] == "kite.svg"
    assert all(one != other for one, other in zip(before, pictures(), strict=True))


def test_an_asset_is_only_replaced_by_its_own_sort(client):
    upload(client)
    answer = client.post(
        "/api/assets/kite.svg/replace", {"file": SimpleUploadedFile("a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3")}
    )
    assert "can only be replaced by another artwork; this is a model" in answer.json()["problems"][0]["message"]


@pytest.mark.django_db(transaction=True)
def test_a_render_keeps_the_files_it_began_with(client):
    upload(client)
    job = renders.create_job(artwork_scene(), format="png", first=0, last=0, width=64, height=36, samples=1)
    digest = job.assets["kite.svg"][1]
    client.post("/api/assets/kite.svg/replace", {"file": SimpleUploadedFile("bird.svg", BIRD)})
    assert services.file_path(digest).exists()
    worker = Worker()
    while worker.work_once():
        pass
    job.refresh_from_db()
    assert job.state == "done"
    shelf.sweep()
    assert not services.file_path(digest).exists()


def test_a_scene_that_names_a_missing_asset_is_refused(client):
    answer = client.post(
        "/api/scenes", document(figure(step("artwork", file="gone.svg"))), content_type="application/json"
    )
    assert answer.status_code == 422
    assert "there is no artwork “gone.svg”" in answer.json()["problems"][0]["message"]


def bundle_of(client, scene):
    answer = client.get(f"/scenes/{scene.id}/scene.json")
    assert answer["Content-Type"] == "application/zip"
    return answer.content


def test_a_scene_travels_with_its_assets(client):
    upload(client)
    data = bundle_of(client, artwork_scene())
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        assert sorted(archive.namelist()) == ["assets/kite.svg", "scene.json"]
    Scene.objects.all().delete()
    Asset.objects.all().delete()
    client.post("/scenes/import", {"scene": SimpleUploadedFile("kite.zip", data)})
    assert Scene.objects.get().document["figures"][0]["routine"][0]["settings"]["file"] == "kite.svg"
    assert Asset.objects.get().slug == "kite.svg"


def test_an_asset_whose_name_is_taken_comes_in_under_another(client):
    upload(client)
    data = bundle_of(client, artwork_scene())
    client.post("/api/assets/kite.svg/replace", {"file": SimpleUploadedFile("bird.svg", BIRD)})
    client.post("/scenes/import", {"scene": SimpleUploadedFile("kite.zip", data)})
    newest = Scene.objects.order_by("id").last()
    assert newest.document["figures"][0]["routine"][0]["settings"]["file"] == "kite-2.svg"


@pytest.mark.parametrize(
    ("members", "says"),
    [
        ({"other.txt": b"x"}, "no scene.json"),
        ({"scene.json": b"{"}, "not JSON"),
        ({"scene.json": b" " * (9 << 20)}, "larger than 8 MB"),
        ({"scene.json": b"{}", "assets/a.exe": b"x"}, "no sort that can be used"),
    ],
)
def test_wrong_bundles_are_refused_in_words(client, members, says):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    answer = client.post("/scenes/import", {"scene": SimpleUploadedFile("a.zip", out.getvalue())})
    assert answer.status_code == 422
    assert says in answer.content.decode()
    assert not Scene.objects.exists()


def test_a_plain_scene_is_plain_json(client):
    scene = create_scene(document(figure(step("lettering"))))
    answer = client.get(f"/scenes/{scene.id}/scene.json")
    assert json.loads(answer.content)["name"] == "Test"


def test_a_figure_has_a_picture_of_its_own(client):
    scene = create_scene(document(figure(step("box"), visible="hidden", name="Crate")))
    answer = client.get(f"/api/scenes/{scene.id}/figures/crate/picture")
    assert answer.content[:4] == b"\x89PNG"
    assert client.get(f"/api/scenes/{scene.id}/figures/nobody/picture").status_code == 404


def test_a_region_that_is_too_small_is_told_and_fitted(client):
    raw = document(
        figure(step("box", width=5), step("grid", columns=9, rows=5), step("shift", "spot", place=[0, 9, 0])),
        fields=[
            {"id": "spot", "name": "Spot", "clauses": [{"id": "a", "kind": "region", "settings": {"size": [90] * 3}}]}
        ],
    )
    scene = create_scene(raw)

    def find():
        notes = client.get(f"/api/scenes/{scene.id}/checks").json()["notes"]
        return [note for note in notes if note["code"] == "field.small"]

    (note,) = find()
    assert "reaches" in note["message"]
    assert note["mend"] == "Fit it"
    body = {"revision": 0, "patch": note["patch"]}
    assert client.post(f"/api/scenes/{scene.id}/patch", body, content_type="application/json").status_code == 200
    scene.refresh_from_db()
    assert find() == []


def test_the_library_changes_its_stamp_with_every_change(client):
    stamps = [library.stamp()]
    upload(client)
    stamps.append(library.stamp())
    client.post("/api/assets/kite.svg/replace", {"file": SimpleUploadedFile("bird.svg", BIRD)})
    stamps.append(library.stamp())
    assert len(set(stamps)) == 3
