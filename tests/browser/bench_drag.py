"""How long a dragged value takes to reach the screen in the real page; run by script/bench."""

import platform
import statistics
import tempfile
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


def measure_drag(count=40) -> tuple[float, float, str]:
    """Return the medians of a drag and of the page's own frame in ms, and the machine's name."""
    studio = Studio(Path(tempfile.mkdtemp(prefix="pirouette-bench-")))
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
            with page_of(browser, studio) as page:
                page.goto(f"{studio.url}/scenes/{studio.scene('Wind map')}/")
                until(page, "window.pirouette && pirouette.store.state.held.size > 100", timeout=60)
                page.evaluate("pirouette.store.on('packet', () => globalThis.onPacket?.())")
                page.evaluate(DRAG, 10)
                drag = statistics.median(page.evaluate(DRAG, count))
                floor = statistics.median(page.evaluate(FLOOR, count))
            browser.close()
    finally:
        studio.stop()
    return drag, floor, platform.processor() or platform.machine()
