"""What slows nobody down: keys that mean what they say, lines that stay where they are, targets that are easily met."""

import pytest

from tests.browser.conftest import boxes, until
from tests.browser.test_handles import middle_of
from tests.scenes import DEMOS, clause, demo, document, field, figure, keyed, look, step

pytestmark = pytest.mark.browser
ANGLE = "/figures/0/routine/1/settings/angle"
# What is pressed to either side of the middle of a control still meets it: 24 px but for what a pixel rounds off.
MISSED = """() => {
  const missed = [];
  for (const one of document.querySelectorAll("button, a, input, select, [role=spinbutton], [role=slider]")) {
    // Keys lie where their frames are.
    if (!one.checkVisibility() || one.matches(".peg")) continue;
    const { left, top, width, height } = one.getBoundingClientRect();
    const [x, y] = [left + width / 2, top + height / 2];
    if (!one.contains(document.elementFromPoint(x, y))) continue;
    const track = one.nextElementSibling?.matches(".track") ? one.nextElementSibling : null;
    const isMet = (dx, dy) => {
      const met = document.elementFromPoint(x + dx, y + dy);
      return one.contains(met) || Boolean(track?.contains(met));
    };
    const isWhole = [[-11, 0], [11, 0], [0, -11], [0, 11]].every(([dx, dy]) => isMet(dx, dy));
    if (!isWhole) missed.push(`${one.className} ${one.ariaLabel ?? one.textContent}`.slice(0, 60));
  }
  return missed;
}"""


def value(page, pointer):
    return page.locator(f'.recipe [data-pointer="{pointer}"].value')


def kinds(page):
    return page.evaluate("pirouette.store.document.figures[0].routine.map((one) => one.kind)")


@pytest.fixture
def twisted(editor):
    page = editor(document(figure(step("box"), step("twist", angle=30), step("bend"), step("taper"), name="Crate")))
    page.evaluate("pirouette.store.select('figures', 'crate')")
    return page


def test_signs_are_commands_though_a_number_has_the_focus(twisted):
    page = twisted
    value(page, ANGLE).focus()
    page.keyboard.press(".")
    page.keyboard.press(".")
    until(page, "pirouette.store.state.frame === 2")
    page.keyboard.press("-")
    assert page.locator("input.typed").count() == 0
    page.keyboard.press("4")
    page.keyboard.type("5")
    page.keyboard.press("Enter")
    until(page, f"pirouette.store.valueAt('{ANGLE}') === 45")
    # What is typed may begin with a sign once something is typed at all.
    page.keyboard.press("Enter")
    page.keyboard.type("-7.5")
    page.keyboard.press("Enter")
    until(page, f"pirouette.store.valueAt('{ANGLE}') === -7.5")


def test_a_sign_is_typed_after_a_click(twisted):
    """At once, and once the field is there."""
    page = twisted
    for text, pause in (("-30", 0), ("-0.5", 400)):
        value(page, ANGLE).click()
        page.wait_for_timeout(pause)
        page.keyboard.type(text)
        page.keyboard.press("Enter")
        until(page, f"pirouette.store.valueAt('{ANGLE}') === {text}")
    assert page.evaluate("pirouette.store.state.frame") == 0


def test_a_line_is_moved_on_and_on(twisted):
    page = twisted
    page.evaluate("pirouette.store.set({ open: '/figures/0/routine/3' })")
    page.locator('[data-focus="/figures/0/routine/3 switch"]').focus()
    for expected in (["box", "twist", "taper", "bend"], ["box", "taper", "twist", "bend"]):
        page.keyboard.press("Alt+ArrowUp")
        assert kinds(page) == expected
    page.keyboard.press("Alt+ArrowDown")
    assert kinds(page) == ["box", "twist", "taper", "bend"]
    # It stays open, and has the focus.
    assert page.evaluate("pirouette.store.state.open") == "/figures/0/routine/2"
    assert page.evaluate("document.activeElement.dataset.focus") == "/figures/0/routine/2 switch"


def many(count):
    return document(
        *(figure(step("box"), *(step("twist", id=f"t{n}") for n in range(12)), name=f"Crate{k}") for k in range(count))
    )


