"""Light that wanders beneath a skin, against closed forms: what is left by depth, on the near and on the far side."""

import numpy as np
import pytest

from pirouette.kernels.threads import use_threads
from pirouette.kinds.looks.surface import BENEATH
from tests.render.test_clear import FAR_SIGHTED, SMALL, middle
from tests.render.test_mirrors import drawn, mirror, plate, sky
from tests.scenes import figure, look, step

DEPTH = 20
WAX = {"colour": "#ffffff", "roughness": 1, "wax": 1, "wax_depth": DEPTH, "wax_colour": "#ff8a5c"}
COLOUR = np.array([((value / 255 + 0.055) / 1.055) ** 2.4 for value in (0xFF, 0x8A, 0x5C)])
BALL = step("sphere", radius=60, rings=96, segments=128)


def slab(thick, position=(0, 0, 0), rotation=(0, 0, 0), name="Slab", **settings):
    form = step("box", width=300, height=300, depth=thick)
    place = {"position": list(position), "rotation": list(rotation)}
    return figure(form, name=name, looks=[look("surface", **{**WAX, **settings})], place=place)


def sheet(**settings):
    return figure(step("plane", width=300, height=300), name="Sheet", looks=[look("surface", **{**WAX, **settings})])


def sun(around=180, **settings):
    settings = {"colour": "#ffffff", "brightness": 1, "around": around, "above": 0, "width": 0, **settings}
    return {"id": "sun", "name": "Sun", "kind": "sun", "settings": settings}


def seen(*figures, lights=None, **more):
    return middle(drawn(*figures, lights=lights or [sun()], camera=FAR_SIGHTED, size=SMALL, samples=4, **more))


def scattered(**light):
    """What of the same light a surface without wax shows, its gloss apart."""
    without, black = (seen(sheet(wax=0, colour=colour), lights=[sun(0, **light)]) for colour in ("#ffffff", "#000000"))
    return without - black


def test_a_surface_without_wax_scatters_all_that_falls_on_it():
    assert scattered() == pytest.approx(1, abs=0.01)


@pytest.mark.parametrize("thick", [4, 12, 40, 100])
def test_light_from_behind_comes_through_what_is_thin(thick):
    """Half of what goes in, as it is where it is looked for, beneath the near side."""
    deep = min(BENEATH * DEPTH, thick / 2)
    expected = 0.5 * np.exp(-(thick - 2 * deep) / DEPTH) * COLOUR ** ((thick - deep) / DEPTH)
    assert seen(slab(thick)) == pytest.approx(expected, abs=0.004)


@pytest.mark.parametrize("thick", [4, 12, 40, 100])
def test_light_from_before_lacks_what_comes_through(thick):
    deep = min(BENEATH * DEPTH, thick / 2)
    expected = (1 - 0.5 * np.exp(-thick / DEPTH)) * COLOUR ** (deep / DEPTH)
    gloss = seen(slab(thick, colour="#000000"), lights=[sun(0)])
    assert seen(slab(thick), lights=[sun(0)]) - gloss == pytest.approx(expected, abs=0.01)


@pytest.mark.parametrize("wax", [0.3, 0.8])
def test_what_does_not_go_in_is_scattered(wax):
    whole, part = (seen(slab(12, wax=share)) for share in (1, wax))
    assert part == pytest.approx(wax * whole, abs=0.004)
    before, none = (seen(slab(12, wax=share), lights=[sun(0)]) for share in (1, 0))
    assert seen(slab(12, wax=wax), lights=[sun(0)]) == pytest.approx(wax * before + (1 - wax) * none, abs=0.01)


def test_both_sides_of_a_white_sheet_give_back_no_more_than_falls_on_it():
    behind, before = (seen(sheet(wax_colour="#ffffff"), lights=[sun(around)]) for around in (180, 0))
    gloss = seen(sheet(colour="#000000"), lights=[sun(0)])
    assert behind == pytest.approx(0.5 * np.exp(-BENEATH), abs=0.004)
    assert behind + before - gloss == pytest.approx(1, abs=0.01)


@pytest.mark.parametrize("width", [0, 8])
def test_nothing_comes_through_where_something_stands_before_the_light(width):
    lid = figure(step("plane", width=900, height=900), name="Lid", place={"position": [0, 0, -200]})
    lit, dark = (seen(slab(12), *more, lights=[sun(width=width)]) for more in ((), (lid,)))
    assert lit.min() > 0.1
    assert dark.max() < 0.01
    assert seen(slab(12), lid, lights=[sun(width=width, shadows=False)]) == pytest.approx(lit, abs=0.01)
    assert seen(slab(12, takes=False), lid, lights=[sun(width=width)]) == pytest.approx(lit, abs=0.01)


