"""The page is there for everybody: axe finds nothing serious in any state, and at 200 % everything can be reached."""

from contextlib import contextmanager

import pytest

from tests.browser.conftest import page_of, stay_coarse, until
from tests.scenes import ROOT, clause, document, field, figure, formula, keyed, look, step, swing

pytestmark = pytest.mark.browser
AXE = ROOT / "node_modules" / "axe-core" / "axe.min.js"


@contextmanager
def opened_once(chromium, studio, scene_id, *size):
    """A page with a scene, for tests that only look at it; everything is there at once, halfway between is nothing."""
    with page_of(chromium, studio, *size) as page:
        page.emulate_media(reduced_motion="reduce")
        page.goto(f"{studio.url}/scenes/{scene_id}/")
        until(page, "window.pirouette && pirouette.viewport.header")
        stay_coarse(page)
        until(page, "pirouette.store.state.seam")
        page.evaluate(AXE.read_text("utf-8"))
        yield page


@pytest.fixture(scope="module")
def wall(chromium, studio):
    with opened_once(chromium, studio, studio.scene("Pinwheel wall")) as page:
        yield page


def serious_in(page) -> list[str]:
    """What axe finds serious in a page, in both themes."""
    found = []
    for theme in ("evening", "light"):
        page.evaluate("(theme) => (document.documentElement.dataset.theme = theme)", theme)
        page.wait_for_timeout(100)
        found += [
            f"{theme} {one['id']}: {one['nodes'][0]['html'][:160]} {one['nodes'][0]['failureSummary'][:200]}"
            for one in page.evaluate("axe.run(document, { resultTypes: ['violations'] })")["violations"]
            if one["impact"] in ("serious", "critical")
        ]
    return found


# What takes the focus without showing it, by an outline of its own or of what stands for it.
UNSEEN = r"""() => {
  // How wide and of which colour it is may be on its way.
  const isOutlined = (one) => getComputedStyle(one).outlineStyle !== "none";
  const isStroked = (one) => getComputedStyle(one).stroke !== "none";
  const root = document.querySelector("dialog[open]") ?? document;
  const all = [...root.querySelectorAll("a[href], button, input, select, textarea, summary, [tabindex='0']")];
  return all
    .filter((one) => one.checkVisibility({ visibilityProperty: true }) && !one.disabled && one.tabIndex >= 0)
    .filter((one) => {
      one.focus();
      if (document.activeElement !== one) return false;
      const stands = [one, one.previousElementSibling, one.nextElementSibling].filter(Boolean);
      return !stands.some(isOutlined) && ![...one.querySelectorAll("circle")].some(isStroked);
    })
    .map((one) => one.outerHTML.slice(0, 140));
}"""


def unseen_in(page) -> list[str]:
    """What of a page takes the focus by the keyboard without showing it."""
    page.keyboard.press("Tab")
    return page.evaluate(UNSEEN)


def test_nothing_overflows_its_box(wall):
    wall.evaluate("pirouette.store.set({ open: '/figures/1/routine/6' })")
    wall.locator("#details").wait_for()
    for width, height in ((1024, 768), (1920, 1080), (1280, 800)):
        wall.set_viewport_size({"width": width, "height": height})
        wall.wait_for_timeout(200)
        too_wide = wall.evaluate(
            """() => [...document.querySelectorAll(".top > *, .recipe, #details, .time, .lane-name, .line-words")]
              .filter((one) => one.scrollWidth > one.clientWidth + 1 && getComputedStyle(one).overflow === "visible"
                && getComputedStyle(one).display !== "inline")
              .map((one) => `${one.id} ${one.className} ${one.scrollWidth} > ${one.clientWidth}`)"""
        )
        assert too_wide == []
        assert wall.evaluate("document.documentElement.scrollWidth <= innerWidth")


@pytest.mark.parametrize("where", ["/", "/phrases/", "/assets/", "/scenes/987654/"])
def test_axe_finds_nothing_serious_in_a_page_beside_the_editor_and_the_focus_is_seen(chromium, studio, where):
    with page_of(chromium, studio) as page:
        page.emulate_media(reduced_motion="reduce")
        page.goto(studio.url + where)
        page.evaluate(AXE.read_text("utf-8"))
        assert serious_in(page) == []
        assert unseen_in(page) == []


