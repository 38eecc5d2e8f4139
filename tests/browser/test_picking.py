"""Points picked in the view: the distance at which a camera is sharp."""

import pytest

from tests.browser.conftest import boxes, until
from tests.scenes import document, figure, look, step

pytestmark = pytest.mark.browser

CAMERA = {"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 600], "opening": 8}}


def opened(editor, *figures, **settings):
    page = editor(document(*figures, cameras=[{**CAMERA, "settings": {**CAMERA["settings"], **settings}}]))
    page.evaluate("pirouette.store.set({ tab: 'space', open: '/cameras/0' })")
    page.get_by_role("button", name="Pick focus in the view").click()
    return page


def click_in_view(page, right=0.5, down=0.5):
    (canvas,) = boxes(page, "#canvas")
    page.mouse.click(canvas["x"] + canvas["width"] * right, canvas["y"] + canvas["height"] * down)


def focus(page):
    return page.saved()["cameras"][0]["settings"].get("focus")


@pytest.mark.parametrize(
    ("looks", "front"),
    [([look("surface")], 160), ([look("dots", size=60)], 160), ([look("wire", width=30, unit="px")], 160)],
)
def test_focus_is_picked_in_the_view(editor, looks, front):
    form = step("plane", width=400, height=400, across=2, up=2)
    page = opened(editor, figure(form, looks=looks, place={"position": [0, 0, -front]}))
    click_in_view(page)
    assert focus(page) == pytest.approx(600 + front, rel=2e-3)
    assert until(page, "pirouette.store.state.picking === null")
    # The click chose no figure, and one more now does as ever.
    assert page.evaluate("pirouette.store.state.open") == "/cameras/0"


def test_focus_is_how_far_a_point_is_along_the_line_of_sight_of_the_camera_even_from_elsewhere(editor):
    page = opened(editor, figure(step("box", width=80, height=80, depth=80), place={"position": [150, 0, 100]}))
    beside = {"position": [700, 0, 100], "forward": [-1, 0, 0], "up": [0, 1, 0], "tangent": 0.5, "pivot": [0, 0, 0]}
    page.evaluate("(view) => pirouette.viewport.look(view)", beside)
    click_in_view(page)
    # Seen from the side, the middle of its near face is 500 before the camera, whose eye is at 600.
    assert focus(page) == pytest.approx(500, rel=2e-3)


def test_nothing_is_picked_where_nothing_is_and_escape_leaves_it(editor):
    page = opened(editor, figure(step("box")))
    click_in_view(page, 0.12, 0.6)
    assert "nothing to focus on" in page.locator("#problem").inner_text()
    assert focus(page) is None
    page.get_by_role("button", name="Pick focus in the view").click()
    page.keyboard.press("Escape")
    until(page, "pirouette.store.state.picking === null")
    assert page.evaluate("pirouette.store.state.open") == "/cameras/0"
    click_in_view(page)
    assert focus(page) is None


def test_a_focus_with_keys_gets_another(editor):
    keys = {"sort": "keyed", "keys": [{"frame": 0, "value": 10}, {"frame": 20, "value": 90}]}
    page = opened_with_keys(editor, keys)
    click_in_view(page)
    kept = focus(page)["keys"]
    assert [(key["frame"], round(key["value"])) for key in kept] == [(0, 600), (20, 90)]


def opened_with_keys(editor, keys):
    page = editor(document(figure(step("plane", width=300, height=300)), cameras=[
        {**CAMERA, "settings": {**CAMERA["settings"], "focus": keys}}
    ]))  # fmt: skip
    page.evaluate("pirouette.store.set({ tab: 'space', open: '/cameras/0' })")
    page.get_by_role("button", name="Pick focus in the view").click()
    return page


def test_focus_is_picked_through_a_hole(editor):
    """Where a figure is cut out, what is behind it is picked."""
    form, looks = step("plane", width=400, height=400), [look("surface")]
    hole = {**figure(step("disc", radius=60), name="Hole"), "visible": "hidden"}
    front = {**figure(form, looks=looks, name="Front"), "cut": {"seen": "only outside", "mask": "hole"}}
    back = figure(form, looks=looks, name="Back", place={"position": [0, 0, -250]})
    page = opened(editor, front, back, hole)
    click_in_view(page)
    assert focus(page) == pytest.approx(850, rel=2e-3)
