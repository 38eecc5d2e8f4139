"""Scenes built from nothing in the real page, by the mouse and by the keyboard."""

import numpy as np
import pytest

from pirouette.document import read_scene
from pirouette.evaluate import evaluate
from pirouette.evaluate.evaluator import Evaluator
from tests.browser.conftest import boxes, until
from tests.browser.test_keyboard import tab_to
from tests.scenes import document, figure, look, step

pytestmark = pytest.mark.browser


class Mouse:
    """Works the page by pointing; things and kinds are found by looking."""

    def __init__(self, page):
        self.page = page

    def press(self, focus):
        self.page.locator(f'[data-focus="{focus}"], [id="{focus}"]').first.click()

    def tab(self, name):
        self.press(f"tab-{name}")

    def find(self, title):
        self.page.locator("#finder li", has=self.page.get_by_text(title, exact=True)).first.click()

    def choose(self, focus, option):
        self.page.locator(f'select[data-focus="{focus}"]').last.select_option(label=option)

    def type(self, focus, text):
        self.page.locator(f'[data-focus="{focus}"]').last.click()
        # A number that has the focus is typed over; Ctrl+A would choose all figures there.
        if self.page.evaluate("document.activeElement.matches('input, textarea')"):
            self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")


class Keys(Mouse):
    """Works the page by the keyboard alone."""

    def press(self, focus):
        tab_to(self.page, focus)
        self.page.keyboard.press("Enter")

    def tab(self, name):
        tab_to(self.page, self.page.evaluate("document.querySelector('[role=tab][aria-selected=true]').id"))
        for _ in range(4):
            if self.page.evaluate("document.activeElement.id") == f"tab-{name}":
                break
            self.page.keyboard.press("ArrowRight")
        assert self.page.evaluate("document.activeElement.id") == f"tab-{name}"
        self.page.keyboard.press("Enter")

    def find(self, title):
        self.page.keyboard.type(title)
        self.page.keyboard.press("Enter")

    def _to(self, focus, wanted):
        """Go to a control; the same value stands in its sentence, too."""
        for _ in range(3):
            tab_to(self.page, focus)
            if self.page.evaluate("(wanted) => document.activeElement.matches(wanted)", wanted):
                return
        raise AssertionError(f"{focus} is never reached by the keyboard as {wanted}")

    def choose(self, focus, option):
        self._to(focus, "select")
        self.page.keyboard.type(option)
        for _ in range(9):
            # Letters lead to the first that begins with them, arrows on from there.
            if self.page.evaluate("document.activeElement.selectedOptions[0].text") == option:
                return
            self.page.keyboard.press("ArrowDown")
        raise AssertionError(f"{option} is never reached")

    def type(self, focus, text):
        self._to(focus, "input, textarea, [role=spinbutton]")
        if self.page.evaluate("document.activeElement.matches('input, textarea')"):
            self.page.keyboard.press("Control+a")
        else:
            # A sign alone would be a command.
            self.page.keyboard.press("Enter")
        self.page.keyboard.type(text)
        self.page.keyboard.press("Enter")


def mast(hand, index, x, bend):
    """A line that bends to and fro, standing at x."""
    page, base = hand.page, f"/figures/{index}"
    hand.press("add figure")
    hand.find("line")
    until(page, f"pirouette.store.document.figures.length === {index + 1}")
    line = f"{base}/routine/0/settings"
    for name, axis, value in (("start", 0, "0"), ("start", 1, "-100"), ("end", 0, "0"), ("end", 1, "100")):
        hand.type(f"{line}/{name}/{axis}", value)
    hand.press(f"{base} add")
    hand.find("bend")
    until(page, f"pirouette.store.document.figures[{index}].routine.length === 2")
    hand.choose(f"{base}/routine/1/settings/along", "y")
    hand.choose(f"{base}/routine/1/settings/angle sort", "Swing")
    hand.press(f"{base} place")
    hand.type(f"{base}/place/position/0", x)
    hand.press(f"{base} place")


