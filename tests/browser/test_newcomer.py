"""A newcomer's way from the list to a changed, playing, rendered loop of one's own, each action counted."""

from contextlib import contextmanager

import pytest

from tests.browser.conftest import boxes, page_of, stay_coarse, until

pytestmark = pytest.mark.browser
MOST = 20


class Counted:
    """A page of which each press, each typed word and each drag counts as one action."""

    def __init__(self, page):
        self.page = page
        self.actions = 0

    def press(self, *keys):
        for key in keys:
            self.page.keyboard.press(key)
            self.actions += 1

    def type(self, text):
        self.page.keyboard.type(text)
        self.actions += 1

    def click(self, *found, **more):
        self.page.get_by_role(*found, **more).first.click()
        self.actions += 1

    def choose(self, label, index):
        self.page.get_by_label(label, exact=True).select_option(index=index)
        self.actions += 1

    def drag(self, selector, right):
        [box] = boxes(self.page, selector)
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + right, y, steps=6)
        self.page.mouse.up()
        self.actions += 1

    def wait(self, expression):
        return until(self.page, expression)


@contextmanager
def listed(chromium, studio):
    """The list of scenes, whose pictures are not drawn: they are drawn before anybody comes."""
    with page_of(chromium, studio) as page:
        page.route("**/thumbnail.png*", lambda route: route.fulfill(status=404))
        page.goto(studio.url)
        yield Counted(page)


def arrived(counted):
    counted.page.wait_for_url("**/scenes/*/")
    counted.wait("window.pirouette && pirouette.viewport.header")
    stay_coarse(counted.page)


PLAYED = "pirouette.store.state.playing && pirouette.store.state.frame > 3"


def test_by_the_mouse(chromium, studio):
    with listed(chromium, studio) as counted:
        page = counted.page
        counted.click("button", name="Waving tiles")
        arrived(counted)
        before = page.evaluate("pirouette.store.document.figures[0].routine[1].settings.columns")
        counted.drag('.recipe [data-pointer="/figures/0/routine/1/settings/columns"].value', 60)
        counted.wait(f"pirouette.store.document.figures[0].routine[1].settings.columns > {before}")
        counted.click("button", name="Play")
        counted.wait(PLAYED)
        counted.click("button", name="Pause")
        counted.click("button", name="Render")
        counted.choose("Size", 1)
        counted.choose("Samples", 0)
        # The whole loop renders alike; nobody waits for it here.
        page.get_by_label("To frame").fill("15")
        page.locator("#render-dialog [type=submit]").click()
        counted.actions += 1
        counted.wait("document.querySelector('.jobs a[href]')")
        with page.expect_download() as loop:
            page.locator(".jobs a[href]").first.click()
            counted.actions += 1
        assert loop.value.suggested_filename.endswith(".mp4")
        assert loop.value.path().stat().st_size > 5_000
        assert counted.actions <= MOST // 2


def test_by_the_keyboard(chromium, studio):
    with listed(chromium, studio) as counted:
        page = counted.page
        while not page.evaluate("document.activeElement.matches('.start')"):
            counted.press("Tab")
        counted.press("Enter")
        arrived(counted)
        before = page.evaluate("pirouette.store.document.figures[0].routine[1].settings.columns")
        counted.press("/")
        counted.type("columns")
        counted.press("Enter")
        counted.wait("document.activeElement.getAttribute('aria-label') === 'columns'")
        counted.press("ArrowUp")
        counted.wait(f"pirouette.store.document.figures[0].routine[1].settings.columns > {before}")
        counted.press("Space")
        counted.wait(PLAYED)
        counted.press("Space", "r")
        counted.wait("document.getElementById('render-dialog').open")
        # What renders it is chosen already.
        counted.press("Enter")
        job = "[...document.querySelectorAll('.jobs li')][0]"
        counted.wait(f"/[1-9]\\d* of 96/.test({job}?.textContent ?? '')")
        assert counted.actions <= MOST
        # Nobody waits for the rest of it here.
        page.locator(".jobs button").first.click()
