"""What has a past, in the real page: nothing stale is ever shown, and who waits is told for what."""

import base64
import re

import numpy as np
import pytest

from pirouette.document import read_scene
from pirouette.evaluate import Memo, evaluate
from pirouette.formats.packet import decode_packet, encode_packet
from tests.scenes import document, figure, force, look, pushed, step, swing

from .conftest import until

pytestmark = pytest.mark.browser


def moving(*routine, name):
    return figure(*routine, looks=[look("wire"), look("dots")], name=name, place={"position": [swing(0, 60), 0, 0]})


def all_that_moves():
    gust = force("gust", strength=150, churn=2)
    raw = document(
        moving(step("sphere"), pushed("swarm", gust, count=60, life=12), step("trail", frames=6), name="Seeds"),
        moving(step("sphere"), pushed("strands", gust, count=12, parts=8), name="Reeds"),
        moving(step("box", parts=3), pushed("jiggle"), name="Jelly"),
        moving(step("sphere", rings=8, segments=12), step("smear"), name="Comet"),
    )
    raw["clock"] = {"frames": 24, "fps": 24}
    return raw


DRAWN = """() => {
  const { header, buffers } = pirouette.viewport;
  const bytes = (array) => {
    const view = new Uint8Array(array.buffer, array.byteOffset, array.byteLength);
    let text = "";
    for (const byte of view) text += String.fromCharCode(byte);
    return btoa(text);
  };
  return {
    frame: header.frame,
    drawn: header.drawables.map(({ figure, points, matrices }) =>
      [figure, bytes(buffers.get(points)), bytes(buffers.get(matrices))]),
  };
}"""


def drawn(page):
    """What the view has drawn last: its frame, and the bytes of every figure's points and places."""
    until(page, "pirouette.viewport.header?.frame === pirouette.store.state.frame && !pirouette.store.sending")
    found = page.evaluate(DRAWN)
    return found["frame"], [
        (name, base64.b64decode(points), base64.b64decode(places)) for name, points, places in found["drawn"]
    ]


def computed(raw, frame):
    """The same of a frame that nothing was remembered for."""
    header, buffers = decode_packet(encode_packet(evaluate(read_scene(raw), frame, purpose="view", memo=Memo())))
    return [
        (one["figure"], *(np.ascontiguousarray(buffers[one[part]]).tobytes() for part in ("points", "matrices")))
        for one in header["drawables"]
    ]


def assert_fresh(page):
    frame, found = drawn(page)
    wanted = computed(page.saved(), frame)
    assert [name for name, *_ in found] == [name for name, *_ in wanted]
    for (name, *seen), (_, *right) in zip(found, wanted, strict=True):
        assert seen == right, f"{name} at frame {frame}"


def test_nothing_stale_is_shown_first_or_after_a_jump_or_an_edit_while_it_plays(editor):
    page = editor(all_that_moves())
    assert_fresh(page)
    for frame in (17, 3):
        page.evaluate("(frame) => pirouette.store.seek(frame)", frame)
        assert_fresh(page)
    until(page, "pirouette.store.state.held.size === 24")
    page.evaluate("pirouette.store.set({ playing: true })")
    for index, path, value in (
        (0, "routine/1/forces/0/settings/strength", 60),
        (1, "routine/1/settings/swings", 2.5),
        (2, "routine/1/settings/swings", 4),
        (3, "place/position", [swing(0, 20), 5, 0]),
    ):
        page.evaluate(
            "([pointer, value]) => pirouette.store.setValue(pointer, value)", [f"/figures/{index}/{path}", value]
        )
        page.wait_for_timeout(150)
    page.evaluate("pirouette.store.set({ playing: false })")
    until(page, "!pirouette.store.sending && !pirouette.store.hasUnsaved")
    for frame in (None, 11, 0):
        if frame is not None:
            page.evaluate("(frame) => pirouette.store.seek(frame)", frame)
        assert_fresh(page)


def test_who_waits_for_what_settles_is_told_how_far_it_is_and_sees_the_last_picture(editor):
    raw = document(moving(step("sphere"), pushed("strands", force("gust"), count=400, parts=48), name="Mane"))
    raw["clock"] = {"frames": 48, "fps": 24}
    page = editor(raw)
    until(page, "pirouette.store.state.held.size > 0")
    page.evaluate(
        """() => {
          window.told = [];
          new MutationObserver(() => told.push([document.getElementById("progress").textContent,
            pirouette.viewport.header.frame, document.querySelector(".ring-progress").getAttribute("d")]))
            .observe(document.getElementById("progress"), { childList: true, attributes: true });
        }"""
    )
    page.evaluate("pirouette.store.setValue('/figures/0/routine/1/forces/0/settings/strength', 33)")
    until(page, "!pirouette.store.state.saving && pirouette.store.state.held.has(0)")
    told = [one for one in page.evaluate("told") if one[2]]
    assert told
    for words, frame, _ in told:
        assert re.fullmatch(r"Mane: strands (settling|moving on), \d+ of \d+", words), words
        assert frame == 0
    until(page, "document.getElementById('progress').hidden")
    until(page, "pirouette.store.state.settled?.[0]?.[0] === 0")
    assert page.locator(".ring-settled").get_attribute("d")
    assert not page.locator(".ring-progress").get_attribute("d")