@pytest.mark.parametrize("way", [Mouse, Keys], ids=["mouse", "keyboard"])
def test_spark_on_the_rails_is_built_from_nothing(editor, way):
    page = editor(document(clock={"fps": 24, "frames": 48, "loops": True}))
    hand = way(page)
    mast(hand, 0, "-120", 20)
    mast(hand, 1, "120", -20)
    # Two guides that ride the masts, to and fro, and one between them by a formula.
    hand.tab("space")
    for index, name in enumerate(["Line", "Line 2"]):
        hand.press("add guide")
        until(page, f"pirouette.store.document.guides?.length === {index + 1}")
        base = f"/guides/{index}/place"
        if page.evaluate("pirouette.store.state.open") != f"/guides/{index}":
            hand.press(f"/guides/{index} open")
        hand.choose(f"{base}/follows", name)
        hand.choose(f"{base}/rides", "its curve")
        hand.choose(f"{base}/along sort", "Swing")
        hand.press(f"/guides/{index} open")
    hand.press("add guide")
    until(page, "pirouette.store.document.guides.length === 3")
    if page.evaluate("pirouette.store.state.open") != "/guides/2":
        hand.press("/guides/2 open")
    hand.choose("/guides/2/place/position/1 sort", "Formula")
    hand.type("/guides/2/place/position/1", "({Guide.world.y} + {Guide 2.world.y}) / 2 + 30")
    until(page, "pirouette.store.document.guides[2].place.position[1].text.includes('Guide 2.world.y')")
    # A curve of three points that they hold, which crackles only within a region with a soft edge.
    hand.tab("figures")
    hand.press("add figure")
    hand.find("path")
    until(page, "pirouette.store.document.figures.length === 3")
    path = "/figures/2/routine/0/settings"
    if page.evaluate("pirouette.store.state.open") != "/figures/2/routine/0":
        hand.press("/figures/2/routine/0 open")
    for point, x in enumerate(["-120", "0", "120"]):
        hand.type(f"{path}/nodes/{point}/at/0", x)
    for count, name in enumerate(["Guide", "Guide 2", "Guide 3"]):
        hand.press(f"{path}/held_by")
        hand.find(name)
        until(page, f"pirouette.store.valueAt('{path}/held_by')?.length === {count + 1}")
    hand.press("/figures/2 add")
    hand.find("displace")
    until(page, "pirouette.store.document.figures[2].routine.length === 2")
    hand.tab("fields")
    hand.press("add field")
    hand.find("region")
    until(page, "pirouette.store.document.fields?.length === 1")
    hand.type("/fields/0/clauses/0/settings/size/0", "170")
    hand.tab("figures")
    until(page, "!document.querySelector('#panel-figures').hidden")
    if page.evaluate("pirouette.store.state.selection?.family") != "figures":
        hand.press("/figures/2 name")
    if page.evaluate("pirouette.store.state.open") != "/figures/2/routine/1":
        hand.press("/figures/2/routine/1 open")
    hand.choose("/figures/2/routine/1 only-where", "Field")
    made = page.saved()
    assert [one["kind"] for one in made["figures"][2]["routine"]] == ["path", "displace"]
    assert made["figures"][2]["routine"][1]["only_where"] == "field"
    assert made["figures"][2]["routine"][0]["settings"]["held_by"] == [one["id"] for one in made["guides"]]
    assert [guide["place"].get("follows") for guide in made["guides"]] == ["line", "line-2", None]
    held_where_the_guides_are(made)


