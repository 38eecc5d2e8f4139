"""The server-rendered pages."""

import io
import json
import re

import numpy as np
import pytest
from PIL import Image

from studio.scenes import pictures, services
from studio.scenes.models import Scene
from studio.settings import STATIC_URL, version_of
from tests.scenes import document, figure, formula, step

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def own_folder(settings, tmp_path):
    """Pictures of scenes of other tests, which have the same number, are not there."""
    settings.DATA = tmp_path


def test_the_list_shows_scenes_and_ways_to_begin(client):
    services.create_scene(document(figure(step("box"))))
    page = client.get("/").content.decode()
    assert "Test" in page
    assert "96 frames" in page
    for words in ("Waving tiles", "Breathing ball", "Net of light", "A plain ball", "Import a scene file"):
        assert words in page


@pytest.mark.parametrize("start", ["1-tiles", "2-ball", "3-net", "plain", "unknown", "../../etc/passwd"])
def test_every_start_makes_a_scene(client, start):
    response = client.post("/scenes/new", {"start": start})
    assert response.status_code == 302
    assert client.get(response["Location"]).status_code == 200
    assert Scene.objects.get().document["figures"]


def test_new_scenes_get_names_of_their_own(client):
    for _ in range(3):
        client.post("/scenes/new", {"start": "2-ball"})
    assert [scene.name for scene in Scene.objects.all()] == ["Breathing ball", "Breathing ball 2", "Breathing ball 3"]


def test_a_scene_goes_out_and_comes_back(client):
    client.post("/scenes/new", {"start": "1-tiles"})
    scene = Scene.objects.get()
    exported = client.get(f"/scenes/{scene.id}/scene.json")
    assert exported["Content-Disposition"] == 'attachment; filename="Waving-tiles.json"'
    response = client.post("/scenes/import", {"scene": io.BytesIO(exported.content)})
    assert response.status_code == 302
    first, second = Scene.objects.all()
    assert first.document == second.document


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"{", "not JSON"),
        (b"\xff\xfe", "not a text file"),
        (b'{"format": "else"}', "is not"),
        (json.dumps({**document(), "figures": [figure(step("warp"))]}).encode(), "is not a kind"),
    ],
)
def test_a_wrong_file_is_refused_in_words(client, content, says):
    response = client.post("/scenes/import", {"scene": io.BytesIO(content)})
    assert response.status_code == 422
    assert says in response.content.decode()
    assert not Scene.objects.exists()


def test_an_import_without_a_file_says_so(client):
    assert "choose a file of up to 128 MB" in client.post("/scenes/import").content.decode()


def test_scenes_are_duplicated_and_removed(client):
    scene = services.create_scene(document())
    client.post(f"/scenes/{scene.id}/duplicate")
    assert Scene.objects.count() == 2
    client.post(f"/scenes/{scene.id}/delete")
    assert Scene.objects.get().name == "Test 2"


@pytest.mark.parametrize(("name", "begins"), [("thumbnail.png", b"\x89PNG"), ("first", b"\xff\xd8")])
def test_a_picture_is_made_once_for_each_revision(client, tmp_path, name, begins):
    scene = services.create_scene(document(figure(step("box", width=60))))
    first = client.get(f"/scenes/{scene.id}/{name}")
    assert first.content.startswith(begins)
    (made,) = (tmp_path / "thumbnails").iterdir()
    stamp = made.stat().st_mtime_ns
    client.get(f"/scenes/{scene.id}/{name}")
    assert made.stat().st_mtime_ns == stamp
    services.edit(scene.id, 0, [{"op": "replace", "path": "/figures/0/routine/0/settings/width", "value": 30}])
    assert client.get(f"/scenes/{scene.id}/{name}").content != first.content
    # That of the earlier state is gone.
    assert [path.name for path in (tmp_path / "thumbnails").iterdir()] != [made.name]
    # What somebody is just making is spared, but not when all begins.
    draft = tmp_path / "thumbnails" / ".9-0-1.png.77-abc.part"
    draft.write_bytes(b"")
    pictures.sweep_pictures()
    assert len(list((tmp_path / "thumbnails").iterdir())) == 2
    pictures.sweep_pictures(with_drafts=True)
    assert len(list((tmp_path / "thumbnails").iterdir())) == 1


