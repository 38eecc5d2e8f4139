"""Time in the real page: recording, lanes, curves, the seam's mends, names in formulas."""

import pytest

from tests.browser.conftest import boxes, until, wait_for_lane
from tests.scenes import document, figure, formula, keyed, step

pytestmark = pytest.mark.browser
TURN = "/figures/0/place/rotation/1"
ANGLE = "/figures/0/routine/1/settings/angle"


def crate(turn=0, *steps):
    return document(figure(step("box", width=60), *steps, name="Crate", place={"rotation": [0, turn, 0]}))


def keys(page, pointer):
    return page.evaluate(f"pirouette.store.valueAt('{pointer}').keys.map((key) => [key.frame, key.value, key.ease])")


def scrub(page, pointer, by):
    (box,) = boxes(page, f'.recipe [data-pointer="{pointer}"].value')
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    for k in range(1, 5):
        page.mouse.move(x + by * k / 4, y)
    page.mouse.up()


def test_a_recorded_move_is_made_linear_and_closed_by_its_mend_and_plays_over_the_seam(editor):
    page = editor(crate(0, step("twist", angle=0)))
    page.keyboard.press("Shift+K")
    assert page.get_by_role("button", name="Recording").get_attribute("aria-pressed") == "true"
    page.evaluate("pirouette.store.seek(95)")
    scrub(page, ANGLE, 120)
    wait_for_lane(page, ANGLE)
    recorded = keys(page, ANGLE)
    assert [frame for frame, _, _ in recorded] == [0, 95]
    assert recorded[0][1] == 0
    assert recorded[1][1] > 20
    # The same value is dragged again at another frame: another key of the same lane.
    page.evaluate("pirouette.store.seek(40)")
    scrub(page, ANGLE, -60)
    until(page, f"pirouette.store.valueAt('{ANGLE}').keys.length === 3")
    page.keyboard.press("Shift+K")
    lane = page.locator(f'[data-lane="{ANGLE}"].lane')
    lane.get_by_role("button", name="Open the curve").click()
    lane.get_by_role("button", name="All linear").click()
    until(page, f"pirouette.store.valueAt('{ANGLE}').keys.every((key) => key.ease === 'linear')")
    until(page, "pirouette.store.state.seam?.state === 'open'")
    page.locator("#seam").click()
    page.locator("#seam-list li", has_text="twist · angle").get_by_role("button").first.click()
    until(page, "pirouette.store.state.seam?.state === 'closed'")
    assert page.locator("#seam").inner_text().startswith("Loop closes")
    page.evaluate("pirouette.store.seek(90)")
    until(page, "pirouette.store.state.held.size === 96")
    page.keyboard.press("Escape")
    page.evaluate("pirouette.store.set({ playing: true })")
    until(page, "pirouette.store.state.frame < 60")
    page.keyboard.press("Control+z")
    until(page, "pirouette.store.state.seam?.state === 'open'")


def test_several_keys_are_chosen_by_a_frame_and_moved_eased_stretched_and_pasted(editor):
    page = editor(crate(keyed((0, 0), (20, 50), (60, 10))))
    wait_for_lane(page, TURN)
    peg = f'.peg[data-lane="{TURN}"]'
    box, first, second = boxes(page, ".lane-rows", peg, f"{peg} ~ {peg}")
    page.mouse.move(first["x"] - 12, box["y"] + box["height"] - 6)
    page.mouse.down()
    page.mouse.move(second["x"] + 12, first["y"] - 4, steps=4)
    page.mouse.up()
    assert page.locator(".peg.picked").count() == 2
    page.locator(".key-tools").get_by_role("button", name="smooth").click()
    until(page, f"pirouette.store.valueAt('{TURN}').keys[1].ease === 'smooth'")
    assert [ease for *_, ease in keys(page, TURN)] == ["smooth", "smooth", "linear"]
    page.locator(".key-tools").get_by_role("button", name="×2").click()
    until(page, f"pirouette.store.valueAt('{TURN}').keys[1].frame === 40")
    page.locator(".peg.picked").first.focus()
    page.keyboard.press("ArrowRight")
    until(page, f"pirouette.store.valueAt('{TURN}').keys[0].frame === 1")
    assert [frame for frame, *_ in keys(page, TURN)] == [1, 41, 60]
    page.locator(".peg.picked").first.focus()
    page.keyboard.press("Control+c")
    page.evaluate("pirouette.store.seek(70)")
    page.locator(".peg.picked").first.focus()
    page.keyboard.press("Control+v")
    until(page, f"pirouette.store.valueAt('{TURN}').keys.length === 5")
    assert [frame for frame, *_ in page.saved()["figures"][0]["place"]["rotation"][1]["keys"] and keys(page, TURN)] == [
        1, 41, 60, 70, 110,
    ]  # fmt: skip


