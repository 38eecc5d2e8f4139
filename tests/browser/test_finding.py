"""What people call a thing finds it, wherever it stands."""

import pytest

from tests.browser.conftest import until
from tests.scenes import clause, document, field, figure, step

pytestmark = pytest.mark.browser
# What is typed, and what must be among the first three that are found.
CALLED = {
    "rotate": "twist", "spin": "twist", "random": "shuffle", "mirror": "shift", "text": "lettering", "bloom": "glow",
    "glow": "glow", "fade": "fade", "formula": "rule", "export": "Render", "keyframe": "Key the focused value",
    "swing": "jiggle", "clone": "grid", "spring": "jiggle", "particles": "swarm", "hair": "strands", "wind": "gust",
    "boolean": "cut", "metaballs": "meld", "lens": "flare", "shortcuts": "All keys", "delete": "Remove",
    "area falloff": "region", "gradient": "tint", "depth of field": "opening of Camera", "fog": "haze of the frame",
    "frame rate": "fps of the clock", "history": "Earlier states of the scene",
    "shiny": "roughness of surface", "metallic": "metal of surface", "subsurface": "wax of surface",
    "motion blur": "shutter of Camera", "focal": "lens of Camera", "duration": "frames of the clock",
    "backdrop": "background of the frame", "emissive": "glow of surface", "reflection": "mirrors of surface",
    "angle twist": "angle of twist", "crate": "Crate", "gusts": "Gusts",
}  # fmt: skip


def seen(page):
    return [one.lower() for one in page.locator("#finder .found-title").all_inner_texts()]


def opened(editor):
    crate = figure(step("box"), step("twist"), name="Crate")
    page = editor(document(crate, fields=[field("Gusts", clause("region"))]))
    page.evaluate("pirouette.store.select('figures', 'crate')")
    page.keyboard.press("/")
    return page


def test_everything_is_found_by_what_people_call_it(editor):
    page = opened(editor)
    missed = {}
    for text, wanted in CALLED.items():
        page.locator("#finder input").fill(text)
        found = seen(page)[:3]
        if not any(one.startswith(wanted.lower()) for one in found):
            missed[text] = found
    assert not missed
    page.locator("#finder input").fill("gibberish")
    assert page.locator("#finder .none").inner_text() == "Nothing is called that."


def test_more_than_can_be_read_is_told_of(editor):
    page = opened(editor)
    assert page.locator("#finder [role=option]:not(.none)").count() == 60
    assert "more: type some of what it is called" in page.locator("#finder .none").inner_text()


def test_what_is_found_is_added_chosen_or_opened(editor):
    page = opened(editor)
    page.keyboard.type("bloom")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.document.finish.some((one) => one.kind === 'glow')")
    for text in ("wireframe", "lamp", "donut"):
        page.evaluate("pirouette.store.select('figures', 'crate')")
        page.locator("#canvas").focus()
        page.keyboard.press("/")
        page.keyboard.type(text)
        page.keyboard.press("Enter")
    saved = page.saved()
    assert [one["kind"] for one in saved["figures"][0]["looks"]] == ["surface", "wire"]
    assert saved["lights"][-1]["kind"] == "key"
    assert saved["figures"][-1]["routine"][0]["kind"] == "torus"
    page.locator("#canvas").focus()
    page.keyboard.press("/")
    page.keyboard.type("gusts")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.state.selection.id === 'gusts' && pirouette.store.state.tab === 'fields'")
    page.locator("#canvas").focus()
    page.keyboard.press("/")
    page.keyboard.type("beat")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.document.fields[0].clauses.length === 2")
    page.locator("#canvas").focus()
    page.keyboard.press("/")
    page.keyboard.type("twist")
    page.keyboard.press("Enter")
    page.get_by_text("Select a figure first: it is added to that.").wait_for()


def test_a_setting_that_is_found_has_the_focus(editor):
    page = opened(editor)
    page.keyboard.type("angle twist")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.state.open === '/figures/0/routine/1'")
    until(page, "document.activeElement.dataset.pointer === '/figures/0/routine/1/settings/angle'")
    page.locator("#canvas").focus()
    page.keyboard.press("/")
    page.keyboard.type("haze distance")
    page.keyboard.press("Enter")
    until(
        page,
        "pirouette.store.state.tab === 'space' && document.activeElement.dataset.pointer === '/frame/haze_distance'",
    )
