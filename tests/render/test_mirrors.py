"""Mirrors against what they mirror, against closed forms, and against the sky alone."""

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.evaluate import evaluate
from pirouette.kernels.threads import use_threads
from pirouette.render import rays, render_light
from tests.scenes import figure, look, scene, step

SIZE = (320, 180)
CAMERA = {"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 36}}
METAL = {"colour": "#ffffff", "metal": 1, "roughness": 0.02}
GLOW = {"colour": "#000000", "roughness": 1}


def sky(*colours, **settings):
    named = dict(zip(("top", "horizon", "ground"), colours or ("#ffffff",) * 3, strict=True))
    return {
        "id": "sky",
        "name": "Sky",
        "kind": "sky",
        "settings": {"shadows": False, "brightness": 1, **named, **settings},
    }


def plate(name, position, colour="#ff8000", rotation=(0, 0, 0), size=(60, 60), steps=(), **settings):
    """A plate that gives off light of its own."""
    looks = [look("surface", **{**GLOW, "glow": 1, "glow_colour": colour, **settings})]
    form = step("plane", width=size[0], height=size[1])
    return figure(form, *steps, name=name, looks=looks, place={"position": list(position), "rotation": list(rotation)})


def mirror(name="Mirror", position=(0, 0, 0), rotation=(0, 0, 0), size=(700, 700), **settings):
    looks = [look("surface", **{**METAL, **settings})]
    form = step("plane", width=size[0], height=size[1])
    return figure(form, name=name, looks=looks, place={"position": list(position), "rotation": list(rotation)})


def drawn(*figures, lights=(), samples=16, size=SIZE, camera=CAMERA, **more):
    opened = scene(*figures, lights=list(lights), cameras=[camera], **more)
    return render_light(evaluate(opened, 0), size, samples)


def test_a_flat_mirror_shows_what_stands_before_it_turned_over():
    """A floor that mirrors is a window on the same things below it."""
    floor = mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000))
    above = plate("Above", (30, 20, 0), rotation=(10, 20, 30))
    below = plate("Below", (30, -100, 0), rotation=(-10, 20, -30))
    seen = drawn(floor, above)
    expected = drawn(above, below)
    apart = np.abs(seen - expected)[..., :3].max(axis=-1)
    # Of the mirrored edges a ray finds the place to a part of a pixel.
    assert apart.mean() < 0.004
    assert (apart > 0.5).mean() < 0.001
    assert expected[140:, :, 0].max() > 0.9
    without = drawn(mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000), mirrors=False), above)
    assert without[140:, :, 0].max() < 0.05


def test_edges_in_a_curved_mirror_are_as_smooth_as_any():
    ball = figure(step("sphere", radius=90, rings=64, segments=96), name="Ball", looks=[look("surface", **METAL)])
    lamps = [plate(f"Lamp{k}", (x, 0, 420), size=(40, 900)) for k, x in enumerate((-150, 0, 150))]
    seen = drawn(ball, *lamps, samples=8)[..., 0]
    large = drawn(ball, *lamps, samples=8, size=(SIZE[0] * 4, SIZE[1] * 4))[..., 0]
    exact = large.reshape(SIZE[1], 4, SIZE[0], 4).mean(axis=(1, 3))
    edges = (exact > 0.1) & (exact < 0.9)
    assert edges.sum() > 100
    # As a pixel that is half seen is known from eight places.
    assert np.sqrt(np.mean((seen - exact)[edges] ** 2)) < 0.1


@pytest.mark.parametrize("angle", [0, 35, 70])
def test_glossy_paint_mirrors_as_much_as_its_angle_says(angle):
    """By Schlick 4 percent from before, and more along the surface, but no more than it is smooth."""
    glass = mirror(colour="#000000", metal=0, rotation=(0, angle, 0), size=(120, 120))
    turned = np.radians(2 * angle)
    lamp = plate("Lamp", (600 * np.sin(turned), 0, 600 * np.cos(turned)), rotation=(0, 2 * angle, 0), size=(300, 300))
    seen = drawn(glass, lamp)[88:92, 158:162, 0].mean()
    assert seen == pytest.approx(0.04 + (0.98 - 0.04) * (1 - np.cos(np.radians(angle))) ** 5, rel=0.03)


