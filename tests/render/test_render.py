"""The renderer against geometry, against itself, and against plain numpy."""

import subprocess
import sys
from dataclasses import replace

import numpy as np
import pytest

from pirouette.data import Cancelled
from pirouette.document import read_scene
from pirouette.evaluate import evaluate
from pirouette.kernels.render import picture as filters
from pirouette.kernels.render.transform import expose
from pirouette.kernels.threads import use_threads
from pirouette.render import finished, render_light, render_scene
from tests.scenes import DEMOS, LIBRARY, ROOT, brief_demo, figure, look, scene, step

SIZE = (320, 180)
CAMERA = {"cameras": [{"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 36}}]}
# A lens of 36 mm on 36 mm: at distance 400 the picture is 400 wide, so a pixel is 1.25 units.
UNITS_PER_PIXEL = 400 / SIZE[0]


def light(*figures, samples=4, is_flat=True, **more):
    return render_light(evaluate(scene(*figures, **{**CAMERA, **more}), 0), SIZE, samples, is_flat)


def white(*steps, **settings):
    return figure(*steps, looks=[look("surface", colour="#ffffff", **settings)])


def test_a_square_covers_its_area():
    picture = light(white(step("plane", width=100, height=80)), samples=16)
    assert picture[..., 0].sum() == pytest.approx(100 * 80 / UNITS_PER_PIXEL**2, rel=0.003)


def test_a_ball_covers_its_outline():
    picture = light(white(step("sphere", radius=50, rings=64, segments=128)), samples=16)
    # The outline of a ball is seen under an angle: a circle slightly larger than the ball's own.
    radius = 400 * np.tan(np.arcsin(50 / 400)) / UNITS_PER_PIXEL
    assert picture[..., 0].sum() == pytest.approx(np.pi * radius**2, rel=0.005)


def test_faces_leave_no_gaps_and_are_not_drawn_twice():
    picture = light(white(step("plane", width=137, height=91, across=37, up=23), blend="additive"), samples=16)
    inside = picture[70:110, 110:210, 0]
    np.testing.assert_allclose(inside, 1, atol=1e-5)


@pytest.mark.parametrize("turn", [[0, 0, 0], [7, 31, 12]])
def test_additive_faces_around_the_eye_are_cut_where_they_cross_its_plane(turn):
    room = white(step("box", width=300, height=260, depth=1300), blend="additive", brightness=0.5)
    picture = light({**room, "place": {"position": [0, 0, 400], "rotation": turn}}, samples=16)
    off = np.abs(picture[..., 0] - 0.5)
    # On an edge between two faces, rounding may give single samples to both of them or to none.
    assert off.max() < 0.5 / 16 + 1e-5
    assert (off > 1e-5).mean() < 1e-4


def test_the_nearer_figure_hides_the_farther():
    near = {
        **white(step("plane", width=50, height=50)),
        "id": "near",
        "name": "Near",
        "place": {"position": [0, 0, 50]},
    }
    far = figure(step("plane", width=200, height=200), looks=[look("surface", colour="#ff0000")], name="Far")
    for pair in ((near, far), (far, near)):
        picture = light(*pair)
        np.testing.assert_allclose(picture[90, 160, :3], [1, 1, 1], atol=1e-5)
        np.testing.assert_allclose(picture[90, 100, :3], [1, 0, 0], atol=1e-5)


def test_what_crosses_the_eye_is_cut_not_dropped():
    floor = white(step("plane", width=4000, height=4000, facing="y"))
    picture = light({**floor, "place": {"position": [0, -50, 0]}})
    assert picture[100:, :, 0].min() == pytest.approx(1)
    assert picture[:85, :, 0].max() == 0


def test_what_lies_behind_the_eye_is_not_drawn():
    behind = {**white(step("box")), "place": {"position": [0, 0, 600]}}
    assert light(behind)[..., 0].max() == 0


def test_thousands_of_instances_are_all_there():
    dots = white(step("plane", width=2, height=2), step("grid", columns=40, rows=20, apart=[8, 8, 8]))
    picture = light(dots, samples=16)
    each = (2 / UNITS_PER_PIXEL) ** 2
    assert picture[..., 0].sum() == pytest.approx(800 * each, rel=0.06)


def test_mirrored_figures_look_outwards_too():
    ball = figure(step("sphere"), looks=[look("surface", colour="#808080")])
    plain = light(ball, is_flat=False)
    mirrored = light({**ball, "place": {"scale": [-1, 1, 1]}}, is_flat=False, lights=[
        {"id": "sky", "name": "Sky", "kind": "sky", "settings": {}}])  # fmt: skip
    alone = light(ball, is_flat=False, lights=[{"id": "sky", "name": "Sky", "kind": "sky", "settings": {}}])
    np.testing.assert_allclose(mirrored, alone, atol=0.02)
    assert plain.mean() > alone.mean()


def test_light_comes_from_where_the_sun_is():
    sun = [{"id": "s", "name": "S", "kind": "sun", "settings": {"around": 90, "above": 0}}]
    picture = light(white(step("sphere", radius=60)), is_flat=False, lights=sun)
    assert picture[90, 160 + 30, 0] > 0.3
    assert picture[90, 160 - 30, 0] < 0.02


def test_a_white_surface_that_faces_a_sun_of_one_is_about_white():
    sun = [
        {
            "id": "s",
            "name": "S",
            "kind": "sun",
            "settings": {"around": 0, "above": 0, "brightness": 1, "colour": "#ffffff"},
        }
    ]
    picture = light(white(step("plane"), roughness=1.0), is_flat=False, lights=sun)
    assert picture[90, 160, 0] == pytest.approx(1, abs=0.05)


def test_a_near_light_falls_off_with_the_square_of_the_distance():
    def lit(distance):
        key = {"position": [0, 0, distance], "width": 0, "reach": 100, "brightness": 0.2, "colour": "#ffffff"}
        lights = [{"id": "k", "name": "K", "kind": "key", "settings": key}]
        return light(white(step("plane"), roughness=1.0), is_flat=False, lights=lights)[90, 160, 0]

    assert lit(100) / lit(200) == pytest.approx(4, rel=0.05)


def test_wires_are_as_wide_as_they_say():
    line = figure(
        step("plane", width=100, height=400, across=1, up=1),
        looks=[look("wire", colour="#ffffff", width=6, blend="additive")],
    )
    row = light(line)[90, :, 0]
    # Two upright edges; widths are those of a picture of 1080 lines.
    assert row.sum() == pytest.approx(2 * 6 * SIZE[1] / 1080, rel=0.02)


def test_wires_in_units_shrink_with_distance():
    def width(z):
        line = figure(
            step("plane", width=100, height=900, across=1, up=1),
            looks=[look("wire", colour="#ffffff", width=5, unit="units", blend="additive")],
            place={"position": [0, 0, z]},
        )
        return light(line)[90, :, 0].sum()

    assert width(0) == pytest.approx(2 * 5 / UNITS_PER_PIXEL, rel=0.03)
    assert width(-400) == pytest.approx(width(0) / 2, rel=0.05)


def test_wires_show_polygons_not_triangles():
    looks = [look("wire", colour="#ffffff", width=8, blend="additive")]
    picture = light(figure(step("plane", width=100, height=100, across=1, up=1), looks=looks))
    assert picture[90, 160, 0] == 0


def test_hidden_lines_are_hidden_and_those_on_a_surface_are_not():
    looks = [look("surface", colour="#000000"), look("wire", colour="#ffffff", width=6)]
    front = light(figure(step("box", parts=1), looks=looks, place={"rotation": [20, 30, 0]}), samples=8)
    bare = light(figure(step("box", parts=1), looks=looks[1:], place={"rotation": [20, 30, 0]}), samples=8)
    # Nine of the twelve edges of a cube can be seen.
    assert front[..., 0].sum() / bare[..., 0].sum() == pytest.approx(9 / 12, abs=0.09)


def test_dots_have_their_area_and_softness_keeps_the_middle():
    def drawn(softness):
        looks = [look("dots", colour="#ffffff", size=60, softness=softness, blend="additive")]
        return light(figure(step("plane", width=0, height=0, across=1, up=1), looks=looks, place={"scale": [0, 0, 0]}))

    hard = drawn(0.0)
    radius = 30 * SIZE[1] / 1080
    # Four points in one place add up.
    assert hard[..., 0].sum() == pytest.approx(4 * np.pi * radius**2, rel=0.03)
    soft = drawn(1.0)
    assert soft[90, 160, 0] == pytest.approx(hard[90, 160, 0], rel=0.2)
    assert soft[..., 0].sum() < hard[..., 0].sum()


def with_widths(picture, **widths):
    """A picture list whose first look has other widths."""
    first = picture.drawables[0]
    (drawn,) = first.looks
    changed = {name: np.array(values, np.float32) for name, values in widths.items()}
    return replace(picture, drawables=(replace(first, looks=(replace(drawn, **changed),)), *picture.drawables[1:]))


@pytest.mark.parametrize("ends", [(1, 1), (2, 0.5), (0.25, 1.5), (1, 0)])
def test_a_line_is_as_wide_at_each_end_as_its_points_say(ends):
    looks = [look("wire", colour="#ffffff", width=40, unit="units", blend="additive")]
    line = figure(step("line", start=[-60, 0, 0], end=[60, 0, 0], points=2), looks=looks)
    picture = render_light(
        with_widths(evaluate(scene(line, **CAMERA), 0), point_widths=ends), SIZE, 16, True
    )  # fmt: skip
    one, other = (40 * end for end in ends)
    area = 120 * (one + other) / 2 + np.pi / 8 * (one**2 + other**2)
    assert picture[..., 0].sum() == pytest.approx(area / UNITS_PER_PIXEL**2, rel=0.02)
    # How wide it is across, a third of the way along.
    there = (1 - 1 / 3) * one + other / 3
    column = round(SIZE[0] / 2 + (-60 + 40) / UNITS_PER_PIXEL)
    assert picture[:, column - 1 : column + 1, 0].sum(axis=0).mean() == pytest.approx(there / UNITS_PER_PIXEL, rel=0.05)


def test_lines_of_copies_are_as_wide_as_these_say_and_thin_ones_fade_instead_of_breaking_up():
    looks = [look("wire", colour="#ffffff", width=6, unit="units", blend="additive")]
    steps = [step("line", start=[-20, 0, 0], end=[20, 0, 0], points=2), step("row", count=3, apart=[0, 40, 0])]
    flat = evaluate(scene(figure(*steps, looks=looks), **CAMERA), 0)
    even = render_light(flat, SIZE, 16, True)[..., 0]
    drawn = render_light(with_widths(flat, widths=[2, 1, 0.01]), SIZE, 16, True)[..., 0]
    rows = even.sum(axis=1) > 0
    starts = np.flatnonzero(np.diff(np.concatenate([[0], rows.astype(int)])) == 1)
    assert len(starts) == 3
    bounds = [0, *((starts[1:] + starts[:-1]) // 2 + 2), SIZE[1]]
    shares = [drawn[a:b].sum() / even[a:b].sum() for a, b in zip(bounds, bounds[1:], strict=False)]
    caps = 40 * 12 + np.pi * 36, 40 * 6 + np.pi * 9
    assert sorted(shares) == pytest.approx([0.01, 1, caps[0] / caps[1]], rel=0.12)


def test_additive_layers_add_up_and_are_hidden_by_what_covers():
    glow = {
        **white(step("plane", width=100, height=100), blend="additive", brightness=0.25),
        "id": "glow",
        "name": "Glow",
    }
    more = {**glow, "id": "more", "name": "More", "place": {"position": [0, 0, -10]}}
    assert light(glow, more)[90, 160, 0] == pytest.approx(0.5, abs=1e-5)
    lid = figure(
        step("plane", width=20, height=20),
        looks=[look("surface", colour="#000000")],
        name="Lid",
        place={"position": [0, 0, 30]},
    )
    covered = light(glow, more, lid)
    assert covered[90, 160, 0] == 0
    assert covered[90, 190, 0] == pytest.approx(0.5, abs=1e-5)


def test_several_looks_draw_the_same_shape():
    looks = [look("surface", colour="#400000"), look("dots", colour="#ffffff", size=12)]
    picture = light(
        figure(step("plane", across=4, up=4, width=80, height=80), step("displace", strength=20), looks=looks),
        samples=8,
    )
    dots = picture[..., 1] > 0.5
    surface = picture[..., 0] > 0.02
    grown = surface.copy()
    for axis in (0, 1):
        grown |= np.roll(grown, 2, axis) | np.roll(grown, -2, axis)
    assert dots.any()
    assert not (dots & ~grown).any()


def test_a_transparent_background_has_exact_alpha():
    frame = {"frame": {"width": 320, "height": 180, "background": "transparent"}}
    picture = light(white(step("plane", width=100, height=100)), samples=16, **frame)
    assert picture[..., 3].sum() == pytest.approx(100 * 100 / UNITS_PER_PIXEL**2, rel=0.003)
    np.testing.assert_allclose(picture[..., 0], picture[..., 3], atol=1e-6)
    assert picture[0, 0, 3] == 0


def test_edges_on_transparent_keep_their_colour():
    frame = {"frame": {"width": 320, "height": 180, "background": "transparent"}}
    red = figure(step("sphere"), looks=[look("surface", colour="#ff0000")])
    opened = scene(red, **{**CAMERA, **frame})
    pixels = render_scene(opened, 0, SIZE, 8).pixels()
    half = (pixels[..., 3] > 20) & (pixels[..., 3] < 235)
    assert half.any()
    lit = pixels[half].astype(int)
    assert (lit[:, 0] >= lit[:, 1]).all()


def test_a_gradient_runs_from_its_colour_to_its_foot():
    frame = {"frame": {"width": 320, "height": 180, "background": "gradient", "colour": "#ffffff", "bottom": "#000000"}}
    picture = light(**frame)
    assert picture[0, 5, 0] > 0.99
    assert picture[-1, 5, 0] < 0.01
    assert picture[90, 5, 0] == pytest.approx(0.5, abs=0.01)


def test_more_samples_come_closer_to_the_truth():
    truth = light(white(step("sphere")), samples=64)
    errors = [np.abs(light(white(step("sphere")), samples=count) - truth).mean() for count in (1, 4, 16)]
    assert errors[0] > errors[1] > errors[2]


@pytest.mark.parametrize("name", DEMOS)
def test_any_number_of_threads_gives_the_same_bytes(name):
    opened = read_scene(brief_demo(name), LIBRARY)
    results = []
    for threads in (1, 2):
        with use_threads(threads):
            results.append(render_scene(opened, 7, (256, 144), 3).pixels().tobytes())
    assert results[0] == results[1]


def test_another_process_gives_the_same_bytes():
    program = (
        "import hashlib, sys\n"
        "from pirouette.document import load_scene\n"
        "from pirouette.render import render_scene\n"
        "pixels = render_scene(load_scene(sys.argv[1]), 20, (256, 144), 3).pixels()\n"
        "print(hashlib.sha256(pixels.tobytes()).hexdigest())\n"
    )
    path = ROOT / "studio" / "demo" / "scenes" / "pinwheel-wall.json"
    run = [sys.executable, "-c", program, str(path)]
    hashes = {subprocess.run(run, capture_output=True, text=True, check=True, cwd=ROOT).stdout for _ in range(2)}
    assert len(hashes) == 1
    assert len(hashes.pop().strip()) == 64


@pytest.mark.parametrize(("size", "samples"), [((0, 5), 1), ((9000, 5), 1), (SIZE, 0), (SIZE, 65)])
def test_sizes_and_samples_out_of_range_are_refused(size, samples):
    with pytest.raises(ValueError, match="allowed 1 to"):
        render_light(evaluate(scene(), 0), size, samples)


def test_a_render_can_be_cancelled():
    with pytest.raises(Cancelled):
        render_light(evaluate(scene(figure(step("box"))), 0), SIZE, 1, is_cancelled=lambda: True)


def test_halving_keeps_the_mean_of_even_light():
    even = np.full((54, 96, 4), 0.7, np.float32)
    np.testing.assert_allclose(filters.halve(even), 0.7, atol=1e-6)


def test_halving_equals_plain_numpy():
    source = np.random.default_rng(5).random((16, 20, 4)).astype(np.float32)
    padded = np.pad(source, ((1, 1), (1, 1), (0, 0)), "edge").astype(np.float64)
    weights = np.array([1, 3, 3, 1]) / 8
    rows = sum(w * padded[k : k + 16 : 2] for k, w in enumerate(weights))
    plain = sum(w * rows[:, k : k + 20 : 2] for k, w in enumerate(weights))
    np.testing.assert_allclose(filters.halve(source), plain, atol=1e-5)


def test_glow_spreads_only_what_is_above_the_knee():
    dim = np.full((90, 160, 4), 0.5, np.float32)
    np.testing.assert_array_equal(filters.glow(dim, 0.8, 1.0, 5), dim)
    lamp = np.zeros((90, 160, 4), np.float32)
    lamp[45, 80] = 50
    glowing = filters.glow(lamp, 0.8, 1.0, 5)
    assert glowing[45, 95, 0] > glowing[45, 110, 0] > 0


def test_encoding_is_the_srgb_curve_with_straight_alpha():
    values = np.array([[[0.0, 0.5, 1.0, 1.0], [0.25, 0.25, 0.25, 0.5]]], np.float32)
    encoded = filters.encode(values)
    assert encoded[0, 0].tolist() == [0, 188, 255, 255]
    assert encoded[0, 1].tolist() == [188, 188, 188, 128]
    assert filters.encode(values, 16)[0, 0, 1] == pytest.approx(0.7354 * 65535, rel=1e-3)


@pytest.mark.parametrize("bits", [8, 16])
def test_every_brightness_is_encoded_as_the_curve_says(bits):
    values = np.concatenate([np.linspace(0, 1, 20_001), 10 ** np.linspace(-7, 0, 2_001)]).astype(np.float32)
    picture = np.ones((1, len(values), 4), np.float32)
    picture[0, :, :3] = values[:, None]
    plain = values.astype(np.float64)
    curve = np.where(plain <= 0.0031308, plain * 12.92, 1.055 * plain ** (1 / 2.4) - 0.055) * (2**bits - 1)
    encoded = filters.encode(picture, bits)[0, :, 1]
    np.testing.assert_allclose(encoded, curve, atol=0.5 + 2e-6 * 2**bits)


def test_the_vignette_darkens_corners_and_leaves_the_middle():
    plain = np.ones((91, 161, 4), np.float32)
    dark = filters.vignette(plain, 0.5, 0.3, 0.5)
    assert dark[45, 80, 0] == 1
    assert dark[0, 0, 0] == pytest.approx(0.5, abs=0.02)


def test_finishes_run_in_their_order_and_as_often_as_they_are_named():
    """Light of 0.3 glows only once it was made brighter twice."""
    brighter = {"id": "a", "kind": "exposure", "settings": {"stops": 1, "transform": "plain"}}
    glow = {"id": "b", "kind": "glow", "settings": {"strength": 1, "above": 0.7}}
    grey = np.full((45, 81, 4), 0.0, np.float32)
    grey[20:25, 38:43] = 0.3
    grey[..., 3] = 1

    def seen(*effects):
        return finished(grey, evaluate(scene(finish=list(effects)), 0))

    after, before = seen(brighter, glow), seen(glow, brighter)
    assert before[17, 40, 0] == 0
    assert after[17, 40, 0] == 0
    twice = seen(brighter, {**brighter, "id": "c"}, glow)
    assert twice[17, 40, 0] > 0.001
    assert seen(brighter, glow, {**brighter, "id": "c"})[17, 40, 0] == 0
    assert twice[22, 40, 0] > seen(brighter)[22, 40, 0] == pytest.approx(0.6, abs=1e-3)


def test_a_glow_adds_light_but_no_cover_beyond_whole():
    """Cover beyond 1 would make the view transform after it take bright light for darker, and leave it to burn out."""
    bright = np.full((64, 64, 4), 8.0, np.float32)
    bright[..., 3] = 1
    found = filters.glow(bright, 0.5, 1.5, 4)
    assert found[..., 3].max() == 1
    assert expose(found, 1, "filmic")[..., :3].max() <= 1
