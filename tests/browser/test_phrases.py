"""Phrases on the page: steps are kept, put into scenes as one line, opened, changed and taken apart."""

import re

import pytest

from tests.browser.conftest import boxes, until
from tests.browser.test_everyone import AXE, serious_in
from tests.scenes import clause, document, field, figure, keyed, step

pytestmark = pytest.mark.browser


def wall():
    return document(
        figure(
            step("box", width=30),
            step("grid", columns=2, rows=1),
            step("twist", "gust", angle=keyed((0, 0), (96, 80))),
            step("shift", place=[0, 0, 9]),
            name="Wall",
        ),
        fields=[field("Gust", clause("region", size=[90, 90, 90]))],
    )


def figure_of(page, index=0) -> dict:
    return page.evaluate("(index) => pirouette.store.document.figures[index]", index)


def kinds(page, index=0) -> list[str]:
    return [one["kind"] for one in figure_of(page, index)["routine"]]


def lines(page) -> list[str]:
    """What stands in the open card, each line by its first word."""
    return [text.split()[0].strip(":") for text in page.locator(".card.selected > .lines .line").all_inner_texts()]


def put(page, words):
    page.keyboard.press("/")
    page.keyboard.type(words)
    page.keyboard.press("Enter")
    page.locator(".line.phrase").first.wait_for()


def test_steps_are_kept_with_the_values_one_chose_and_put_into_another_scene(editor, studio):
    page = editor(wall())
    page.locator(".line[data-pointer$='routine/2'] .line-open").click()
    page.locator("#canvas").focus()
    page.keyboard.press("s")
    dialog = page.locator("#phrase-dialog")
    # From the step that is open on.
    assert dialog.locator("[name=first]").input_value() == "2"
    dialog.locator("[name=name]").fill("Turned by the gust")
    dialog.locator("[name=says]").fill("It turns where the gust is.")
    dialog.locator("li[data-value='routine/shift/settings/place/2'] [type=checkbox]").check()
    row = dialog.locator("li[data-value='routine/shift/settings/place/2']")
    row.locator("input").nth(1).fill("forward")
    row.locator("input").nth(2).fill("9")
    row.locator("input").nth(3).fill("3")
    dialog.locator("li[data-value='/fields/gust/clauses/region/settings/size/0'] [type=checkbox]").check()
    dialog.get_by_role("button", name="Keep").click()
    # What is wrong is told there, and nothing is lost.
    assert "forward: the least must be below the most" in dialog.locator(".problem").inner_text()
    row.locator("input").nth(3).fill("90")
    dialog.get_by_role("button", name="Keep").click()
    dialog.wait_for(state="hidden")
    assert "offers it in every scene" in page.locator("#said").inner_text()

    page = editor(document(figure(step("cone"), name="Other")))
    until(page, "pirouette.store.phrases.some(({ name }) => name === 'Turned by the gust')")
    page.get_by_role("button", name="step", exact=True).click()
    found = page.locator("#finder [role=option]").filter(has_text="Turned by the gust")
    # Seen by its picture before anything is typed.
    found.scroll_into_view_if_needed()
    until(
        page,
        "(name) => [...document.querySelectorAll('#finder li')]"
        ".find((one) => one.textContent === name).querySelector('img').naturalWidth === 2880",
        "Turned by the gust",
    )
    found.click()
    line = page.locator(".line.phrase")
    line.wait_for()
    assert re.sub(r"\s+", " ", line.inner_text()).startswith("Turned by the gust: forward 9, size x 90")
    assert kinds(page) == ["cone", "twist", "shift"]
    assert page.saved()["fields"][0]["name"] == "Gust"
    # It is one line, whose values are those of the steps.
    assert lines(page) == ["Cone", "Turned"]
    line.locator("[role=spinbutton]").first.focus()
    page.keyboard.press("ArrowUp")
    assert figure_of(page)["routine"][2]["settings"]["place"][2] > 9
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    until(page, "!pirouette.store.document.figures[0].phrases?.length")
    assert kinds(page) == ["cone"]
    studio.get("/api/phrases")