def test_a_curve_takes_typed_numbers_dragged_keys_and_handles(editor):
    page = editor(crate(keyed((0, 0), (48, 90), (96, 0))))
    wait_for_lane(page, TURN)
    lane = page.locator(f'.lane[data-lane="{TURN}"]')
    lane.get_by_role("button", name="Open the curve").click()
    lane.locator(".dot").nth(1).click()
    until(page, "document.querySelector('.curve-controls input') !== null")
    value = lane.get_by_label("value of the key")
    value.fill("360/8")
    value.press("Tab")
    until(page, f"pirouette.store.valueAt('{TURN}').keys[1].value === 45")
    lane.locator(".dot").nth(1).focus()
    page.keyboard.press("b")
    until(page, f"pirouette.store.valueAt('{TURN}').keys[1].ease === 'handles'")
    (knob,) = boxes(page, f'.lane[data-lane="{TURN}"] .knob')
    page.mouse.move(knob["x"] + 4, knob["y"] + 4)
    page.mouse.down()
    page.mouse.move(knob["x"] + 4, knob["y"] + 34, steps=4)
    page.mouse.up()
    until(page, f"Math.abs(pirouette.store.valueAt('{TURN}').keys[1].leave[1]) > 1")
    lane.get_by_label("after the keys").select_option("repeat")
    until(page, f"pirouette.store.valueAt('{TURN}').after === 'repeat'")
    lane.get_by_role("button", name="Speed").click()
    lane.locator(".dot").first.wait_for(state="detached")
    assert page.saved()["figures"][0]["place"]["rotation"][1]["after"] == "repeat"


def test_long_scenes_are_zoomed_and_scrolled(editor):
    raw = crate(keyed((0, 0), (400, 90), (1000, 360)))
    page = editor({**raw, "clock": {"frames": 1000}})
    wait_for_lane(page, TURN)
    assert page.locator(f'.peg[data-lane="{TURN}"]').count() == 3
    (box,) = boxes(page, ".ruler")
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 60)
    page.keyboard.down("Control")
    for _ in range(6):
        page.mouse.wheel(0, -240)
    page.keyboard.up("Control")
    assert page.locator(f'.peg[data-lane="{TURN}"]').count() < 3
    marks = [int(text) for text in page.locator(".ruler span").all_inner_texts()]
    assert marks[-1] - marks[0] < 400
    page.locator(".lane-tools").get_by_role("button", name="Fit").click()
    assert page.locator(f'.peg[data-lane="{TURN}"]').count() == 3


def test_renaming_a_thing_renames_it_in_formulas(editor):
    raw = document(
        figure(step("sphere", radius=30), name="Ball"),
        figure(step("box", width=formula("2 * {Ball.sphere.radius}")), name="Reader"),
    )
    page = editor(raw)
    page.locator('[data-figure="ball"] .card-name').dblclick()
    name = page.get_by_label("Name", exact=True)
    name.fill("Moon")
    name.press("Enter")
    saved = page.saved()
    assert saved["figures"][0]["name"] == "Moon"
    assert saved["figures"][1]["routine"][0]["settings"]["width"]["text"] == "2 * {Moon.sphere.radius}"
    page.keyboard.press("Control+z")
    until(page, "pirouette.store.document.figures[0].name === 'Ball'")
    assert page.saved()["figures"][1]["routine"][0]["settings"]["width"]["text"] == "2 * {Ball.sphere.radius}"


def test_a_double_start_does_not_play_twice(editor):
    page = editor(crate(keyed((0, 0), (96, 360))))
    until(page, "pirouette.store.state.held.size === 96")
    page.evaluate("() => { for (const playing of [true, false, true]) pirouette.store.set({ playing }); }")
    page.wait_for_timeout(1500)
    now = "[pirouette.playback.shown, performance.now() / 1000]"
    shown, began = page.evaluate(now)
    page.wait_for_timeout(1000)
    later, ended = page.evaluate(now)
    # One that plays shows at most a frame for each that is due; two would show as many again.
    assert 0 < later - shown <= 24 * (ended - began) + 2


def test_what_plays_once_begins_again_where_it_has_ended(editor):
    page = editor({**crate(keyed((0, 0), (12, 360))), "clock": {"frames": 12, "loops": False}})
    until(page, "pirouette.store.state.held.size === 12")
    page.evaluate("() => { window.seen = []; pirouette.store.on('frame', ({ frame }) => window.seen.push(frame)); }")
    page.locator("#canvas").focus()
    for _ in range(2):
        page.keyboard.press("Space")
        until(page, "window.seen.at(-1) === 11 && !pirouette.store.state.playing")
        seen = page.evaluate("window.seen.splice(0)")
        assert seen == sorted(seen)
        assert min(seen) < 4