def test_light_that_came_through_another_body_is_tinted_twice():
    alone, tinted = seen(slab(12)), seen(slab(12), slab(8, (0, 0, -100), name="Other"))
    assert tinted == pytest.approx(alone * np.exp(-8 / DEPTH) * COLOUR ** (8 / DEPTH), abs=0.004)


def test_a_key_light_shines_through_as_a_sun_does():
    key = {"position": [0, 0, -4000], "reach": 4000, "width": 0, "colour": "#ffffff", "brightness": 1}
    lights = [{"id": "key", "name": "Key", "kind": "key", "settings": key}]
    assert seen(slab(12), lights=lights) == pytest.approx(seen(slab(12)), abs=0.01)


def test_a_sky_shines_through_from_the_far_side():
    """A white sky all around falls on both sides alike: of a white sheet as much comes back as without wax."""
    light = [sky()]
    white = {"wax_colour": "#ffffff"}
    waxy, usual = (seen(sheet(**white, wax=wax), lights=light) for wax in (1, 0))
    assert waxy == pytest.approx(usual, abs=0.01)
    thick = seen(slab(200, **white), lights=light)
    assert thick == pytest.approx(usual, abs=0.02)


def test_a_ball_ends_softly_where_it_turns_away_from_the_light():
    lights = [sun(90)]
    camera = {"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 90}}
    waxy, usual = (
        drawn(figure(BALL, looks=[look("surface", **{**WAX, **more})]), lights=lights, camera=camera)[90, :, 0]
        for more in ({"wax_depth": 60}, {"wax": 0})
    )
    # Twenty pixels beyond its middle a ball without wax is dark.
    assert usual[140] < 0.003
    assert waxy[140] > 0.05
    across = waxy[40:280]
    inside = across[across > 0]
    assert np.abs(np.diff(inside))[4:-4].max() < 0.03
    # It is brightest where light falls on it, and ever darker from there on.
    assert np.argmax(inside) > 0.9 * len(inside)
    assert inside[len(inside) // 4] < inside[len(inside) // 2] < inside[3 * len(inside) // 4]


def test_its_shadow_is_tinted():
    floor = figure(
        step("plane", width=2000, height=2000, facing="y"), name="Floor", place={"position": [0, -60, 0]},
        looks=[look("surface", colour="#ffffff", roughness=1)],
    )  # fmt: skip
    camera = {"id": "camera", "name": "Camera", "settings": {"position": [0, 300, 400], "target": [0, -60, 0]}}
    above = [sun(above=90)]
    pane = slab(8, (0, 200, 0), (-90, 0, 0), wax=0.5)
    open_air, shaded = (
        middle(drawn(floor, *more, lights=above, camera=camera, size=SMALL, samples=4)) for more in ((), (pane,))
    )
    assert shaded / open_air == pytest.approx(0.5 * np.exp(-8 / DEPTH) * COLOUR ** (8 / DEPTH), abs=0.01)


def test_mirrors_show_it():
    glass = mirror(position=(0, 0, 0), rotation=(0, 0, 0), size=(900, 900))
    # The sun comes from before, through the slab above the eye, which the mirror shows from behind.
    direct = seen(slab(12))
    away = {"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 100], "lens": 360}}
    lights = [sun(0, shines="on only", figures=["slab"])]
    shown = middle(drawn(glass, slab(12, (0, 0, 300)), lights=lights, camera=away, size=SMALL, samples=4))
    assert shown == pytest.approx(direct, abs=0.02)


def test_what_has_no_wax_for_a_reason_scatters_like_others():
    usual = seen(slab(12, wax=0), lights=[sun(0)])
    assert seen(slab(12, throws=False), lights=[sun(0)]) == pytest.approx(usual, abs=1e-6)
    lamp = plate("Lamp", (0, 0, 600), size=(10, 10))
    assert seen(slab(12, clear=1), lamp).max() < seen(slab(12, clear=1, wax=0), lamp).max() + 1e-6


def test_the_same_bytes_on_any_number_of_threads():
    ball = figure(BALL, name="Ball", looks=[look("surface", **WAX)])
    floor = figure(
        step("plane", width=900, height=900, facing="y"), name="Floor", place={"position": [0, -60, 0]},
        looks=[look("surface", roughness=0.1)],
    )  # fmt: skip
    lights = [sun(width=5), sky(shadows=True)]
    pictures = []
    for threads in (1, 3):
        with use_threads(threads):
            pictures.append(drawn(ball, floor, lights=lights, size=SMALL, samples=4).tobytes())
    assert pictures[0] == pictures[1]
