"""Judging in the real page: onion skins, earlier states beside the scene as it is, and looking from elsewhere."""

import io

import numpy as np
import pytest
from PIL import Image

from tests.browser.conftest import boxes, until
from tests.browser.test_handles import drag
from tests.scenes import clause, document, field, figure, keyed, look, step, swing

pytestmark = pytest.mark.browser
WIDTH = "/figures/0/routine/0/settings/width"
# How many points of the view have the greenish tint of ghosts, left and right of the middle.
TINTED = """() => {
  const { renderer, width, height, screen } = pirouette.viewport;
  pirouette.viewport.render();
  const gl = renderer.getContext();
  const pixels = new Uint8Array(width * height * 4);
  gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
  const found = [0, 0];
  for (let k = 0; k < pixels.length; k += 4) {
    if (pixels[k + 1] > pixels[k] + 12 && pixels[k + 1] > 40) found[(k / 4) % width < width / 2 ? 0 : 1] += 1;
  }
  return found;
}"""
# The mean red of the shown picture left and right of the middle, and blue.
COLOURS = """() => {
  const { renderer, width, height } = pirouette.viewport;
  pirouette.viewport.render();
  const gl = renderer.getContext();
  const pixels = new Uint8Array(width * height * 4);
  gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, pixels);
  const at = (x, c) => pixels[(Math.floor(height / 2) * width + Math.floor(x * width)) * 4 + c];
  return [at(0.45, 0), at(0.45, 2), at(0.55, 0), at(0.55, 2)];
}"""


