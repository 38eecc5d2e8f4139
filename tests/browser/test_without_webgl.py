"""Where the browser has no WebGL, or loses it for a while, the renderer's pictures are shown."""

import pytest

from tests.browser.conftest import CHROMIUM, boxes, page_of, settled, until
from tests.scenes import document, figure, look, step

pytestmark = pytest.mark.browser
# The mean colour of the middle of what is painted, and its address, which is another for each picture.
SEEN = """async () => {
  const img = document.querySelector("img.painted");
  if (!img || img.hidden || !img.complete || !img.naturalWidth) return null;
  const canvas = new OffscreenCanvas(9, 9);
  const context = canvas.getContext("2d");
  context.drawImage(img, img.naturalWidth / 2 - 4, img.naturalHeight / 2 - 4, 9, 9, 0, 0, 9, 9);
  const { data } = context.getImageData(0, 0, 9, 9);
  return [0, 1, 2].map((part) => data.filter((_, k) => k % 4 === part).reduce((sum, one) => sum + one, 0) / 81);
}"""
RED, GREEN = (look("surface", colour=colour, roughness=1) for colour in ("#d02020", "#20c020"))


def ball(**more):
    return document(figure(step("sphere", radius=90), name="Ball", looks=[RED], **more))


@pytest.fixture(scope="module")
def blind(playwright):
    """A browser without WebGL."""
    flags = ["--no-sandbox", "--disable-gpu", "--disable-3d-apis", "--disable-background-networking"]
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
    yield browser
    browser.close()


def is_red(seen):
    return seen and seen[0] > 1.6 * seen[1] and seen[0] > 60


def is_green(seen):
    return seen and seen[1] > 1.6 * seen[0] and seen[1] > 60


def seen_when(page, holds):
    for _ in range(600):
        seen = page.evaluate(SEEN)
        if holds(seen):
            return seen
        page.wait_for_timeout(50)
    raise AssertionError(f"what is seen is {seen}")


def test_a_browser_without_webgl_shows_the_renderers_pictures(blind, studio):
    with page_of(blind, studio) as page:
        page.scene_id = studio.add(ball())
        page.goto(f"{studio.url}/scenes/{page.scene_id}/")
        until(page, "window.pirouette && pirouette.viewport.header")
        seen_when(page, is_red)
        assert "no WebGL" in page.locator("#near").inner_text()
        # An edit is seen, and saved.
        page.evaluate(
            "pirouette.store.edit([{ op: 'replace', path: '/figures/0/looks/0/settings/colour', value: '#20c020' }])"
        )
        seen_when(page, is_green)
        assert settled(page, studio)["figures"][0]["looks"][0]["settings"]["colour"] == "#20c020"
        # A click selects what is seen there, and nothing beside it.
        [box] = boxes(page, "#canvas")
        middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.click(*middle)
        until(page, "pirouette.store.state.selection?.id === 'ball'")
        # So does looking around: far away the ball leaves the middle to the background.
        # Begun beside the ball, whose handles are over it now.
        aside = box["x"] + 80, box["y"] + box["height"] - 100
        page.mouse.move(*aside)
        page.mouse.down(button="right")
        page.mouse.move(aside[0] + 400, aside[1], steps=4)
        page.mouse.up(button="right")
        seen_when(page, lambda seen: seen and not is_green(seen))
        page.locator("#chip-camera").click()
        seen_when(page, is_green)


def test_a_frame_further_on_and_playing_are_painted_too(blind, studio):
    away = {"sort": "keyed", "keys": [{"frame": 0, "value": 0}, {"frame": 40, "value": 900}]}
    with page_of(blind, studio) as page:
        raw = ball(place={"position": [away, 0, 0]})
        page.goto(f"{studio.url}/scenes/{studio.add(raw)}/")
        until(page, "window.pirouette && pirouette.viewport.header")
        seen_when(page, is_red)
        page.evaluate("pirouette.store.seek(40)")
        seen_when(page, lambda seen: seen and not is_red(seen))
        page.evaluate("pirouette.store.seek(0)")
        seen_when(page, is_red)
        page.keyboard.press("Space")
        seen_when(page, lambda seen: seen and not is_red(seen))
        page.keyboard.press("Space")
        # What stayed coarse while it played becomes fine at rest.
        width = "document.querySelector('img.painted').naturalWidth"
        until(page, f"{width} > 600")
        page.evaluate("pirouette.store.state.playing = true; pirouette.viewport.redraw()")
        until(page, f"!pirouette.viewport.paintings.isAsking && {width} < 400")
        page.evaluate("pirouette.store.set({ playing: false })")
        until(page, f"{width} > 600")


LOSE = "pirouette.viewport.renderer.getContext().getExtension('WEBGL_lose_context')"
PIXEL = """() => {
  const bytes = pirouette.viewport.snapshot(64, 36, { passes: 1 });
  return [...bytes.slice((18 * 64 + 32) * 4, (18 * 64 + 32) * 4 + 3)];
}"""


def test_a_lost_context_comes_back(editor):
    page = editor(ball())
    before = page.evaluate(PIXEL)
    assert is_red(before)
    page.evaluate(f"window.loses = {LOSE}; loses.loseContext()")
    seen_when(page, is_red)
    assert page.evaluate("getComputedStyle(document.getElementById('canvas')).opacity") == "0"
    # What is done meanwhile is seen, and is there when it comes back.
    page.evaluate(
        "pirouette.store.edit([{ op: 'replace', path: '/figures/0/looks/0/settings/colour', value: '#20c020' }])"
    )
    seen_when(page, is_green)
    page.evaluate("loses.restoreContext()")
    until(page, "document.querySelector('img.painted').hidden")
    assert page.evaluate("getComputedStyle(document.getElementById('canvas')).opacity") == "1"
    assert is_green(page.evaluate(PIXEL))
    assert page.saved()["figures"][0]["looks"][0]["settings"]["colour"] == "#20c020"
