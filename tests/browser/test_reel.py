"""Playing from kept pictures, as the page does where there is no graphics card."""

import pytest

from tests.browser.conftest import page_of, until
from tests.browser.test_judging import slider
from tests.scenes import document, figure, step

pytestmark = pytest.mark.browser
FRAMES = 24
# Every picture is there, each of the frame as it is held now, and as fine as it can be.
ALL_FINE = """() => {
  const { reel } = pirouette.viewport;
  reel.busyUntil = 0;
  const [finest] = reel.sizes;
  const isFine = (header) => reel.pictureOf(header)?.width === finest[0];
  return [...pirouette.playback.headers.values()].filter(isFine).length;
}"""
# The mean difference, out of 255, between a frame's kept picture and another frame drawn anew.
DIFFERENCE = """([kept, other]) => {
  const { viewport, playback, store } = pirouette;
  const picture = viewport.reel.pictureOf(playback.headers.get(kept));
  const { width, height } = picture;
  const pixels = new Uint8Array(width * height * 4);
  viewport.renderer.readRenderTargetPixels(picture, 0, 0, width, height, pixels);
  store.seek(other);
  const anew = viewport.snapshot(width, height);
  return pixels.reduce((sum, value, k) => sum + Math.abs(value - anew[k]), 0) / pixels.length;
}"""
# What the screen shows right after a frame was drawn while it plays: the mean of each half of the picture.
SHOWN = """(frame) => {
  const { viewport, playback, store } = pirouette;
  store.state.playing = true;
  viewport.draw(playback.headers.get(frame), playback.buffers);
  const { width, height } = viewport;
  const pixels = new Uint8Array(width * height * 4);
  const gl = viewport.renderer.getContext();
  gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
  store.state.playing = false;
  const halves = [0, 0];
  for (let k = 0; k < pixels.length; k += 4) halves[(k / 4) % width < width / 2 ? 0 : 1] += pixels[k];
  return halves;
}"""


@pytest.fixture
def drawn_ahead(editor):
    page = editor(slider(FRAMES), fine=True)
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    until(page, f"({ALL_FINE})() === {FRAMES}")
    return page


def test_while_nothing_is_done_the_frames_that_will_play_are_drawn(drawn_ahead):
    page = drawn_ahead
    assert page.evaluate(DIFFERENCE, [0, 0]) < 0.1
    assert page.evaluate(DIFFERENCE, [6, 6]) < 0.1
    assert page.evaluate(DIFFERENCE, [6, 0]) > 0.5
    left, right = page.evaluate(SHOWN, 0)
    assert left > right
    left, right = page.evaluate(SHOWN, FRAMES // 2)
    assert right > left


def test_a_picture_is_not_shown_for_a_frame_that_is_another_now(drawn_ahead):
    page = drawn_ahead
    dark = sum(page.evaluate(SHOWN, 0))
    before = page.evaluate("pirouette.viewport.reel.pictures.get(0).picture.texture.uuid")
    page.evaluate("""() => pirouette.store.setValue("/figures/0/looks/0/settings/colour", "#ffffff")""")
    page.saved()
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    until(page, "pirouette.playback.headers.get(0).drawables[0].looks[0].colour[0] > 0.9")
    assert sum(page.evaluate(SHOWN, 0)) > dark * 1.2
    assert page.evaluate("pirouette.viewport.reel.pictures.get(0).picture.texture.uuid") != before


def test_looking_from_elsewhere_forgets_the_pictures_and_a_work_area_is_drawn_first(drawn_ahead):
    page = drawn_ahead
    page.evaluate("pirouette.store.set({ work: [10, 13] })")
    page.mouse.move(500, 400)
    page.mouse.wheel(0, -300)
    until(page, "pirouette.viewport.free")
    assert page.evaluate("pirouette.viewport.reel.sizes && pirouette.viewport.reel.pictures.size") == 0
    until(page, "(pirouette.viewport.reel.busyUntil = 0) || pirouette.viewport.reel.pictures.size === 3")
    assert page.evaluate("[...pirouette.viewport.reel.pictures.keys()].sort()") == [10, 11, 12]
    page.wait_for_timeout(500)
    assert page.evaluate("pirouette.viewport.reel.pictures.size") == 3


def test_the_pictures_kept_longest_make_way(editor):
    page = editor(slider(), fine=True)
    kept = page.evaluate(
        """() => {
          const { reel } = pirouette.viewport;
          clearTimeout(reel.timer);
          reel.drawSoon = () => null;
          reel.clear();
          for (let frame = 0; frame < 7; frame += 1) reel.place({ frame }, [4096, 4096]);
          const found = [...reel.pictures.keys()];
          const { bytes } = reel;
          reel.clear();
          return [found, bytes, reel.bytes];
        }"""
    )
    assert kept == [[3, 4, 5, 6], 4 * 4096 * 4096 * 4, 0]


WIDTHS = """{
  window.widths = [];
  let editor;
  const set = (made) => {
    editor = made;
    made.store.on("drawn", () => widths.push(made.viewport.width));
  };
  Object.defineProperty(window, "pirouette", { get: () => editor, set });
}"""


def test_the_first_picture_comes_coarse_and_becomes_fine_by_itself(chromium, studio):
    with page_of(chromium, studio) as page:
        page.add_init_script(WIDTHS)
        page.goto(f"{studio.url}/scenes/{studio.add(document(figure(step('box'))))}/")
        until(page, "new Set(window.widths).size > 1")
        first, *_, last = page.evaluate("widths")
        assert first < 0.5 * last
        assert last > 0.85 * page.evaluate("pirouette.viewport.canvas.clientWidth")
