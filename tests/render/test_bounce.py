"""Light that surfaces throw on each other, against closed forms."""

import numpy as np
import pytest

from pirouette.evaluate import evaluate
from pirouette.kernels.threads import use_threads
from pirouette.render import render_light, render_scene
from tests.scenes import figure, look, scene, step

SIZE = (160, 120)
DULL = {"roughness": 1, "colour": "#ffffff"}


def wall(name, position, rotation, size=(4000, 4000), **surface):
    looks = [look("surface", **{**DULL, "mirrors": False, **surface})]
    form = step("plane", width=size[0], height=size[1])
    return figure(form, name=name, looks=looks, place={"position": list(position), "rotation": list(rotation)})


def drawn(*figures, bounce=1.0, lights=(), camera=(), size=SIZE, samples=4):
    settings = {"position": [0, 0, 500], "lens": 36, **dict(camera)}
    frame = {"width": 1600, "height": 1200, "background": "solid", "colour": "#000000", "bounce": bounce}
    cameras = [{"id": "camera", "name": "Camera", "settings": settings}]
    return render_light(evaluate(scene(*figures, lights=list(lights), cameras=cameras, frame=frame), 0), size, samples)


def test_half_of_what_a_wall_sees_is_the_floor_before_it():
    """A floor without end that glows fills half of what a wall on it faces: so that is half as bright."""
    floor = wall("Floor", (0, 0, 0), (-90, 0, 0), (60000, 60000), colour="#000000", glow=0.4)
    back = wall("Back", (0, 0, -100), (0, 0, 0), (4000, 4000), takes=False)
    camera = {"position": [0, 300, 500], "target": [0, 300, 0]}
    seen = drawn(floor, back, camera=camera)[20:60, 40:120, 0]
    assert seen.mean() == pytest.approx(0.2, rel=0.02)
    assert seen.std() < 0.004
    assert drawn(floor, back, camera=camera, bounce=0.5)[20:60, 40:120, 0].mean() == pytest.approx(0.1, rel=0.02)
    assert drawn(floor, back, camera=camera, bounce=0)[20:60, 40:120, 0].max() == 0


def test_light_of_a_lit_floor_comes_in_its_colour():
    """A sun straight from above lights a floor, which throws its colour on what looks down on it."""
    floor = wall("Floor", (0, -100, 0), (-90, 0, 0), (60000, 60000), colour="#ff0000")
    lid = wall("Lid", (0, 100, 0), (90, 0, 0), (40, 40), throws=False)
    sun = {"id": "s", "name": "S", "kind": "sun", "settings": {"above": 90, "brightness": 0.8, "colour": "#ffffff"}}
    camera = {"position": [0, -90, 0.01], "target": [0, 100, 0]}
    seen = drawn(floor, lid, lights=[sun], camera=camera)[50:70, 70:90].mean(axis=(0, 1))
    assert seen[0] == pytest.approx(0.8, rel=0.03) and seen[1] < 0.015


def test_what_spills_its_light_already_does_not_glow_on_others_twice():
    floor = wall("Floor", (0, 0, 0), (-90, 0, 0), colour="#000000", glow=0.4, spill=1, spill_strength=0)
    back = wall("Back", (0, 0, -100), (0, 0, 0), takes=False)
    camera = {"position": [0, 300, 500], "target": [0, 300, 0]}
    assert drawn(floor, back, camera=camera)[20:60, 40:120, 0].max() < 1e-4


def test_the_sky_is_not_counted_twice():
    """What rays do not meet is the sky, whose light falls there in any case."""
    sky = {"id": "s", "name": "S", "kind": "sky", "settings": {"brightness": 1, "top": "#ffffff", "horizon": "#ffffff"}}
    back = wall("Back", (0, 0, -100), (0, 0, 0))
    with_it, without = (drawn(back, lights=[sky], bounce=number) for number in (1, 0))
    assert np.abs(with_it - without).max() < 1e-5


def test_the_same_bytes_on_any_number_of_threads():
    floor = wall("Floor", (0, -60, 0), (-90, 0, 0), (600, 600), glow=0.3)
    ball = figure(step("sphere", radius=60), name="Ball", looks=[look("surface", **DULL)])
    bytes_of = []
    for count in (1, 2, 3):
        with use_threads(count):
            bytes_of.append(drawn(floor, ball).tobytes())
    assert len(set(bytes_of)) == 1


def test_through_a_lens_it_is_found_once_for_all_pictures():
    floor = wall("Floor", (0, -60, 0), (-90, 0, 0), (600, 600), colour="#000000", glow=0.5)
    ball = figure(step("sphere", radius=60), name="Ball", looks=[look("surface", **DULL)])
    frame = {"width": 1600, "height": 1200, "background": "solid", "colour": "#000000", "bounce": 1}

    def seen(opening):
        settings = {"position": [0, 60, 500], "lens": 36, "opening": opening, "focus": 500}
        cameras = [{"id": "camera", "name": "Camera", "settings": settings}]
        return render_scene(scene(floor, ball, lights=[], cameras=cameras, frame=frame), 0, SIZE, 4).light

    sharp, blurred = seen(0), seen(6)
    assert np.abs(sharp - blurred)[50:75, 65:95, 0].mean() < 0.01
    assert blurred[50:75, 65:95, 0].mean() > 0.05
