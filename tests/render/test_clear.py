"""What is clear, against closed forms: Snell, Fresnel, what is lost by depth, a white furnace; and its shadows."""

import numpy as np
import pytest

from pirouette.kernels.threads import use_threads
from tests.render.test_mirrors import drawn, plate, sky
from tests.scenes import figure, look, step

GLASS = {"colour": "#000000", "roughness": 0.02, "clear": 1}
FAR_SIGHTED = {"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 360}}
# Enough where only the middle is looked at.
SMALL = (160, 90)
CLEAR_BALL = step("sphere", radius=60, rings=48, segments=64)


def slab(thick=40, rotation=(0, 0, 0), position=(0, 0, 0), name="Slab", wide=700, steps=(), **settings):
    form = step("box", width=wide, height=wide, depth=thick)
    looks = [look("surface", **{**GLASS, **settings})]
    return figure(form, *steps, name=name, looks=looks, place={"position": list(position), "rotation": list(rotation)})


def middle(picture):
    rows, columns = picture.shape[0] // 2, picture.shape[1] // 2
    return picture[rows - 2 : rows + 2, columns - 2 : columns + 2, :3].mean(axis=(0, 1))


def shifted_by(thick, angle, index):
    """How far a slab moves a ray aside that meets it at an angle: by Snell, as a distance across that ray."""
    inside = np.arcsin(np.sin(angle) / index)
    return thick * np.sin(angle - inside) / np.cos(inside)


@pytest.mark.parametrize(("angle", "index"), [(20, 1.5), (20, 2.2), (45, 1.1), (45, 1.33), (60, 1.5), (60, 2.2)])
def test_a_slanted_slab_moves_what_is_behind_it_aside_by_snells_law(angle, index):
    aside = shifted_by(60, np.radians(angle), index)
    glass = slab(60, (0, angle, 0), index=index)
    bright = []
    for off in (-1.5, 1.5):
        # Its left edge is just before, and just behind, where the ray through the middle arrives.
        lamp = plate("Lamp", (-aside + off + 500, 0, -900), size=(1000, 1000))
        bright.append(middle(drawn(glass, lamp, camera=FAR_SIGHTED, size=SMALL))[0])
    assert bright[0] > 0.6
    assert bright[1] < 0.2 * bright[0]


@pytest.mark.parametrize("index", [1.33, 1.5, 2, 3])
def test_a_slab_lets_through_what_its_two_faces_do_not_mirror(index):
    """With all that goes to and fro between them: (1 - r) / (1 + r), and the rest is mirrored."""
    lost = ((index - 1) / (index + 1)) ** 2
    lamp = {"colour": "#ffffff", "size": (900, 900)}
    behind = middle(drawn(slab(index=index), plate("Lamp", (0, 0, -300), **lamp), size=SMALL))
    assert behind == pytest.approx((1 - lost) / (1 + lost), abs=0.006)
    before = middle(drawn(slab(index=index), plate("Lamp", (0, 0, 600), **lamp), size=SMALL))
    assert before == pytest.approx(lost + (1 - lost) ** 2 * lost / (1 - lost**2), abs=0.006)


@pytest.mark.parametrize("thick", [20, 100, 250])
def test_light_is_lost_by_depth(thick):
    """Beer and Lambert: the tint to the power of how often its depth is passed."""
    tint, mirrored = np.array([0.8, 0.5, 0.1]), 0.04
    glass = slab(thick, tint="#e7bc59", tint_depth=100)
    tint = np.array([((value / 255 + 0.055) / 1.055) ** 2.4 for value in (0xE7, 0xBC, 0x59)])
    left = tint ** (thick / 100)
    seen = middle(drawn(glass, plate("Lamp", (0, 0, -300), colour="#ffffff", size=(900, 900))))
    expected = (1 - mirrored) ** 2 * left / (1 - mirrored**2 * left**2)
    assert seen == pytest.approx(expected, abs=0.006)


@pytest.mark.parametrize("settings", [{}, {"index": 2.4}, {"roughness": 0.3}, {"filled": False}, {"clear": 0.4}])
def test_a_white_furnace_stays_white(settings):
    """Glass before a white background, under an even white sky, shows nothing but white."""
    ball = figure(CLEAR_BALL, name="Ball", looks=[look("surface", **{**GLASS, "colour": "#ffffff", **settings})])
    frame = {"width": 1920, "height": 1080, "background": "solid", "colour": "#ffffff"}
    seen = drawn(ball, lights=[sky()], frame=frame)[..., :3]
    columns, rows = np.meshgrid(np.arange(320) + 0.5 - 160, np.arange(180) + 0.5 - 90)
    inside = np.hypot(columns, rows) < 42
    # What is half white scatters, too, and mirrors its gloss on top of that, as all surfaces do; of what is rough some
    # facets would hide each other.
    above, below = 0.05 if "clear" in settings else 0.01, 0.02 if "roughness" in settings else 0.01
    assert seen[inside].min() > 1 - below
    assert seen[inside].max() < 1 + above


def test_one_sees_straight_through_a_skin():
    """Its two walls take their tint each, and what they mirror, but bend nothing."""
    lamp = plate("Lamp", (60, 30, -300), colour="#ffffff", size=(170, 110))
    ball = figure(
        step("sphere", radius=130, rings=48, segments=64), name="Ball",
        looks=[look("surface", **{**GLASS, "filled": False, "index": 1.01, "tint": "#ffbcbc"})],
    )  # fmt: skip
    open_air, seen = drawn(lamp, samples=8), drawn(ball, lamp, samples=8)
    columns, rows = np.meshgrid(np.arange(320) + 0.5 - 160, np.arange(180) + 0.5 - 90)
    inside = np.hypot(columns, rows) < 80
    tint = ((0xBC / 255 + 0.055) / 1.055) ** 2.4
    assert np.abs(seen - open_air)[inside][:, 0].mean() < 0.02
    assert np.abs(seen[..., 1] - open_air[..., 1] * tint**2)[inside].mean() < 0.02
    assert open_air[inside][:, 0].max() > 0.9


def test_from_under_water_the_sky_is_seen_in_a_window():
    """Beyond the angle from which nothing leaves water, its surface mirrors what is below."""
    water = figure(
        step("plane", width=9000, height=9000, facing="y"), name="Water",
        looks=[look("surface", **{**GLASS, "index": 1.33})], place={"position": [0, 0, 0]},
    )  # fmt: skip
    camera = {"position": [0, -100, 0], "target": [0, 0, 0.01], "lens": 12}
    lights = [sky("#ffffff", "#ffffff", "#000000")]
    frame = {"width": 320, "height": 180, "background": "transparent"}
    seen = drawn(water, lights=lights, frame=frame, camera={"id": "camera", "name": "Camera", "settings": camera})[
        90, :, 0
    ]
    place = (np.arange(320) + 0.5 - 160) / 320 * 36 / 12
    critical = np.tan(np.arcsin(1 / 1.33))
    assert seen[np.abs(place) < critical * 0.93].min() > 0.8
    assert seen[(np.abs(place) > critical * 1.05)].max() < 0.3


def test_a_ball_turns_over_what_is_behind_it():
    ball = figure(CLEAR_BALL, name="Ball", looks=[look("surface", **GLASS)])
    lamp = plate("Lamp", (80, 50, -200), size=(160, 100))
    seen, open_air = drawn(ball, lamp)[50:130, 120:200, 0], drawn(lamp)[50:130, 120:200, 0]
    rows, columns = np.mgrid[:80, :80]
    for picture, side in ((open_air, 1), (seen, -1)):
        assert side * (np.average(columns, weights=picture + 1e-9) - 39.5) > 2
        assert side * (np.average(rows, weights=picture + 1e-9) - 39.5) < -2


def test_towards_the_rim_it_is_as_the_rim_says():
    looks = [look("surface", **{**GLASS, "roughness": 1, "index": 1.01, "rim_index": 1.01, "facing": 1, "glow": 0})]
    ball = figure(CLEAR_BALL, name="Ball", looks=looks)
    lamp = plate("Lamp", (0, 0, -200), size=(500, 500))
    seen = drawn(ball, lamp)[90, :, 0]
    assert seen[160] > 0.97
    # A ball of 60 at 400 is seen 48 pixels wide to each side: half way out it leans by some 30 degrees.
    assert seen[160 + 24] == pytest.approx(1 - (1 - np.cos(np.radians(33))) ** 2, abs=0.03)
    assert seen[160 + 46] < seen[160 + 38] < seen[160 + 24]
    assert seen[160 + 46] < 0.6


def beneath(*figures, **sun):
    """The light of a white floor right below the middle, under a sun from straight above."""
    floor = figure(
        step("plane", width=2000, height=2000, facing="y"), name="Floor", place={"position": [0, -60, 0]},
        looks=[look("surface", colour="#ffffff", roughness=1)],
    )  # fmt: skip
    settings = {"colour": "#ffffff", "brightness": 0.5, "above": 90, **sun}
    lights = [{"id": "sun", "name": "Sun", "kind": "sun", "settings": settings}]
    camera = {"id": "camera", "name": "Camera", "settings": {"position": [0, 300, 400], "target": [0, -60, 0]}}
    return middle(drawn(floor, *figures, lights=lights, camera=camera, samples=4))


@pytest.mark.parametrize("width", [0, 6])
def test_shadows_of_what_is_clear_are_tinted_by_its_depth(width):
    """Each of two walls keeps 4 percent."""
    pane = slab(30, (-90, 0, 0), (0, 200, 0), wide=120, tint="#bc59e7", tint_depth=60)
    tint = np.array([((value / 255 + 0.055) / 1.055) ** 2.4 for value in (0xBC, 0x59, 0xE7)])
    share = beneath(pane, width=width) / beneath(width=width)
    assert share == pytest.approx(0.96**2 * tint**0.5, abs=0.01)


def test_what_is_clear_throws_no_shadow_where_others_would_not():
    pane = slab(30, (-90, 0, 0), (0, 200, 0), wide=120, tint="#bc59e7")
    bare = beneath()
    assert beneath({**pane, "looks": [look("surface", **GLASS, tint="#bc59e7", throws=False)]}) == pytest.approx(bare)
    assert beneath(pane, shines="on all but", figures=["slab"]) == pytest.approx(bare)
    assert beneath(pane, shadows=False) == pytest.approx(bare)
    assert beneath(pane).max() < 0.95 * bare.max()


def test_tints_add_to_the_shadows_of_what_is_not_clear():
    pane = slab(30, (-90, 0, 0), (0, 200, 0), wide=120)
    lid = slab(10, (-90, 0, 0), (0, 260, 0), "Lid", wide=120, clear=0)
    assert beneath(pane, lid).max() < 0.01


def test_what_is_half_transparent_is_not_clear():
    faint = (step("shift", opacity=0.5),)
    lamp = plate("Lamp", (0, 0, -300), size=(900, 900))
    seen, usual = (drawn(slab(steps=faint, clear=clear, colour="#808080"), lamp, lights=[sky()]) for clear in (1, 0))
    assert seen.tobytes() == usual.tobytes()


def test_the_same_bytes_on_any_number_of_threads():
    ball = figure(CLEAR_BALL, name="Ball", looks=[look("surface", **{**GLASS, "roughness": 0.2, "tint": "#80c0ff"})])
    floor = figure(
        step("plane", width=900, height=900, facing="y"), name="Floor", place={"position": [0, -60, 0]},
        looks=[look("surface", roughness=0.1)],
    )  # fmt: skip
    sun = {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"width": 5}}
    pictures = []
    for threads in (1, 3):
        with use_threads(threads):
            pictures.append(drawn(ball, floor, lights=[sun, sky(shadows=True)], samples=4).tobytes())
    assert pictures[0] == pictures[1]
