"""The states that a scene has been in: told in words, seen again, gone back to."""

import json
import struct

import pytest
from asgiref.sync import async_to_sync
from django.test import AsyncClient

from pirouette.formats.packet import decode_packet
from studio.scenes import services
from tests.scenes import document, figure, step

pytestmark = pytest.mark.django_db
STRENGTH = "/figures/0/routine/1/settings/strength"


@pytest.fixture
def stored():
    """A scene whose displace was 10, then 20, 30 and 40."""
    scene = services.create_scene(document(figure(step("sphere"), step("displace", strength=10))))
    for value in (20, 30, 40):
        scene = services.edit(scene.id, scene.revision, [{"op": "replace", "path": STRENGTH, "value": value}]).scene
    return scene


def post(client, path, **body):
    return client.post(f"/api{path}", json.dumps(body), content_type="application/json")


def states(client, scene, query=""):
    return client.get(f"/api/scenes/{scene.id}/states{query}").json()


def strength_of(document):
    return document["figures"][0]["routine"][1]["settings"]["strength"]


def strength(scene):
    scene.refresh_from_db()
    return strength_of(scene.document)


def test_states_are_told_in_words_newest_first(client, stored):
    told = states(client, stored)
    assert told["isWhole"]
    assert [state["words"] for state in told["states"]] == [
        ["Thing · displace · strength: 30 → 40"],
        ["Thing · displace · strength: 20 → 30"],
        ["Thing · displace · strength: 10 → 20"],
        ["As it began"],
    ]
    assert [state["isNow"] for state in told["states"]] == [True, False, False, False]


def test_after_an_undo_later_states_are_still_told_and_can_be_gone_to(client, stored):
    stored, _ = services.undo(stored.id, stored.revision)
    told = states(client, stored)["states"]
    assert [state["isNow"] for state in told] == [False, True, False, False]
    assert strength_of(services.state_at(stored, told[0]["id"])) == 40
    assert [strength_of(services.state_at(stored, state["id"])) for state in told] == [40, 30, 20, 10]


def test_a_long_history_is_told_in_parts(stored):
    first = services.states(stored, most=2)
    assert not first["isWhole"]
    assert [state["number"] for state in first["states"]] == [3, 2]
    rest = services.states(stored, below=2, most=2)
    assert rest["isWhole"]
    assert [state["number"] for state in rest["states"]] == [1, 0]
    assert rest["states"][0]["words"] == ["Thing · displace · strength: 10 → 20"]


def test_going_back_is_one_step_that_can_be_undone(client, stored):
    second = states(client, stored)["states"][2]["id"]
    response = post(client, f"/scenes/{stored.id}/return", revision=stored.revision, state=second)
    header, _ = decode_packet(response.content)
    assert header["patch"] == [{"op": "replace", "path": STRENGTH, "value": 20}]
    assert strength(stored) == 20
    services.undo(stored.id, stored.revision)
    assert strength(stored) == 40
    assert len(states(client, stored)["states"]) == 5


def test_going_back_far_is_not_stopped_by_the_number_of_operations(client, stored, monkeypatch):
    begun = states(client, stored)["states"][-1]["id"]
    monkeypatch.setattr(services, "MAX_OPERATIONS", 1)
    monkeypatch.setattr(services, "WHOLE_INSTEAD", 1)
    services.edit(stored.id, stored.revision, [{"op": "add", "path": "/name", "value": "Other"}])
    stored.refresh_from_db()
    response = post(client, f"/scenes/{stored.id}/return", revision=stored.revision, state=begun)
    assert response.status_code == 200
    assert strength(stored) == 10
    assert stored.name != "Other"


def test_going_back_to_where_one_is_changes_nothing(client, stored):
    now = states(client, stored)["states"][0]["id"]
    response = post(client, f"/scenes/{stored.id}/return", revision=stored.revision, state=now)
    header, _ = decode_packet(response.content)
    assert header["patch"] == []
    assert header["revision"] == stored.revision


def test_frames_and_proofs_of_a_state_are_those_of_that_time(client, stored):
    begun = services.create_scene(document(figure(step("sphere"), step("displace", strength=20))))
    second = states(client, stored)["states"][2]["id"]
    proof = {"frame": 3, "width": 64, "samples": 1}
    then = post(client, f"/scenes/{stored.id}/proof", state=second, **proof).content
    assert then == post(client, f"/scenes/{begun.id}/proof", **proof).content
    assert then != post(client, f"/scenes/{stored.id}/proof", **proof).content


@pytest.mark.django_db(transaction=True)
def test_frames_of_a_state_are_streamed():
    scene = services.create_scene(document(figure(step("sphere"), step("displace", strength=10))))
    services.edit(scene.id, scene.revision, [{"op": "replace", "path": STRENGTH, "value": 90}])

    async def bounds(state):
        body = {"frames": [0], **({} if state is None else {"state": state})}
        response = await AsyncClient().post(
            f"/api/scenes/{scene.id}/frames", json.dumps(body), content_type="application/json"
        )
        stream = b"".join([part async for part in response.streaming_content])
        (length,) = struct.unpack_from("<I", stream)
        header, _ = decode_packet(stream[4 : 4 + length])
        return max(header["drawables"][0]["high"])

    assert async_to_sync(bounds)(None) > async_to_sync(bounds)(0) + 10


def test_a_state_that_was_overwritten_is_told_to_be_gone(client, stored):
    last = states(client, stored)["states"][0]["id"]
    stored, _ = services.undo(stored.id, stored.revision)
    services.edit(stored.id, stored.revision, [{"op": "replace", "path": STRENGTH, "value": 77}])
    stored.refresh_from_db()
    response = post(client, f"/scenes/{stored.id}/return", revision=stored.revision, state=last)
    assert response.status_code == 404
    assert "That state is gone" in response.json()["message"]
    assert strength(stored) == 77
