"""Scenes in the studio: edits, undo, conflicts, frames, proofs, and what is refused."""

import gzip
import io
import json
import re
import struct
import time
from threading import Barrier

import numpy as np
import pytest
from asgiref.sync import async_to_sync
from django.core.management import call_command
from django.test import AsyncClient, Client
from PIL import Image

from pirouette.formats.packet import decode_packet
from studio.computing import tasks
from studio.scenes import services
from studio.scenes.models import Revision, Scene
from studio.tickets import take_ticket
from tests.scenes import DEMOS, document, figure, formula, keyed, step

pytestmark = pytest.mark.django_db
STRENGTH = "/figures/0/routine/1/settings/strength"


@pytest.fixture
def stored():
    return services.create_scene(document(figure(step("sphere"), step("displace", strength=10))))


def post(client, path, **body):
    return client.post(f"/api{path}", json.dumps(body), content_type="application/json")


def patch(client, scene, path, value, op="replace", **more):
    change = [{"op": op, "path": path, "value": value}]
    return post(client, f"/scenes/{scene.id}/patch", patch=change, **{"revision": scene.revision, **more})


def strength(scene):
    scene.refresh_from_db()
    return scene.document["figures"][0]["routine"][1]["settings"]["strength"]


def test_a_patch_is_saved_and_answered_with_the_frame(client, stored):
    response = patch(client, stored, STRENGTH, 25, frame=3)
    header, buffers = decode_packet(response.content)
    assert header["frame"] == 3
    assert header["revision"] == 1
    assert header["canUndo"]
    assert buffers
    assert strength(stored) == 25


def test_a_gesture_becomes_one_step_of_the_history(client, stored):
    for value in (11, 12, 13):
        assert patch(client, stored, STRENGTH, value, gesture="drag").status_code == 200
        stored.refresh_from_db()
    assert Revision.objects.filter(scene=stored).count() == 1
    post(client, f"/scenes/{stored.id}/undo", revision=stored.revision)
    assert strength(stored) == 10


def test_undo_and_redo_walk_the_history_and_outlive_a_restart(client, stored):
    for value in (1, 2, 3):
        patch(client, stored, STRENGTH, value)
        stored.refresh_from_db()
    seen = []
    for what in ("undo", "undo", "redo", "redo"):
        # A new client and a fresh read stand for a restarted server.
        response = post(Client(), f"/scenes/{stored.id}/{what}", revision=stored.revision)
        header, _ = decode_packet(response.content)
        seen.append((strength(stored), header["patch"][0]["value"]))
    assert seen == [(2, 2), (1, 1), (2, 2), (3, 3)]
    response = post(client, f"/scenes/{stored.id}/redo", revision=stored.revision)
    assert decode_packet(response.content)[0]["patch"] == []


def test_an_edit_after_undo_drops_what_was_undone(client, stored):
    for value in (1, 2):
        patch(client, stored, STRENGTH, value)
        stored.refresh_from_db()
    post(client, f"/scenes/{stored.id}/undo", revision=stored.revision)
    stored.refresh_from_db()
    header, _ = decode_packet(patch(client, stored, STRENGTH, 9).content)
    assert not header["canRedo"]
    assert strength(stored) == 9


def test_a_request_sent_again_after_a_lost_answer_is_carried_out_once(client, stored):
    for _ in range(2):
        response = patch(client, stored, STRENGTH, 21, id="same-request")
        assert response.status_code == 200
    header, _ = decode_packet(response.content)
    assert header["revision"] == 1
    assert strength(stored) == 21
    assert Revision.objects.count() == 1


def test_an_old_revision_is_answered_with_the_stored_scene(client, stored):
    patch(client, stored, STRENGTH, 5)
    response = patch(client, stored, STRENGTH, 7, revision=0)
    assert response.status_code == 409
    answer = response.json()
    assert answer["revision"] == 1
    assert answer["document"]["figures"][0]["routine"][1]["settings"]["strength"] == 5
    assert "changed elsewhere" in answer["message"]
    assert strength(stored) == 5


