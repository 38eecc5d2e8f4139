"""Nothing that was acknowledged is lost, whatever dies, and nothing is fetched from elsewhere."""

import http.client
import signal
import time
from contextlib import suppress
from pathlib import Path

import pytest

from studio.waiting import waiting
from tests.browser.conftest import Studio, free_port, page_of, stay_coarse, until
from tests.scenes import document, figure, step

pytestmark = pytest.mark.browser


def make(page, doc):
    return page.evaluate(
        """async (doc) => {
          const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
          const answer = await fetch("/api/scenes", { method: "POST", body: JSON.stringify(doc),
            headers: { "Content-Type": "application/json", "X-CSRFToken": token } });
          return (await answer.json()).id;
        }""",
        doc,
    )


def test_a_killed_server_loses_no_acknowledged_edit_and_no_finished_frame(chromium, tmp_path):
    studio = Studio(tmp_path)
    try:
        with page_of(chromium, studio) as page:
            page.goto(studio.url, wait_until="domcontentloaded")
            clock = {"fps": 24, "frames": 16, "loops": True}
            scene_id = make(
                page, document(figure(step("sphere", radius=10), step("grid", columns=20, rows=12)), clock=clock)
            )
            page.goto(f"{studio.url}/scenes/{scene_id}/")
            until(page, "window.pirouette && pirouette.viewport.header")
            stay_coarse(page)
            job = page.evaluate(
                """async () => {
                  const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
                  const answer = await fetch(`/api/scenes/${pirouette.store.sceneId}/renders`, { method: "POST",
                    headers: { "Content-Type": "application/json", "X-CSRFToken": token },
                    body: JSON.stringify({ format: "mp4", first: 0, last: 15, width: 480, height: 270, samples: 8 }) });
                  return (await answer.json()).id;
                }"""
            )
            page.evaluate(
                """() => {
                  globalThis.acknowledged = 0;
                  pirouette.store.on("saved", () => {
                    globalThis.acknowledged = pirouette.store.confirmed.figures[0].routine[0].settings.radius;
                  });
                  let radius = 10;
                  globalThis.editing = setInterval(() =>
                    pirouette.store.setValue("/figures/0/routine/0/settings/radius", (radius += 0.5)), 30);
                }"""
            )
            until(page, "globalThis.acknowledged > 12")
            while studio.get(f"/api/renders/{job}")["done"] < 3:
                time.sleep(0.05)
            studio.kill()
            acknowledged = page.evaluate("globalThis.acknowledged")
            page.evaluate("clearInterval(globalThis.editing)")
            page.locator("#problem", has_text="cannot be reached").wait_for()
            last = page.evaluate("pirouette.store.valueAt('/figures/0/routine/0/settings/radius')")
            finished = {p.name: p.stat().st_mtime_ns for p in (tmp_path / "renders" / str(job)).glob("frame_*.png")}
            studio.start()
            stored = studio.document(scene_id)["figures"][0]["routine"][0]["settings"]["radius"]
            assert stored >= acknowledged
            # What the page had not sent yet is sent as soon as the server is back.
            until(page, "!pirouette.store.sending && !pirouette.store.hasUnsaved")
            assert studio.document(scene_id)["figures"][0]["routine"][0]["settings"]["radius"] == last
            deadline = time.monotonic() + 90
            while studio.get(f"/api/renders/{job}")["state"] != "done" and time.monotonic() < deadline:
                time.sleep(0.2)
            assert studio.get(f"/api/renders/{job}")["done"] == 16
            kept = [name for name, stamp in finished.items()
                    if (tmp_path / "renders" / str(job) / name).stat().st_mtime_ns == stamp]  # fmt: skip
            # The frame in work when the power went may be rendered again; no other is.
            assert len(kept) >= len(finished) - 1
    finally:
        studio.stop()


def test_nothing_is_fetched_from_anywhere_else(chromium, studio):
    with page_of(chromium, studio) as page:
        asked = []
        page.on("request", lambda request: asked.append(request.url))
        page.goto(f"{studio.url}/scenes/{studio.scene('Wind map')}/")
        until(page, "window.pirouette && pirouette.viewport.header")
        stay_coarse(page)
        assert [url for url in asked if not url.startswith((studio.url, "blob:", "data:"))] == []
        assert any(url.endswith("instrument-sans-latin-wght-normal.woff2") for url in asked)


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGINT])
def test_a_server_that_is_told_to_stop_takes_its_workers_with_it(tmp_path, how):
    running = Studio(tmp_path)
    worker = workers_of(running.process.pid)[0]
    running.process.send_signal(how)
    running.process.wait(30)
    deadline = time.monotonic() + 10
    while Path(f"/proc/{worker}").exists() and time.monotonic() < deadline:
        time.sleep(0.1)
    assert not Path(f"/proc/{worker}").exists()