def test_a_phrase_opens_into_its_steps_and_folds_again(editor):
    page = editor(wall())
    put(page, "break and burst")
    assert lines(page) == ["Box", "Repeat", "Twist", "Shift", "Break"]
    grip = page.locator(".line.phrase .line-icon")
    grip.focus()
    page.keyboard.press("Enter")
    assert grip.get_attribute("aria-expanded") == "true"
    assert lines(page) == ["Box", "Repeat", "Twist", "Shift", "Break", "Break", "Burst", "Drift"]
    # What is put after one of its steps belongs to it; what is put after another does not.
    page.locator(".phrase-steps .line").nth(1).locator(".line-open").click()
    page.locator("[data-focus='/figures/0 add']").click()
    page.keyboard.type("relax")
    page.keyboard.press("Enter")
    phrases = [one.get("phrase") for one in figure_of(page)["routine"]]
    assert phrases == [None] * 4 + ["break-and-burst"] * 4
    page.locator(".line.phrase .line-icon").click()
    assert lines(page) == ["Box", "Repeat", "Twist", "Shift", "Break"]
    # An open step of it is seen.
    page.evaluate("pirouette.store.set({ open: '/figures/0/routine/5' })")
    assert page.locator(".phrase-steps .line.open").count() == 1


def test_who_is_quick_finds_all_phrases_and_a_busy_server_tells_them_later(editor):
    page = editor(wall())
    asked = []
    page.route("**/api/phrases", lambda route: asked.append(route))
    page.reload(wait_until="domcontentloaded")
    page.wait_for_timeout(1500)
    # They are asked for with the page, and nobody can look for anything before all that may be found is there.
    (route,) = asked
    assert not page.evaluate("Boolean(window.pirouette)")
    route.continue_()
    until(page, "window.pirouette")
    put(page, "break and burst")
    page.unroute_all()

    def refuse(route):
        asked.append(route)
        if len(asked) > 1 + 2:
            return route.continue_()
        return route.fulfill(status=503, json={"message": "The database is busy, or the disk is full."})

    page.route("**/api/phrases", refuse)
    page.reload()
    until(page, "window.pirouette && pirouette.store.phrases.length")
    assert len(asked) == 1 + 3


def test_a_phrase_is_moved_as_one_and_others_pass_over_it(editor):
    page = editor(wall())
    put(page, "break and burst")
    page.locator(".line.phrase .line-icon").focus()
    page.keyboard.press("Alt+ArrowUp")
    assert kinds(page) == ["box", "grid", "twist", "shards", "burst", "drift", "shift"]
    page.keyboard.press("Alt+ArrowUp")
    assert kinds(page) == ["box", "grid", "shards", "burst", "drift", "twist", "shift"]
    # The focus has gone with it.
    page.keyboard.press("Alt+ArrowDown")
    assert kinds(page) == ["box", "grid", "twist", "shards", "burst", "drift", "shift"]
    page.locator("[data-focus='/figures/0/routine/6 switch']").focus()
    page.keyboard.press("Alt+ArrowUp")
    assert kinds(page) == ["box", "grid", "twist", "shift", "shards", "burst", "drift"]
    # By the pointer, to above the grid.
    grip, twist = boxes(page, ".line.phrase .line-icon", ".line[data-pointer='/figures/0/routine/2']")
    page.mouse.move(grip["x"] + 6, grip["y"] + 6)
    page.mouse.down()
    page.mouse.move(grip["x"] + 6, twist["y"] + 10, steps=4)
    page.mouse.move(grip["x"] + 6, twist["y"] + 2, steps=2)
    page.mouse.up()
    until(page, "pirouette.store.document.figures[0].routine[2].kind === 'shards'")
    assert kinds(page) == ["box", "grid", "shards", "burst", "drift", "twist", "shift"]
    assert page.saved()["figures"][0]["routine"][2]["phrase"] == "break-and-burst"


def test_what_a_phrase_shows_is_changed_and_it_is_taken_apart(editor):
    page = editor(wall())
    put(page, "break and burst")
    page.locator(".line.phrase").hover()
    page.locator(".line.phrase .line-open").click()
    dialog = page.locator("#phrase-dialog")
    dialog.locator("[name=name]").fill("Smashed")
    dialog.locator("li[data-value$='burst/settings/spin'] [type=checkbox]").uncheck()
    dialog.get_by_role("button", name="Change").click()
    dialog.wait_for(state="hidden")
    assert re.sub(r"\s+", " ", page.locator(".line.phrase").inner_text()).startswith("Smashed: pieces 92, flung 150")
    assert "spin" not in page.locator(".line.phrase").inner_text()
    page.locator(".line.phrase").hover()
    page.locator(".line.phrase .line-open").click()
    dialog.get_by_role("button", name="Take apart").click()
    assert lines(page) == ["Box", "Repeat", "Twist", "Shift", "Break", "Burst", "Drift"]
    saved = page.saved()["figures"][0]
    assert saved["phrases"] == []
    assert all("phrase" not in one for one in saved["routine"])


