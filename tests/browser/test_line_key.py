"""The small key in a line, and keys of colours."""

import pytest

from tests.browser.conftest import until
from tests.scenes import document, figure, keyed, step

pytestmark = pytest.mark.browser

TWIST = "/figures/0/routine/1/settings"
COLOUR = "/figures/0/looks/0/settings/colour"
RED_TO_BLUE = keyed((0, "#ff0000"), (24, "#0000ff"))


def ball(*steps, colour="#ff0000"):
    looks = [{"id": "skin", "kind": "surface", "settings": {"colour": colour}}]
    return document(figure(step("sphere", radius=40), *steps, looks=looks, name="Ball"))


def line(page, at):
    return page.locator(f".line[data-pointer='{at}']")


def keys(page, pointer):
    value = page.evaluate("(at) => pirouette.store.valueAt(at)", pointer)
    return [(key["frame"], key["value"]) for key in value["keys"]] if isinstance(value, dict) else value


def mean(page, pointer):
    """Point at a value for so long that it is meant."""
    page.locator(f".value[data-pointer='{pointer}']").first.hover()
    page.wait_for_timeout(400)


def test_the_small_key_keys_the_value_that_was_pointed_at_or_focused(editor):
    page = editor(ball(step("grid", columns=4, rows=3, apart=[60, 70, 80])))
    page.evaluate("pirouette.store.seek(9)")
    grid = line(page, "/figures/0/routine/1")
    key = grid.locator(".line-key")
    assert key.evaluate("(one) => getComputedStyle(one).opacity") == "0"
    mean(page, f"{TWIST}/rows")
    assert key.evaluate("(one) => getComputedStyle(one).opacity") == "1"
    # On the way to the key others are passed over.
    page.evaluate(
        """(selectors) => {
          const over = () => new PointerEvent("pointerover", { bubbles: true });
          for (const selector of selectors) document.querySelector(selector).dispatchEvent(over());
        }""",
        [f".value[data-pointer='{TWIST}/columns']", "#panel-figures .line:hover .line-key"],
    )
    page.wait_for_timeout(400)
    key.hover()
    assert key.get_attribute("aria-label") == "Key rows here"
    assert grid.locator(".to-key").get_attribute("data-pointer") == f"{TWIST}/rows"
    key.click()
    assert keys(page, f"{TWIST}/rows") == [(9, 3)]
    # A part of a vector that has the focus keeps it.
    page.locator(f".value[data-pointer='{TWIST}/apart/1']").focus()
    key.hover()
    assert key.get_attribute("aria-label") == "Key apart y here"
    key.click()
    assert keys(page, f"{TWIST}/apart/1") == [(9, 70)]
    until(page, f"document.activeElement.dataset.pointer === '{TWIST}/apart/1'")
    # What has a key at this frame loses it again.
    assert key.get_attribute("aria-label") == "Remove the key of apart y here"
    key.click()
    assert keys(page, f"{TWIST}/apart/1") == 70
    assert page.saved()["figures"][0]["routine"][1]["settings"]["apart"] == [60, 70, 80]


def test_the_small_key_keys_all_figures_that_are_chosen(editor):
    twist = keyed((0, 5), (24, 50))
    page = editor(document(*(figure(step("box"), step("twist", angle=twist), name=name) for name in ("One", "Two"))))
    page.evaluate("pirouette.store.select('figures', 'one'); pirouette.store.set({ also: new Set(['two']) })")
    angles = [f"/figures/{at}/routine/1/settings/angle" for at in range(2)]
    key = line(page, "/figures/0/routine/1").locator(".line-key")
    key.hover()
    key.click()
    assert [keys(page, angle) for angle in angles] == [[(24, 50)]] * 2
    page.evaluate("pirouette.store.seek(12)")
    key.hover()
    key.click()
    assert [sorted(keys(page, angle)) for angle in angles] == [[(12, 50), (24, 50)]] * 2


def test_a_number_that_is_being_typed_is_taken_before_it_is_keyed(editor):
    page = editor(ball(step("twist", angle=10)))
    angle = page.locator(f".line .value[data-pointer='{TWIST}/angle']")
    # Whatever was told before.
    page.evaluate("pirouette.store.set({ problem: 'Nothing was copied yet.' })")
    angle.focus()
    page.keyboard.press("Enter")
    line(page, "/figures/0/routine/1").locator(".line-key").click()
    assert keys(page, f"{TWIST}/angle") == [(0, 10)]
    angle.focus()
    page.keyboard.type("75")
    line(page, "/figures/0/routine/1").locator(".line-key").click()
    assert keys(page, f"{TWIST}/angle") == [(0, 75)]
    # Where there is a key it is what was typed, and what is no number changes nothing.
    for text, found in (("81", 81), ("9 of", 81)):
        angle.focus()
        page.keyboard.type(text)
        line(page, "/figures/0/routine/1").locator(".line-key").click()
        assert keys(page, f"{TWIST}/angle") == [(0, found)]
    assert "is not a number" in page.locator("#problem-words").inner_text()


