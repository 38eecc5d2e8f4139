"""The real page in two tabs, with everything going wrong by chance: what was typed is what is stored in the end.

PIROUETTE_FUZZ  how many times as long as usual to look for what is lost
"""

import os
import random
import time
from contextlib import suppress

import pytest
from playwright.sync_api import Error

from tests.browser.conftest import Studio, stay_coarse, until
from tests.browser.test_robust import make
from tests.scenes import document, figure, step

pytestmark = [pytest.mark.browser, pytest.mark.timeout(600)]
TIMES = int(os.environ.get("PIROUETTE_FUZZ", 1))
FIRST = int(os.environ.get("PIROUETTE_FUZZ_FIRST", 0))
VALUES = {name: f"/figures/0/routine/0/settings/{name}" for name in ("width", "height", "depth")}
STEPS = 5


class Tab:
    """A tab on the scene, and what was typed into it last."""

    def __init__(self, world, own):
        self.world, self.own = world, own
        self.page, self.faults, self.held = None, [], []
        self.open()

    def open(self):
        self.page = self.world.context.new_page()
        self.page.set_default_timeout(20_000)
        self.page.on("pageerror", lambda error: self.world.errors.append(str(error)))
        # It asks whether one wants to leave it with edits that are not saved.
        self.page.on("dialog", lambda dialog: dialog.accept())
        self.page.route("**/patch", self.answer)
        self.page.goto(self.world.url)
        self.wait()

    def wait(self):
        until(self.page, "window.pirouette && pirouette.viewport.header")
        stay_coarse(self.page)

    def answer(self, route):
        """Let the next edits meet what is to go wrong with them."""
        fault = self.faults.pop(0) if self.faults else None
        if fault is None:
            route.continue_()
        elif fault == "hangs":
            self.held.append(route)
        elif fault == "away":
            route.abort()
        elif fault == "lost":
            # It arrives, unless the server is away, but nobody hears of it.
            with suppress(Error):
                route.fetch()
            route.abort()
        else:
            route.fulfill(status=fault, json={"message": f"Made up: {fault}"})

    def let_go(self):
        self.faults.clear()
        held, self.held = self.held, []
        for route in held:
            route.abort()

    def write(self, name):
        """Type a number as a person does."""
        number = self.world.chance.randint(10, 999)
        self.page.locator(f'#panel-figures [data-pointer="{VALUES[name]}"]').first.click()
        self.page.keyboard.type(str(number), delay=self.world.chance.choice([0, 20, 90]))
        self.page.keyboard.press("Enter")
        until(self.page, f"pirouette.store.valueAt('{VALUES[name]}') === {number}")
        self.world.typed[name][self.own] = number


class World:
    """A server, two tabs of one browser, and what goes wrong."""

    def __init__(self, browser, studio, seed):
        self.chance = random.Random(seed)
        self.studio, self.errors, self.done = studio, [], []
        self.context = browser.new_context(viewport={"width": 1280, "height": 800})
        page = self.context.new_page()
        page.goto(studio.url, wait_until="domcontentloaded")
        self.scene = make(page, document(figure(step("box", width=5, height=5, depth=5), name="Box")))
        page.close()
        self.url = f"{studio.url}/scenes/{self.scene}/"
        # What each tab wrote last: of two that write the same value the one is stored, and the other one is told.
        self.typed = {name: {} for name in VALUES}
        self.tabs = [Tab(self, "width"), Tab(self, "height")]

    def settle(self):
        """Wait until nothing goes wrong any more and everything is saved: then what was typed last is stored."""
        for tab in self.tabs:
            tab.let_go()
        saved = "!pirouette.store.sending && !pirouette.store.hasUnsaved && !pirouette.store.outbox.unclear.length"
        for tab in self.tabs:
            until(tab.page, saved)
        settings = self.studio.document(self.scene)["figures"][0]["routine"][0]["settings"]
        for name, typed in self.typed.items():
            assert settings[name] in (typed.values() or [5]), (name, settings, typed, self.done)

    # --- what people and the world do ---

    def writes(self, tab):
        tab.write(tab.own)

    def writes_what_the_other_may_write_too(self, tab):
        tab.write("depth")

    def edits_fail(self, tab):
        tab.faults = self.chance.choices([503, 500, 502, "away", "lost", "hangs"], k=self.chance.randint(1, 3))
        tab.write(tab.own)
        tab.write(tab.own)

    def goes_offline(self, tab):
        self.context.set_offline(True)
        tab.write(tab.own)
        tab.page.wait_for_timeout(self.chance.randint(50, 1500))
        self.context.set_offline(False)

    def server_dies(self, tab):
        if self.chance.random() < 0.5:
            tab.write(tab.own)
        self.studio.kill()
        tab.write(tab.own)
        self.studio.start()

    def leaves_edits_waiting(self, tab):
        """The browser itself takes a moment to write down what a page keeps."""
        if self.chance.random() < 0.8:
            tab.faults = ["away"] * 99
            tab.write(tab.own)
        tab.page.wait_for_timeout(300)

    def reloads(self, tab):
        self.leaves_edits_waiting(tab)
        tab.page.reload()
        tab.wait()
        self.settle()

    def reloads_while_typing(self, tab):
        tab.page.locator(f'#panel-figures [data-pointer="{VALUES[tab.own]}"]').first.click()
        tab.page.keyboard.type("7")
        tab.page.reload()
        tab.wait()

    def goes_away_and_back(self, tab):
        self.leaves_edits_waiting(tab)
        tab.page.goto(self.studio.url, wait_until="domcontentloaded")
        tab.page.go_back()
        tab.wait()
        self.settle()

    def crashes(self, tab):
        self.leaves_edits_waiting(tab)
        tab.page.close()
        tab.held = []
        tab.open()
        self.settle()

    def live(self):
        acts = [self.writes, self.writes_what_the_other_may_write_too, self.edits_fail, self.goes_offline,
                self.server_dies, self.reloads,
                self.reloads_while_typing, self.goes_away_and_back, self.crashes]  # fmt: skip
        for act in self.chance.choices(acts, [3, 2, 4, 2, 1, 1, 1, 1, 1], k=STEPS):
            tab = self.chance.choice(self.tabs)
            self.done.append(f"{tab.own}: {act.__name__}")
            act(tab)
        self.settle()


@pytest.mark.parametrize("seed", range(FIRST, FIRST + TIMES))
def test_what_was_typed_is_stored_whatever_goes_wrong(chromium, tmp_path, seed):
    studio = Studio(tmp_path)
    try:
        world = World(chromium, studio, seed)
        world.live()
        # Both tabs come to show what is stored.
        stored = studio.document(world.scene)
        deadline = time.monotonic() + 20
        for tab in world.tabs:
            while tab.page.evaluate("pirouette.store.document") != stored:
                assert time.monotonic() < deadline, world.done
                tab.page.wait_for_timeout(200)
        assert world.errors == []
        world.context.close()
    finally:
        studio.stop()