def workers_of(pid) -> list[int]:
    """The processes that a process has started, once there are any."""
    deadline = time.monotonic() + 20
    while time.monotonic() < deadline:
        # The thread that keeps a worker started it.
        found = []
        for task in Path(f"/proc/{pid}/task").iterdir():
            with suppress(OSError):  # a thread may end meanwhile
                found += map(int, (task / "children").read_text().split())
        if found:
            return found
        time.sleep(0.1)
    raise TimeoutError(f"process {pid} has started nothing")


def test_a_websocket_is_refused_like_any_address_that_is_not_there(studio):
    upgrade = {"Connection": "Upgrade", "Upgrade": "websocket", "Sec-WebSocket-Version": "13"}
    connection = http.client.HTTPConnection("127.0.0.1", studio.port, timeout=20)
    connection.request("GET", "/ws", headers={**upgrade, "Sec-WebSocket-Key": "AAAAAAAAAAAAAAAAAAAAAA=="})
    assert connection.getresponse().status == 404
    connection.close()


def test_head_has_no_body(studio):
    connection = http.client.HTTPConnection("127.0.0.1", studio.port, timeout=20)
    connection.request("HEAD", "/api/catalogue")
    answer = connection.getresponse()
    assert answer.status == 200
    assert int(answer.headers["Content-Length"]) > 1000
    assert answer.read() == b""
    connection.close()


WIDTH = "/figures/0/routine/0/settings/width"


def fail_patches(page, answer):
    """Let the server seem to answer edits otherwise: a status, or nothing at all."""

    def handle(route):
        if answer is None:
            return None
        return route.fulfill(status=answer, json={"message": f"Made up: {answer}"}) if answer else route.abort()

    page.route("**/patch", handle)


@pytest.mark.parametrize("answer", [503, 500, 0, None])
def test_edits_survive_bad_answers_and_a_tab_that_goes_away(editor, studio, answer):
    page = editor(document(figure(step("box", width=100, height=100), name="Box")))
    fail_patches(page, answer)
    page.evaluate(f"pirouette.store.setValue('{WIDTH}', 140)")
    page.evaluate("pirouette.store.setValue('/name', 'Kept')")
    if answer is not None:
        until(page, "document.querySelector('#saved').textContent.includes('not saved since')")
    # The browser itself takes a moment to write down what a page keeps.
    page.wait_for_timeout(300)
    context, url = page.context, page.url
    page.close()
    again = context.new_page()
    again.goto(url)
    until(again, "window.pirouette?.store.confirmed.name === 'Kept' && !pirouette.store.hasUnsaved")
    stored = studio.document(page.scene_id)
    assert stored["name"] == "Kept"
    assert stored["figures"][0]["routine"][0]["settings"]["width"] == 140
    again.close()


def test_two_tabs_edit_other_values_and_neither_is_lost(editor):
    page = editor(document(figure(step("box", width=100, height=100), name="Box")))
    other = page.context.new_page()
    other.goto(page.url)
    # Both change the same before this page has looked what the other did.
    page.route("**/revision", lambda route: route.abort())
    until(other, f"window.pirouette?.store.valueAt('{WIDTH}') === 100")
    page.evaluate(f"pirouette.store.setValue('{WIDTH}', 140)")
    until(page, "!pirouette.store.hasUnsaved")
    other.evaluate("pirouette.store.setValue('/name', 'Other')")
    until(other, "!pirouette.store.hasUnsaved")
    assert other.evaluate(f"pirouette.store.valueAt('{WIDTH}')") == 140
    page.evaluate("pirouette.store.setValue('/name', 'Mine')")
    until(page, "document.querySelector('#problem-words').textContent.includes('theirs is Other, yours Mine')")
    assert page.evaluate("pirouette.store.document.name") == "Other"
    page.get_by_role("button", name="Use mine").click()
    until(page, "pirouette.store.confirmed.name === 'Mine'")
    assert page.get_by_role("button", name="Use mine").count() == 0
    # What the other does arrives by itself, too.
    page.unroute("**/revision")
    other.evaluate(f"pirouette.store.setValue('{WIDTH}', 77)")
    until(page, f"pirouette.store.valueAt('{WIDTH}') === 77")
    other.close()


def test_a_page_that_waits_for_the_studio_becomes_what_was_asked_for(chromium, tmp_path):
    """Also over the moment in which nobody answers."""
    port = free_port()
    with chromium.new_context() as context:
        page = context.new_page()
        with waiting(port) as say:
            page.goto(f"http://127.0.0.1:{port}/phrases/")
            say("Compiling")
            until(page, "document.querySelector('[role=status]').textContent.startsWith('Compiling, for')")
        page.wait_for_timeout(5000)
        assert "getting ready" in page.title()
        running = Studio(tmp_path, port)
        try:
            page.get_by_role("heading", name="Phrases", exact=True).wait_for()
        finally:
            running.stop()