def test_a_line_is_dragged_by_its_words_and_its_values_by_themselves(editor):
    page = editor(document(figure(step("box"), step("twist", angle=10), step("bend"), name="Crate")))
    kinds = "pirouette.store.document.figures[0].routine.map(({ kind }) => kind).join()"
    until(page, f"{kinds} === 'box,twist,bend'")
    first, words = boxes(
        page,
        ".line[data-pointer='/figures/0/routine/0']",
        ".line[data-pointer='/figures/0/routine/2'] .line-words",
    )
    page.mouse.move(words["x"] + 8, words["y"] + 12)
    page.mouse.down()
    page.mouse.move(words["x"] + 8, first["y"] + first["height"] + 4, steps=5)
    page.mouse.up()
    until(page, f"{kinds} === 'box,bend,twist'")
    # It was dragged, not clicked, and nothing waits to swallow the next click.
    assert page.evaluate("pirouette.store.state.open") is None
    page.locator(".line[data-pointer='/figures/0/routine/1'] .line-words").click(position={"x": 8, "y": 12})
    until(page, "pirouette.store.state.open === '/figures/0/routine/1'")
    # A value in a line is dragged for itself, however far down.
    (angle,) = boxes(page, ".line[data-pointer='/figures/0/routine/2'] .value")
    page.mouse.move(angle["x"] + 5, angle["y"] + 5)
    page.mouse.down()
    page.mouse.move(angle["x"] + 45, angle["y"] - 60, steps=5)
    page.mouse.up()
    assert page.evaluate(kinds) == "box,bend,twist"


def test_a_card_stays_under_the_pointer_that_chooses_it(editor):
    """However much the open card above it takes up."""
    page = editor(many(7))
    page.evaluate("pirouette.store.select('figures', 'crate1')")
    fourth = '[data-figure="crate4"] .card-name'
    # Not by the driver: it waits until what it found stands still, and cards may be made anew meanwhile.
    page.locator(fourth).evaluate("(one) => one.scrollIntoView({ block: 'nearest' })")
    [before] = boxes(page, fourth)
    page.locator(fourth).click()
    until(page, "pirouette.store.openFigure === 'crate4'")
    page.wait_for_timeout(100)
    [after] = boxes(page, fourth)
    assert after["y"] == pytest.approx(before["y"], abs=1)
    # So is one that is pressed twice to be renamed, though the first press opens it.
    first = page.locator('[data-figure="crate6"] .card-name')
    first.evaluate("(one) => one.scrollIntoView({ block: 'nearest' })")
    first.dblclick()
    page.keyboard.type("Chest")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.document.figures[6].name === 'Chest'")


def test_what_is_pressed_twice_is_there_for_the_second_press_on_a_busy_page(editor):
    """Though the first one changes the list, and what waits for its end is done only after the second has begun."""
    page = editor(many(3))
    page.evaluate("pirouette.store.select('figures', 'crate0')")
    until(page, "pirouette.store.openFigure === 'crate0'")
    page.evaluate(
        """() => {
          const [name] = document.querySelectorAll('[data-figure="crate2"] .card-name');
          const press = (type, detail) => name.dispatchEvent(new PointerEvent(type, { bubbles: true, detail }));
          for (const type of ["pointerdown", "pointerup", "click"]) press(type, 1);
          press("pointerdown", 2);
          window.pressedTwice = name;
        }"""
    )
    page.wait_for_timeout(200)
    assert page.evaluate("pirouette.store.openFigure") == "crate2"
    assert page.evaluate("pressedTwice.isConnected")
    page.evaluate(
        """() => {
          for (const type of ["pointerup", "click"])
            pressedTwice.dispatchEvent(new PointerEvent(type, { bubbles: true, detail: 2 }));
        }"""
    )
    page.keyboard.type("Chest")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.document.figures[2].name === 'Chest'")
    # Then the list is as it should be.
    assert page.locator('[data-figure="crate2"] .card-name[aria-expanded="true"]').inner_text() == "Chest"


