"""Proofs: pictures of the real renderer that become finer while one looks."""

import json

import pytest

from tests.browser.conftest import until
from tests.scenes import document, figure, step

pytestmark = pytest.mark.browser
WORDS = ".proof-words span"
FINEST = 12


@pytest.fixture
def page_with_ball(editor):
    return editor(document(figure(step("sphere", radius=60), name="Ball")))


def hold(page, samples=FINEST) -> list:
    """Keep back the answers of a proof's pictures of so many samples; returns them as they are asked for."""
    held = []

    def take(route):
        if json.loads(route.request.post_data)["samples"] == samples:
            held.append(route)
        else:
            route.continue_()

    page.route("**/proof", take)
    return held


def width_of(page):
    return page.evaluate("document.querySelector('.proof-picture')?.naturalWidth ?? 0")


def test_a_proof_shows_the_rendered_frame_with_a_wipe(page_with_ball):
    page = page_with_ball
    page.locator("#canvas").focus()
    page.keyboard.press("p")
    until(page, f"/Proof of frame 0, [0-9]/.test(document.querySelector('{WORDS}')?.textContent)")
    assert width_of(page) > 400
    bar = page.get_by_role("slider", name="Wipe between the view and the proof")
    bar.press("ArrowRight")
    assert bar.get_attribute("aria-valuenow") == "5"
    assert page.get_by_role("button", name="Stop", exact=True).is_hidden()
    page.get_by_role("button", name="Close the proof").click()
    assert page.locator("#proof-layer").is_hidden()


def test_a_proof_becomes_finer_tells_its_time_and_is_stopped(page_with_ball):
    page = page_with_ball
    held = hold(page)
    page.evaluate(
        """() => {
          const layer = document.getElementById("proof-layer");
          globalThis.widths = [];
          layer.addEventListener("load", ({ target }) => widths.push(target.naturalWidth ?? 0), true);
        }"""
    )
    page.locator("#proof").click()
    until(page, f"document.querySelector('{WORDS}')?.textContent.includes('fine in about')")
    while not held:
        page.wait_for_timeout(20)
    # The bar is held while finer pictures come.
    bar = page.get_by_role("slider", name="Wipe between the view and the proof").element_handle()
    until(page, "document.querySelector('.proof-picture').complete")
    widths = [width for width in page.evaluate("widths") if width]
    # The last pass but one is as wide as the last, of fewer samples.
    assert widths == sorted(widths)
    assert len(set(widths)) == 3
    page.get_by_role("button", name="Stop", exact=True).click()
    until(page, f"document.querySelector('{WORDS}').textContent.includes('stopped before it was fine')")
    assert width_of(page) == max(widths)
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
    held = hold(page)
    page.locator("#proof").click()
    until(page, f"document.querySelector('{WORDS}')?.textContent.includes('fine in about')")
    page.evaluate("pirouette.store.setValue('/figures/0/routine/0/settings/radius', 80)")
    assert page.locator("#proof-layer").is_hidden()
    for route in held:
        route.continue_()
    page.saved()
    page.wait_for_timeout(500)
    assert page.locator("#proof-layer").is_hidden()
    assert page.locator("#proof").inner_text() == "Proof"