WRONG = [
    (STRENGTH, "much", "is not a number"),
    (STRENGTH, None, "is not a number"),
    (STRENGTH, formula("().__class__"), "has no meaning in a formula"),
    (STRENGTH, formula("9**9**9"), "write pow(a, b)"),
    (STRENGTH, formula("1/(frame-5)"), "not a finite number at frame 5"),
    ("/figures/0/routine/1/kind", "explode", "'explode' is not a kind"),
    ("/figures/0/routine/0/settings", {"radius": -3}, "-3 is below 0"),
    ("/figures/0/id", None, "None is not an id"),
    ("/figures/0/routine/1", step("grid", columns=1000, rows=1000, layers=1000), "1,000,000,000 copies"),
    ("/figures/7/name", "x", "does not fit the scene"),
    ("nonsense", "x", "does not fit the scene"),
]


@pytest.mark.parametrize(("path", "value", "says"), WRONG)
def test_a_wrong_change_is_refused_and_nothing_is_saved(client, stored, path, value, says):
    before = json.dumps(stored.document)
    response = patch(client, stored, path, value, frame=5)
    assert response.status_code == 422
    assert says in "\n".join(problem["message"] for problem in response.json()["problems"])
    stored.refresh_from_db()
    assert json.dumps(stored.document) == before
    assert stored.revision == 0
    assert not Revision.objects.exists()


def test_nan_in_a_request_is_refused(client, stored):
    body = f'{{"revision": 0, "patch": [{{"op": "replace", "path": "{STRENGTH}", "value": NaN}}]}}'
    response = client.post(f"/api/scenes/{stored.id}/patch", body, content_type="application/json")
    assert response.status_code in (400, 422)
    assert strength(stored) == 10


def test_a_missing_field_of_the_request_is_named(client, stored):
    response = post(client, f"/scenes/{stored.id}/patch", patch=[])
    assert response.status_code == 422
    assert "revision" in response.content.decode()


def test_too_many_operations_are_refused(client, stored):
    response = post(
        client, f"/scenes/{stored.id}/patch", revision=0, patch=[{"op": "test", "path": "", "value": 1}] * 20_001
    )
    assert response.status_code == 422
    assert "allowed up to 20000" in response.json()["problems"][0]["message"]


def test_an_edit_that_is_sent_twice_at_once_is_carried_out_once(stored, monkeypatch):
    patch, seen = [{"op": "add", "path": "/name", "value": "Once"}], services._seen

    def while_it_looks(*args):
        monkeypatch.setattr(services, "_seen", seen)
        services.edit(stored.id, 0, patch, edit_id="one")
        return seen(*args)

    monkeypatch.setattr(services, "_seen", while_it_looks)
    assert services.edit(stored.id, 0, patch, edit_id="one").scene.revision == 1
    assert stored.revisions.count() == 1


def test_which_edits_have_arrived_is_told(client, stored):
    services.edit(stored.id, 0, [{"op": "add", "path": "/name", "value": "Once"}], edit_id="one")
    answer = post(client, f"/scenes/{stored.id}/known", ids=["none", "one"])
    assert answer.json() == {"known": ["one"]}
    assert client.get(f"/api/scenes/{stored.id}/revision").json() == {"revision": 1}


def test_a_scene_that_is_not_there_is_not_found(client):
    assert client.get("/api/scenes/999").status_code == 404
    assert post(client, "/scenes/999/patch", revision=0, patch=[]).status_code == 404


def test_scenes_are_made_and_refused_through_the_api(client):
    response = client.post("/api/scenes", json.dumps(document()), content_type="application/json")
    assert response.status_code == 201
    response = client.post("/api/scenes", json.dumps({"format": "x"}), content_type="application/json")
    assert response.status_code == 422
    assert Scene.objects.count() == 1


def test_requests_from_other_sites_are_refused(stored):
    strict = Client(enforce_csrf_checks=True)
    assert patch(strict, stored, STRENGTH, 5).status_code == 403
    assert strength(stored) == 10
    assert strict.post("/scenes/new", {"start": "plain"}).status_code == 403


def read_stream(body: bytes) -> list[bytes]:
    packets = []
    while body:
        (length,) = struct.unpack_from("<I", body)
        if length == 0:
            (length,) = struct.unpack_from("<I", body, 4)
            packets.append(body[8 : 8 + length])
            body = body[8 + length :]
        else:
            packets.append(body[4 : 4 + length])
            body = body[4 + length :]
    return packets