def test_a_step_is_limited_in_three_presses(twisted):
    """Its line says so, and a new field comes first."""
    page = twisted
    page.locator(".line-words").nth(1).click(position={"x": 4, "y": 8})
    page.locator(".only-offer:visible").click()
    page.keyboard.type("near")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.document.figures[0].routine[1].only_where === 'field'")
    assert page.evaluate("pirouette.store.document.fields.map((one) => one.clauses[0].kind)") == ["near"]
    assert page.evaluate("[pirouette.store.state.selection.id, pirouette.store.state.reach]") == ["field", "field"]
    # What it says is set next.
    assert page.evaluate("pirouette.store.state.open") == "/fields/0/clauses/0"
    # It is one edit.
    page.keyboard.press("Control+z")
    until(page, "!pirouette.store.document.figures[0].routine[1].only_where")
    assert page.evaluate("pirouette.store.document.fields ?? []") == []


def test_a_step_is_limited_by_a_field_that_is_there_or_by_another_new_one(editor):
    crate = figure(step("box"), step("twist"), name="Crate", looks=[look("surface")])
    page = editor(document(crate, fields=[field("Half", clause("region"))]))
    page.evaluate("pirouette.store.select('figures', 'crate')")
    page.evaluate("pirouette.store.set({ open: '/figures/0/routine/1' })")
    page.locator(".only-offer:visible").click()
    assert page.locator("#finder .found-title").all_inner_texts() == ["New field", "Half"]
    page.keyboard.type("half")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.document.figures[0].routine[1].only_where === 'half'")
    assert "only where Half" in page.locator(".line").nth(1).inner_text()
    page.locator("#only-where").select_option(label="new field…")
    page.keyboard.type("noise")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.document.figures[0].routine[1].only_where === 'field'")
    assert page.evaluate("pirouette.store.document.fields.map((one) => one.name)") == ["Half", "Field"]


def test_what_is_no_number_stays_to_be_mended(twisted):
    page = twisted
    value(page, ANGLE).focus()
    page.keyboard.press("9")
    page.keyboard.type("0x")
    page.keyboard.press("Enter")
    typed = page.locator("input.typed")
    assert (typed.input_value(), typed.get_attribute("aria-invalid")) == ("90x", "true")
    assert "“90x” is not a number" in page.locator("#problem-words").inner_text()
    page.keyboard.press("Backspace")
    page.keyboard.press("Enter")
    until(page, f"pirouette.store.valueAt('{ANGLE}') === 90")
    assert not page.locator("#problem").is_visible()
    # Who goes on to something else leaves the number as it was.
    page.keyboard.press("9")
    page.keyboard.type("z")
    page.locator("#canvas").focus()
    assert page.locator("input.typed").count() == 0
    assert page.evaluate(f"pirouette.store.valueAt('{ANGLE}')") == 90
    assert "“9z” is not a number" in page.locator("#problem-words").inner_text()


def test_the_frame_is_read_as_a_sum_or_stays(twisted):
    page = twisted
    frame = page.locator(".dial-frame")
    frame.fill("96/4")
    frame.press("Enter")
    until(page, "pirouette.store.state.frame === 24")
    frame.fill("p3")
    frame.press("Enter")
    assert frame.input_value() == "24"


def test_enter_begins_the_render_that_r_asks_for(twisted):
    page = twisted
    page.locator("#canvas").focus()
    page.keyboard.press("r")
    until(page, "document.getElementById('render-dialog').open")
    assert page.evaluate("document.activeElement.textContent") == "Render"
    page.locator("#format").select_option("png")
    page.locator("#which").select_option("this")
    page.locator("#render-dialog [type=submit]").focus()
    page.keyboard.press("Enter")
    page.locator("#render-dialog .job").first.wait_for()


def test_escape_takes_back_what_is_dragged(twisted):
    page = twisted
    (box,) = boxes(page, f'.recipe [data-pointer="{ANGLE}"].value')
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 30, y, steps=5)
    assert page.evaluate(f"pirouette.store.valueAt('{ANGLE}')") > 40
    page.keyboard.press("Escape")
    until(page, f"pirouette.store.valueAt('{ANGLE}') === 30")
    page.mouse.move(x + 90, y, steps=5)
    page.mouse.up()
    page.wait_for_timeout(300)
    assert page.evaluate(f"pirouette.store.valueAt('{ANGLE}')") == 30
    assert page.saved()["figures"][0]["routine"][1]["settings"]["angle"] == 30
    # Nothing but that is taken back, and what was only pressed takes back nothing.
    page.mouse.move(x, y)
    page.mouse.down()
    page.keyboard.press("Escape")
    page.mouse.up()
    page.wait_for_timeout(300)
    assert len(page.saved()["figures"][0]["routine"]) == 4
    assert page.locator("input.typed").count() == 0