def test_a_contact_sheet_shows_the_loop_and_leads_to_its_frames(editor):
    page = editor(crate(keyed((0, 0), (96, 360))))
    page.keyboard.press("Shift+P")
    page.locator("#sheet-dialog").get_by_role("button", name="8 frames", exact=True).click()
    page.locator("#sheet-dialog img[alt='Frame 84']").wait_for()
    assert [int(text) for text in page.locator(".sheet-frame .mono").all_inner_texts()] == list(range(0, 96, 12))
    page.get_by_title("Go to frame 36").click()
    until(page, "pirouette.store.state.frame === 36")


def test_the_frame_has_presets_and_safe_areas_within_it(editor):
    page = editor(crate())
    page.get_by_role("tab", name="Space").click()
    page.get_by_role("button", name="Vertical").click()
    until(page, "pirouette.viewport.header.background.height === 1920")
    page.keyboard.press("a")
    outer, inner = boxes(page, "#safe-areas > div", "#safe-areas > div ~ div")
    assert abs(outer["width"] / outer["height"] - 1080 / 1920) < 0.02
    assert abs(inner["height"] / outer["height"] - 8 / 9) < 0.02
    assert page.saved()["frame"]["width"] == 1080


def test_the_way_of_a_moving_thing_is_drawn_with_its_keys(editor):
    raw = crate()
    raw["figures"][0]["place"]["position"] = [keyed((0, -100), (30, 100), (96, -100)), 40, 0]
    page = editor(raw)
    until(page, "pirouette.store.state.held.size === 96")
    page.evaluate("pirouette.store.set({ open: '/figures/0' })")
    until(page, "document.querySelectorAll('.handles .way-key').length === 2")
    way, handle = boxes(page, ".handles .way", ".handles")
    assert way["width"] > 100
    assert way["height"] < 8
    assert handle["y"] < way["y"] < handle["y"] + handle["height"] / 2
    # The lights have no handles but the key's: with nothing of the figure chosen, its way is not drawn.
    page.evaluate("pirouette.store.set({ open: '/lights/0', selection: null, grip: null })")
    until(page, "!document.querySelector('.handles:not([hidden]) .way')")


def test_a_work_area_plays_a_stretch_over_and_over(editor):
    page = editor(crate(keyed((0, 0), (96, 360))))
    until(page, "pirouette.store.state.held.size === 96")
    page.evaluate("pirouette.store.seek(20)")
    page.keyboard.press("i")
    page.evaluate("pirouette.store.seek(29)")
    page.keyboard.press("o")
    assert page.evaluate("pirouette.store.stretch") == [20, 30]
    assert page.evaluate("document.querySelector('.ring-work').getAttribute('d').length") > 10
    page.evaluate(
        """() => {
          Object.assign(globalThis, { seen: new Set(), turns: 0, before: 0 });
          pirouette.store.on("frame", () => {
            const { frame } = pirouette.store.state;
            turns += frame < before;
            before = frame;
            seen.add(frame);
          });
        }"""
    )
    page.keyboard.press(" ")
    # However slowly it is drawn, at some time it has shown most of them, and not only once.
    until(page, "seen.size >= 6 && globalThis.turns >= 2")
    page.keyboard.press(" ")
    seen = page.evaluate("[...seen]")
    assert min(seen) >= 20
    assert max(seen) < 30
    page.keyboard.press("u")
    assert page.evaluate("pirouette.store.stretch") == [0, 96]


def test_a_key_that_passes_another_stays_chosen(editor):
    page = editor(crate(keyed((0, 0), (55, 50), (60, 10))))
    wait_for_lane(page, TURN)
    page.get_by_label("Key of Crate rotation y: 50 at frame 55").focus()
    page.keyboard.press("Alt+ArrowRight")
    until(page, f"pirouette.store.valueAt('{TURN}').keys[2].frame === 65")
    page.locator(".peg.picked").focus()
    page.keyboard.press("ArrowLeft")
    until(page, f"pirouette.store.valueAt('{TURN}').keys[2].frame === 64")
    assert [key[:2] for key in keys(page, TURN)] == [[0, 0], [60, 10], [64, 50]]
    assert "picked" not in str(page.saved())


def test_escape_leaves_a_field_as_it_was(editor):
    page = editor(crate(keyed((0, 0), (60, 10))))
    page.evaluate("pirouette.store.set({ open: '/figures/0' })")
    field_ = page.get_by_label("rotation y at frame 0")
    field_.click()
    field_.fill("77")
    field_.press("Escape")
    assert page.evaluate("document.activeElement === document.body")
    assert field_.input_value() == "0"
    page.keyboard.press(".")
    until(page, "pirouette.store.state.frame === 1")
    assert [key[:2] for key in keys(page, TURN)] == [[0, 0], [60, 10]]