async def stream(scene_id, what="frames", **body) -> list[bytes]:
    path = f"/api/scenes/{scene_id}/{what}"
    response = await AsyncClient().post(path, json.dumps(body), content_type="application/json")
    return read_stream(b"".join([chunk async for chunk in response.streaming_content]))


@pytest.mark.django_db(transaction=True)
def test_a_range_of_frames_is_streamed_without_sending_twice():
    scene = services.create_scene(document(figure(step("sphere"), step("grid"), step("drift", churn=1))))
    packets = [decode_packet(packet) for packet in async_to_sync(stream)(scene.id, frames=[0, 1, 2])]
    assert [header["frame"] for header, _ in packets] == [0, 1, 2]
    sent = [key for _, buffers in packets for key in buffers]
    assert len(sent) == len(set(sent))
    # The ball stays, only the places move.
    assert [key[0] for key in packets[2][1]] == ["m"]


@pytest.mark.django_db(transaction=True)
def test_a_stream_ends_with_the_problem_of_its_frame():
    scene = services.create_scene(document(figure(step("sphere"), step("twist", angle=formula("1/(frame-2)")))))
    first, second, problem = async_to_sync(stream)(scene.id, frames=[0, 1, 2, 3])
    assert decode_packet(second)[0]["frame"] == 1
    assert b"not a finite number at frame 2" in problem
    assert first


def pictures_of(scene, **body):
    return [Image.open(io.BytesIO(data)) for data in async_to_sync(stream)(scene.id, "reel", **body)]


@pytest.mark.django_db(transaction=True)
def test_pictures_of_frames_are_streamed_in_the_order_that_was_asked_for():
    frame = {"width": 640, "height": 360, "background": "solid", "colour": "#000000"}
    place = {"position": [keyed((0, -900), (4, 900)), 0, 0]}
    scene = services.create_scene(document(figure(step("sphere", radius=900), place=place), frame=frame))
    right, left = pictures_of(scene, frames=[4, 0], width=160)
    assert (right.format, right.size) == ("JPEG", (160, 90))
    halves = [[np.asarray(one)[:, at].mean() for at in (slice(0, 60), slice(100, 160))] for one in (right, left)]
    assert halves[0][0] < halves[0][1]
    assert halves[1][0] > halves[1][1]
    # From elsewhere, and without lights, it is another picture.
    look = {"position": [0, 0, 9000], "forward": [0, 0, -1], "up": [0, 1, 0], "tangent": 0.5}
    (far,) = pictures_of(scene, frames=[4], width=160, look=look)
    (flat,) = pictures_of(scene, frames=[4], width=160, flat=True)
    assert np.asarray(far).mean() < 0.5 * np.asarray(right).mean()
    assert np.asarray(flat).std() != np.asarray(right).std()


@pytest.mark.django_db(transaction=True)
def test_two_pictures_are_made_at_a_time_and_sent_in_their_order(monkeypatch):
    scene = services.create_scene(document(figure(step("sphere"))))
    both, made = Barrier(2, timeout=20), []

    def glimpse(subject, frame, width, view, is_flat, at_once, question):
        both.wait()
        time.sleep(0.2 if frame % 2 == 0 else 0)
        made.append(frame)
        return b"%d of %d" % (frame, at_once)

    monkeypatch.setattr(tasks, "glimpse", glimpse)
    assert async_to_sync(stream)(scene.id, "reel", frames=[0, 1, 2, 3], width=32) == [
        b"0 of 2", b"1 of 2", b"2 of 2", b"3 of 2",
    ]  # fmt: skip
    assert made == [1, 0, 3, 2]


@pytest.mark.django_db(transaction=True)
def test_a_picture_of_what_is_clear_says_where_it_is():
    frame = {"width": 640, "height": 360, "background": "transparent"}
    (picture,) = pictures_of(services.create_scene(document(figure(step("sphere")), frame=frame)), frames=[0], width=64)
    assert (picture.format, picture.mode) == ("WEBP", "RGBA")
    alpha = np.asarray(picture)[..., 3]
    assert (alpha[0, 0], alpha[18, 32]) == (0, 255)