def peg_at(page):
    [box] = boxes(page, ".peg[data-key='1']")
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_escape_takes_back_a_handle_and_a_key(editor):
    turn = {"sort": "keyed", "keys": [{"frame": 0, "value": 0}, {"frame": 40, "value": 90}]}
    page = editor(document(figure(step("box"), step("twist", angle=turn), name="Crate")))
    page.evaluate("pirouette.store.select('figures', 'crate'); pirouette.store.set({ open: '/figures/0' })")
    picked = """document.querySelector(".peg[data-key='1']").style.left"""
    for x, y, change in (
        (*middle_of(page, "move x"), "pirouette.store.valueAt('/figures/0/place/position')?.[0] > 5"),
        (*peg_at(page), f"{picked} !== kept"),
    ):
        page.evaluate(f"window.kept = {picked}; window.grip = document.querySelector('.handles .grip')")
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 60, y, steps=6)
        until(page, change)
        # By now a picture has brought other handles than those that were pressed.
        until(page, "!grip.isConnected")
        page.keyboard.press("Escape")
        page.mouse.move(x + 80, y)
        page.mouse.up()
        page.wait_for_timeout(300)
    made = page.saved()["figures"][0]
    assert [key["frame"] for key in made["routine"][1]["settings"]["angle"]["keys"]] == [0, 40]
    assert made.get("place", {}).get("position", [0, 0, 0]) == [0, 0, 0]


def test_the_focused_value_swings_or_computes_by_a_key(twisted):
    page = twisted
    value(page, ANGLE).focus()
    page.keyboard.press("w")
    until(page, f"pirouette.store.valueAt('{ANGLE}').sort === 'swing'")
    assert page.evaluate(f"pirouette.store.valueAt('{ANGLE}').middle") == 30
    assert page.evaluate("pirouette.store.state.open") == "/figures/0/routine/1"
    width = "/figures/0/routine/0/settings/width"
    value(page, width).focus()
    page.keyboard.press("e")
    until(page, f"pirouette.store.valueAt('{width}').sort === 'formula'")
    page.locator("#canvas").focus()
    page.keyboard.press("w")
    assert "Focus a value first" in page.locator("#problem-words").inner_text()
    # What swings is found by that word, too.
    page.keyboard.press("/")
    page.locator("#finder input").fill("swing")
    assert "Let the focused value swing" in page.locator("#finder .found-title").first.inner_text()


def test_everything_with_a_name_is_renamed_by_the_keyboard(editor):
    raw = document(figure(step("box"), name="Crate"), fields=[field("Half", clause("region"))])
    raw["guides"] = [{"id": "guide", "name": "Guide", "place": {}}]
    page = editor(raw)
    named = (
        ("figures", '[data-focus="/figures/0 name"]', "/figures/0/name"),
        ("fields", '[data-focus="/fields/0 name"]', "/fields/0/name"),
        ("space", '[data-focus="/cameras/0 open"]', "/cameras/0/name"),
        ("space", '[data-focus="/lights/1 open"]', "/lights/1/name"),
        ("space", '[data-focus="/guides/0 open"]', "/guides/0/name"),
    )
    for number, (tab, control, pointer) in enumerate(named):
        page.evaluate("(tab) => pirouette.store.set({ tab })", tab)
        page.locator(control).focus()
        page.keyboard.press("F2")
        page.keyboard.type(f"Name {number}")
        page.keyboard.press("Enter")
        until(page, f"pirouette.store.valueAt('{pointer}') === 'Name {number}'")
        # The focus stays there.
        until(page, f"document.activeElement.closest('.line, .card')?.textContent.includes('Name {number}')")


