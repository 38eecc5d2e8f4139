"""Shadows in the view lie where the render has them."""

import numpy as np
import pytest

from tests.browser.test_view_and_render import coarse, finished, from_view
from tests.scenes import document, figure, look, step

pytestmark = pytest.mark.browser
SIZE = (640, 360)
FLOOR = figure(
    step("plane", width=2000, height=2000), name="Floor", looks=[look("surface", colour="#cfc6b8", roughness=0.9)],
    place={"rotation": [-90, 0, 0], "position": [0, -60, 0]},
)  # fmt: skip
BALLS = figure(
    step("sphere", radius=60, rings=24, segments=32),
    step("grid", columns=4, rows=1, layers=3, apart=[170, 100, 170]),
    name="Balls",
    looks=[look("surface", colour="#e2553a", roughness=0.4, mirrors=False)],
)
RING = figure(
    step("torus"), name="Ring", looks=[look("surface", colour="#f2a63b")],
    place={"position": [120, 160, 0], "rotation": [30, 20, 0]},
)  # fmt: skip
SUN = {"kind": "sun", "settings": {"brightness": 1, "width": 6}}
KEY = {"kind": "key", "settings": {"position": [-700, 1500, 900], "width": 300, "reach": 1600, "brightness": 1}}
SKY = {"kind": "sky", "settings": {"brightness": 0.8}}


def shaded(*lights, figures=(FLOOR, BALLS, RING)):
    """A floor with balls and a ring, under lights."""
    named = [{**light, "id": f"light{k}", "name": f"Light {k}"} for k, light in enumerate(lights)]
    camera = {"id": "camera", "name": "Camera", "settings": {"position": [300, 420, 900], "target": [0, 20, 0]}}
    frame = {"width": 1280, "height": 720, "background": "solid", "colour": "#141c2b"}
    return document(*figures, lights=named, cameras=[camera], frame=frame)


@pytest.mark.parametrize("lights", [(SUN,), (KEY,), (SKY,), (SUN, KEY, SKY)], ids=["sun", "key", "sky", "all"])
def test_shadows_of_each_light_are_where_the_render_has_them(easel, lights):
    raw = shaded(*lights)
    page = easel(raw)
    view, render = from_view(page, 0, False, False, SIZE), finished(raw, 0, SIZE)
    bare = [{**light, "settings": {**light["settings"], "shadows": False}} for light in lights]
    plain = finished(shaded(*bare), 0, SIZE)
    assert np.abs(view.mean(axis=(0, 1)) - render.mean(axis=(0, 1))).max() < 3
    assert np.abs(coarse(view, 20) - coarse(render, 20)).max() < 26
    # Where the render is much darker for its shadows, so is the view.
    deep = (coarse(plain, 10) - coarse(render, 10)).mean(axis=-1) > 25
    assert deep.sum() > 10
    away = np.abs(coarse(view, 10) - coarse(render, 10)).mean(axis=-1)[deep]
    assert away.mean() < 12 < (coarse(plain, 10) - coarse(view, 10)).mean(axis=-1)[deep].mean()
    assert "shadows: finer in the proof" in page.locator("#near").inner_text()
