"""Proofs: pictures of the real renderer that become finer while one looks."""

import json

import pytest

from tests.browser.conftest import boxes, until
from tests.scenes import document, figure, step

pytestmark = pytest.mark.browser
WORDS = ".proof-words span"
FINEST = 12


@pytest.fixture
def page_with_ball(editor):
    return editor(document(figure(step("sphere", radius=60), name="Ball")))


def hold(page, samples=FINEST) -> tuple[list, list]:
    """Keep back the answers of a proof's pictures of so many samples.

    Returns what was asked for, and those of it that are kept back, both filled as they come.
    """
    asked, held = [], []

    def take(route):
        asked.append(json.loads(route.request.post_data))
        if asked[-1]["samples"] == samples:
            held.append(route)
        else:
            route.continue_()

    page.route("**/proof", take)
    return asked, held


def held_before_fine(page) -> tuple[list, list]:
    """Begin a proof whose last picture is kept back; see hold."""
    asked, held = hold(page)
    page.locator("#proof").click()
    until(page, f"document.querySelector('{WORDS}')?.textContent.includes('fine in about')")
    while not held:
        page.wait_for_timeout(20)
    return asked, held


def width_of(page):
    return page.evaluate("document.querySelector('.proof-picture')?.naturalWidth ?? 0")


def test_a_proof_shows_the_rendered_frame_with_a_wipe(page_with_ball):
    page = page_with_ball
    page.locator("#canvas").focus()
    page.keyboard.press("p")
    until(page, f"/Proof of frame 0, [0-9]/.test(document.querySelector('{WORDS}')?.textContent)")
    until(page, "document.querySelector('.proof-picture').naturalWidth > 400")
    bar = page.get_by_role("slider", name="Wipe between the view and the proof")
    bar.press("ArrowRight")
    assert bar.get_attribute("aria-valuenow") == "5"
    assert page.get_by_role("button", name="Stop", exact=True).is_hidden()
    page.get_by_role("button", name="Close the proof").click()
    assert page.locator("#proof-layer").is_hidden()


def test_a_proof_becomes_finer_tells_its_time_and_is_stopped(page_with_ball):
    page = page_with_ball
    asked, _ = held_before_fine(page)
    # The bar is held while finer pictures come.
    bar = page.get_by_role("slider", name="Wipe between the view and the proof").element_handle()
    widths = [one["width"] for one in asked]
    assert len(set(widths)) == 3
    assert widths == sorted(widths)
    until(page, f"document.querySelector('.proof-picture').naturalWidth === {widths[-1]}")
    page.get_by_role("button", name="Stop", exact=True).click()
    until(page, f"document.querySelector('{WORDS}').textContent.includes('stopped before it was fine')")
    assert width_of(page) == widths[-1]
    assert page.locator("#proof").inner_text() == "Proof"
    assert page.evaluate("(bar) => bar.isConnected", bar)
    # Made again, Escape stops it first, and closes it then.
    page.locator("#proof").click()
    until(page, f"document.querySelector('{WORDS}')?.textContent.includes('fine in about')")
    page.keyboard.press("Escape")
    assert page.locator(WORDS).inner_text().endswith("stopped before it was fine")
    assert page.locator(".proof-strip button").count() == 2
    page.keyboard.press("Escape")
    assert page.locator("#proof-layer").is_hidden()


def test_a_proof_of_what_is_changed_meanwhile_does_not_come_back(page_with_ball):
    page = page_with_ball
    _, held = held_before_fine(page)
    page.evaluate("pirouette.store.setValue('/figures/0/routine/0/settings/radius', 80)")
    assert page.locator("#proof-layer").is_hidden()
    for route in held:
        route.continue_()
    page.saved()
    page.wait_for_timeout(500)
    assert page.locator("#proof-layer").is_hidden()
    assert page.locator("#proof").inner_text() == "Proof"


def told_of(page):
    """The body of the proof that is asked for next."""
    asked = []
    page.route("**/proof", lambda route: (asked.append(json.loads(route.request.post_data)), route.continue_()))
    return asked


def test_a_proof_of_a_part_is_dragged_over_the_view(page_with_ball):
    page = page_with_ball
    asked = told_of(page)
    page.get_by_role("button", name="Proof of a part").click()
    [box] = boxes(page, ".proof-part")
    ends = (0.6, 0.7), (0.3, 0.4)
    at = [(box["x"] + box["width"] * right, box["y"] + box["height"] * down) for right, down in ends]
    page.mouse.move(*at[0])
    page.mouse.down()
    page.mouse.move(*at[1], steps=3)
    page.mouse.up()
    until(page, f"/a part of frame 0, [0-9]/.test(document.querySelector('{WORDS}')?.textContent)")
    left, top, right, bottom = asked[-1]["part"]
    assert right - left == pytest.approx(0.3 / page.evaluate("pirouette.viewport.frameBox()[2]"), abs=0.01)
    assert bottom - top == pytest.approx(0.3 / page.evaluate("pirouette.viewport.frameBox()[3]"), abs=0.01)
    assert all(one["part"] == asked[0]["part"] for one in asked)
    assert page.locator(".proof-part").count() == 0
    # A whole proof asks for no part.
    page.locator("#proof").click()
    until(page, f"document.querySelector('{WORDS}')?.textContent.startsWith('Proof of frame 0')")
    assert asked[-1]["part"] is None


def test_a_proof_of_a_part_by_keys_and_left_by_escape(page_with_ball):
    page = page_with_ball
    asked = told_of(page)
    page.locator("#canvas").focus()
    page.keyboard.press("y")
    page.keyboard.press("Escape")
    assert page.locator(".proof-part").count() == 0
    assert page.evaluate("document.activeElement.id") == "canvas"
    page.keyboard.press("y")
    for key in ("ArrowLeft", "ArrowLeft", "ArrowUp", "Shift+ArrowRight", "Shift+ArrowDown", "Enter"):
        page.keyboard.press(key)
    until(page, f"document.querySelector('{WORDS}')?.textContent.startsWith('Proof of a part')")
    assert asked[0]["part"] == pytest.approx([0.26, 0.28, 0.68, 0.7])