@pytest.mark.parametrize("roughness", [0.02, 0.2, 0.4])
def test_where_nothing_is_around_a_mirror_sees_the_sky_as_before(roughness):
    ball = figure(step("sphere", radius=90, rings=48, segments=64), name="Ball")
    pictures = []
    for mirrors in (True, False):
        looks = [look("surface", **{**METAL, "roughness": roughness, "mirrors": mirrors})]
        pictures.append(drawn({**ball, "looks": looks}, lights=[sky("#4060c0", "#ffc090", "#202020")])[..., :3])
    assert pictures[1].max() > 0.5
    assert np.abs(pictures[0].mean(axis=(0, 1)) - pictures[1].mean(axis=(0, 1))).max() < 0.01
    assert np.abs(pictures[0] - pictures[1]).mean() < 0.02


def test_a_white_furnace_stays_white():
    """Two white metal balls that mirror each other under an even white sky show nothing but white."""
    balls = figure(
        step("sphere", radius=60, rings=32, segments=48), step("grid", columns=2, rows=1, apart=[150, 0, 0]),
        name="Balls", looks=[look("surface", **METAL)],
    )  # fmt: skip
    seen = drawn(balls, lights=[sky()])
    columns, rows = np.meshgrid(np.arange(SIZE[0]) + 0.5 - 160, np.arange(SIZE[1]) + 0.5 - 90)
    inside = np.hypot(np.abs(columns) - 60, rows) < 44
    assert np.abs(seen[inside][:, :3] - 1).max() < 0.01


def test_dull_surfaces_and_those_that_do_not_mirror_are_as_if_there_were_no_rays():
    lamp = plate("Lamp", (0, 0, 300))
    for settings in ({"roughness": 0.5}, {"roughness": 0.1, "mirrors": False}):
        with_rays = drawn(mirror(**settings), lamp, mirror("Other", (0, 5000, 0)), lights=[sky()])
        without = drawn(mirror(**settings), lamp, mirror("Other", (0, 5000, 0), mirrors=False), lights=[sky()])
        assert with_rays.tobytes() == without.tobytes()


def test_a_mirror_in_a_mirror_shows_what_that_one_sees():
    """The camera looks at one mirror; only another one, beside the camera, sees the lamp."""
    front = mirror(rotation=(0, 22.5, 0), size=(120, 120))
    side = mirror("Side", (300, 0, 300), rotation=(0, -157.5, 0), size=(260, 260))
    still = mirror("Side", (300, 0, 300), rotation=(0, -157.5, 0), size=(260, 260), mirrors=False)
    lamp = plate("Lamp", (300, 0, -300), size=(260, 260))
    seen, without = (drawn(front, one, lamp)[80:100, 150:170, 0].mean() for one in (side, still))
    assert seen > 0.9
    assert without < 0.1


def test_what_is_mirrored_has_its_own_colours_pictures_and_shadows():
    floor = mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000))
    steps = (
        step("grid", columns=2, rows=1, apart=[100, 0, 0]),
        step("tint", by="index", gradient=[{"at": 0, "colour": "#ff0000"}, {"at": 1, "colour": "#00ff00"}]),
    )
    tiles = plate("Tiles", (0, 30, 0), colour="#ffffff", steps=steps)
    copies = drawn(floor, tiles)
    # In the mirror as above it: red on the left and green on the right.
    upper, lower = copies[:100].sum(axis=(0, 1)), copies[110:].sum(axis=(0, 1))
    assert np.abs(lower[:3] / lower[:3].sum() - upper[:3] / upper[:3].sum()).max() < 0.02
    left, right = copies[110:, :160].sum(axis=(0, 1)), copies[110:, 160:].sum(axis=(0, 1))
    assert (left[0] > 10 * left[1]) == (copies[:100, :160, 0].sum() > copies[:100, :160, 1].sum())
    assert left[0] != pytest.approx(right[0], rel=0.5)


def test_what_is_half_transparent_mirrors_by_its_share():
    """A floor that is half there shows half of what a whole one mirrors; a rough one only the sky, which is dark."""
    above = plate("Above", (30, 20, 0), rotation=(10, 20, 30))

    def floor(opacity, **settings):
        one = mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000), **settings)
        one["routine"].append(step("shift", opacity=opacity))
        return drawn(one, above)[110:, :, :3]

    whole, half, quarter = (floor(opacity) for opacity in (1, 0.5, 0.25))
    assert whole.max() > 0.9
    assert np.abs(half - whole / 2).mean() < 0.004
    assert np.abs(quarter - whole / 4).mean() < 0.004
    assert floor(0.5, roughness=0.2).max() < 0.05
    assert floor(0.5, mirrors=False).max() < 0.05