@pytest.mark.parametrize("tab", ["figures", "fields", "space", "finish"])
def test_axe_finds_nothing_serious_in_a_tab_and_the_focus_is_seen(wall, tab):
    wall.locator(f"#tab-{tab}").click()
    wall.evaluate("(open) => pirouette.store.set({ open })", "/figures/1/routine/6" if tab == "figures" else None)
    assert serious_in(wall) == []
    assert unseen_in(wall) == []


def rich():
    """A scene with some of everything that has controls of its own."""
    turn = keyed((0, 0), (48, 90))
    sway = swing(0, 5)
    ring = figure(
        step("box", width=30),
        step("grid", columns=4, rows=2),
        step("twist", "gust", angle=turn),
        step("shift", place=[sway, 0, formula("index * 2")]),
        name="Crate",
        looks=[look("surface", colour="#e2553a")],
    )
    rope = step("path"), step("tube", thick="as drawn")
    path = figure(*rope, name="Rope", looks=[look("surface", paint="attribute")])
    return document(
        ring,
        path,
        fields=[field("Gust", clause("region", size=[90, 90, 90]), clause("noise"))],
        guides=[{"id": "hub", "name": "Hub"}],
        finish=[step("curves"), step("glow")],
    )


def press(*keys):
    return lambda page: [page.keyboard.press(key) for key in keys]


def opened(pointer, tab="figures"):
    return lambda page: page.evaluate("([open, tab]) => pirouette.store.set({ tab, open })", [pointer, tab])


def typed(text):
    def act(page):
        page.keyboard.press("/")
        page.locator("#finder input").fill(text)

    return act


def refused(page):
    opened("/figures/0/routine/3")(page)
    page.locator("textarea.formula").fill("index * * 2")
    page.keyboard.press("Enter")
    page.locator("#problem").wait_for()


def offered(page):
    opened("/figures/0/routine/3")(page)
    page.locator("textarea.formula").focus()
    page.keyboard.press("Control+a")
    page.keyboard.type("ind")
    page.locator(".offers li").first.wait_for()


def picked_key(page):
    page.locator(".peg").first.click()
    page.locator(".key-tools").wait_for()


def press_first(selector):
    return lambda page: page.locator(selector).first.click()


def in_finish(page):
    page.locator("#tab-finish").click()
    page.locator("#panel-finish button.add").click()


# How each is brought about, and what is then to be seen.
STATES = {
    "its first step open": (
        opened("/figures/0/routine/0"),
        "#details [data-focus='/figures/0/routine/0/settings/width']",
    ),
    "a keyed value open": (opened("/figures/0/routine/2"), "#details [data-keyed]"),
    "a swing and a formula open": (opened("/figures/0/routine/3"), "#details textarea.formula"),
    "a look open": (opened("/figures/0/looks/0"), "#details input[type=color]"),
    "a place open": (opened("/figures/0"), "#details"),
    "nodes open": (opened("/figures/1/routine/0"), "#details .nodes"),
    "a profile open": (opened("/figures/1/routine/1"), "#details .curve-point"),
    "a gradient open": (opened("/figures/1/looks/0"), "#details .gradient-knob"),
    "a clause open": (opened("/fields/0/clauses/0", "fields"), "#details"),
    "a camera open": (opened("/cameras/0", "space"), "#details"),
    "a guide open": (opened("/guides/0", "space"), "#details"),
    "curves open": (opened("/finish/0", "finish"), "#details"),
    "a formula that is offered something": (offered, ".offers li"),
    "a formula that is refused": (refused, "#problem"),
    "a key picked": (picked_key, ".key-tools"),
    "a lane's curve": (press_first(".lane-open"), ".lane.opened"),
    "nothing found": (typed("qqqq"), "#found .none"),
    "things found": (typed("twist"), "#found [aria-selected=true]"),
    "kinds by their pictures": (in_finish, "#finder.gallery"),
    "all keys": (press("?"), "#keys-dialog[open]"),
    "the render dialog": (press("r"), "#render-dialog[open]"),
    "earlier states": (press("h"), "#states-dialog[open]"),
    "a contact sheet": (press("Shift+P"), "#sheet-dialog[open] img"),
    "onion skins": (press("g"), "#onion [aria-pressed=true]"),
    "safe areas": (press("a"), "#safe-areas"),
    "a proof": (press("p"), "#proof-layer .proof-picture"),
    "a part to be chosen": (press("y"), ".proof-part"),
    "the seam's list": (press_first("#seam"), "#seam-list"),
    "a name being typed": (press("F2"), ".card.selected input"),
    "playing": (press("Space"), "#dial"),
}