def test_a_whole_figure_is_kept_and_begins_another_by_the_keyboard_alone(editor):
    page = editor(wall())
    page.locator("#canvas").focus()
    page.keyboard.press("s")
    page.keyboard.press("Control+a")
    page.keyboard.type("Windy wall")
    page.keyboard.press("Enter")
    page.locator("#phrase-dialog").wait_for(state="hidden")
    page.keyboard.press("/")
    page.keyboard.type("windy wall")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.document.figures.length === 2")
    assert kinds(page, 1) == kinds(page, 0)
    names = [one["name"] for one in page.saved()["figures"]]
    assert names == ["Wall", "Wall 2"]
    assert [one["name"] for one in page.saved()["fields"]] == ["Gust", "Gust 2"]
    assert page.evaluate("pirouette.store.state.selection.id") == "wall-2"


def test_what_cannot_be_kept_is_told_in_the_dialog(editor):
    raw = wall()
    raw["figures"][0]["routine"][3]["settings"]["place"][2] = {"sort": "formula", "text": "{Camera.lens}"}
    raw["cameras"] = [{"id": "camera", "name": "Camera"}]
    page = editor(raw)
    page.locator("#canvas").focus()
    page.keyboard.press("s")
    page.keyboard.press("Enter")
    problem = page.locator("#phrase-dialog .problem")
    until(page, "document.querySelector('#phrase-dialog .problem').textContent")
    assert "does not go along with a phrase" in problem.inner_text()
    page.keyboard.press("Escape")


def test_values_that_are_set_elsewhere_lead_there(editor):
    page = editor(document())
    put(page, "hung title")
    page.get_by_role("button", name="says: its settings").click()
    until(page, "/routine\\/0$/.test(pirouette.store.state.open)")
    assert "Fernwick" in page.locator("#details textarea").first.input_value()


def test_axe_finds_nothing_serious_in_its_line_and_dialog(editor):
    page = editor(wall())
    # Colours change at once: halfway from one theme to the other nothing has its contrast.
    page.emulate_media(reduced_motion="reduce")
    put(page, "neon edges")
    page.locator(".line.phrase .line-icon").click()
    page.locator(".line.phrase").hover()
    page.locator(".line.phrase .line-open").click()
    page.evaluate(AXE.read_text("utf-8"))
    in_dialog = serious_in(page)
    page.keyboard.press("Escape")
    page.locator(".line.phrase").hover()
    in_line = serious_in(page)
    page.emulate_media(reduced_motion="no-preference")
    assert in_dialog + in_line == []


def test_a_phrase_is_put_into_a_scene_that_was_changed_elsewhere(editor):
    page = editor(wall())
    page.evaluate(
        """async () => {
          const token = document.cookie.match(/csrftoken=([^;]+)/)[1];
          const { store } = pirouette;
          const value = { id: "far", name: "Far", routine: [{ id: "cone", kind: "cone", settings: {} }] };
          const patch = [{ op: "add", path: "/figures/0", value }];
          const answer = await fetch(`/api/scenes/${store.sceneId}/patch`, { method: "POST",
            headers: { "Content-Type": "application/json", "X-CSRFToken": token },
            body: JSON.stringify({ revision: store.state.revision, patch, frame: 0 }) });
          if (!answer.ok) throw new Error(await answer.text());
        }"""
    )
    page.keyboard.press("/")
    page.keyboard.type("neon edges")
    page.keyboard.press("Enter")
    until(page, "pirouette.store.document.figures.some(({ id, phrases }) => id === 'wall' && phrases)")
    far, made = page.saved()["figures"]
    assert (far["id"], far.get("phrases")) == ("far", None)
    assert [one.get("phrase") for one in made["routine"]][-2:] == ["neon-edges"] * 2


def test_a_phrase_folds_while_a_force_in_it_is_open(editor):
    page = editor(wall())
    put(page, "fading echoes")
    # Whether there is one or not, what is open is a part of the phrase.
    page.evaluate("pirouette.store.state.open = '/figures/0/routine/4/forces/0'; pirouette.store.emit('open')")
    assert page.locator(".phrase-steps").count() == 1
    page.locator(".line.phrase .line-icon").click()
    assert page.locator(".phrase-steps").count() == 0
