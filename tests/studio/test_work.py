"""What one request may take: its turn, its time and its memory; and that the others are answered meanwhile."""

import asyncio
import json
import socket
import subprocess
import sys
import threading
from contextlib import ExitStack, contextmanager

import pytest
import uvicorn
from django.test import Client

from pirouette.data import Cancelled, TooMuch
from pirouette.formats.packet import decode_packet
from studio import asgi, patience, tickets, work
from studio.computing import tasks
from studio.scenes import api, services
from studio.scenes.models import Scene
from tests.scenes import ROOT, document, figure, formula, step

pytestmark = pytest.mark.django_db(transaction=True)
SPHERE = document(figure(step("sphere", rings=4, segments=6)))
RADIUS = "/figures/0/routine/0/settings/radius"
SAYS = "stopped after 0 seconds, the most that this may take"


@pytest.fixture(autouse=True)
def own_folder(settings, tmp_path):
    settings.DATA = tmp_path


@pytest.fixture
def no_time(monkeypatch):
    for where, name in (
        (services, "VIEW_SECONDS"),
        (api, "VIEW_SECONDS"),
        (api, "SMALL_SECONDS"),
        (api, "PROOF_SECONDS"),
    ):
        monkeypatch.setattr(where, name, 0)


def post(client, path, **body):
    return client.post(f"/api/scenes/{path}", json.dumps(body), content_type="application/json")


def set_radius(client, scene, value, revision=0):
    return post(client, f"{scene.id}/patch", revision=revision, patch=[{"op": "add", "path": RADIUS, "value": value}])


def test_an_edit_that_takes_too_long_to_show_is_saved_and_told(client, no_time):
    stored = services.create_scene(SPHERE)
    answer = set_radius(client, stored, 7)
    assert answer.status_code == 200
    told = answer.json()
    assert told["revision"] == 1
    assert told["unseen"] == f"Thing, line 1 (sphere): {SAYS}"
    assert Scene.objects.get(id=stored.id).document["figures"][0]["routine"][0]["settings"]["radius"] == 7


def test_pictures_and_proofs_that_take_too_long_are_refused_in_words(client, no_time):
    stored = services.create_scene(SPHERE)
    for answer in (post(client, f"{stored.id}/proof"), client.get(f"/api/scenes/{stored.id}/figures/thing/picture")):
        assert answer.status_code == 422
        assert answer.json()["problems"][0]["code"] == "work.time"


def test_checks_that_take_too_long_say_what_is_not_known(client, no_time):
    stored = services.create_scene(SPHERE)
    told = client.get(f"/api/scenes/{stored.id}/checks").json()
    assert told["seam"]["state"] == "unknown"
    assert {note["code"] for note in told["notes"]} == {"work.time"}
    assert any("the lanes are not known" in note["message"] for note in told["notes"])


def test_what_was_taken_back_is_told_though_it_cannot_be_shown(client):
    """Undo leads to a state that fails at another frame than the one it was made at."""
    stored = services.create_scene(SPHERE)
    set_radius(client, stored, formula("if(frame > 20, 1 / 0, 9)"))
    set_radius(client, stored, 5, revision=1)
    told = post(client, f"{stored.id}/undo", revision=2, frame=30)
    assert told.status_code == 200
    assert told.json()["revision"] == 3
    assert told.json()["patch"]
    assert "radius" in told.json()["unseen"]


def test_a_scene_that_cannot_be_shown_for_want_of_memory_is_told_of_and_the_memo_makes_room(client, monkeypatch):
    stored = services.create_scene(SPHERE)

    def too_large(*_, **__):
        raise MemoryError

    monkeypatch.setattr(tasks, "evaluate", too_large)
    assert "needs more memory than" in set_radius(client, stored, 7).json()["unseen"]
    assert tasks.memo.bytes == 0
    monkeypatch.undo()
    monkeypatch.setattr(tasks, "encoded", too_large)
    assert "needs more memory than" in set_radius(client, stored, 8, revision=1).json()["unseen"]
    monkeypatch.undo()
    header, _ = decode_packet(set_radius(client, stored, 9, revision=2).content)
    assert header["revision"] == 3


def test_a_process_that_holds_its_memory_says_so_and_goes_on():
    """Two figures of eight million points need three times what this process may hold."""
    told = subprocess.run(
        [sys.executable, "-c", HOLDS], cwd=ROOT, capture_output=True, text=True, timeout=240, check=False
    )
    assert told.stdout.split("\n")[:2] == [
        "figures/F0/routine/0 (sphere): this needs more memory than there is [size.memory]", "1 figure afterwards"
    ], told.stderr  # fmt: skip


HOLDS = """
from pirouette.data import TooMuch
from pirouette.evaluate import evaluate
from studio.work import hold_memory
from tests.scenes import figure, scene, step

hold_memory(1.25)
try:
    evaluate(scene(*[figure(step("sphere", rings=1980, segments=3950 + k), name=f"F{k}") for k in range(2)]), 0)
except TooMuch as error:
    print(error)
print(len(evaluate(scene(figure(step("sphere"))), 0).drawables), "figure afterwards")
"""


def in_thread(function):
    """Run a function in a thread; return the thread and the list that its result comes into."""
    came = []

    def run():
        try:
            came.append(function())
        except Exception as error:
            came.append(error)

    thread = threading.Thread(target=run)
    thread.start()
    return thread, came


@contextmanager
def all_turns(name):
    """Take all turns that there are under a name."""
    with ExitStack() as held:
        for _ in range(work.AT_A_TIME):
            held.enter_context(work.turn(name))
        yield


