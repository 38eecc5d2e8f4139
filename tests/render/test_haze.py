"""Haze against closed forms, alike on all that is drawn; and the sky as what is behind everything."""

import numpy as np
import pytest
from scipy.integrate import quad

from pirouette.evaluate import evaluate
from pirouette.kernels.render.haze import left_in_haze
from pirouette.kernels.render.tables import Haze
from pirouette.kernels.threads import use_threads
from pirouette.render import Part, render_light, render_scene
from tests.render.test_mirrors import GLOW, plate, sky
from tests.scenes import figure, look, scene, step

SIZE = (160, 90)
BACKGROUNDS = ("solid", "gradient", "its sky")


def seen(*figures, frame=None, camera=None, samples=4, size=SIZE, lights=(), **more):
    settings = {"position": [0, 0, 400], "lens": 36, **(camera or {})}
    cameras = [{"id": "camera", "name": "Camera", "settings": settings}]
    frame = {"width": 320, "height": 180, "background": "solid", "colour": "#000000", **(frame or {})}
    opened = scene(*figures, lights=list(lights), frame=frame, cameras=cameras, **more)
    return render_light(evaluate(opened, 0), size, samples)


def ways(size=SIZE):
    """How far it is to a plane one unit before the camera, along the middle of each pixel."""
    x, y = np.arange(size[0]) + 0.5 - size[0] / 2, np.arange(size[1]) + 0.5 - size[1] / 2
    # A lens of 36 mm before a picture as wide.
    return np.sqrt(1 + (x[None] / size[0]) ** 2 + (y[:, None] / size[0]) ** 2)


@pytest.mark.parametrize(("share", "far"), [(0.2, 300), (0.5, 1000), (0.95, 700)])
def test_haze_takes_its_share_at_its_distance(share, far):
    hazy = {"haze": share, "haze_distance": far, "haze_shows": "a colour", "haze_colour": "#0000ff"}
    found = seen(plate("Wall", (0, 0, -100), "#ff0000", size=(2000, 2000)), frame=hazy)
    left = (1 - share) ** (500 * ways() / far)
    assert found[..., 0] == pytest.approx(left, abs=0.002)
    assert found[..., 2] == pytest.approx(1 - left, abs=0.002)


@pytest.mark.parametrize("height", [0, 40, 300])
@pytest.mark.parametrize(("start", "stop"), [(-80, 90), (10, 10.01), (-5, -300), (-5, 5), (700, 20), (0, 0), (30, 30)])
def test_haze_thins_out_with_height(start, stop, height):
    black = np.zeros(3, np.float32)
    haze = Haze(True, np.float32(0.004), np.float32(7), np.float32(height), black, False, np.zeros((0, 4), np.float32))

    def density(share):
        above = max(start + (stop - start) * share - 7, 0)
        return np.exp(-above / height) if height else 1.0

    expected = np.exp(-0.004 * 350 * quad(density, 0, 1, points=[0.1, 0.5], limit=200)[0])
    assert left_in_haze(haze, np.float32(start), np.float32(stop), np.float32(350)) == pytest.approx(expected, abs=2e-4)


def test_a_floor_of_haze_lies_low():
    """Of what is as far away, more is left the higher it is."""
    hazy = {"haze": 0.9, "haze_distance": 400, "haze_shows": "a colour", "haze_colour": "#000000"}
    wall = plate("Wall", (0, 0, 0), "#ffffff", size=(2000, 2000))
    low, even = (seen(wall, frame={**hazy, **more})[:, 80, 0] for more in ({"haze_height": 60, "haze_base": -40}, {}))
    assert (np.diff(low[:40]) < 0).all()
    assert low[:40].min() > even[:40].max() * 2
    assert low[0] > 4 * low[-1]


@pytest.mark.parametrize("background", BACKGROUNDS)
def test_what_is_far_in_haze_is_what_is_behind_it(background):
    """Whatever it is made of, and however it is mixed."""
    far = {"place": {"position": [0, 0, -300], "scale": [2, 2, 2]}}
    looks = {
        "Solid": [look("surface", colour="#ff0000", roughness=0.2)],
        "Wire": [look("wire", colour="#ffffff", width=6)],
        "Dots": [look("dots", colour="#00ff00", size=20)],
        "Clear": [look("surface", colour="#ffffff", clear=1, index=1.4)],
        "Light": [look("surface", **GLOW, glow=3, glow_colour="#ffffff", blend="additive")],
        "Lines": [look("wire", colour="#ffffff", width=3, blend="additive")],
    }
    ball = step("sphere", radius=40, rings=12, segments=16)
    figures = [
        figure(ball, step("row", count=3, apart=[70, 10, 5]), name=name, looks=made, **far)
        for name, made in looks.items()
    ]
    figures.append(figure(ball, step("shift", opacity=0.5), name="Faint", **far))
    frame = {"background": background, "colour": "#304080", "bottom": "#c08040"}
    lights = [sky("#4060a0", "#c0a090", "#202020")]
    empty = seen(frame=frame, lights=lights)
    clear = seen(*figures, frame=frame, lights=lights)
    hazy = seen(*figures, frame={**frame, "haze": 0.999, "haze_distance": 100}, lights=lights)
    assert np.abs(clear - empty).max() > 0.3
    # Strokes are told at their ends, so they may be off by a row of the picture.
    assert np.abs(hazy - empty).max() < 1.1 * np.abs(np.diff(empty, axis=0)).max() + 1e-3
    assert (hazy[..., 3] > 0.999).all()