@pytest.mark.django_db(transaction=True)
def test_a_stream_of_pictures_ends_with_the_problem_of_its_frame(client):
    scene = services.create_scene(document(figure(step("sphere"), step("twist", angle=formula("1/(frame-2)")))))
    first, problem = async_to_sync(stream)(scene.id, "reel", frames=[1, 2, 3], width=32)
    assert first.startswith(b"\xff\xd8")
    assert b"not a finite number at frame 2" in problem
    for wrong in ({"frames": "all"}, {"frames": [0], "width": 5000}, {"frames": [0], "look": {}}):
        assert post(client, f"/scenes/{scene.id}/reel", **wrong).status_code == 422
    assert post(client, "/scenes/999/reel", frames=[0]).status_code == 404


def test_a_newer_request_for_a_view_stops_the_older():
    older, other = take_ticket("view"), take_ticket("other view")
    assert not older()
    newer = take_ticket("view")
    assert older()
    assert not newer()
    assert not other()
    assert not take_ticket("")()


def test_a_proof_is_a_picture_of_the_asked_size(client, stored):
    response = post(client, f"/scenes/{stored.id}/proof", frame=0, width=64, samples=1)
    assert response["Content-Type"] == "image/png"
    assert response.content[:8] == b"\x89PNG\r\n\x1a\n"
    assert struct.unpack(">II", response.content[16:24]) == (64, 36)
    assert post(client, f"/scenes/{stored.id}/proof", width=99999).status_code == 422
    part = post(client, f"/scenes/{stored.id}/proof", frame=0, width=64, samples=4, part=[0.25, 0, 0.75, 0.5])
    assert part.status_code == 200
    assert part.content != response.content
    for wrong in ([0, 0, 1], [0, 0, 2, 1], [-1, 0, 1, 1], "all", [0, 0, 1, None]):
        assert post(client, f"/scenes/{stored.id}/proof", width=64, part=wrong).status_code == 422
    # Nothing, and what is turned over, is the pixel there.
    for odd in ([0, 0, 0, 0], [1, 1, 1, 1], [0.8, 0.8, 0.2, 0.2]):
        assert post(client, f"/scenes/{stored.id}/proof", width=64, samples=1, part=odd).status_code == 200


def test_checks_tell_lanes_seam_and_notes(client):
    scene = services.create_scene(
        document(figure(step("box"), step("displace"), place={"rotation": [0, keyed((0, 0), (96, 90)), 0]}))
    )
    found = client.get(f"/api/scenes/{scene.id}/checks").json()
    assert found["seam"]["state"] == "open"
    assert found["lanes"][0]["setting"] == "rotation y"
    assert found["notes"][0]["code"] == "step.no-effect"


def test_the_catalogue_is_served(client):
    found = client.get("/api/catalogue").json()
    assert {"steps", "forces", "clauses", "finishes", "looks", "lights", "things", "formulas"} == set(found)


def test_the_catalogue_is_kept_by_browsers_under_the_version_that_pages_name(client):
    page = client.get(f"/scenes/{services.create_scene(document(figure(step('box')))).id}/").content.decode()
    address = re.search(r'id="catalogue" href="([^"]+)"', page)[1]
    answer = client.get(address, headers={"Accept-Encoding": "gzip"})
    assert "immutable" in answer["Cache-Control"]
    assert answer["Content-Encoding"] == "gzip"
    assert json.loads(gzip.decompress(answer.content)) == client.get("/api/catalogue").json()
    assert len(page) < 100_000
    # A page of an earlier server names another one: what is told now must not be kept as that.
    assert "Cache-Control" not in client.get(address + "0")


def test_the_api_documents_itself(client):
    assert "/api/scenes/{scene_id}/patch" in client.get("/api/openapi.json").json()["paths"]


def test_the_demo_is_stored_once_and_put_back_on_request():
    call_command("load_demo", verbosity=0)
    call_command("load_demo", verbosity=0)
    assert Scene.objects.filter(is_demo=True).count() == len(DEMOS)
    scene = Scene.objects.first()
    services.edit(scene.id, 0, [{"op": "replace", "path": "/clock/fps", "value": 30}])
    call_command("load_demo", verbosity=0)
    assert Scene.objects.get(id=scene.id).document["clock"]["fps"] == 30
    call_command("load_demo", again=True, verbosity=0)
    assert all(one.document["clock"]["fps"] == 24 for one in Scene.objects.all())