def test_a_half_transparent_mirror_keeps_its_own_glow_and_is_alike_on_any_number_of_threads():
    glowing = {"glow": 0.4, "glow_colour": "#4080ff", "colour": "#808080"}
    one = mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000), **glowing)
    one["routine"].append(step("shift", opacity=0.5))
    # It mirrors nothing but darkness.
    alone = drawn(one)[150, 160, :3]
    np.testing.assert_allclose(alone, 0.5 * 0.4 * np.array([0.0513, 0.2159, 1]), atol=0.003)
    found = []
    for count in (1, 2):
        with use_threads(count):
            found.append(drawn(one, plate("Above", (30, 20, 0))).tobytes())
    assert found[0] == found[1]


def test_half_transparent_things_are_mirrored_by_their_share():
    floor = mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000))
    whole, half = (
        drawn(floor, plate("Plate", (0, 20, 0), steps=(step("shift", opacity=opacity),)))[110:, :, 0].sum()
        for opacity in (1, 0.5)
    )
    assert half == pytest.approx(whole / 2, rel=0.04)


def test_shadows_are_seen_in_mirrors():
    back = mirror(position=(0, 0, -50), rotation=(0, 0, 0), size=(600, 400))
    ground = figure(
        step("plane", width=600, height=600), name="Ground", looks=[look("surface", colour="#ffffff", roughness=1)],
        place={"rotation": [-90, 0, 0], "position": [0, -60, 250]},
    )  # fmt: skip
    ball = figure(
        step("sphere", radius=40), name="Ball", looks=[look("surface", **GLOW)], place={"position": [0, 10, 400]}
    )
    suns = [
        {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"above": 80, "shadows": on}} for on in (True, False)
    ]
    camera = {**CAMERA, "settings": {"position": [0, 80, 260], "target": [0, -60, -200], "lens": 30}}
    shaded, open_ = (drawn(back, ground, ball, lights=[one], camera=camera)[..., 0] for one in suns)
    # Above its foot only the mirror is seen; ball and shadow stand behind the camera.
    assert (open_ - shaded)[40:90, 120:200].max() > 0.3


def test_any_number_of_threads_gives_the_same_bytes():
    ball = figure(step("sphere", radius=60), name="Ball", looks=[look("surface", **{**METAL, "roughness": 0.3})])
    floor = mirror(position=(0, -60, 0), rotation=(-90, 0, 0), size=(2000, 2000), roughness=0.1)
    lights = [sky(shadows=True), {"id": "sun", "name": "Sun", "kind": "sun", "settings": {}}]
    results = []
    for threads in (1, 2):
        with use_threads(threads):
            results.append(drawn(floor, ball, plate("Plate", (90, 20, 0)), lights=lights, samples=4).tobytes())
    assert results[0] == results[1]


def test_too_much_to_mirror_is_refused_in_words(monkeypatch):
    monkeypatch.setattr(rays, "MOST_BYTES", 1000)
    with pytest.raises(ProblemError, match=r"reflections of .* switch off \*mirrors\*"):
        drawn(mirror(), plate("Plate", (0, 0, 100)))


def test_pictures_added_up_ask_only_where_there_are_places(monkeypatch):
    """Fewer rays are asked of each of many pictures: what stands behind their places in memory changes nothing."""
    floor = figure(
        step("plane", width=900, height=900, facing="y"), name="Floor", place={"position": [0, -60, 0]},
        looks=[look("surface", roughness=0.2)],
    )  # fmt: skip
    box = figure(step("box", width=60), name="Box", place={"position": [0, 40, 0], "rotation": [20, 30, 0]})
    lights = [
        {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"width": 4}},
        {"id": "key", "name": "Key", "kind": "key", "settings": {"width": 40}},
        {"id": "sky", "name": "Sky", "kind": "sky", "settings": {}},
    ]
    picture = evaluate(scene(floor, box, lights=lights, cameras=[CAMERA]), 0)
    made = rays.disc_points

    def light(behind, of):
        def placed(turn, count):
            points = made(turn, count)
            room = np.full((len(points) + 64, points.shape[1]), behind, np.float32)
            room[: len(points)] = points
            room.flags.writeable = False
            return room[: len(points)]

        monkeypatch.setattr(rays, "disc_points", placed)
        return render_light(picture, (160, 120), 1, turn=(0, of))

    for of in (1, 3, 8, 64):
        assert light(0.1, of).tobytes() == light(0.9, of).tobytes()