def test_requests_of_one_scene_take_turns_and_keep_no_other_waiting():
    begun, done = threading.Semaphore(0), threading.Event()

    def long():
        with work.turn("one"):
            begun.release()
            done.wait(60)

    held = [in_thread(long)[0] for _ in range(work.AT_A_TIME)]
    for _ in held:
        assert begun.acquire(timeout=30)
    third, came = in_thread(long)
    assert not begun.acquire(timeout=0.3)
    with work.turn("another"):
        pass
    done.set()
    for thread in (*held, third):
        thread.join(30)
    assert came == [None]


def test_who_waits_for_a_turn_and_leaves_does_not_take_it():
    left = threading.Event()
    with all_turns("crowded"):
        thread, came = in_thread(lambda: work.turn("crowded", left.is_set).__enter__())
        left.set()
        thread.join(30)
    assert isinstance(came[0], Cancelled)
    with all_turns("crowded"):
        pass


def test_a_turn_is_not_awaited_for_ever(monkeypatch):
    monkeypatch.setattr(work, "MOST_WAITING_SECONDS", 0)
    with all_turns("full"), pytest.raises(TooMuch, match="too many at a time"), work.turn("full"):
        pass


# --- who asks ---------------------------------------------------------------------------------------------------------


def answered(monkeypatch, messages, view, headers=()):
    """Run the application on messages that come one after the other; return the status that it sends, if any."""
    monkeypatch.setattr(asgi, "_django", view)
    sent, waiting = [], list(messages)

    async def receive():
        if waiting:
            return waiting.pop(0)
        await asyncio.sleep(60)

    async def send(message):
        sent.append(message)

    asyncio.run(asgi.application({"type": "http", "headers": list(headers)}, receive, send))
    return sent[0]["status"] if sent else None


async def reads_all(scope, receive, send):
    while (await receive()).get("more_body"):
        pass
    await send({"type": "http.response.start", "status": 200})


def test_a_body_that_does_not_come_to_its_end_is_not_waited_for(monkeypatch):
    monkeypatch.setattr(asgi, "BODY_SECONDS", 0.05)
    part = {"type": "http.request", "body": b"{", "more_body": True}
    assert answered(monkeypatch, [part, part], reads_all) == 408
    assert answered(monkeypatch, [part, {**part, "more_body": False}], reads_all) == 200


def test_a_body_that_is_too_large_is_not_taken(monkeypatch):
    monkeypatch.setattr(asgi, "MAX_BODY", 10)
    part = {"type": "http.request", "body": b"123456", "more_body": True}
    assert answered(monkeypatch, [part, {**part, "more_body": False}], reads_all) == 413
    assert answered(monkeypatch, [], reads_all, [(b"content-length", b"11")]) == 413
    assert answered(monkeypatch, [{**part, "more_body": False}], reads_all, [(b"content-length", b"6")]) == 200


def test_work_knows_that_its_client_has_left(monkeypatch):
    found = []

    async def view(scope, receive, send):
        class Request:
            pass

        Request.scope = scope
        is_gone = work.has_left(Request)
        await receive()
        found.append(is_gone())
        await receive()
        found.append(tickets.take_ticket("", is_gone)())
        found.append(tickets.take_ticket("a view", is_gone)())

    whole = {"type": "http.request", "body": b"", "more_body": False}
    answered(monkeypatch, [whole, {"type": "http.disconnect"}], view)
    assert found == [False, True, True]


def test_a_connection_that_asks_nothing_is_closed(monkeypatch):
    monkeypatch.setattr(patience, "HEAD_SECONDS", 0.3)
    config = uvicorn.Config(reads_all, http=patience.PatientProtocol, port=0, log_level="error", lifespan="off")
    server = uvicorn.Server(config)
    listening = socket.create_server(("127.0.0.1", 0))
    thread, _ = in_thread(lambda: server.run([listening]))
    try:
        for said in (b"", b"GET / HTTP/1.1\r\nHost: here\r\nX-"):
            with socket.create_connection(listening.getsockname(), timeout=30) as client:
                client.sendall(said)
                assert client.recv(100) == b""
    finally:
        server.should_exit = True
        thread.join(30)


@pytest.mark.parametrize("is_strict", [True, False])
def test_forms_that_are_too_large_are_refused_in_words(settings, is_strict):
    """Who looks for a token in the form meets its size before the view does."""
    settings.DATA_UPLOAD_MAX_MEMORY_SIZE = 10
    client = Client(enforce_csrf_checks=is_strict)
    client.cookies["csrftoken"] = "k" * 32
    form = {"data": "a=" + "b" * 100, "content_type": "application/x-www-form-urlencoded"}
    answer = client.post("/api/assets", **form)
    assert answer.status_code == 413
    assert answer.json() == {"message": "the body is too large"}


def test_a_program_without_a_token_is_told_how_to_get_one():
    answer = Client(enforce_csrf_checks=True).post("/api/scenes", "{}", content_type="application/json")
    assert answer.status_code == 403
    assert answer.json()["message"].endswith("Send the cookie csrftoken as the header X-CSRFToken.")


def test_a_work_that_tells_how_far_it_is_may_take_longer_but_not_for_ever(monkeypatch):
    now, told = [0.0], []
    monkeypatch.setattr(work.time, "monotonic", lambda: now[0])
    monkeypatch.setattr(work, "PATIENCE", 1)
    asked = work.question(20, tell=told.append)
    for second in range(0, 180, 15):
        now[0] = second
        assert asked() is False
        asked.tell(second)
    now[0] = 179
    assert asked() is False
    now[0] = 181
    with pytest.raises(TooMuch, match="stopped after 180 seconds"):
        asked()
    assert told[:2] == [0, 15]
    silent = work.question(20)
    now[0] += 21
    with pytest.raises(TooMuch, match="stopped after 20 seconds"):
        silent()
