"""Files have an owner, whoever does what at the same time: uploads, removals, replacements, imports, previews."""

import io
import json
import zipfile
from concurrent.futures import ThreadPoolExecutor

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connections
from django.test import Client

from pirouette.data import ProblemError
from studio.assets import bundle as files
from studio.assets.models import Asset, file_path
from studio.computing import tasks
from studio.scenes import bundle as bundles
from studio.scenes.models import Scene
from studio.scenes.services import create_scene
from studio.shelf import services as shelf
from tests.scenes import document, figure, look, step

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture(autouse=True)
def own_folder(settings, tmp_path):
    settings.DATA = tmp_path


def kite(number) -> bytes:
    return f'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0 L{10 + number} 0 L5 9 Z"/></svg>'.encode()


def upload(number, name=None):
    file = SimpleUploadedFile(name or f"kite{number}.svg", kite(number))
    return Client().post("/api/assets", {"file": file})


def together(calls):
    """Make calls at once; returns their answers in order."""

    def one(call):
        try:
            return call()
        finally:
            connections.close_all()

    with ThreadPoolExecutor(len(calls)) as pool:
        return list(pool.map(one, calls))


def all_files_have_owners():
    digests = set(Asset.objects.values_list("digest", flat=True))
    kept = {path.name for path in file_path("x").parent.iterdir()}
    return digests == kept


def test_uploads_beside_removals_keep_their_files():
    for number in range(12):
        assert upload(number).status_code == 201
    calls = []
    for number in range(12):
        calls.append(lambda number=number: upload(100 + number))
        calls.append(lambda number=number: Client().delete(f"/api/assets/kite{number}.svg"))
    answers = together(calls)
    assert {answer.status_code for answer in answers} == {201, 204}
    assert Asset.objects.count() == 12
    assert all_files_have_owners()


def test_two_assets_replaced_at_once_keep_their_files():
    for number in range(4):
        upload(number)

    def replace(number, shape):
        file = SimpleUploadedFile("other.svg", kite(shape))
        return Client().post(f"/api/assets/kite{number}.svg/replace", {"file": file})

    for turn in range(3):
        answers = together([lambda n=n, t=turn: replace(n, 1000 + 10 * t + n) for n in range(4)])
        assert {answer.status_code for answer in answers} == {200}
        assert all_files_have_owners()


def test_a_file_that_got_lost_comes_back_with_its_next_upload():
    upload(1)
    asset = Asset.objects.get()
    asset.path.unlink()
    answer = Client().post(
        "/api/scenes", json.dumps(document(figure(step("artwork", file="kite1.svg")))), content_type="application/json"
    )
    assert answer.status_code == 422
    assert answer.json()["problems"][0]["code"] == "asset.missing"
    assert upload(1).json()["id"] == "kite1.svg"
    assert asset.path.exists()


def bundle(raw, files) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("scene.json", raw if isinstance(raw, str) else json.dumps(raw))
        for name, data in files.items():
            archive.writestr(f"assets/{name}", data)
    return out.getvalue()


def take_in(data, name="scene.zip"):
    return Client().post("/scenes/import", {"scene": SimpleUploadedFile(name, data)})


def test_a_refused_import_leaves_nothing_behind():
    raw = document(figure(step("artwork", file="mine.svg"), step("twist", angle="wrong")))
    assert take_in(bundle(raw, {"mine.svg": kite(1), "more.svg": kite(2)})).status_code == 422
    assert not Asset.objects.exists()
    assert not Scene.objects.exists()
    assert not file_path("x").parent.exists()