def test_the_sentences_tell_the_values_of_the_shown_frame(editor):
    page = editor(crate(0, step("twist", angle=keyed((0, 0), (40, 80)))))
    wait_for_lane(page, ANGLE)
    value = page.locator(f'.recipe [data-pointer="{ANGLE}"].value')
    until(page, "document.querySelector('.recipe .value.live').textContent === '0°'")
    page.evaluate("pirouette.store.seek(10)")
    assert value.inner_text() == "20°"
    page.evaluate("pirouette.store.seek(90)")
    assert value.inner_text() == "80°"
    # While one scrubs nobody reads so fast: a few of them are told, and the last one.
    told = page.evaluate_handle(
        """() => {
          const told = [];
          const value = document.querySelector('.recipe .value.live');
          new MutationObserver(() => told.push(value.textContent)).observe(value, { childList: true });
          for (let frame = 0; frame <= 20; frame += 1) setTimeout(() => pirouette.store.scrub(frame), 10 * frame);
          return told;
        }"""
    )
    page.wait_for_function("(told) => told.at(-1) === '40°'", arg=told)
    assert len(told.json_value()) < 10


def test_hundreds_of_lanes_are_filled_as_they_come_into_sight(editor):
    wave = {"sort": "swing", "middle": 0, "amount": 30, "times": 1}
    places = {"position": [wave, keyed((0, 0), (50, 9)), wave], "rotation": [wave, wave, 0]}
    page = editor(document(*[figure(step("plane"), name=f"Tile{k}", place=places) for k in range(50)]))
    until(page, "pirouette.store.state.lanes.length === 250")
    assert page.locator(".lane").count() == 250
    assert page.locator(".lane-curve").count() < 30
    last = page.locator(".lane").last
    assert last.locator(".lane-curve").count() == 0
    last.locator(".lane-name").focus()
    last.locator(".lane-curve").wait_for()
    page.evaluate("pirouette.store.seek(24)")
    assert last.locator(".lane-now").inner_text() == "30"
    # Keys out of sight are reached by going there, and stay chosen when the lanes are shown again.
    row = page.locator(".lane", has_text="Tile49 · position y")
    row.locator(".peg").last.click()
    page.locator(".lane-rows").evaluate("(rows) => rows.scrollTo(0, 0)")
    page.keyboard.press("Home")
    page.evaluate("pirouette.store.setValue('/figures/0/place/scale', [2, 1, 1])")
    page.locator(".lane-rows").evaluate("(rows) => rows.scrollTo(0, rows.scrollHeight)")
    row.locator(".peg.picked").wait_for()


def test_one_may_scroll_away_from_the_playhead(editor):
    page = editor(crate(keyed((0, 0), (96, 360))))
    wait_for_lane(page, TURN)
    for _ in range(4):
        page.keyboard.press("+")
    first = page.locator(".ruler span").first
    assert first.inner_text() == "0"
    (box,) = boxes(page, ".ruler")
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 60)
    page.mouse.wheel(2000, 0)
    until(page, "Number(document.querySelector('.ruler span').textContent) > 30")
    page.evaluate("pirouette.store.seek(1)")
    assert first.inner_text() in ("0", "1")


def test_a_key_is_set_and_removed_at_the_frame_that_is_shown(editor):
    page = editor(document(figure(step("box", width=keyed((0, 10), (24, 90))), name="Stone")))
    page.evaluate("pirouette.store.set({ open: '/figures/0/routine/0' })")
    button = page.locator("#details .of-key button")
    assert button.inner_text() == "Remove key"
    page.evaluate("pirouette.store.seek(12)")
    until(page, "document.querySelector('#details .of-key button').textContent === 'Key here'")
    button.click()
    frames = lambda: [  # noqa: E731
        key["frame"] for key in page.saved()["figures"][0]["routine"][0]["settings"]["width"]["keys"]
    ]
    assert frames() == [0, 12, 24]
    page.evaluate("pirouette.store.seek(24)")
    page.wait_for_timeout(200)
    button.click()
    assert frames() == [0, 12]


def test_nothing_is_said_of_what_moves_before_that_is_known(editor, page):
    page.route("**/checks?*", lambda route: None)
    said = editor(crate(keyed((0, 0), (48, 90), (96, 0)))).get_by_text("Nothing moves by keys")
    page.wait_for_timeout(300)
    assert said.count() == 0
    page.unroute_all()
    editor(crate(0)).get_by_text("Nothing moves by keys").wait_for()
