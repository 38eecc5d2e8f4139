"""What a person does with the mouse in the view, with several figures, and with files."""

import pytest

from tests.browser.conftest import boxes, until
from tests.scenes import clause, document, field, figure, formula, keyed, step

pytestmark = pytest.mark.browser
HUB = {"id": "hub", "name": "Hub", "place": {"position": [0, 0, 0]}}
SVG = '<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0 L10 0 L5 9 Z" fill="#e2553a"/></svg>'


def middle_of(page, handle):
    """Where a handle is on the page, once what was changed is drawn; that of an arc lies on its line."""
    until(page, "!pirouette.store.sending && !pirouette.store.hasUnsaved")
    page.evaluate("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
    page.locator(f'[data-handle="{handle}"]').first.wait_for(state="attached")
    return page.evaluate(
        """(handle) => {
          const element = document.querySelector(`[data-handle="${handle}"]`);
          const box = element.ownerSVGElement.getBoundingClientRect();
          if (element.classList.contains("arc")) {
            const at = element.getPointAtLength(element.getTotalLength() / 2);
            return [box.x + at.x, box.y + at.y];
          }
          const own = element.getBBox();
          return [box.x + own.x + own.width / 2, box.y + own.y + own.height / 2];
        }""",
        handle,
    )


def drag(page, handle, dx, dy, *, modifiers=()):
    x, y = middle_of(page, handle)
    for key in modifiers:
        page.keyboard.down(key)
    page.mouse.move(x, y)
    page.mouse.down()
    for part in range(1, 6):
        page.mouse.move(x + dx * part / 5, y + dy * part / 5)
    page.mouse.up()
    for key in modifiers:
        page.keyboard.up(key)


def opened(editor, pointer, *figures, **more):
    page = editor(document(*(figures or (figure(step("sphere", radius=20)),)), **more))
    page.evaluate("(pointer) => pirouette.store.set({ open: pointer })", pointer)
    return page


def test_a_guide_is_moved_along_its_axis_and_undone_as_one_step(editor):
    page = opened(editor, "/guides/0", guides=[HUB])
    drag(page, "move x", 90, 0)
    x, y, z = page.saved()["guides"][0]["place"]["position"]
    assert x > 20
    assert (y, z) == (0, 0)
    page.keyboard.press("Control+z")
    assert page.saved()["guides"][0]["place"]["position"] == [0, 0, 0]


def test_snapping_leads_to_round_numbers(editor):
    page = opened(editor, "/guides/0", guides=[HUB])
    page.get_by_role("button", name="Snap").click()
    drag(page, "move y", 0, -77)
    y = page.saved()["guides"][0]["place"]["position"][1]
    assert y > 10
    assert y % 10 == 0


def test_turning_and_scaling_write_rotation_and_scale(editor):
    page = opened(editor, "/guides/0", guides=[HUB])
    drag(page, "scale x", 30, 0)
    drag(page, "turn z", -40, -20)
    place = page.saved()["guides"][0]["place"]
    assert place["scale"][0] > 1.3
    assert place["scale"][1] == 1
    assert abs(place["rotation"][2]) > 10


def test_a_handle_moves_the_key_at_the_playhead(editor):
    moving = {**HUB, "place": {"position": [keyed((0, 0), (48, 100)), 0, 0]}}
    page = opened(editor, "/guides/0", guides=[moving])
    until(page, "pirouette.store.state.lanes.length")
    drag(page, "move x", 60, 0)
    keys = page.saved()["guides"][0]["place"]["position"][0]["keys"]
    assert [key["frame"] for key in keys] == [0, 48]
    assert keys[0]["value"] > 15
    assert keys[1]["value"] == 100


def test_a_region_shows_its_outline_and_is_resized(editor):
    gust = field("Gust", clause("region", size=[200, 200, 200]))
    page = opened(editor, "/fields/0/clauses/0", fields=[gust])
    assert page.locator(".handles .outline").count() >= 3
    drag(page, "scale y", 0, -30)
    size = page.saved()["fields"][0]["clauses"][0]["settings"]["size"]
    assert size[1] > 220
    assert size[0] == 200


def test_planes_sectors_and_nearness_are_dragged(editor):
    fields = [
        field("Slab", clause("between", start=-50, end=50)),
        field("Part", clause("angle", middle=180, width=90)),
        field("Close", clause("near", to="hub", within=20, fade=60)),
    ]
    page = opened(editor, "/fields/0/clauses/0", fields=fields, guides=[HUB])
    drag(page, "end", 50, 0)
    page.evaluate("pirouette.store.set({ open: '/fields/1/clauses/0' })")
    drag(page, "middle", 0, 60)
    page.evaluate("pirouette.store.set({ open: '/fields/2/clauses/0' })")
    drag(page, "within", 40, 0)
    slab, part, close = (one["clauses"][0]["settings"] for one in page.saved()["fields"])
    assert slab["end"] > 70
    assert 185 < part["middle"] < 270
    assert close["within"] > 35


def test_a_figure_picked_in_the_view_is_moved_by_its_handles(editor):
    page = editor(document(figure(step("sphere", radius=60))))
    [box] = boxes(page, "#canvas")
    page.mouse.click(box["x"] + box["width"] / 2 + 20, box["y"] + box["height"] / 2 + 20)
    drag(page, "move", 50, 30)
    x, y, _ = page.saved()["figures"][0]["place"]["position"]
    assert x > 10
    assert y < -5


def test_points_of_a_path_are_moved_added_and_made_smooth(editor):
    path = figure(step("path", nodes=[{"at": [-60, 0, 0]}, {"at": [60, 0, 0]}]), name="Rail")
    page = opened(editor, "/figures/0/routine/0", path)
    drag(page, "point 2", 0, -60)
    page.mouse.click(*middle_of(page, "add after 1"))
    page.locator('[data-handle="point 3"]').wait_for(state="attached")
    page.mouse.dblclick(*middle_of(page, "point 2"))
    nodes = page.saved()["figures"][0]["routine"][0]["settings"]["nodes"]
    assert nodes[2]["at"][1] > 15
    assert "leave" in nodes[1]


def test_the_region_of_a_deformer_is_moved_and_made_larger_from_as_long_as_the_shape(editor):
    twisted = figure(step("box", width=100, height=100, depth=100), step("twist", within="a region"), name="Crate")
    page = opened(editor, "/figures/0/routine/1", twisted)
    drag(page, "move y", 0, -40)
    drag(page, "scale y", 0, -30)
    settings = page.saved()["figures"][0]["routine"][1]["settings"]
    assert settings["position"][1] > 10
    assert settings["position"][::2] == [0, 0]
    # It was 0, as long as the shape: only along the axis that was dragged it has a size of its own now.
    assert settings["extent"][1] > 105
    assert settings["extent"][::2] == [0, 0]


def test_keyed_and_swinging_points_of_a_path_are_dragged_as_what_they_are(editor):
    swings = {"sort": "swing", "middle": 60, "amount": 0, "times": 1}
    keys = {"sort": "keyed", "keys": [{"frame": 0, "value": 0, "ease": "smooth"}]}
    path = figure(step("path", nodes=[{"at": [-60, 0, 0]}, {"at": [swings, keys, 0]}]), name="Rail")
    page = opened(editor, "/figures/0/routine/0", path)
    drag(page, "point 2", 30, -60)
    at = page.saved()["figures"][0]["routine"][0]["settings"]["nodes"][1]["at"]
    # Told from where it began, however many moves the pointer made.
    assert 65 < at[0]["middle"] < 110
    assert [key["frame"] for key in at[1]["keys"]] == [0]
    assert 20 < at[1]["keys"][0]["value"] < 80


def test_a_part_of_a_point_becomes_a_formula_in_the_details(editor):
    page = opened(editor, "/figures/0/routine/0", figure(step("path"), name="Rail"))
    page.get_by_label("How point 2 y changes").select_option("formula")
    page.get_by_text("handle after").first.click()
    page.get_by_label("How point 1 leave x changes").select_option("swing")
    nodes = page.saved()["figures"][0]["routine"][0]["settings"]["nodes"]
    assert nodes[1]["at"][1]["sort"] == "formula"
    assert nodes[0]["leave"][0]["sort"] == "swing"
    # The handle stays unfolded though the panel was made anew.
    assert page.get_by_label("How point 1 leave x changes").is_visible()


def test_points_of_a_path_are_typed_and_made_corners_in_the_details(editor):
    page = opened(editor, "/figures/0/routine/0", figure(step("path"), name="Rail"))
    page.get_by_role("spinbutton", name="point 2 y").focus()
    page.keyboard.press("Enter")
    page.keyboard.type("60/4")
    page.keyboard.press("Enter")
    nodes = page.saved()["figures"][0]["routine"][0]["settings"]["nodes"]
    assert [node["at"] for node in nodes] == [[-60, -20, 0], [0, 15, 0], [60, -20, 0]]
    page.get_by_role("button", name="Point 2: smooth").click()
    page.get_by_role("button", name="Remove point 1").click()
    nodes = page.saved()["figures"][0]["routine"][0]["settings"]["nodes"]
    assert nodes[0] == {"at": [0, 15, 0]}
    assert len(nodes) == 2
    assert page.evaluate(
        "[...document.querySelectorAll('.node .number')].every((one) => one.scrollWidth <= one.clientWidth)"
    )


def two():
    return [figure(step("box", width=20), name="A"), figure(step("box", width=30), step("twist"), name="B")]


def test_several_figures_get_one_value(editor):
    page = editor(document(*two()))
    page.get_by_role("button", name="A", exact=True).click()
    page.get_by_role("button", name="B", exact=True).click(modifiers=["Control"])
    page.locator('.recipe [data-pointer="/figures/0/routine/0/settings/width"]').focus()
    page.keyboard.type("55")
    page.keyboard.press("Enter")
    assert [one["routine"][0]["settings"]["width"] for one in page.saved()["figures"]] == [55, 55]


def test_several_figures_are_duplicated_and_removed_together(editor):
    page = editor(document(*two()))
    page.keyboard.press("Control+a")
    page.keyboard.press("Control+d")
    assert [one["name"] for one in page.saved()["figures"]] == ["A", "B", "A 2", "B 2"]
    page.keyboard.press("Delete")
    assert [one["name"] for one in page.saved()["figures"]] == ["A", "B"]


def test_a_figure_that_others_use_is_removed_with_what_refers_to_it(editor):
    page = editor(document(figure(step("box"), name="A"), figure(step("others", figures=["a"]), name="B")))
    page.get_by_role("button", name="A", exact=True).click()
    page.keyboard.press("Delete")
    (left,) = page.saved()["figures"]
    assert left["routine"][0]["settings"]["figures"] == []


def test_a_value_is_copied_with_its_formula(editor):
    page = editor(document(figure(step("box", width=formula("20 + 5 * wave(turn)"), height=7))))
    page.locator('.recipe [data-pointer="/figures/0/routine/0/settings/width"]').focus()
    page.keyboard.press("Control+c")
    page.locator('.recipe [data-pointer="/figures/0/routine/0/settings/height"]').focus()
    page.keyboard.press("Control+v")
    settings = page.saved()["figures"][0]["routine"][0]["settings"]
    assert settings["height"] == settings["width"]


def test_a_step_is_copied_into_every_selected_figure(editor):
    page = editor(document(*two()))
    page.evaluate("pirouette.store.select('figures', 'b')")
    page.evaluate("pirouette.store.set({ open: '/figures/1/routine/1' })")
    page.keyboard.press("Control+c")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+a")
    page.keyboard.press("Control+v")
    kinds = [[one["kind"] for one in made["routine"]] for made in page.saved()["figures"]]
    assert kinds == [["box", "twist"], ["box", "twist", "twist"]]


def test_a_file_dropped_on_the_page_becomes_a_figure(editor):
    page = editor(document())
    page.evaluate(
        """(text) => pirouette.drop.take([new File([text], "Paper bird.svg", { type: "image/svg+xml" })])""", SVG
    )
    until(page, "pirouette.store.document.figures.length === 1")
    until(page, "pirouette.viewport.header.drawables.length === 1")
    (made,) = page.saved()["figures"]
    assert made["name"] == "Paper bird"
    assert made["routine"][0] == {"id": "form", "kind": "artwork", "settings": {"file": "paper-bird.svg", "size": 200}}


def test_a_picture_brighter_than_white_that_is_dropped_becomes_a_light(editor):
    page = editor(document())
    page.evaluate(
        """() => {
          const head = new TextEncoder().encode("#?RADIANCE\\nFORMAT=32-bit_rle_rgbe\\n\\n-Y 2 +X 4\\n");
          const file = new File([head, new Uint8Array(32).fill(129)], "Wide room.hdr");
          return pirouette.drop.take([file]);
        }"""
    )
    until(page, "pirouette.store.document.lights.at(-1).kind === 'surroundings'")
    light = page.evaluate("pirouette.store.document.lights.at(-1)")
    assert (light["name"], light["settings"]) == ("Wide room", {"picture": "wide-room.hdr"})


def test_a_file_that_cannot_be_used_is_refused_in_words(editor):
    page = editor(document())
    page.evaluate("""() => pirouette.drop.take([new File(["MZ"], "virus.exe")])""")
    page.locator("#problem", has_text="is of no sort that can be used").wait_for()
    assert page.saved()["figures"] == []


def test_sources_are_chosen_by_their_pictures(editor):
    page = opened(
        editor, "/figures/1/routine/0", figure(step("box"), name="Crate"), figure(step("others"), name="Pile")
    )
    page.locator("#details").get_by_role("button", name="figure").click()
    assert page.locator("#found img.found-image").count() == 1
    page.keyboard.press("Enter")
    page.locator("#details .source", has_text="Crate").wait_for()
    assert page.saved()["figures"][1]["routine"][0]["settings"]["figures"] == ["crate"]


def test_a_typeface_is_chosen_and_words_are_typed(editor):
    page = opened(editor, "/figures/0/routine/0", figure(step("lettering")))
    page.locator("#details").get_by_role("button", name="typeface").click()
    page.keyboard.type("caveat")
    page.keyboard.press("Enter")
    words = page.locator("#details").get_by_label("text", exact=True)
    words.fill("Wind\nand string")
    words.blur()
    settings = page.saved()["figures"][0]["routine"][0]["settings"]
    assert settings == {"typeface": "caveat.woff2", "text": "Wind\nand string"}


def test_channels_are_switched_one_by_one(editor):
    page = opened(editor, "/figures/0/routine/2", figure(step("box"), step("row"), step("shift", place=[0, 9, 0])))
    page.locator("#details").get_by_role("button", name="place", exact=True).click()
    assert "place" not in page.saved()["figures"][0]["routine"][2]["settings"]["acts_on"]


def test_a_formula_is_shared_and_used_again(editor):
    page = opened(editor, "/figures/0/routine/0", figure(step("box", width=formula("20"), height=formula("3"))))
    page.locator("#details").get_by_role("button", name="Share").first.click()
    page.get_by_label("Use a shared formula").last.select_option("Formula 1")
    until(page, "pirouette.store.document.formulas?.length === 1")
    doc = page.saved()
    settings = doc["figures"][0]["routine"][0]["settings"]
    assert settings["width"]["shared"] == settings["height"]["shared"] == doc["formulas"][0]["id"]


def test_a_field_keeps_what_it_touched(editor):
    page = editor(document(figure(step("box")), fields=[field("Gust", clause("region"))]))
    page.get_by_role("tab", name="Fields").click()
    page.get_by_role("button", name="Gust", exact=True).click()
    page.get_by_label("what it does with what it touched").select_option("lets go")
    page.get_by_label("frames of letting go").wait_for()
    assert page.saved()["fields"][0]["after"] == {"then": "lets go"}


def test_a_note_is_mended_by_its_button(editor):
    spot = field("Spot", clause("region", size=[60, 60, 60]))
    page = editor(document(figure(step("box"), step("grid"), step("shift", "spot", place=[0, 1, 0])), fields=[spot]))
    page.get_by_role("button", name="Fit it").click()
    until(page, "!pirouette.store.state.notes.some((note) => note.code === 'field.small')")
    assert page.saved()["fields"][0]["clauses"][0]["settings"]["size"][0] > 400