def test_pages_allow_no_inline_scripts_and_no_other_hosts(client):
    scene = services.create_scene(document())
    response = client.get(f"/scenes/{scene.id}/")
    policy = response["Content-Security-Policy"]
    assert "script-src 'self'" in policy
    assert "unsafe" not in policy
    page = response.content.decode()
    assert "http://" not in page.replace("http://www.w3.org", "")
    assert "https://" not in page
    assert "<script>" not in page
    assert " onclick=" not in page


@pytest.mark.parametrize("path", ["/scenes/1/thumbnail.png", "/api/scenes", f"{STATIC_URL}studio/css/base.css"])
def test_pages_of_other_sites_can_ask_for_nothing(client, path):
    refused = client.get(path, headers={"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors"})
    assert refused.status_code == 403
    assert refused.headers["Cross-Origin-Resource-Policy"] == "same-origin"
    assert client.get(path, headers={"Host": "elsewhere.example"}).status_code == 400


def test_people_who_follow_a_link_are_let_in(client):
    answer = client.get("/", headers={"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"})
    assert answer.status_code == 200
    style = client.get(f"{STATIC_URL}studio/css/base.css", headers={"Sec-Fetch-Site": "same-origin"})
    assert style.status_code == 200
    assert "Access-Control-Allow-Origin" not in style.headers


def test_scripts_are_kept_for_good_under_an_address_that_changes_with_them(client, tmp_path):
    page = client.get("/").content.decode()
    assert f'src="{STATIC_URL}studio/js/' in page
    assert "immutable" in client.get(f"{STATIC_URL}studio/js/editor.js").headers["Cache-Control"]
    (tmp_path / "one.js").write_text("1")
    before = version_of(tmp_path)
    assert version_of(tmp_path) == before
    (tmp_path / "one.js").write_text("12")
    assert version_of(tmp_path) != before


def test_a_name_cannot_break_out_of_the_page(client):
    scene = services.create_scene({**document(), "name": "<script>alert(1)<"})
    page = client.get(f"/scenes/{scene.id}/").content.decode()
    assert "<script>alert" not in page


def test_methods_that_change_need_post(client):
    scene = services.create_scene(document())
    for path in ("/scenes/new", "/scenes/import", f"/scenes/{scene.id}/delete", f"/scenes/{scene.id}/duplicate"):
        assert client.get(path).status_code == 405
    assert Scene.objects.count() == 1


def test_the_editor_comes_with_a_first_picture_of_its_scene(client):
    place = {"position": [-150, 0, 0]}
    frame = {"width": 640, "height": 360, "background": "solid", "colour": "#000000"}
    scene = services.create_scene(document(figure(step("sphere", radius=60), place=place), frame=frame))
    page = client.get(f"/scenes/{scene.id}/").content.decode()
    (address,) = re.findall(r'<img id="first-picture" src="([^"]+)"', page)
    assert address == f"/scenes/{scene.id}/first?revision={scene.revision}"
    answer = client.get(address)
    assert answer["Content-Type"] == "image/jpeg"
    assert "no-store" in answer["Cache-Control"]
    with Image.open(io.BytesIO(answer.content)) as picture:
        assert picture.size == (640, 360)
        seen = np.asarray(picture.convert("L"))
    assert seen[:, :320].mean() > 3 * seen[:, 320:].mean() + 1


def test_a_scene_that_cannot_be_computed_has_no_first_picture(client):
    broken = document(figure(step("sphere"), step("twist", angle=formula("1/frame"))))
    scene = Scene.objects.create(name="Broken", document=broken)
    assert client.get(f"/scenes/{scene.id}/first").status_code == 404
    assert client.get("/scenes/999/first").status_code == 404
    clear = services.create_scene(document(figure(step("sphere")), frame={"background": "transparent"}))
    assert client.get(f"/scenes/{clear.id}/first")["Content-Type"] == "image/webp"
