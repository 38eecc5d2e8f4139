"""A part of a picture, drawn alone, is what the whole picture shows there."""

import numpy as np
import pytest

from pirouette.evaluate import evaluate
from pirouette.render import Part, render_light, render_scene
from tests.render.test_clear import GLASS
from tests.scenes import demo_scene, figure, look, scene, step

SIZE = (256, 192)


def scenery(**camera):
    ball = figure(step("sphere", radius=70), name="Ball", looks=[look("surface", **{**GLASS, "roughness": 0.1})])
    floor = figure(
        step("plane", width=900, height=900, facing="y"), name="Floor", place={"position": [0, -60, 0]},
        looks=[look("surface", roughness=0.2), look("wire", width=3), look("dots", size=8, blend="additive")],
    )  # fmt: skip
    faint = figure(
        step("box", width=60), step("shift", opacity=0.5), name="Faint", looks=[look("surface", colour="#40a0ff")],
        place={"position": [60, 40, 60], "rotation": [20, 30, 0]},
    )  # fmt: skip
    settings = {"position": [0, 80, 420], "lens": 30, **camera}
    frame = {"width": 256, "height": 192, "background": "gradient", "colour": "#203060", "bottom": "#e08040"}
    lights = [
        {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"width": 4}},
        {"id": "sky", "name": "Sky", "kind": "sky", "settings": {}},
    ]
    cameras = [{"id": "camera", "name": "Camera", "settings": settings}]
    return scene(ball, floor, faint, frame=frame, lights=lights, cameras=cameras)


@pytest.mark.parametrize("part", [Part(0, 0, 256, 192), Part(64, 64, 128, 64), Part(100, 128, 56, 64)])
def test_a_part_is_what_the_whole_shows_there(part):
    picture = evaluate(scenery(), 0)
    whole, alone = render_light(picture, SIZE, 4), render_light(picture, SIZE, 4, part=part)
    assert alone.shape == (part.height, part.width, 4)
    # Faces are told from where they are seen first, and what is half transparent is met by chance: so a little differs;
    # and at the borders of a part less is known of the pixels around.
    apart = np.abs(whole[part.place] - alone).max(axis=-1)[:, 4:-4]
    assert np.median(apart) < 5e-4
    assert (apart > 0.02).mean() < 0.06
    assert apart.mean() < 0.004


def test_parts_at_other_borders_differ_by_their_grain_at_most():
    """Pixels ask in turns of four by four, in bands: a part that begins elsewhere asks in another turn."""
    picture, part = evaluate(scenery(), 0), Part(37, 51, 90, 77)
    apart = np.abs(render_light(picture, SIZE, 4)[part.place] - render_light(picture, SIZE, 4, part=part))
    assert apart.mean() < 0.004


def test_a_proof_of_a_part_is_fine_there_and_coarse_elsewhere():
    opened, part = scenery(), Part(64, 64, 128, 64)
    fine, mixed = (render_scene(opened, 0, SIZE, 4, part=one).light for one in (None, part))
    apart = np.abs(fine - mixed).max(axis=-1)
    assert apart[part.place][:, 4:-4].mean() < 0.004
    apart[part.place] = 0
    outside = apart.sum() / (apart.size - 128 * 64)
    # Coarse, but the same picture.
    assert 0.002 < outside < 0.1


def test_a_part_with_focus():
    opened, part = scenery(opening=20, focus=300), Part(64, 64, 128, 64)
    fine, mixed = (render_scene(opened, 0, SIZE, 1, part=one).light for one in (None, part))
    assert np.abs(fine - mixed)[part.place].mean() < 0.004


def test_a_part_knows_of_cuts_and_limited_finishes():
    opened, part = demo_scene("peephole"), Part(64, 0, 128, 128)
    fine, mixed = (render_scene(opened, 37, SIZE, 4, part=one).light for one in (None, part))
    assert np.abs(fine - mixed)[part.place].mean() < 0.002
