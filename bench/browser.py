"""How soon a dragged value reaches the screen in the real page, and how fluently it plays; run by script/bench."""

import platform
import statistics
import tempfile
import time
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import sync_playwright

from tests.browser.conftest import CHROMIUM, FLAGS, Studio, page_of, until

DRAG = """async (count) => {
  const { store } = pirouette;
  const times = [];
  store.gesture = "bench";
  for (let k = 0; k < count; k += 1) {
    const began = performance.now();
    const drawn = new Promise((resolve) => { globalThis.onPacket = () => requestAnimationFrame(resolve); });
    store.setValue("/figures/0/routine/2/settings/strength", 190 + k, { gesture: "bench" });
    await drawn;
    times.push(performance.now() - began);
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
  store.gesture = null;
  store.emit("gesture-end");
  return times;
}"""
FLOOR = """async (count) => {
  const times = [];
  pirouette.store.gesture = "floor";
  for (let k = 0; k < count; k += 1) {
    const began = performance.now();
    pirouette.viewport.draw(pirouette.viewport.header, pirouette.viewport.buffers);
    await new Promise((resolve) => requestAnimationFrame(() => requestAnimationFrame(resolve)));
    times.push(performance.now() - began);
  }
  pirouette.store.gesture = null;
  return times;
}"""


PLAY = """async (seconds) => {
  const { store, playback } = pirouette;
  store.seek(0);
  store.set({ playing: true });
  await new Promise((resolve) => setTimeout(resolve, 500));
  const before = playback.shown;
  const began = performance.now();
  await new Promise((resolve) => setTimeout(resolve, seconds * 1000));
  const rate = (playback.shown - before) / ((performance.now() - began) / 1000);
  store.set({ playing: false });
  return rate;
}"""


@contextmanager
def opened(scene, ready):
    """The page of a demo scene in a studio of its own, once an expression is true in it."""
    studio = Studio(Path(tempfile.mkdtemp(prefix="pirouette-bench-")))
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
            with page_of(browser, studio) as page:
                page.goto(f"{studio.url}/scenes/{studio.scene(scene)}/")
                until(page, ready, timeout=60)
                yield page
            browser.close()
    finally:
        studio.stop()


def measure_play(seconds=4, rounds=5) -> tuple[float, float, float, float]:
    """Return the frames of Pinwheel wall shown in a second, of its first turn alone, how many there should be, and the
    seconds that its loop took to be computed.

    The first turn begins two seconds after that and draws most frames; the later ones play what was kept of them.
    """
    with opened("Pinwheel wall", "window.pirouette && pirouette.viewport.header") as page:
        began = time.perf_counter()
        until(page, "pirouette.store.state.held.size >= pirouette.store.clock.frames", timeout=120)
        filled = time.perf_counter() - began
        page.wait_for_timeout(2000)
        rates = [page.evaluate(PLAY, seconds) for _ in range(rounds)]
        return statistics.median(rates), rates[0], page.evaluate("pirouette.store.clock.fps"), filled


def measure_drag(count=40) -> tuple[float, float, str]:
    """Return the medians of a drag and of the page's own frame in ms, and the machine's name."""
    with opened("Wind map", "window.pirouette && pirouette.store.state.held.size > 100") as page:
        page.evaluate("pirouette.store.on('packet', () => globalThis.onPacket?.())")
        page.evaluate(DRAG, 10)
        drag = statistics.median(page.evaluate(DRAG, count))
        floor = statistics.median(page.evaluate(FLOOR, count))
    return drag, floor, platform.processor() or platform.machine()