# What is taken out of the page below the list of figures.
def test_choosing_another_figure_leaves_the_list_of_cards_as_it_is(editor):
    page = editor(document(*({**figure(step("box"), name=f"Crate {k}"), "id": f"crate-{k}"} for k in range(4))))
    page.locator(".card-name", has_text="Crate 1").click()
    until(page, "document.querySelector('.card.selected').dataset.figure === 'crate-1'")
    page.evaluate(
        """() => {
          window.changes = 0;
          new MutationObserver((all) => (window.changes += all.length)).observe(document.querySelector("ul.cards"), {
            childList: true,
          });
          window.cards = [...document.querySelectorAll("ul.cards > li")];
          window.inside = document.querySelector("[data-figure=crate-3] .card-head");
        }"""
    )
    page.locator(".card-name", has_text="Crate 2").click()
    until(page, "document.querySelector('.card.selected').dataset.figure === 'crate-2'")
    assert page.locator(".card.selected .lines").first.is_visible()
    assert page.locator("[data-figure=crate-1] .lines").count() == 0
    assert page.evaluate("window.changes") == 0
    assert page.evaluate("window.cards.every((card, k) => card === document.querySelectorAll('ul.cards > li')[k])")
    # Of those that are as they were, nothing is made anew.
    assert page.evaluate("window.inside === document.querySelector('[data-figure=crate-3] .card-head')")
    assert page.evaluate("document.activeElement.textContent") == "Crate 2"


def test_all_figures_are_chosen_in_their_own_tab_alone(editor):
    page = editor(document(figure(step("box"), name="One"), figure(step("box"), name="Two")))
    for tab, chosen in (("fields", 0), ("figures", 1)):
        page.evaluate("(tab) => pirouette.store.set({ tab })", tab)
        page.locator("#canvas").focus()
        page.keyboard.press("Control+a")
        until(page, f"pirouette.store.state.also.size === {chosen}")


def test_in_a_field_of_text_all_of_the_text_is_chosen_and_no_figure(editor):
    turning = figure(step("box"), step("twist", angle=keyed((0, 45), (30, 90))), name="One")
    page = editor(document(turning, figure(step("box"), name="Two")))
    page.evaluate("pirouette.store.set({ open: '/figures/0/routine/1' })")
    page.locator("input[data-keyed]").focus()
    page.keyboard.press("End")
    page.keyboard.press("Control+a")
    page.keyboard.type("12")
    page.keyboard.press("Tab")
    until(page, "pirouette.store.valueAt('/figures/0/routine/1/settings/angle').keys[0].value === 12")
    assert page.evaluate("pirouette.store.state.also.size") == 0


def test_a_number_goes_to_the_ends_of_its_usual_range(editor):
    page = editor(document(figure(step("box"), step("twist", angle=20), step("grid", columns=3))))
    number = lambda path: page.evaluate(f"pirouette.store.valueAt('/figures/0/routine/{path}')")  # noqa: E731
    columns = page.get_by_role("spinbutton", name="columns")
    for key, wanted in (("End", 40), ("Home", 1)):
        columns.focus()
        page.keyboard.press(key)
        assert number("2/settings/columns") == wanted
    assert page.evaluate("pirouette.store.state.frame") == 0


def test_home_and_end_lead_to_the_first_and_last_tab(twisted):
    page = twisted
    page.locator("#tab-figures").focus()
    for key, tab in (("End", "finish"), ("Home", "figures"), ("ArrowLeft", "finish"), ("ArrowRight", "figures")):
        page.keyboard.press(key)
        assert page.evaluate("[document.activeElement.id, pirouette.store.state.tab]") == [f"tab-{tab}", tab]


COLOURS = """() => {
  const colour = (selector, name) => getComputedStyle(document.querySelector(selector))[name];
  const canvas = colour("body", "backgroundColor");
  return {
    canvas,
    playhead: colour(".playhead", "backgroundColor"),
    peg: colour(".peg:not(.picked)", "backgroundColor"),
    swatch: colour(".card.selected .swatch", "backgroundImage") + colour(".card.selected .swatch", "backgroundColor"),
    line: colour(".line.open", "outlineStyle"),
    card: colour(".card.selected", "outlineStyle"),
    tabs: [...document.querySelectorAll("[role=tab]")].map((tab) => getComputedStyle(tab).borderBottomColor),
  };
}"""