@pytest.mark.parametrize(
    "made",
    [
        look("surface", **GLOW, glow=1, glow_colour="#ffffff", blend="additive"),
        look("wire", colour="#ffffff", width=60, blend="additive"),
        look("dots", colour="#ffffff", size=60, blend="additive"),
        look("wire", colour="#ffffff", width=60),
        look("dots", colour="#ffffff", size=60),
    ],
)
def test_light_that_is_added_is_dimmed_and_adds_no_haze(made):
    """What covers shows the haze before it, what is added does not."""
    hazy = {"haze": 0.5, "haze_distance": 400, "haze_shows": "a colour", "haze_colour": "#0000ff"}
    one = figure(step("plane", width=200, height=200, across=4, up=4), looks=[made])
    bare, found = seen(one), seen(one, frame=hazy)
    covered = bare[..., 0] > 0.99
    assert covered.sum() > 50
    left = (0.5 ** ways())[covered]
    assert found[covered, 0] == pytest.approx(left * bare[covered, 0], rel=0.01)
    blue = 0 if made["settings"].get("blend") == "additive" else 1 - left
    assert found[covered, 2] == pytest.approx(left * bare[covered, 2] + blue, abs=0.01)


def test_half_transparent_layers_each_lie_in_their_own_haze():
    hazy = {"haze": 0.5, "haze_distance": 400, "haze_shows": "a colour", "haze_colour": "#000000"}
    near = figure(*plate("Near", (0, 0, 100), "#ff0000", size=(900, 900))["routine"], step("shift", opacity=0.5))
    near = {**plate("Near", (0, 0, 100), "#ff0000", size=(900, 900)), "routine": near["routine"]}
    far = plate("Far", (0, 0, -200), "#00ff00", size=(2000, 2000))
    found = seen(near, far, frame=hazy)
    assert found[..., 0] == pytest.approx(0.5 * 0.5 ** (300 * ways() / 400), abs=0.003)
    assert found[..., 1] == pytest.approx(0.5 * 0.5 ** (600 * ways() / 400), abs=0.003)


@pytest.mark.parametrize("made", ["mirror", "clear"])
def test_mirrors_and_clear_surfaces_show_haze_too(made):
    """Light has gone all of the way from what they show, and back to the eye."""
    hazy = {"haze": 0.5, "haze_distance": 400, "haze_shows": "a colour", "haze_colour": "#0000ff"}
    # The camera looks along a mirror at 45 degrees to a wall at its side; or through a thin pane to one behind it.
    turned = [0, -45, 0] if made == "mirror" else [0, 0, 0]
    settings = {"metal": 1, "roughness": 0.02} if made == "mirror" else {"clear": 1, "index": 1, "filled": False}
    pane = figure(
        step("plane", width=300, height=300), name="Pane", looks=[look("surface", colour="#ffffff", **settings)],
        place={"rotation": turned},
    )  # fmt: skip
    at, facing = ((-300, 0, 0), (0, 90, 0)) if made == "mirror" else ((0, 0, -300), (0, 0, 0))
    wall = plate("Wall", at, "#ff0000", rotation=facing, size=(900, 900))
    bare, found = (seen(pane, wall, frame=frame, samples=8)[45, 80] for frame in ({}, hazy))
    assert bare[0] == pytest.approx(1, abs=0.01)
    assert found[0] == pytest.approx(0.5 ** (700 / 400), abs=0.01)
    assert found[2] == pytest.approx(1 - 0.5 ** (700 / 400), abs=0.01)


def test_over_nothing_haze_has_its_own_colour():
    hazy = {"background": "transparent", "haze": 0.999, "haze_distance": 20, "haze_colour": "#0000ff"}
    found = seen(plate("Wall", (0, 0, 0), "#ff0000", size=(200, 900)), frame=hazy)
    assert found[45, 80] == pytest.approx([0, 0, 1, 1], abs=1e-3)
    assert found[45, 2] == pytest.approx([0, 0, 0, 0])