def test_the_key_stands_in_the_row_of_the_last_word(editor):
    page = editor(name="Pinwheel wall")
    found = "[...document.querySelectorAll('#panel-figures .unbroken')].map((one) => one.getClientRects().length)"
    rows = page.evaluate(found)
    assert len(rows) > 5
    assert set(rows) == {1}
    # What never moves has none.
    page.get_by_role("tab", name="Space").click()
    assert line(page, "/cameras/0").locator(".line-key").count() == 1
    assert line(page, "/clock").locator(".line-key").count() == 0


def test_what_swings_tells_why_it_is_not_keyed(editor):
    swinging = {"sort": "swing", "middle": 40, "amount": 5, "times": 1}
    page = editor(document(figure(step("sphere", radius=swinging), name="Ball")))
    page.locator(".line .value.live").focus()
    page.keyboard.press("k")
    assert page.locator("#problem-words").inner_text() == "radius swings: let it have keys among its settings first."
    assert page.saved()["figures"][0]["routine"][0]["settings"]["radius"] == swinging


def test_a_colour_is_keyed_between_its_keys_as_it_is_there(editor):
    page = editor(ball(colour=RED_TO_BLUE))
    live = page.locator(f".line .value.live[data-pointer='{COLOUR}']")
    until(page, "pirouette.store.state.lanes.length")
    page.evaluate("pirouette.store.seek(12)")
    # Halfway between red and blue as light, not as bytes.
    told = "document.querySelector('.line .value.live')?.getAttribute('aria-label')"
    until(page, f"{told} === 'colour, keyed, now #bc00bc'")
    assert live.locator(".swatch").evaluate("(one) => one.style.background") == "rgb(188, 0, 188)"
    assert page.locator("[data-lane-now]").inner_text() == "#bc00bc"
    live.focus()
    page.keyboard.press("k")
    assert keys(page, COLOUR) == [(0, "#ff0000"), (12, "#bc00bc"), (24, "#0000ff")]
    page.evaluate("pirouette.store.seek(18)")
    page.evaluate("pirouette.store.set({ open: '/figures/0/looks/0' })")
    entry = page.locator("#details [data-keyed]")
    until(page, "document.querySelector('#details .of-key button')?.textContent === 'Key here'")
    page.locator("#details .of-key button").click()
    between = dict(keys(page, COLOUR))[18]
    until(page, f"document.querySelector('#details [data-keyed]').value === '{between}'")
    assert entry.input_value() == between
    assert page.saved()["figures"][0]["looks"][0]["settings"]["colour"]["keys"][2]["frame"] == 18
    assert page.evaluate("pirouette.store.state.problem") is None


def test_a_lane_of_colours_shows_them_and_its_keys_in_time(editor):
    page = editor(ball(colour=RED_TO_BLUE))
    lane = page.locator(".lane", has_text="colour")
    band = lane.locator(".lane-colours span:not(.beyond)")
    band.wait_for(state="attached")
    drawn = band.evaluate("(one) => one.style.background")
    assert "rgb(255, 0, 0) 0%" in drawn
    assert "rgb(0, 0, 255) 100%" in drawn
    lane.locator(".lane-open").click()
    opened = lane.locator(".curve-editor .peg")
    opened.nth(1).wait_for()
    assert opened.count() == 2
    assert lane.get_by_role("button", name="Speed").count() == 0
    opened.nth(1).focus()
    page.keyboard.press("ArrowRight")
    until(page, "pirouette.store.valueAt('/figures/0/looks/0/settings/colour').keys[1].frame === 25")
    lane.get_by_label("after the keys").select_option("mirror")
    assert page.saved()["figures"][0]["looks"][0]["settings"]["colour"]["after"] == "mirror"
    # A fixed colour of a line is keyed by K as a number is.
    page = editor(ball())
    page.locator(f".line input.colour[data-pointer='{COLOUR}']").focus()
    page.keyboard.press("k")
    assert keys(page, COLOUR) == [(0, "#ff0000")]


def test_keys_and_colours_are_seen_where_the_system_gives_the_colours(editor):
    page = editor(ball(colour=RED_TO_BLUE))
    mean(page, COLOUR)
    page.locator(".line:hover .line-key").hover()
    seen = """() => {
      const key = getComputedStyle(document.querySelector(".line:hover .line-key"), "::before").backgroundColor;
      const value = getComputedStyle(document.querySelector(".to-key")).outlineStyle;
      const [band] = document.querySelectorAll(".lane-colours span:not(.beyond)");
      return [key, getComputedStyle(document.body).backgroundColor, value, getComputedStyle(band).backgroundImage];
    }"""
    until(page, "document.querySelector('.lane-colours span') && document.querySelector('.to-key')")
    plain = page.evaluate(seen)
    page.emulate_media(forced_colors="active")
    forced = page.evaluate(seen)
    page.emulate_media(forced_colors="none")
    assert plain[2] == "none"
    assert forced[0] != forced[1] != plain[1]
    assert forced[2] == "solid"
    assert forced[3] == plain[3] != "none"