def test_what_is_told_by_colour_is_seen_where_the_system_gives_the_colours(editor):
    turn = {"sort": "keyed", "keys": [{"frame": 0, "value": 0}, {"frame": 40, "value": 90}]}
    crate = figure(step("box"), step("twist", angle=turn), name="Crate", looks=[look("surface", colour="#e2553a")])
    page = editor(document(crate))
    page.evaluate("pirouette.store.select('figures', 'crate'); pirouette.store.set({ open: '/figures/0/routine/1' })")
    until(page, "document.querySelector('.peg') && document.querySelector('.line.open')")
    plain = page.evaluate(COLOURS)
    page.emulate_media(forced_colors="active")
    forced = page.evaluate(COLOURS)
    page.emulate_media(forced_colors="none")
    assert forced["canvas"] != plain["canvas"], (forced, plain)
    assert len({forced["canvas"], forced["playhead"], forced["peg"]}) == 3
    assert forced["swatch"] == plain["swatch"]
    assert (forced["line"], forced["card"], plain["line"]) == ("solid", "solid", "none")
    # The chosen tab alone is underlined.
    assert forced["tabs"][0] != forced["tabs"][1] == forced["canvas"]


def test_an_address_that_names_nothing_leads_back(chromium, studio):
    page = chromium.new_page()
    answer = page.goto(f"{studio.url}/scenes/987654/")
    assert answer.status == 404
    assert page.get_by_role("main").get_by_role("heading", level=1).inner_text() == "There is nothing here"
    page.get_by_role("link", name="All scenes").click()
    page.get_by_role("heading", name="Begin a scene").wait_for()
    page.close()


def test_the_editor_is_headed_by_the_scene(twisted):
    assert twisted.get_by_role("heading", level=1).all_inner_texts() == ["Test"]


@pytest.mark.parametrize("name", ["hundred-kite-lens", "programme-titles"])
def test_targets_are_24_pixels_wide_and_high(editor, name):
    assert name in DEMOS
    page = editor(demo(name))
    missed = {}
    for tab in ("figures", "fields", "space", "finish"):
        page.evaluate("(tab) => pirouette.store.set({ tab, open: null })", tab)
        page.wait_for_timeout(100)
        missed[tab] = page.evaluate(MISSED)
    page.evaluate("pirouette.store.set({ tab: 'figures', open: '/figures/0/routine/1' })")
    page.wait_for_timeout(100)
    missed["details"] = page.evaluate(MISSED)
    # Of sentences that are broken into several rows, two values above each other may lie a pixel closer.
    assert all(len(found) <= 2 for found in missed.values()), missed


def test_long_settings_stand_in_groups_that_are_folded_until_they_say_something(editor):
    looks = [look("surface", wax=0.5)]
    page = editor(document(figure(step("box"), looks=looks, name="Crate"), figure(step("sphere"), name="Ball")))
    page.evaluate("pirouette.store.set({ open: '/figures/0/looks/0' })")
    group = lambda title: page.locator(f'#details [data-group="surface {title}"]')  # noqa: E731
    group("Wax").wait_for()
    is_open = lambda title: group(title).evaluate("(one) => one.open")  # noqa: E731
    assert [is_open(title) for title in ("Wax", "Clear", "Paint")] == [True, False, False]
    assert not page.locator("#details [data-pointer$='/clear']").is_visible()
    # By the keyboard; and it stays open when what is in it is as it was to begin with.
    group("Clear").locator("summary").focus()
    page.keyboard.press("Enter")
    assert is_open("Clear")
    page.evaluate("pirouette.store.setValue('/figures/0/looks/0/settings/index', 2)")
    until(page, "pirouette.store.confirmed.figures[0].looks[0].settings.index === 2")
    assert is_open("Clear")
    page.evaluate("pirouette.store.setValue('/figures/0/looks/0/settings/index', 1.5)")
    until(page, "pirouette.store.confirmed.figures[0].looks[0].settings.index === 1.5")
    assert is_open("Clear")
    group("Wax").locator("summary").click()
    page.evaluate("pirouette.store.set({ open: null })")
    page.evaluate("pirouette.store.set({ open: '/figures/0/looks/0' })")
    assert [is_open(title) for title in ("Wax", "Clear")] == [False, True]


def test_what_is_searched_for_is_shown_though_its_group_is_folded(editor):
    page = editor(document(figure(step("box"), looks=[look("surface")], name="Crate")))
    page.evaluate("pirouette.store.select('figures', 'crate')")
    page.locator("#canvas").focus()
    page.keyboard.press("/")
    page.keyboard.type("wax depth of surface")
    page.keyboard.press("Enter")
    page.locator('#details [data-group="surface Wax"][open]').wait_for()
    until(page, "document.activeElement.dataset.pointer?.endsWith('/wax_depth')")
