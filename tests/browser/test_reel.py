"""Showing what plays and what is scrubbed by pictures, as the page does where there is no graphics card."""

import pytest

from tests.browser.conftest import boxes, page_of, until
from tests.browser.test_judging import slider
from tests.scenes import document, figure, step

pytestmark = pytest.mark.browser
FRAMES = 24
# How many frames have a picture of what they are now that came from the renderer and is as fine as any.
ALL_FINE = """() => {
  const { reel } = pirouette.viewport;
  const { glimpses } = reel;
  glimpses.busyUntil = 0;
  const isFine = (frame) => reel.pictureOf(frame)?.isFrame && reel.pictureOf(frame).width === glimpses.width;
  return [...pirouette.playback.headers.keys()].filter(isFine).length;
}"""
# The mean of each half of what the screen shows once a frame was drawn while it plays.
SHOWN = """async (frame) => {
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
# What was shown, picture by picture, from now on: whether it came from the renderer.
LISTEN = """() => {
  const { viewport } = pirouette;
  window.shown = [];
  const show = viewport.showPicture.bind(viewport);
  viewport.showPicture = (picture) => {
    window.shown.push(Boolean(picture.isFrame));
    show(picture);
  };
}"""


@pytest.fixture
def fetched(editor):
    page = editor(slider(FRAMES), fine=True)
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    until(page, f"({ALL_FINE})() === {FRAMES}")
    return page


def test_while_nothing_is_done_pictures_of_what_will_play_are_fetched(fetched):
    page = fetched
    left, right = page.evaluate(SHOWN, 0)
    assert left > 1.2 * right
    left, right = page.evaluate(SHOWN, FRAMES // 2)
    assert right > 1.2 * left
    # A kept picture lies where the view has the frame, the right way up: halves are as different as they are there.
    halves = page.evaluate(
        """() => {
          const { viewport, playback } = pirouette;
          viewport.header = playback.headers.get(0);
          const { width, height } = viewport;
          const pixels = viewport.snapshot(width, height);
          const halves = [0, 0];
          for (let k = 0; k < pixels.length; k += 4) halves[(k / 4) % width < width / 2 ? 0 : 1] += pixels[k];
          return halves;
        }"""
    )
    shown = page.evaluate(SHOWN, 0)
    assert shown == pytest.approx(halves, rel=0.05)


def test_the_picture_stands_upright_within_the_frame(editor):
    raw = slider(FRAMES)
    raw["figures"][0]["place"] = {"position": [0, 60, 0]}
    raw["figures"][0]["routine"][0]["settings"].update(width=90, height=90)
    raw["figures"][0]["looks"][0]["settings"]["colour"] = "#ffffff"
    page = editor(raw, fine=True)
    until(page, f"({ALL_FINE})() === {FRAMES}")
    means = """(show) => {
      const { viewport, playback, store } = pirouette;
      const { width, height } = viewport;
      let pixels;
      if (show) {
        store.state.playing = true;
        viewport.draw(playback.headers.get(0), playback.buffers);
        store.state.playing = false;
        pixels = new Uint8Array(width * height * 4);
        const gl = viewport.renderer.getContext();
        gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
      } else pixels = viewport.snapshot(width, height);
      let [sum, x, y] = [0, 0, 0];
      for (let k = 0; k < pixels.length; k += 4)
        if (pixels[k] > 60) [sum, x, y] = [sum + 1, x + ((k / 4) % width), y + Math.floor(k / 4 / width)];
      return [x / sum / width, y / sum / height, sum / width / height];
    }"""
    page.evaluate("pirouette.viewport.setSize(pirouette.viewport.sizeAt(0.6))")
    shown, drawn = page.evaluate(means, True), page.evaluate(means, False)
    assert shown[:2] == pytest.approx(drawn[:2], abs=0.01)
    assert shown[2] == pytest.approx(drawn[2], rel=0.15)
    assert drawn[1] > 0.55


def test_a_picture_is_not_shown_for_a_frame_that_is_another_now(fetched):
    page = fetched
    dark = sum(page.evaluate(SHOWN, 0))
    before = page.evaluate("pirouette.viewport.reel.pictures.get(0).picture.texture.uuid")
    page.evaluate("""() => pirouette.store.setValue("/figures/0/looks/0/settings/colour", "#ffffff")""")
    page.saved()
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    until(page, "pirouette.playback.headers.get(0).drawables[0].looks[0].colour[0] > 0.9")
    until(page, f"({ALL_FINE})() === {FRAMES}")
    assert sum(page.evaluate(SHOWN, 0)) > dark * 1.2
    assert page.evaluate("pirouette.viewport.reel.pictures.get(0).picture.texture.uuid") != before


def test_looking_from_elsewhere_forgets_the_pictures_and_a_work_area_is_fetched_first(fetched):
    page = fetched
    page.evaluate("pirouette.store.set({ work: [10, 13] })")
    page.mouse.move(500, 400)
    page.mouse.wheel(0, -300)
    until(page, "pirouette.viewport.free")
    assert page.evaluate("pirouette.viewport.reel.lookNow() && pirouette.viewport.reel.pictures.size") == 0
    until(page, "(pirouette.viewport.reel.glimpses.busyUntil = 0) || pirouette.viewport.reel.pictures.size === 3")
    assert page.evaluate("[...pirouette.viewport.reel.pictures.keys()].sort()") == [10, 11, 12]
    page.wait_for_timeout(500)
    assert page.evaluate("pirouette.viewport.reel.pictures.size") == 3


def test_what_plays_and_what_is_scrubbed_is_shown_by_pictures_that_come(editor):
    page = editor(slider(FRAMES))
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    page.evaluate(LISTEN)
    page.evaluate("pirouette.store.set({ playing: true })")
    until(page, "window.shown.filter(Boolean).length > 12")
    page.evaluate("pirouette.store.set({ playing: false }); pirouette.viewport.reel.clear(); window.shown = []")
    (ring,) = boxes(page, ".ring")
    x, y = ring["x"] + ring["width"] / 2, ring["y"] + ring["height"] / 2
    page.mouse.move(x, y - 60)
    page.mouse.down()
    for way in ((40, -45), (60, 0), (40, 45), (0, 60)):
        page.mouse.move(x + way[0], y + way[1], steps=4)
    until(page, "window.shown.some(Boolean)")
    assert page.evaluate("pirouette.store.state.scrubbing")
    page.mouse.up()
    until(page, "!pirouette.store.state.scrubbing")
    assert page.evaluate("pirouette.store.state.frame") == FRAMES // 2
    # Then the view is drawn again as finely as ever.
    until(page, "!pirouette.viewport.isMoving")


def test_a_value_that_moves_is_shown_by_pictures_where_drawing_takes_too_long(editor):
    page = editor(slider(FRAMES), fine=True)
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    page.evaluate(LISTEN)
    asked = []
    page.on("request", lambda request: asked.append(request.url.split("?")[0].split("/")[-1]))
    page.evaluate(
        """() => {
          const { store, viewport } = pirouette;
          window.passes = 0;
          // As if drawing took long, however fast this machine is.
          Object.defineProperty(viewport, "isHeavy", { get: () => Boolean(store.gesture), set() {} });
          // And as if no picture were long in coming, however slow it is.
          Object.defineProperty(viewport, "shownAt", { get: () => performance.now(), set() {} });
          const draw = viewport.drawPass.bind(viewport);
          viewport.drawPass = (...given) => ((window.passes += 1), draw(...given));
          store.gesture = "move";
        }"""
    )
    move = """(width) => pirouette.store.setValue("/figures/0/routine/0/settings/width", width, { gesture: "move" })"""
    kept = "pirouette.viewport.reel.pictures.get(0)"
    for width in (50, 60, 70):
        shown = page.evaluate("window.shown.length")
        page.evaluate(move, width)
        page.saved()
        until(page, f"window.shown.length > {shown} && {kept}?.stamp === pirouette.playback.now.stamp")
        # What was about to become fine as it began may still be drawn.
        page.evaluate(f"{width} === 50 && (window.passes = 0)")
    page.wait_for_timeout(600)
    assert page.evaluate("window.passes") == 0
    assert page.evaluate("window.shown.every(Boolean)")
    # Neither the other frames, which are about to be others, nor what is checked.
    assert {"reel", "patch"} <= set(asked)
    assert not {"frames", "checks"} & set(asked)
    page.evaluate("pirouette.store.gesture = null; pirouette.store.emit('gesture-end')")
    until(page, f"window.passes && pirouette.store.state.held.size === {FRAMES}")
    until(page, "!pirouette.viewport.isMoving")


def test_few_pictures_are_asked_for_until_their_size_fits_how_long_they_take(editor):
    page = editor(slider(FRAMES))
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    told = page.evaluate(
        """() => {
          const { store, viewport } = pirouette;
          const { glimpses } = viewport.reel;
          glimpses.fetch = () => null;
          viewport.isLooking = false;
          store.scrub(3);
          viewport.reel.clear();
          const count = () => glimpses.wanted(glimpses.width).length;
          Object.assign(glimpses, { level: 0, took: 36, isKnown: true });
          const told = [[glimpses.level, count()]];
          for (const took of [400, 27]) {
            glimpses.keepTime(took);
            told.push([glimpses.level, count()]);
          }
          return told;
        }"""
    )
    # What takes far too long is asked for two sizes smaller at once; then many again, once it is known that it fits.
    assert told == [[0, 4], [2, 2], [2, 4]]


def test_where_no_pictures_come_the_page_draws_what_plays(editor):
    page = editor(slider(FRAMES))
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    page.route("**/reel", lambda route: route.abort())
    page.evaluate(LISTEN)
    page.evaluate("pirouette.store.set({ playing: true })")
    until(page, "window.shown.length > 5")
    assert not any(page.evaluate("window.shown"))
    left, right = page.evaluate(SHOWN, 0)
    assert left > right


def test_what_plays_from_the_first_moment_on_is_shown_by_pictures(editor):
    """Looking around ends, though nothing has rested since."""
    page = editor(slider(FRAMES))
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    page.evaluate("pirouette.viewport.isLooking = true")
    page.evaluate(LISTEN)
    page.evaluate("pirouette.store.set({ playing: true })")
    until(page, "window.shown.length > 2")


def test_with_a_graphics_card_what_was_scrubbed_or_played_becomes_fine_too(editor):
    page = editor(slider(FRAMES), fine=True)
    until(page, f"pirouette.store.state.held.size === {FRAMES}")
    page.evaluate(
        """() => {
          const { viewport } = pirouette;
          viewport.isSoftware = false;
          window.fine = 0;
          viewport.fine.begin = () => (window.fine += 1);
        }"""
    )
    page.evaluate("window.fine = 0; pirouette.store.scrub(7)")
    until(page, "window.fine > 0")
    page.evaluate("pirouette.store.set({ playing: true })")
    until(page, "pirouette.store.state.frame !== 7")
    page.evaluate("window.fine = 0; pirouette.store.set({ playing: false })")
    until(page, "window.fine > 0")


def test_what_a_field_reaches_is_drawn_by_the_page_itself(editor):
    page = editor(slider(FRAMES))
    page.evaluate("pirouette.store.state.reach = 'field'")
    assert page.evaluate("pirouette.viewport.reel.glimpses.areThere") is False


def test_the_pictures_kept_longest_make_way(editor):
    page = editor(slider(), fine=True)
    kept = page.evaluate(
        """() => {
          const { reel } = pirouette.viewport;
          clearTimeout(reel.glimpses.timer);
          reel.glimpses.fetchSoon = () => null;
          reel.clear();
          const gone = [];
          for (let frame = 0; frame < 7; frame += 1)
            reel.keep(frame, { width: 4096, height: 4096, dispose: () => gone.push(frame) });
          const found = [...reel.pictures.keys()];
          const { bytes } = reel;
          reel.clear();
          return [found, bytes, reel.bytes, gone];
        }"""
    )
    assert kept == [[3, 4, 5, 6], 4 * 4096 * 4096 * 4, 0, [0, 1, 2, 3, 4, 5, 6]]


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
        until(page, "window.widths?.length && canvas.width > 0.85 * canvas.clientWidth")
        assert page.evaluate("widths[0] < 0.5 * canvas.width")


def test_a_picture_of_the_server_is_seen_until_the_page_has_one(chromium, studio):
    with page_of(chromium, studio) as page:
        waiting = []
        page.route("**/lib/packet.js", lambda route: waiting.append(route))
        page.goto(f"{studio.url}/scenes/{studio.add(slider())}/", wait_until="commit")
        seen = """() => {
          const one = document.getElementById("first-picture");
          if (!one) return false;
          const { width, height } = document.getElementById("canvas").getBoundingClientRect();
          const box = one.getBoundingClientRect();
          return one.complete && one.naturalWidth > 0 && box.width === width && box.height === height;
        }"""
        until(page, seen)
        assert not page.evaluate("Boolean(window.pirouette)")
        for route in waiting:
            route.continue_()
        until(page, "window.pirouette && !document.getElementById('first-picture')")
        assert page.evaluate("pirouette.viewport.header.frame") == 0


# The picture at rest, each of whose passes is drawn in so many bands, and how many times it was drawn for that.
IN_BANDS = """async (bands) => {
  const { viewport } = pirouette;
  viewport.fine.bands = bands;
  viewport.fine.bandsFor = () => bands;
  let count = 0;
  const draw = viewport.drawPass;
  viewport.drawPass = function (...given) {
    count += 1;
    return draw.apply(this, given);
  };
  for (let tries = 0; tries < 20; tries += 1) {
    const { sides, screen } = viewport;
    for (const side of sides) {
      draw.call(viewport, side, 0, screen, 1);
      side.mean = screen.meanOf(0, screen.picture, side);
    }
    count = 0;
    const done = viewport.fine.begin(sides);
    const run = viewport.fine.run;
    await done;
    // Something else may have been drawn meanwhile.
    if (viewport.fine.run === run) break;
  }
  const { width, height } = viewport;
  const pixels = new Uint8Array(width * height * 4);
  const gl = viewport.renderer.getContext();
  gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
  delete viewport.drawPass;
  const sum = pixels.reduce((hash, value) => Math.imul(hash ^ value, 0x01000193), 0x811c9dc5);
  return [count, [new Set(pixels).size, sum]];
}"""


def test_a_pass_in_bands_is_the_same_picture_and_is_broken_off_between_them(editor):
    raw = document(figure(step("sphere", radius=120), step("displace", strength=20)), clock={"fps": 24, "frames": 8})
    raw["lights"][0]["settings"]["shadows"] = True
    page = editor(raw, fine=True)
    until(page, "!pirouette.viewport.isMoving && pirouette.store.state.held.size === 8")
    once, whole = page.evaluate(IN_BANDS, 1)
    often, banded = page.evaluate(IN_BANDS, 5)
    assert often == 5 * once > 30
    assert whole[0] > 50
    assert banded == whole
    begun = """(async () => {
      const { viewport } = pirouette;
      viewport.fine.bands = 8;
      viewport.fine.bandsFor = () => 8;
      let count = 0;
      const draw = viewport.drawPass;
      viewport.drawPass = function (...given) {
        count += 1;
        if (count === 3) viewport.fine.stop();
        return draw.apply(this, given);
      };
      const { sides, screen } = viewport;
      for (const side of sides) {
        draw.call(viewport, side, 0, screen, 1);
        side.mean = screen.meanOf(0, screen.picture, side);
      }
      await viewport.fine.begin(sides);
      delete viewport.drawPass;
      return count;
    })()"""
    assert page.evaluate(begun) == 3


def test_while_a_value_is_held_still_nothing_is_drawn_again(editor):
    page = editor(slider(FRAMES), fine=True)
    until(page, f"pirouette.store.state.held.size === {FRAMES} && !pirouette.viewport.isMoving")
    page.evaluate(
        """() => {
          const { store, viewport } = pirouette;
          window.drawn = 0;
          store.gesture = "move";
          store.on("drawn", () => (window.drawn += 1));
          store.setValue("/figures/0/routine/0/settings/width", 50, { gesture: "move" });
        }"""
    )
    until(page, "window.drawn")
    page.saved()
    page.evaluate("window.drawn = 0")
    page.wait_for_timeout(900)
    assert page.evaluate("window.drawn") == 0
    page.evaluate("pirouette.store.gesture = null; pirouette.store.emit('gesture-end')")
    until(page, "window.drawn")


def test_where_a_picture_at_rest_takes_long_a_coarse_one_is_there_until_it_has_come(editor):
    page = editor(slider(FRAMES), fine=True)
    until(page, f"pirouette.store.state.held.size === {FRAMES} && !pirouette.viewport.isMoving")
    widths = page.evaluate(
        """async () => {
          const { store, viewport } = pirouette;
          const { canvas, fine } = viewport;
          await new Promise((resolve) => setTimeout(resolve, 3000));
          Object.assign(fine, { bands: 4, bandsFor: () => 4 });
          const [wanted] = viewport.fineSize;
          const seen = [["before", viewport.width, canvas.width]];
          const draw = viewport.drawPass.bind(viewport);
          viewport.drawPass = (...given) => (seen.push(["pass", viewport.width, canvas.width]), draw(...given));
          store.on("drawn", () => seen.push(["drawn", viewport.width, canvas.width]));
          const compose = viewport.compose.bind(viewport);
          viewport.compose = (side, picture) => (seen.push(["shown", picture.width]), compose(side, picture));
          store.seek(3);
          while (seen.length < 12) await new Promise(requestAnimationFrame);
          return seen.map(([what, drawn, shown]) => [what, drawn === wanted, shown === wanted]);
        }"""
    )
    assert widths[0] == ["before", True, True]
    # What the canvas shows is gone once its size is another.
    assert widths[1:4] == [["pass", False, True], ["shown", False, False], ["drawn", False, False]]
    assert widths[4:9] == [*[["pass", True, False]] * 4, ["shown", True, False]]
    assert widths[9:] == [["pass", True, True]] * len(widths[9:])