def slider(frames=96):
    """A grey crate that goes from the left to the right and back."""
    place = {"position": [keyed((0, -150), (frames // 2, 150), (frames, -150)), 0, 0]}
    raw = document(
        figure(step("box", width=30, height=30, depth=30), looks=[look("surface", colour="#808080")], place=place)
    )
    clock = {"fps": 24, "frames": frames, "loops": True}
    return {**raw, "clock": clock, "frame": {"background": "solid", "colour": "#000000"}}


def wall(colour="#ff0000"):
    raw = document(
        figure(
            step("plane", width=900, height=600), looks=[look("surface", colour="#000000", glow_colour=colour, glow=1)]
        )
    )
    return {**raw, "lights": []}


def test_the_view_is_drawn_anew_only_for_frames_around_the_shown_one(editor):
    page = editor(slider(), fine=True)
    page.keyboard.press("g")
    until(page, "pirouette.store.state.held.size === 96")
    until(page, "!pirouette.viewport.ghosts.isStale(pirouette.store)")
    # Whether the view is to be drawn anew when a frame is no longer held.
    lose = """(frame) => {
      const { store, viewport, playback } = pirouette;
      cancelAnimationFrame(viewport.waiting);
      viewport.waiting = null;
      playback.headers.delete(frame);
      store.set({ held: new Set(playback.headers.keys()) });
      return viewport.waiting !== null;
    }"""
    assert page.evaluate(lose, 60) is False
    assert page.evaluate(lose, page.evaluate("pirouette.viewport.ghosts.drawn[0].frame")) is True


def test_onion_skins_show_the_frames_around_and_only_of_what_is_selected(editor):
    page = editor(slider(), fine=True)
    until(page, "pirouette.store.state.held.size === 96")
    page.evaluate("pirouette.store.seek(24)")
    assert page.evaluate(TINTED) == [0, 0]
    page.keyboard.press("g")
    left, right = page.evaluate(TINTED)
    assert left > 20
    assert right > 20
    page.get_by_label("Onion skins each way").fill("1")
    page.get_by_label("Onion skins frames apart").fill("20")
    page.keyboard.press("Tab")
    assert page.evaluate("pirouette.store.state.onion") == {"on": True, "each": 1, "apart": 20}
    assert min(page.evaluate(TINTED)) > 20
    # Beyond what is allowed is brought back to it; at the turn of the way both ghosts lie on one side.
    page.evaluate("pirouette.store.seek(48)")
    left, right = page.evaluate(TINTED)
    assert left == 0 < right
    page.get_by_label("Onion skins each way").fill("99")
    page.keyboard.press("Tab")
    assert page.evaluate("pirouette.store.state.onion.each") == 8
    page.evaluate("pirouette.store.set({ playing: true })")
    page.evaluate("pirouette.store.set({ playing: false })")
    page.get_by_role("button", name="Onion skins").click()
    assert page.evaluate(TINTED) == [0, 0]


def test_an_earlier_state_is_seen_beside_the_scene_and_gone_back_to(editor):
    page = editor(wall(), fine=True)
    glow = "/figures/0/looks/0/settings/glow_colour"
    page.evaluate(f"pirouette.store.setValue('{glow}', '#0000ff')")
    page.saved()
    page.locator("#saved").click()
    row = page.locator(".states li").nth(1)
    assert row.locator(".state-words").inner_text() == "As it began"
    assert page.locator(".states li").nth(0).inner_text().replace("\n", " ").endswith("is now")
    assert "surface · glow colour: #ff0000 → #0000ff" in page.locator(".states li").nth(0).inner_text()
    row.get_by_role("button", name="Compare").click()
    until(page, "pirouette.viewport.thenHeader")
    red, blue = slice(0, None, 2), slice(1, None, 2)
    then = page.evaluate(COLOURS)
    assert min(then[red]) > 200 > 60 > max(then[blue])
    page.keyboard.press("b")
    now = page.evaluate(COLOURS)
    assert min(now[blue]) > 200 > 60 > max(now[red])
    page.get_by_role("button", name="Both").click()
    both = page.evaluate(COLOURS)
    assert both[0] > 200
    assert both[3] > 200
    assert max(both[1], both[2]) < 60
    page.get_by_role("slider", name="Wipe between then and now").press("ArrowLeft")
    page.get_by_role("slider", name="Wipe between then and now").press("ArrowLeft")
    until(page, "Math.abs(pirouette.store.state.wipe - 0.4) < 1e-9")
    assert page.evaluate(COLOURS)[1] > 200
    page.get_by_role("button", name="Then").click()
    # Who edits sees what they edit.
    page.evaluate("pirouette.store.setValue('/figures/0/routine/0/settings/width', 800)")
    until(page, "pirouette.store.state.side === 'now'")
    page.locator("#compare").get_by_role("button", name="Go to it").click()
    until(page, f"pirouette.store.valueAt('{glow}') === '#ff0000'")
    assert page.saved()["figures"][0]["routine"][0]["settings"]["width"] == 900
    assert page.locator("#compare").is_hidden()
    page.keyboard.press("Control+z")
    until(page, f"pirouette.store.valueAt('{glow}') === '#0000ff'")


def narrowed(editor):
    """A page in which a scene is seen beside what it was before its figure became narrower."""
    page = editor(slider(), fine=True)
    page.evaluate(f"pirouette.store.setValue('{WIDTH}', 60)")
    page.saved()
    page.keyboard.press("b")
    page.locator(".states li").nth(1).get_by_role("button", name="Compare").click()
    page.get_by_role("button", name="Both").click()
    return page


def test_both_states_play_side_by_side(editor):
    page = narrowed(editor)
    until(page, "pirouette.playback.then.headers.size === 96 && pirouette.store.state.held.size === 96")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press(" ")
    until(page, "pirouette.playback.shown > 5")
    page.keyboard.press(" ")
    assert page.evaluate("pirouette.viewport.thenHeader.frame === pirouette.viewport.header.frame")
    wide, narrow = page.evaluate(
        "[pirouette.viewport.header, pirouette.viewport.thenHeader].map((one) => one.drawables[0].high[0])"
    )
    assert (wide, narrow) == pytest.approx((30, 15))
    page.get_by_role("button", name="End comparing").click()
    until(page, "pirouette.playback.then === null")


def test_both_states_are_there_when_they_are_drawn_in_bands(editor):
    """Bands are drawn over several refreshes of the screen, which leave nothing of one half but what comes after."""
    page = narrowed(editor)
    until(page, "pirouette.viewport.thenHeader && pirouette.viewport.isAtRest && pirouette.viewport.sides.length === 2")
    page.evaluate(
        "async () => { const { fine, sides } = pirouette.viewport; fine.stop();"
        " Object.assign(fine, { bands: 5, bandsFor: () => 5 }); await fine.begin(sides); }"
    )
    page.wait_for_timeout(200)
    assert page.evaluate("pirouette.viewport.fine.isDone")
    shown = np.asarray(Image.open(io.BytesIO(page.locator("#canvas").screenshot())).convert("RGB"), float)
    high, wide = shown.shape[:2]
    # The scene's ground is nearly black, and in both halves; what is lost shows the page's, which is not.
    left, right = shown[high // 4, wide // 4], shown[high // 4, -wide // 4]
    assert left == pytest.approx(right, abs=2)
    assert left.max() < 15


def test_the_camera_is_moved_from_elsewhere_and_put_where_one_looks_from(editor):
    page = editor(slider(), fine=True)
    page.keyboard.press("Shift+C")
    assert "The view is the camera's own already" in page.locator("#problem-words").inner_text()
    page.evaluate("pirouette.store.set({ open: '/cameras/0', problem: null })")
    page.locator('[data-handle="move target x"]').first.wait_for(state="attached")
    assert page.locator('[data-handle="move x"]').count() == 0
    [box] = boxes(page, "#canvas")
    page.mouse.move(box["x"] + 300, box["y"] + 400)
    for _ in range(3):
        page.mouse.wheel(0, 600)
    page.mouse.down()
    page.mouse.move(box["x"] + 180, box["y"] + 380, steps=3)
    page.mouse.up()
    drag(page, "move y", 0, -60)
    camera = page.saved()["cameras"][0]["settings"]
    assert camera["position"][1] > 5
    assert camera["position"][0] == 0
    eye, pivot = page.evaluate("[pirouette.viewport.free.position, pirouette.viewport.free.pivot]")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Shift+C")
    until(page, "!pirouette.store.state.free")
    camera = page.saved()["cameras"][0]["settings"]
    assert camera["position"] == pytest.approx(eye, abs=0.01)
    assert camera["target"] == pytest.approx(pivot, abs=0.01)
    page.keyboard.press("Control+z")
    assert page.saved()["cameras"][0]["settings"]["position"][0] == 0


def test_what_has_no_effect_is_told_beside_its_thing_and_counted_on_the_tabs(editor):
    raw = slider()
    raw["guides"] = [{"id": "hub", "name": "Hub", "place": {}}]
    raw["cameras"][0]["settings"] = {"follows": "hub", "lag": 6}
    raw["fields"] = [field("Idle", clause("region"))]
    page = editor(raw, fine=True)
    until(page, "pirouette.store.state.notes.length === 2")
    assert page.locator("#tab-space .note-count").inner_text() == "1"
    assert page.locator("#tab-fields .note-count").inner_text() == "1"
    assert page.locator("#tab-finish .note-count").count() == 0
    page.locator("#tab-space").click()
    assert "Camera 1 · place: it lags 6 frames behind “Hub”" in page.locator("#panel-space .note").inner_text()
    page.evaluate("pirouette.store.setValue('/cameras/0/settings/lag', 0)")
    until(page, "!document.querySelector('#panel-space .note')")
    assert page.locator("#tab-space .note-count").count() == 0


def test_a_render_is_asked_for_in_any_format_with_its_options(editor, studio):
    page = editor(document(figure(step("box")), frame={"width": 64, "height": 36}))
    page.keyboard.press("r")
    dialog = page.locator("#render-dialog")
    assert dialog.get_by_label("Frames").is_disabled()
    dialog.get_by_label("Quality").select_option("small")
    dialog.get_by_label("As").select_option("exr")
    dialog.get_by_label("Frames").select_option("this")
    assert dialog.get_by_label("From frame").is_disabled()
    dialog.get_by_label("depth").check()
    dialog.locator("button[type=submit]").click()
    until(page, "document.querySelector('.job[data-state=done]')")
    assert "OpenEXR" in dialog.locator(".job").first.inner_text()
    (job,) = studio.get(f"/api/scenes/{page.scene_id}/renders")
    assert job["total"] == 1
    with page.expect_download() as download:
        dialog.get_by_role("link", name="Download").click()
    assert download.value.suggested_filename.endswith(".exr")


def test_what_jumps_at_the_seam_can_be_said_to_be_meant_so(editor):
    slab = figure(step("box", width=20), place={"position": [keyed((0, -300), (96, 300)), 0, 0]}, name="Slab")
    page = editor(document(slab), fine=True)
    until(page, "pirouette.store.state.seam?.state === 'open'")
    page.locator("#seam").click()
    page.locator("#seam-list li", has_text="Slab · shape").get_by_role("button", name="Meant so").click()
    until(page, "pirouette.store.state.seam?.state === 'closed'")
    assert page.saved()["meant"] == [{"thing": "figures/slab", "what": "shape"}]
    page.locator("#seam-list").get_by_role("button", name="Count it again").click()
    until(page, "pirouette.store.state.seam?.state === 'open'")
    assert page.saved()["meant"] == []


def test_the_view_is_shaded_by_what_copies_carry(editor):
    spring = figure(
        step("box", width=40),
        step("row", count=3),
        step("stagger", place=[0, swing(0, 90), 0]),
        step("lag"),
        name="Row",
    )
    page = editor(document(spring), fine=True)
    page.keyboard.press("/")
    page.keyboard.type("shade by speed")
    page.keyboard.press("Enter")
    until(page, "pirouette.viewport.header.drawables[0].reach")
    assert page.locator("#chip-reach").inner_text() == "Shaded by speed"
    page.keyboard.press("/")
    page.keyboard.type("shade by life")
    page.keyboard.press("Enter")
    until(page, "document.querySelector('#chip-reach').textContent === 'Nothing carries life'")
    page.locator("#chip-reach").click()
    until(page, "!pirouette.store.state.reach && document.querySelector('#chip-reach').hidden")
