"""A real server with its worker, and the real page in headless Chromium."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from contextlib import contextmanager

import pytest
from playwright.sync_api import sync_playwright

from tests.scenes import ROOT, document

CHROMIUM = "/usr/bin/chromium"
# Whatever takes longer never happens; a slow or busy machine takes its time.
PATIENCE_SECONDS = 90
# Pictures that nobody looks at are small and do not become finer: drawing takes longest of all here. Snapshots are as
# fine as ever.
STAY_COARSE = """({ viewport }) => {
  const { sizeAt } = viewport;
  Object.assign(viewport.fine, { begin: () => {}, bands: 1 });
  viewport.sizeAt = (ratio) => sizeAt.call(viewport, ratio * 0.3);
  viewport.reel.glimpses.busyUntil = Infinity;
  viewport.reel.glimpses.along = () => {};
  viewport.resize();
}"""
# From the moment that there is an editor, but in a window of that name.
FINE = "fine"
COARSE_FROM_THE_FIRST = f"""{{
  let editor;
  const set = (made) => {{
    editor = made;
    if (window.name !== "{FINE}") ({STAY_COARSE})(made);
  }};
  Object.defineProperty(window, "pirouette", {{ get: () => editor, set }});
}}"""
FLAGS = [
    "--no-sandbox",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
    "--ignore-gpu-blocklist",
    # There is no graphics card: the page itself is drawn faster without pretending that there is one.
    "--disable-gpu-compositing",
    "--disable-gpu-rasterization",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-quic",
    "--no-first-run",
]

HAS_STYLES = "document.styleSheets.length === document.querySelectorAll('link[rel=stylesheet]').length"
# Make all of an open scene another.
REPLACE = """(raw) => {
  const { store } = pirouette;
  const gone = Object.keys(store.document).filter((name) => !(name in raw));
  store.edit([
    ...gone.map((name) => ({ op: "remove", path: `/${name}` })),
    ...Object.entries(raw).map(([name, value]) => ({ op: "add", path: `/${name}`, value })),
  ]);
}"""


def free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return one.getsockname()[1]


class Studio:
    """A server in a process group of its own, with a data folder of its own."""

    def __init__(self, folder, port=None):
        self.folder = folder
        self.environment = {**os.environ, "PIROUETTE_DATA": str(folder), "PYTHONWARNINGS": "ignore"}
        self.environment.pop("DJANGO_SETTINGS_MODULE", None)
        self.port = port or free_port()
        self.url = f"http://127.0.0.1:{self.port}"
        # As script/server does it, but for pictures of all scenes; kernels are compiled before the tests begin.
        self.start("start", "--undrawn", seconds=400)

    def start(self, *command, seconds=60):
        command = [sys.executable, "manage.py", *(command or ("serve",)), "--port", str(self.port)]
        self.process = subprocess.Popen(command, cwd=ROOT, env=self.environment, start_new_session=True)
        deadline = time.monotonic() + seconds
        while time.monotonic() < deadline:
            try:
                self.get("/api/scenes")
                return
            except OSError:
                time.sleep(0.1)
        raise TimeoutError("the server did not start")

    def kill(self):
        """End the server and its worker as a power cut would."""
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()

    def stop(self):
        self.process.send_signal(signal.SIGINT)
        try:
            self.process.wait(15)
        except subprocess.TimeoutExpired:
            self.kill()

    def get(self, path):
        with urllib.request.urlopen(self.url + path, timeout=PATIENCE_SECONDS) as answer:
            return json.load(answer)

    def add(self, document) -> int:
        """Store a scene as a page of its own origin does; its id."""
        token = "t" * 32
        headers = {"Content-Type": "application/json", "Cookie": f"csrftoken={token}", "X-CSRFToken": token}
        body = json.dumps(document).encode()
        request = urllib.request.Request(self.url + "/api/scenes", body, headers, method="POST")
        with urllib.request.urlopen(request, timeout=PATIENCE_SECONDS) as answer:
            return json.load(answer)["id"]

    def scene(self, name) -> int:
        return next(scene["id"] for scene in self.get("/api/scenes") if scene["name"] == name)

    def document(self, scene_id) -> dict:
        return self.get(f"/api/scenes/{scene_id}")["document"]


@pytest.fixture(scope="session")
def studio(tmp_path_factory):
    running = Studio(tmp_path_factory.mktemp("studio"))
    yield running
    running.stop()


@pytest.fixture(scope="session")
def playwright():
    with sync_playwright() as running:
        yield running


@pytest.fixture(scope="session")
def chromium(playwright):
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
    yield browser
    browser.close()


@pytest.fixture(scope="session")
def window(chromium):
    """What all tests' pages are opened in, one after the other in the same tab: their scripts are read once."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    context.add_init_script(COARSE_FROM_THE_FIRST)
    yield context
    context.close()


