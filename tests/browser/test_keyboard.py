"""The work on time by the keyboard alone."""

import pytest

from tests.browser.conftest import until, wait_for_lane
from tests.browser.test_time import ANGLE, TURN, crate, keys
from tests.scenes import clause, document, field, figure, keyed, step

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
    until(page, "pirouette.store.state.held.size === 96")
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


WIDTH = "/figures/0/routine/0/settings/width"


@pytest.mark.parametrize(("wait", "pace"), [(0, 0), (0, 150), (120, 60), (220, 0), (220, 400), (350, 150)])
def test_a_number_is_typed_exactly_at_any_pace_with_its_settings_open(typing, wait, pace):
    page = typing
    value = page.locator(f'#panel-figures [data-pointer="{WIDTH}"]')
    value.click()
    page.wait_for_timeout(wait)
    page.keyboard.type("573", delay=pace)
    page.keyboard.press("Enter")
    until(page, f"pirouette.store.valueAt('{WIDTH}') === 573")
    assert page.locator("input.typed").count() == 0
    page.evaluate(f"pirouette.store.setValue('{WIDTH}', 100)")
    page.wait_for_timeout(300)


@pytest.fixture(scope="module")
def typing_scene():
    return document(figure(step("box", width=100), name="Box"))


@pytest.fixture
def typing(editor, typing_scene):
    page = editor(typing_scene)
    page.locator(".line-open").first.click()
    page.locator("#details").get_by_label("width").first.wait_for()
    return page


def two_things():
    clauses = [clause("region"), clause("noise")]
    crate = figure(step("box"), step("twist", angle=20), step("bend"), name="Crate")
    return document(crate, figure(step("sphere"), name="Ball"), fields=[field("Gust", *clauses)])


def kinds(page):
    return [[one["kind"] for one in figure["routine"]] for figure in page.saved()["figures"]]


def test_delete_takes_what_has_the_focus(editor):
    page = editor(two_things())
    until(page, "pirouette.store.state.lanes !== null")
    # With a step open and the focus on another line's switch, that line goes.
    page.evaluate("pirouette.store.set({ open: '/figures/0/routine/1' })")
    page.locator('[data-focus="/figures/0/routine/2 switch"]').focus()
    page.keyboard.press("Delete")
    assert kinds(page) == [["box", "twist"], ["sphere"]]
    # "+ step" is nothing that could be removed or doubled.
    page.locator('[data-focus="/figures/0 add"]').focus()
    page.keyboard.press("Delete")
    page.keyboard.press("Control+d")
    assert kinds(page) == [["box", "twist"], ["sphere"]]
    # A card's name stands for its figure.
    page.get_by_role("button", name="Ball", exact=True).focus()
    page.keyboard.press("Delete")
    assert kinds(page) == [["box", "twist"]]


def test_delete_takes_what_is_chosen_in_the_tab_that_is_shown(editor):
    page = editor(two_things())
    page.get_by_role("tab", name="Space").click()
    page.locator("#canvas").focus()
    page.keyboard.press("Delete")
    assert kinds(page) == [["box", "twist", "bend"], ["sphere"]]
    page.get_by_role("tab", name="Fields").click()
    page.get_by_role("button", name="Gust", exact=True).click()
    page.locator('[data-focus="/fields/0/clauses/1 switch"]').focus()
    page.keyboard.press("Delete")
    until(page, "pirouette.store.document.fields[0].clauses.length === 1")
    page.locator("#canvas").focus()
    page.keyboard.press("Delete")
    until(page, "pirouette.store.document.fields.length === 0")
    assert kinds(page) == [["box", "twist", "bend"], ["sphere"]]


def test_undo_chooses_again_what_was_chosen(editor):
    page = editor(two_things())
    page.get_by_role("button", name="Ball", exact=True).click()
    page.keyboard.press("Delete")
    until(page, "pirouette.store.document.figures.length === 1")
    page.get_by_role("tab", name="Space").click()
    page.keyboard.press("Control+z")
    until(page, "pirouette.store.document.figures.length === 2")
    until(page, "pirouette.store.state.selection?.id === 'ball' && pirouette.store.state.tab === 'figures'")


def test_coming_back_shows_the_scene_as_it_is_and_takes_the_next_edit(editor):
    page = editor(document(figure(step("box", width=100), name="Box")))
    page.evaluate(f"pirouette.store.setValue('{WIDTH}', 140)")
    until(page, "!pirouette.store.state.saving")
    page.goto(page.url.split("/scenes/")[0])
    page.go_back()
    page.wait_for_function(f"window.pirouette?.store.valueAt('{WIDTH}') === 140")
    page.evaluate(f"pirouette.store.setValue('{WIDTH}', 150)")
    assert page.saved()["figures"][0]["routine"][0]["settings"]["width"] == 150


def test_what_is_focused_beside_the_lanes_stays_focused_when_they_are_shown_anew(editor):
    page = editor(crate(keyed((0, 0), (40, 90))))
    wait_for_lane(page, TURN)
    page.locator("#canvas").focus()
    page.keyboard.press("+")
    fit = page.get_by_role("button", name="Fit")
    fit.focus()
    fit.evaluate("(button) => (window.before = button)")
    page.evaluate("pirouette.store.set({ recording: true })")
    until(page, "!before.isConnected")
    assert page.evaluate("document.activeElement.textContent") == "Fit"
    page.keyboard.press("Enter")
    until(page, "document.querySelector('.ruler span:last-child').textContent === '96'")


def test_a_word_typed_in_a_choice_leads_to_what_begins_with_it_at_any_pace(editor):
    """Each letter chooses and is an edit; what answers it must not make the next letter the first of another word."""
    fields = [field("Field", clause("near", id="a")), field("Fern", clause("near", id="b"))]
    page = editor(document(figure(step("box", id="box"), step("shift", id="shift")), fields=fields))
    page.evaluate("pirouette.store.set({ open: '/figures/0/routine/1' })")
    tab_to(page, "only-where")
    chosen = "pirouette.store.valueAt('/figures/0/routine/1/only_where')"
    for letter in "Fern":
        page.keyboard.press(letter)
        page.wait_for_timeout(150)
        page.saved()
    assert page.evaluate(chosen) == "fern"
    # A moment after the last letter the settings show what has been answered, and the choice has the focus still.
    typed = page.evaluate_handle("document.activeElement")
    page.wait_for_function("(typed) => !typed.isConnected && document.activeElement.id === 'only-where'", arg=typed)