@pytest.mark.parametrize("of", [4, 16])
def test_pictures_added_up_mirror_as_roughly_as_one(of):
    """Each has fewer rays, which go to all of what is blurred."""
    mirrored = plate("Stripe", [0, 40, -150], size=(300, 12))
    floor = figure(
        step("plane", width=400, height=400, facing="y"), name="Floor", place={"position": [0, -30, 0]},
        looks=[look("surface", **{**METAL, "roughness": 0.3})],
    )  # fmt: skip
    picture = evaluate(scene(mirrored, floor, lights=[], cameras=[CAMERA]), 0)
    one = render_light(picture, SIZE, 16)[100:, 100:220, 0].mean(axis=1)
    many = np.mean([render_light(picture, SIZE, 4, turn=(turn, of)) for turn in range(of)], axis=0)
    many = many[100:, 100:220, 0].mean(axis=1)
    assert one.mean() > 0.01
    # Were only the middle asked, most of it would be elsewhere.
    assert np.abs(one - many).mean() < 0.25 * one.mean()


ADDED = {"blend": "additive", "glow": 0.25}


def test_what_adds_its_light_is_seen_in_a_mirror_as_it_is_beside_it():
    """Two plates one behind the other, before what covers: both add to it, in the mirror as below it."""
    floor = mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000))
    things = [("Near", 30, ADDED), ("Mid", 10, ADDED), ("Far", -20, {"glow": 0.3})]
    above = [plate(name, (z, 20, z), rotation=(10, 20, 30), **settings) for name, z, settings in things]
    below = [plate(f"{name}-below", (z, -100, z), rotation=(-10, 20, -30), **settings) for name, z, settings in things]
    seen, expected = drawn(floor, *above), drawn(*above, *below)
    assert np.abs(seen - expected)[..., :3].max(axis=-1).mean() < 0.004
    assert expected[140:, :, 0].max() > 0.7
    plain = [plate(name, (z, 20, z), rotation=(10, 20, 30), **{**settings, **OFF}) for name, z, settings in things]
    assert drawn(floor, *plain)[140:, :, 0].max() < 0.35


OFF = {"mirrored": False}


def test_added_light_is_told_by_how_much_of_it_there_is():
    floor = mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000))
    fade = step("shift", opacity=0.25)
    full, quarter = (
        drawn(floor, plate("Plate", (0, 20, 0), steps=steps, **ADDED))[140:, :, 0].sum() for steps in ((), (fade,))
    )
    assert quarter == pytest.approx(full / 4, rel=0.01)


def test_added_light_takes_no_shadow_in_a_mirror():
    """As on the screen: the ceiling that it is seen in stands between it and the sun."""
    ceiling = mirror(position=(0, 40, 0), rotation=(90, 0, 0), size=(2000, 2000))
    looks = [look("surface", blend="additive", colour="#808080", roughness=1)]
    place = {"position": [0, -20, 0], "rotation": [-90, 0, 0]}
    lit = figure(step("plane", width=60, height=60), name="Lit", looks=looks, place=place)
    suns = ({"id": "s", "name": "S", "kind": "sun", "settings": {"above": 90, "shadows": on}} for on in (True, False))
    shaded, plain = (drawn(ceiling, lit, lights=[sun])[:60, :, 0] for sun in suns)
    assert plain.max() > 0.1 and np.abs(shaded - plain).max() < 0.02 * plain.max()


def test_added_light_is_seen_through_glass():
    pane = mirror("Pane", (0, 0, 60), size=(300, 300), metal=0, clear=1, index=1, filled=False)
    lamp = plate("Lamp", (0, 0, 0), **ADDED)
    seen, bare = drawn(pane, lamp), drawn(lamp)
    assert np.abs(seen - bare)[..., :3].mean() < 2e-3 and bare[..., 0].max() > 0.2
