"""Handles in the view by the keyboard alone: each does what dragging it does, and the focus stays with it."""

import pytest

from tests.browser.conftest import until
from tests.browser.test_handles import HUB, opened
from tests.scenes import clause, document, field, figure, step

pytestmark = pytest.mark.browser


def entered(page, handle):
    """Go from the view to its handles, and on to one of them."""
    page.locator(f'[data-handle="{handle}"]').wait_for(state="attached")
    page.locator("#canvas").focus()
    for _ in range(12):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.matches('.grip')"):
            break
    for _ in range(40):
        if focused(page) == handle:
            return
        page.keyboard.press("PageDown")
    raise AssertionError(f"no way to {handle}: at {focused(page)}")


def focused(page):
    return page.evaluate("document.activeElement?.dataset.handle ?? null")


def pressed(page, *keys):
    """Press keys, each once what was changed before is drawn."""
    for key in keys:
        page.keyboard.press(key)
        until(page, "!pirouette.store.sending && !pirouette.store.hasUnsaved")


def place_of(page):
    return page.saved()["guides"][0]["place"]


@pytest.mark.parametrize(
    ("handle", "part", "axis"),
    [("move x", "position", 0), ("move y", "position", 1), ("move z", "position", 2), ("turn y", "rotation", 1),
     ("scale x", "scale", 0)],
)  # fmt: skip
def test_each_handle_changes_its_value_and_back(editor, handle, part, axis):
    page = opened(editor, "/guides/0", guides=[HUB])
    entered(page, handle)
    before = {"position": [0, 0, 0], "rotation": [0, 0, 0], "scale": [1, 1, 1]}[part]
    pressed(page, "ArrowUp")
    coarse = place_of(page)[part]
    assert coarse[axis] > before[axis]
    assert [value for k, value in enumerate(coarse) if k != axis] == pytest.approx(before[:2] if axis else before[1:])
    pressed(page, "Shift+ArrowUp")
    fine = place_of(page)[part]
    assert 0 < fine[axis] - coarse[axis] < coarse[axis] - before[axis]
    # The focus is still there, and what was done is undone one press at a time.
    assert focused(page) == handle
    page.keyboard.press("Control+z")
    until(page, "!pirouette.store.sending")
    assert place_of(page)[part] == coarse
    pressed(page, "ArrowLeft")
    assert place_of(page)[part][axis] < coarse[axis]


def test_an_axis_that_points_at_the_eye_is_moved_too(editor):
    """There the pointer could not: it has no length in the view."""
    page = opened(editor, "/guides/0", guides=[HUB])
    entered(page, "move z")
    pressed(page, "ArrowRight", "ArrowRight")
    x, y, z = place_of(page)["position"]
    assert (x, y) == (0, 0)
    assert z > 2


def test_with_snap_a_press_is_a_whole_step(editor):
    page = opened(editor, "/guides/0", guides=[{**HUB, "place": {"position": [4, 0, 0], "scale": [1.5, 1, 1]}}])
    page.evaluate("pirouette.store.set({ snap: true })")
    entered(page, "move x")
    pressed(page, "ArrowRight", "ArrowRight")
    assert place_of(page)["position"][0] == 20
    entered(page, "turn z")
    pressed(page, "ArrowRight")
    assert abs(place_of(page)["rotation"][2]) == 15
    entered(page, "scale x")
    pressed(page, "ArrowRight")
    assert place_of(page)["scale"][0] == pytest.approx(1.6)


def test_what_lies_flat_in_the_view_is_moved_by_all_four_arrows(editor):
    page = opened(editor, "/guides/0", guides=[HUB])
    entered(page, "move")
    pressed(page, "ArrowRight", "ArrowUp")
    x, y, z = place_of(page)["position"]
    assert x == pytest.approx(y)
    assert x > 1
    assert z == 0


def test_points_of_a_curve_are_moved_added_and_given_handles(editor):
    nodes = [{"at": [-60, 0, 0]}, {"at": [60, 0, 0]}]
    page = opened(editor, "/figures/0/routine/0", figure(step("path", nodes=nodes)))
    entered(page, "point 2")
    pressed(page, "ArrowDown")
    there = page.saved()["figures"][0]["routine"][0]["settings"]["nodes"]
    assert there[0] == nodes[0]
    assert there[1]["at"][1] < 0
    entered(page, "add after 1")
    pressed(page, "Enter")
    assert len(page.saved()["figures"][0]["routine"][0]["settings"]["nodes"]) == 3
    entered(page, "point 2")
    pressed(page, "Enter")
    assert "leave" in page.saved()["figures"][0]["routine"][0]["settings"]["nodes"][1]
    assert focused(page) == "point 2"


def test_the_knobs_of_a_field_are_moved(editor):
    planes = field("Between", clause("between", start=-40, end=40))
    page = opened(editor, "/fields/0/clauses/0", fields=[planes])
    page.evaluate("pirouette.store.select('fields', 'between'); pirouette.store.set({ open: '/fields/0/clauses/0' })")
    entered(page, "end")
    pressed(page, "ArrowUp")
    settings = page.saved()["fields"][0]["clauses"][0]["settings"]
    assert settings["end"] > 40
    assert settings["start"] == -40


def test_the_keys_of_the_view_and_of_time_do_what_they_did(editor):
    page = opened(editor, "/guides/0", guides=[HUB])
    entered(page, "move x")
    before = focused(page)
    page.keyboard.press("PageUp")
    assert focused(page) != before
    page.keyboard.press(".")
    assert page.evaluate("pirouette.store.state.frame") == 1
    page.keyboard.press("Escape")
    assert page.evaluate("document.activeElement.id") == "canvas"
    # What was used last is what Tab leads to.
    entered(page, "turn x")
    page.keyboard.press("Escape")
    for _ in range(12):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.matches('.grip')"):
            break
    assert focused(page) == "turn x"


def test_the_dial_and_numbers_take_page_keys_and_say_their_ends(editor):
    page = editor(document(figure(step("box"))))
    page.locator("#dial-ring").focus()
    for key, frame in (("PageUp", 24), ("End", 95), ("ArrowLeft", 94), ("PageDown", 70), ("Home", 0)):
        page.keyboard.press(key)
        assert page.evaluate("pirouette.store.state.frame") == frame, key
    page = editor(document(figure(step("box"), step("grid", columns=3))))
    columns = page.get_by_role("spinbutton", name="columns")
    columns.focus()
    page.keyboard.press("ArrowUp")
    one = page.evaluate("pirouette.store.document.figures[0].routine[1].settings.columns") - 3
    page.keyboard.press("PageUp")
    assert page.evaluate("pirouette.store.document.figures[0].routine[1].settings.columns") == 3 + 11 * one
    assert columns.get_attribute("aria-valuemin") == "1"
