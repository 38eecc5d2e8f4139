"""Writing formulas in the real page: what is refused, what is being typed, names that are offered."""

import pytest

from tests.browser.conftest import until, wait_for_lane
from tests.browser.test_editor import ANGLE, ball, settings
from tests.scenes import document, figure, formula, step

pytestmark = pytest.mark.browser


def test_a_wrong_formula_is_told_at_its_character(editor):
    page = editor(ball(step("twist", angle=formula("10 * turn"))))
    page.get_by_role("button", name="All settings of twist").click()
    text = page.get_by_label("angle formula")
    text.fill("10 * trun")
    text.press("Enter")
    page.locator("#problem", has_text="“trun” is not a name").wait_for()
    assert "at character 6" in page.locator("#problem").inner_text()
    assert settings(page.saved(), 1)["angle"]["text"] == "10 * turn"
    # What was refused can be mended, or left.
    until(page, "document.querySelector('textarea.formula').ariaInvalid === 'true'")
    assert text.input_value() == "10 * trun"
    text.press("End")
    for _ in range(3):
        text.press("Backspace")
    text.press_sequentially("urn")
    text.press("Enter")
    until(page, "document.querySelector('textarea.formula').ariaInvalid === 'false'")
    assert settings(page.saved(), 1)["angle"]["text"] == "10 * turn"
    text.fill("20 * turn(")
    text.press("Enter")
    until(page, "document.querySelector('textarea.formula').ariaInvalid === 'true'")
    text.press("Escape")
    assert text.input_value() == "10 * turn"
    until(page, "document.querySelector('textarea.formula').ariaInvalid === 'false'")


def test_what_is_being_typed_stays_while_the_page_hears_of_something_new(editor):
    page = editor(ball(step("twist", angle=formula("10 * turn"))))
    page.get_by_role("button", name="All settings of twist").click()
    wait_for_lane(page, ANGLE)
    text = page.get_by_label("angle formula")
    text.press("End")
    text.press_sequentially(" + 5")
    page.evaluate("pirouette.store.setValue('/figures/0/routine/1/settings/axis', 'x')")
    page.saved()
    page.evaluate("pirouette.store.set({ lanes: [...pirouette.store.state.lanes] })")
    assert page.evaluate("document.activeElement.value") == "10 * turn + 5"
    text.press_sequentially("0")
    text.press("Tab")
    until(page, f"pirouette.store.valueAt('{ANGLE}').text === '10 * turn + 50'")
    # What came meanwhile is shown, and the focus went on.
    assert page.locator("#details").get_by_label("axis").input_value() == "x"
    until(page, "document.activeElement.closest('#details') !== null && document.activeElement.tagName !== 'TEXTAREA'")


def test_formulas_are_completed_and_values_picked_from_the_page(editor):
    raw = document(
        figure(step("sphere", radius=30), step("twist", angle=25), name="Ball"),
        figure(step("box", width=formula("1 + 1")), name="Reader"),
    )
    page = editor(raw)
    page.evaluate("pirouette.store.set({ open: '/figures/1/routine/0' })")
    text = page.get_by_label("width formula")
    text.fill("")
    text.press_sequentially("2 * wa")
    page.locator(".offers li", has_text="wave").wait_for()
    text.press("Enter")
    assert text.input_value() == "2 * wave("
    text.press_sequentially("turn) + {ball ang")
    page.locator(".offers li", has_text="Ball.twist.angle").wait_for()
    text.press("Tab")
    assert text.input_value() == "2 * wave(turn) + {Ball.twist.angle}"
    text.press_sequentially(" + ")
    page.locator(".with-offers").get_by_role("button", name="Pick a value").click()
    page.evaluate("pirouette.store.select('figures', 'ball')")
    page.locator('.recipe [data-pointer="/figures/0/routine/0/settings/radius"]').click()
    until(
        page,
        "(pirouette.store.valueAt('/figures/1/routine/0/settings/width').text ?? '').endsWith('{Ball.sphere.radius}')",
    )
    width = page.evaluate("pirouette.viewport.header.drawables.at(-1)")
    until(page, "Math.abs(pirouette.viewport.header.drawables.at(-1).high[0] * 2 - 55) < 0.01")
    assert width
    saved = page.saved()["figures"][1]["routine"][0]["settings"]["width"]["text"]
    assert saved == "2 * wave(turn) + {Ball.twist.angle} + {Ball.sphere.radius}"