@pytest.fixture(scope="module")
def crate(chromium, studio):
    with opened_once(chromium, studio, studio.add(rich())) as page:
        yield page


@pytest.mark.parametrize("state", STATES)
def test_axe_finds_nothing_serious_in_a_state_and_the_focus_is_seen(crate, state):
    crate.evaluate("pirouette.store.select('figures', 'crate'); pirouette.store.set({ tab: 'figures', open: null })")
    crate.locator("#canvas").focus()
    bring_about, seen = STATES[state]
    bring_about(crate)
    crate.locator(seen).first.wait_for()
    crate.wait_for_timeout(200)
    found = serious_in(crate), unseen_in(crate)
    for _ in range(3):
        crate.keyboard.press("Escape")
    crate.evaluate("pirouette.store.set({ playing: false, problem: null, refused: new Map() })")
    assert found == ([], [])


def test_axe_finds_nothing_serious_while_states_are_compared(wall):
    wall.keyboard.press("g")
    wall.evaluate("pirouette.store.setValue('/frame/colour', '#141c2d')")
    wall.keyboard.press("h")
    wall.locator(".states li").nth(1).get_by_role("button", name="Compare").click()
    wall.get_by_role("button", name="Both").click()
    wall.keyboard.press("h")
    wall.locator(".states li").nth(1).wait_for()
    assert serious_in(wall) == []
    # What is told of the view covers nothing of the comparison.
    wall.evaluate("pirouette.viewport.tell(['shadows: finer in the proof', 'see-through layers: without grain'])")
    words, near = wall.locator(".compare-words").bounding_box(), wall.locator("#near").bounding_box()
    assert near["y"] + near["height"] <= words["y"]


# Everything that takes the focus, brought into sight by it: what of it is covered, or cannot be brought there. The
# settings are a sheet over the rest until they are closed.
OUT_OF_REACH = """async () => {
  const root = document.querySelector("dialog[open], #details:not([hidden])") ?? document;
  const all = [...root.querySelectorAll("a[href], button, input, select, textarea, [tabindex='0']")].filter(
    (one) => one.checkVisibility({ visibilityProperty: true, opacityProperty: false }) && !one.disabled
      && one.tabIndex >= 0 && !one.closest(".handles, .lane-rows"));
  const missed = [];
  for (const one of all) {
    one.focus();
    await new Promise(requestAnimationFrame);
    const box = one.getBoundingClientRect();
    const isMet = ([x, y]) => {
      const there = document.elementFromPoint(x, y);
      return there && (one.contains(there) || there.contains(one) || one.labels?.[0]?.contains(there));
    };
    const middle = [box.left + box.width / 2, box.top + box.height / 2];
    if (![middle, [middle[0], box.top + 8]].some(isMet)) missed.push(`${one.outerHTML.slice(0, 90)} at ${middle}`);
  }
  return [all.length, missed];
}"""


@pytest.fixture(scope="module")
def doubled(chromium, studio):
    """The page as a window of 1280 by 800 shows it at 200 %."""
    with opened_once(chromium, studio, studio.add(rich()), 640, 400) as page:
        yield page


REACHED = [
    *[(tab, None, 15) for tab in ("figures", "fields", "space", "finish")],
    *[("figures", open, 10) for open in ("/figures/0/routine/2", "/figures/1/routine/0", "/figures/0/looks/0")],
    *[("figures", key, 1) for key in "rh?/"],
]


@pytest.mark.parametrize(("tab", "shown", "least"), REACHED)
def test_all_is_reached_at_200_percent(doubled, tab, shown, least):
    page = doubled
    page.evaluate("pirouette.store.select('figures', 'crate')")
    page.evaluate("(tab) => pirouette.store.set({ tab, open: null })", tab)
    if shown and shown.startswith("/figures"):
        page.evaluate("(open) => pirouette.store.set({ open })", shown)
    elif shown:
        page.locator("#canvas").focus()
        page.keyboard.press(shown)
        page.locator("dialog[open]").wait_for()
    page.wait_for_timeout(150)
    count, missed = page.evaluate(OUT_OF_REACH)
    page.keyboard.press("Escape")
    assert page.evaluate("document.documentElement.scrollWidth <= innerWidth")
    assert missed == []
    assert count >= least