def held_where_the_guides_are(made):
    """The ends of the curve go as far as the guides that hold them, and only what is in the region crackles."""
    opened = read_scene(made)
    ways = []
    for frame in (0, 17):
        ev = Evaluator(opened, frame)
        guides = [ev.thing_matrix(guide["id"])[:3, 3] for guide in made["guides"]]
        curve = evaluate(opened, frame).drawables[-1].mesh.points.astype(float)
        ways.append((guides, curve))
    (guides, curve), (later, moved) = ways
    assert np.linalg.norm(later[0] - guides[0]) > 5
    # Its ends lie outside of the region, where nothing displaces them.
    assert moved[0] - curve[0] == pytest.approx(later[0] - guides[0], abs=1e-2)
    assert moved[-1] - curve[-1] == pytest.approx(later[1] - guides[1], abs=1e-2)
    plain = {
        **made,
        "figures": [*made["figures"][:2], {**made["figures"][2], "routine": made["figures"][2]["routine"][:1]}],
    }
    smooth = evaluate(read_scene(plain), 0).drawables[-1].mesh.points
    off = np.linalg.norm(curve - smooth, axis=1)
    assert off.max() > 2
    assert off[[0, -1]].max() < 1e-3


def test_handles_are_pulled_out_of_the_points_of_a_curve(editor):
    """By keys, by the button, by a drag with Alt; turned by the mouse and by the keyboard, and taken away."""
    corners = [[0, 0], [0.3, 0.5], [0.7, 0.6], [1, 1]]
    bend = {"id": "bend", "kind": "curves", "settings": {"all": corners}}
    page = editor({**document(figure(step("box"))), "finish": [bend]})
    curve = "/finish/0/settings/all"
    page.locator("#tab-finish").click()
    page.evaluate("pirouette.store.set({ open: '/finish/0' })")
    now = lambda: page.evaluate(f"pirouette.store.valueAt('{curve}')")  # noqa: E731
    middle = lambda focus: (lambda box: (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2))(  # noqa: E731
        boxes(page, f'[data-focus="{focus}"]')[0]
    )

    def drag(focus, across, up):
        x, y = middle(focus)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + across, y - up, steps=3)
        page.mouse.up()

    tab_to(page, f"{curve} 1")
    page.keyboard.press("s")
    until(page, f"Boolean(pirouette.store.valueAt('{curve}')[1].leave)")
    assert now()[1]["at"] == corners[1]
    assert now()[1]["arrive"] == [-0.1, -0.086]
    # By the mouse the other one turns with it; with Alt it does not.
    drag(f"{curve} 1 leave", 0, 30)
    until(page, f"pirouette.store.valueAt('{curve}')[1].leave[1] > 0.2")
    turned = now()[1]
    assert turned["arrive"][1] / turned["arrive"][0] == pytest.approx(turned["leave"][1] / turned["leave"][0], rel=0.05)
    page.keyboard.down("Alt")
    drag(f"{curve} 1 leave", 0, -20)
    page.keyboard.up("Alt")
    until(page, f"pirouette.store.valueAt('{curve}')[1].leave[1] < {turned['leave'][1] - 0.05}")
    assert now()[1]["arrive"] == turned["arrive"]
    tab_to(page, f"{curve} 1 leave")
    page.keyboard.press("Delete")
    until(page, f"!pirouette.store.valueAt('{curve}')[1].leave")
    # A corner pulled at with Alt; the button beneath is about the point that was touched last.
    page.keyboard.down("Alt")
    drag(f"{curve} 2", 25, 5)
    page.keyboard.up("Alt")
    until(page, f"pirouette.store.valueAt('{curve}')[2].leave?.[0] > 0.05")
    assert now()[2]["at"] == corners[2]
    page.locator(f'[data-focus="{curve} smooth"]').first.click()
    until(page, f"Array.isArray(pirouette.store.valueAt('{curve}')[2])")
    page.locator(f'[data-focus="{curve} remove"]').first.click()
    saved = page.saved()["finish"][0]["settings"]["all"]
    assert saved == [[0, 0], {"at": corners[1], "arrive": turned["arrive"]}, [1, 1]]