@contextmanager
def page_of(chromium, studio, width=1280, height=800):
    """A page that shares nothing with others."""
    context = chromium.new_context(viewport={"width": width, "height": height}, accept_downloads=True)
    with watched(context.new_page()) as page:
        yield page
        context.close()


@contextmanager
def watched(page):
    """A page in which nothing may go wrong."""
    page.set_default_timeout(PATIENCE_SECONDS * 1000)
    page.problems = []

    def heard(message):
        # A refused change is answered with 4xx, which the console repeats; a server that is away cannot be reached.
        if message.type == "error" and "Failed to load resource" not in message.text:
            page.problems.append(message.text)

    def failed(error):
        page.problems.append(str(error))

    page.on("pageerror", failed)
    page.on("console", heard)
    yield page
    page.remove_listener("pageerror", failed)
    page.remove_listener("console", heard)
    assert page.problems == []


@pytest.fixture
def page(window, studio):
    with watched(window.pages[0] if window.pages else window.new_page()) as opened:
        yield opened
    first, *others = window.pages or [window.new_page()]
    for one in others:
        one.close()
    # Nothing is left of what the page kept in the browser.
    window.set_offline(False)
    first.unroute_all()
    first.mouse.move(0, 0)
    first.goto(f"{studio.url}/api/scenes")
    first.evaluate("localStorage.clear(); sessionStorage.clear(); window.name = ''")
    window.clear_cookies()


@pytest.fixture
def editor(page, studio):
    """Open a scene made for this test; returns the page with `scene_id` and `saved()`.

    fine  let pictures become finer at rest, and draw frames ahead: most tests look at neither, and drawing without a
          graphics card is what takes longest
    """

    def open_scene(document=None, name=None, fine=False):
        if name:
            page.scene_id = studio.scene(name)
        else:
            page.scene_id = studio.add(document)
        if not page.url.startswith(studio.url):
            # A window loses its name as it goes from one site to another.
            page.goto(f"{studio.url}/api/scenes")
        page.evaluate("(name) => { window.name = name; }", FINE if fine else "")
        page.goto(f"{studio.url}/scenes/{page.scene_id}/")
        until(page, "window.pirouette && pirouette.viewport.header")
        if not page.evaluate(HAS_STYLES):
            # On a busy machine the browser has given up one: seen now and then, in the first page after many others.
            page.reload()
            until(page, f"window.pirouette && pirouette.viewport.header && {HAS_STYLES}")
        # Letters of another font are as wide as others: what is measured before would lie elsewhere when it is pressed.
        until(page, "document.fonts.status === 'loaded'")
        page.saved = lambda: settled(page, studio)
        return page

    return open_scene


@pytest.fixture(scope="module")
def easel(chromium, studio):
    """Show one scene after the other in the same open page, which none of them is edited in; returns the page."""
    with page_of(chromium, studio) as page:
        page.goto(f"{studio.url}/scenes/{studio.add(document())}/")
        until(page, "window.pirouette && pirouette.viewport.header")
        stay_coarse(page)

        # Whether the loop closes, and the like, is not asked here: it would take the processor away.
        page.route("**/checks?*", lambda route: route.fulfill(status=404, json={"detail": "not asked"}))

        def show(raw, frame=0):
            page.evaluate("(frame) => pirouette.store.seek(frame)", frame)
            page.evaluate(REPLACE, raw)
            until(page, "!pirouette.store.sending && !pirouette.store.hasUnsaved")
            assert page.evaluate("pirouette.store.state.problem") is None
            return page

        yield show


def until(page, expression, arg=None, timeout=PATIENCE_SECONDS):
    """Wait until an expression is true in the page, whose policy forbids Playwright's own way of asking; its value."""
    deadline = time.monotonic() + timeout
    while not (value := page.evaluate(expression, arg)):
        if time.monotonic() > deadline:
            raise TimeoutError(f"never true: {expression}")
        page.wait_for_timeout(40)
    return value


def stay_coarse(page):
    """Let a page leave its pictures as they are at first, and small."""
    page.evaluate(f"({STAY_COARSE})(pirouette)")


def boxes(page, *selectors):
    """Where the first elements of some selectors are, once all are there.

    All are found and measured at one moment: the page may draw its lanes and handles anew between two questions.
    """
    found = """(selectors) => {
      const all = selectors.map((selector) => document.querySelector(selector)?.getBoundingClientRect().toJSON());
      return all.every(Boolean) && all;
    }"""
    return until(page, found, selectors)


def wait_for_lane(page, pointer):
    until(page, f"pirouette.store.state.lanes.some((lane) => lane.pointer === '{pointer}')")


def settled(page, studio) -> dict:
    """Wait until everything is saved, and return the document as the server has it."""
    until(page, "!pirouette.store.sending && !pirouette.store.hasUnsaved")
    return studio.document(page.scene_id)