@pytest.mark.parametrize("target", [[0, 0, 0], [0, 300, 0], [100, -250, 200]])
def test_the_sky_behind_everything_is_what_mirrors_show_of_it(target):
    """Along each way the colours of the skies: at the top, at the height of the eye, and of the ground."""
    camera = {"position": [30, 20, 400], "target": target}
    lights = [
        sky("#0000ff", "#00ff00", "#ff0000"),
        {**sky("#ffffff", "#000000", "#000000", brightness=0.25), "id": "b", "name": "B"},
    ]
    found = seen(frame={"background": "its sky"}, camera=camera, lights=lights)
    picture = evaluate(
        scene(lights=lights, cameras=[{"id": "camera", "name": "Camera", "settings": {"lens": 36, **camera}}]), 0
    )
    rays = picture.view.ray_matrix(*SIZE)
    x, y = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    way = np.stack([x, y, np.ones_like(x)], axis=-1) @ np.asarray(rays).T
    up = (way / np.linalg.norm(way, axis=-1, keepdims=True))[..., 1]
    rise = np.abs(up) * (2 - np.abs(up))
    above = np.where(up > 0, rise, 0)
    assert found[..., 2] == pytest.approx(above + 0.25 * above, abs=1e-3)
    assert found[..., 1] == pytest.approx(1 - rise + 0.25 * above, abs=1e-3)
    assert found[..., 0] == pytest.approx(np.where(up > 0, 0.25 * above, rise), abs=1e-3)
    assert (found[..., 3] == 1).all()


def test_the_sky_is_seen_at_edges_and_through_what_is_open():
    frame, lights = {"background": "its sky"}, [sky("#2040ff", "#ffffff", "#402010")]
    behind = seen(frame=frame, lights=lights, samples=16)
    black = look("surface", colour="#000000", roughness=1, metal=1)
    sheet = figure(step("plane", width=200, height=120), step("shift", opacity=0.25), looks=[black])
    found = seen(sheet, frame=frame, lights=lights, samples=16)
    assert found[45, 80, :3] == pytest.approx(0.75 * behind[45, 80, :3], abs=0.01)
    solid = seen(figure(step("sphere", radius=50), looks=[black]), frame=frame, lights=lights, samples=16)
    # Between ball and sky no pixel is brighter or darker than both.
    assert (solid[..., :3] <= behind[..., :3] + 1e-3).all()
    assert np.abs(solid[:, :20] - behind[:, :20]).max() < 1e-6


def test_haze_and_sky_are_the_same_bytes_on_any_number_of_threads_and_in_parts():
    frame = {
        "width": 320, "height": 180, "background": "its sky", "haze": 0.7, "haze_distance": 500, "haze_height": 80,
    }  # fmt: skip
    ball = figure(
        step("sphere", radius=60), step("row", count=3, apart=[90, 20, -200]), looks=[look("surface"), look("wire")]
    )
    cameras = [{"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400]}}]
    opened = scene(ball, frame=frame, lights=[sky("#2040ff", "#ffffff", "#402010")], cameras=cameras)
    found = []
    for threads in (1, 2):
        with use_threads(threads):
            found.append(render_scene(opened, 0, SIZE, 3).light)
    assert found[0].tobytes() == found[1].tobytes()
    part = Part(40, 20, 70, 50)
    alone = render_light(evaluate(opened, 0), SIZE, 3, part=part)
    assert np.abs(alone - found[0][part.place]).max() < 1e-5
    plain = render_scene(scene(ball, frame={**frame, "haze": 0}, lights=[], cameras=cameras), 0, SIZE, 3).light
    assert np.abs(plain - found[0]).max() > 0.1


def test_what_finishes_are_limited_to_is_not_in_haze():
    """A cover is told from figures alone, however far they are away."""
    glow = {
        "id": "glow",
        "kind": "exposure",
        "settings": {"acts": "on only", "figures": ["wall"], "stops": 1, "transform": "plain"},
    }
    wall = plate("Wall", (0, 0, 0), "#808080", size=(200, 900))
    frame = {"width": 320, "height": 180, "haze": 0.9, "haze_distance": 100, "haze_shows": "a colour"}
    frame["haze_colour"] = "#404040"
    cameras = [{"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 36}}]
    one, two = (
        render_scene(scene(wall, frame=frame, lights=[], cameras=cameras, finish=finish), 0, SIZE, 4).finished
        for finish in ([], [glow])
    )
    assert two[45, 80, 0] == pytest.approx(2 * one[45, 80, 0], rel=0.02)
