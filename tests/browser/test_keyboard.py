"""The work on time by the keyboard alone."""

import pytest

from tests.browser.conftest import until, wait_for_lane
from tests.browser.test_time import ANGLE, TURN, crate, keys
from tests.scenes import keyed, step

pytestmark = pytest.mark.browser


def tab_to(page, wanted, way="Tab"):
    """Go by the keyboard to what has an id, a mark for the focus, or a label."""
    for _ in range(160):
        page.keyboard.press(way)
        marks = page.evaluate(
            """() => {
              const one = document.activeElement;
              return [one.id, one.dataset.focus, one.getAttribute("aria-label"), one.textContent.trim()];
            }"""
        )
        if wanted in marks:
            return
    raise AssertionError(f"{wanted} is never reached by the keyboard")


def test_the_way_from_a_recorded_move_to_a_closed_seam_by_the_keyboard_alone(editor):
    page = editor(crate(0, step("twist", angle=0)))
    tab_to(page, "canvas")
    page.keyboard.press("Shift+K")
    for _ in range(24):
        page.keyboard.press(".")
    tab_to(page, ANGLE)
    for _ in range(3):
        page.keyboard.press("ArrowUp")
    page.keyboard.press("Shift+K")
    wait_for_lane(page, ANGLE)
    first, second = keys(page, ANGLE)
    assert (first[0], first[1], second[0]) == (0, 0, 24)
    assert second[1] > 0
    # The lane is opened, the first key gets handles, and one of them is moved with the arrow keys.
    tab_to(page, f"{ANGLE} open")
    page.keyboard.press("Enter")
    tab_to(page, f"{ANGLE} dot 0")
    page.keyboard.press("b")
    until(page, f"pirouette.store.valueAt('{ANGLE}').keys[0].leave?.[0] === 8")
    tab_to(page, f"{ANGLE} leave 0", "Shift+Tab")
    page.keyboard.press("ArrowRight")
    until(page, f"pirouette.store.valueAt('{ANGLE}').keys[0].leave[0] === 9")
    page.keyboard.press("ArrowUp")
    until(page, f"pirouette.store.valueAt('{ANGLE}').keys[0].leave[1] > 0")
    # A key is typed to another frame, all keys of the lane are chosen and made linear, and time is seen closer.
    tab_to(page, f"{ANGLE} dot 1")
    page.keyboard.press("Enter")
    until(page, "document.querySelector('.peg.picked').dataset.key === '1'")
    page.keyboard.press("Alt+ArrowRight")
    until(page, f"pirouette.store.valueAt('{ANGLE}').keys[1].frame === 34")
    page.keyboard.press("Control+a")
    page.keyboard.press("l")
    until(page, f"pirouette.store.valueAt('{ANGLE}').keys.every((key) => key.ease === 'linear' && !key.leave)")
    page.keyboard.press("+")
    page.keyboard.press("+")
    page.keyboard.press("+")
    assert page.get_by_role("button", name="Fit").is_visible()
    page.keyboard.press("Home")
    assert page.locator(".ruler span").first.inner_text() == "0"
    tab_to(page, "Fit", "Shift+Tab")
    page.keyboard.press("Enter")
    until(page, "document.querySelector('.ruler span:last-child').textContent === '96'")
    # The seam is open, and closed by its mend; then it plays.
    until(page, "pirouette.store.state.seam?.state === 'open'")
    tab_to(page, "seam")
    page.keyboard.press("Enter")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.state.seam?.state === 'closed'")
    until(page, "pirouette.store.state.held.size === 96", timeout=40)
    tab_to(page, "canvas")
    page.keyboard.press(" ")
    until(page, "pirouette.store.state.frame > 6")
    page.keyboard.press(" ")
    page.keyboard.press("Control+z")
    until(page, "pirouette.store.state.seam?.state === 'open'")
    page.saved()


def test_a_lane_is_keyed_and_copied_like_its_value(editor):
    page = editor(crate(keyed((0, 0), (48, 90))))
    wait_for_lane(page, TURN)
    page.evaluate("pirouette.store.seek(24)")
    tab_to(page, f"{TURN} lane")
    page.keyboard.press("k")
    until(page, f"pirouette.store.valueAt('{TURN}').keys.length === 3")
    assert keys(page, TURN)[1][0] == 24


def test_after_a_step_was_added_its_first_number_is_at_hand_and_space_plays(editor):
    page = editor(crate(0, step("twist")))
    page.get_by_role("button", name="step", exact=True).click()
    page.keyboard.type("bend")
    page.keyboard.press("Enter")
    until(page, "document.activeElement.dataset.pointer === '/figures/0/routine/2/settings/angle'")
    page.keyboard.type("45")
    page.keyboard.press("Enter")
    assert page.saved()["figures"][0]["routine"][2]["settings"] == {"angle": 45}
    page.keyboard.press("Space")
    assert page.evaluate("pirouette.store.state.playing") is True