def test_assets_that_come_in_under_other_names_are_not_mixed_up():
    upload(1, "a.svg")
    upload(2, "a-2.svg")
    raw = document(
        figure(step("artwork", file="a.svg"), name="a.svg", id="a"),
        figure(step("artwork", file="a-2.svg"), name="Other", id="b"),
        figure(step("lettering", text="a.svg"), name="Words", id="c"),
    )
    answer = take_in(bundle(raw, {"a.svg": kite(2), "a-2.svg": kite(3)}))
    assert answer.status_code == 302
    figures = Scene.objects.get().document["figures"]
    found = [Asset.objects.get(slug=one["routine"][0]["settings"]["file"]) for one in figures[:2]]
    assert [asset.path.read_bytes() for asset in found] == [kite(2), kite(3)]
    assert figures[0]["name"] == "a.svg"
    assert figures[2]["routine"][0]["settings"]["text"] == "a.svg"
    assert all_files_have_owners()


def test_an_import_whose_data_is_broken_is_refused_in_words():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("scene.json", json.dumps(document()) + " " * 5000)
    data = bytearray(out.getvalue())
    data[60:80] = bytes(20)
    answer = take_in(bytes(data))
    assert answer.status_code == 422
    assert b"cannot be read" in answer.content


def test_a_scene_that_is_too_large_for_one_file_is_not_said_to_be_no_json():
    answer = take_in(b'{"name": "' + b"x" * (9 << 20) + b'"}', "scene.json")
    assert answer.status_code == 422
    assert b"9.0 MB" in answer.content


def test_a_bundle_of_files_that_take_too_long_together_is_refused_and_leaves_nothing(monkeypatch):
    data = bundle(document(figure(step("artwork", file="a.svg"))), {"a.svg": kite(1)})
    monkeypatch.setattr(files, "FILE_SECONDS", 0)
    with pytest.raises(ProblemError, match="stopped after 0 seconds"):
        bundles.take_in(data)
    assert not Scene.objects.exists()
    assert not Asset.objects.exists()
    monkeypatch.undo()
    assert bundles.take_in(data).name == "Test"


def test_many_who_ask_for_one_picture_at_once_all_get_it_and_it_is_drawn_once(monkeypatch):
    stored, drawn, render = create_scene(document(figure(step("sphere")))), [], tasks.render_scene
    monkeypatch.setattr(tasks, "render_scene", lambda *a, **k: drawn.append(1) or render(*a, **k))
    upload(1)
    for path in (f"/scenes/{stored.id}/thumbnail.png", "/api/assets/kite1.svg/preview"):
        answers = together([lambda path=path: Client().get(path)] * 12)
        assert {answer.status_code for answer in answers} == {200}
        assert len({answer.content for answer in answers}) == 1
    assert len(drawn) == 1


def test_a_deletion_beside_other_requests_ends_none_of_them_badly():
    stored = [create_scene(document(figure(step("sphere"), looks=[look("surface")]))) for _ in range(4)]

    def ask(path, body=None):
        if body is None:
            return Client().get(path)
        return Client().post(path, json.dumps(body), content_type="application/json")

    calls = []
    for scene in stored:
        base = f"/api/scenes/{scene.id}"
        patch = {"revision": 0, "patch": [{"op": "replace", "path": "/name", "value": f"N{scene.id}"}]}
        calls += [
            lambda base=base, patch=patch: ask(f"{base}/patch", patch),
            lambda scene=scene: Client().post(f"/scenes/{scene.id}/delete"),
            lambda base=base: ask(f"{base}/checks"),
            lambda scene=scene: ask(f"/scenes/{scene.id}/thumbnail.png"),
            lambda base=base: ask(f"{base}/renders", {"format": "png", "width": 16, "height": 16}),
            lambda base=base: ask(f"{base}/undo", {"revision": 0}),
        ]
    codes = {answer.status_code for answer in together(calls)}
    assert max(codes) < 500
    assert not Scene.objects.exists()


def test_sweeping_spares_what_is_there_and_takes_what_is_not():
    upload(1)
    stray = file_path("stray")
    stray.write_bytes(b"x")
    (stray.parent / ".stray.part").write_bytes(b"x")
    shelf.sweep()
    assert all_files_have_owners()