def test_a_profile_and_ramps_are_drawn(editor):
    tube = step("tube", width=20, thick="as drawn")
    page = editor(document(figure(step("line"), tube, looks=[look("surface", paint="attribute")])))
    profile = "/figures/0/routine/1/settings/profile"
    page.evaluate("pirouette.store.select('figures', 'thing'); pirouette.store.set({ open: '/figures/0/routine/1' })")
    [box] = boxes(page, "svg.curve")
    place = lambda x, y: (box["x"] + x * box["width"], box["y"] + y * box["height"])  # noqa: E731
    before = len(page.evaluate(f"pirouette.store.valueAt('{profile}') ?? []"))
    page.mouse.dblclick(*place(0.5, 0.9))
    until(page, f"pirouette.store.valueAt('{profile}')?.length !== {before}")
    points = page.evaluate(f"pirouette.store.valueAt('{profile}')")
    middle = next(k for k, point in enumerate(points) if abs(point[0] - 0.5) < 0.05)
    assert points[middle][1] < 0.15
    # Dragged upwards, and it shows while it is dragged.
    page.mouse.move(*place(0.5, 0.9))
    page.mouse.down()
    page.mouse.move(*place(0.5, 0.5), steps=3)
    until(page, f"Math.abs(pirouette.store.valueAt('{profile}')[{middle}][1] - 0.5) < 0.06")
    page.mouse.up()
    # By the keyboard: moved, another one after it, taken away.
    tab_to(page, f"{profile} {middle}")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Enter")
    until(page, f"pirouette.store.valueAt('{profile}').length === {len(points) + 1}")
    tab_to(page, f"{profile} {middle + 1}")
    page.keyboard.press("Delete")
    settled = page.saved()["figures"][0]["routine"][1]["settings"]["profile"]
    assert len(settled) == len(points)
    assert settled[middle][1] == pytest.approx(0.52, abs=0.06)
    # The gradient of a look, by its colours and places.
    page.evaluate("pirouette.store.set({ open: '/figures/0/looks/0' })")
    page.get_by_label("gradient colour 1").fill("#112233")
    page.get_by_label("gradient place 2").fill("0.25")
    page.keyboard.press("Enter")
    page.get_by_label("gradient place 2").blur()
    gradient = page.saved()["figures"][0]["looks"][0]["settings"]["gradient"]
    assert gradient[0]["colour"] == "#112233"
    assert gradient[1]["at"] == 0.25
    # On its strip: a colour is added where it lies, dragged, moved by the keyboard, and taken away.
    pointer = "/figures/0/looks/0/settings/gradient"
    [band] = boxes(page, ".gradient-band")
    along = lambda share: (band["x"] + share * band["width"], band["y"] + 5)  # noqa: E731
    page.mouse.dblclick(*along(0.6))
    last = len(gradient)
    until(page, f"pirouette.store.valueAt('{pointer}').length === {last + 1}")
    stop = page.evaluate(f"pirouette.store.valueAt('{pointer}')[{last}]")
    assert stop["at"] == pytest.approx(0.6, abs=0.01)
    [knob] = boxes(page, f'[data-focus="{pointer} {last}"]')
    page.mouse.move(knob["x"] + 6, knob["y"] + 9)
    page.mouse.down()
    page.mouse.move(*along(0.8), steps=3)
    until(page, f"Math.abs(pirouette.store.valueAt('{pointer}')[{last}].at - 0.8) < 0.02")
    page.mouse.up()
    dragged = page.saved()["figures"][0]["looks"][0]["settings"]["gradient"][last]["at"]
    tab_to(page, f"{pointer} {last}")
    page.keyboard.press("ArrowLeft")
    until(page, f"Math.abs(pirouette.store.valueAt('{pointer}')[{last}].at - {dragged - 0.01}) < 1e-6")
    page.keyboard.press("Home")
    until(page, f"pirouette.store.valueAt('{pointer}')[{last}].at === 0")
    page.keyboard.press("Delete")
    assert page.saved()["figures"][0]["looks"][0]["settings"]["gradient"] == gradient
