"""Pictures all around: what they light, what mirrors show of them, what stands behind everything; against integrals."""

import io

import numpy as np
import OpenEXR
import pytest

from pirouette.assets.library import Asset, HeldLibrary
from pirouette.checks import notes_of
from pirouette.data.panorama import Panorama, around_of
from pirouette.document import read_scene
from pirouette.evaluate import evaluate
from pirouette.kernels.render.around import BEHIND, LEVELS, ROUGHEST, roughness_of, seen_around, seen_level
from pirouette.kernels.threads import use_threads
from pirouette.render import Part, render_light, render_scene
from tests.scenes import document, figure, look, step

SIZE = (160, 90)
HEIGHT, WIDTH = 128, 256


def ways(height=HEIGHT, width=WIDTH):
    """(H, W, 3): the way that each pixel of a picture is seen along, by its place alone."""
    above = (0.5 - (np.arange(height)[:, None] + 0.5) / height) * np.pi
    right = ((np.arange(width) + 0.5) / width - 0.5) * 2 * np.pi
    return np.stack(
        np.broadcast_arrays(np.cos(above) * np.sin(right), np.sin(above), -np.cos(above) * np.cos(right)), -1
    )


def solid(height=HEIGHT, width=WIDTH):
    """(H, W): how much of the sphere each pixel is."""
    above = (0.5 - (np.arange(height)[:, None] + 0.5) / height) * np.pi
    return np.broadcast_to(np.cos(above) * np.pi / height * 2 * np.pi / width, (height, width))


def uneven(height=HEIGHT, width=WIDTH) -> np.ndarray:
    """A picture with a soft bright place, a horizon and another colour below."""
    d = ways(height, width)
    lamp = 4 * np.exp(-((1 - d @ unit(0.5, 0.6, 0.7)) / 0.03))
    low = np.where(d[..., 1] < 0, 0.2, 0.0)
    return np.stack([0.3 + lamp, 0.5 + lamp + low, 0.7 + 0.3 * d[..., 0]], axis=-1).astype(np.float32)


def unit(*way):
    return np.array(way) / np.linalg.norm(way)


def asset(picture) -> Asset:
    out = io.BytesIO()
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    channels = {name: np.ascontiguousarray(picture[..., k], np.float32) for k, name in enumerate("RGB")}
    OpenEXR.File(header, channels).write(out)
    return Asset("around.exr", "picture", out.getvalue())


def lit(*figures, picture, frame=None, **settings):
    """A scene that a picture all around lights, without shadows unless they are asked for."""
    given = {"picture": "around.exr", "shadows": False, "suns": 0, **settings}
    light = {"id": "around", "name": "Around", "kind": "surroundings", "settings": given}
    cameras = [{"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 36}}]
    raw = document(*figures, lights=[light], cameras=cameras)
    raw["frame"] = {"width": 320, "height": 180, "background": "solid", "colour": "#000000", **(frame or {})}
    return read_scene(raw, HeldLibrary({"around.exr": asset(picture)}))


def drawn(*figures, samples=4, size=SIZE, **more):
    return render_light(evaluate(lit(*figures, **more), 0), size, samples)


def plate(rotation=(0, 0, 0), **settings):
    looks = [look("surface", **{"colour": "#ffffff", "roughness": 1, **settings})]
    return figure(step("plane", width=60, height=60), looks=looks, place={"rotation": list(rotation)})


def middle(picture):
    return picture[picture.shape[0] // 2, picture.shape[1] // 2, :3]


@pytest.mark.parametrize("rough", [0.02, 0.2, 0.5, 1])
@pytest.mark.parametrize("metal", [0, 1])
def test_a_white_ball_in_a_white_room_is_not_to_be_seen(rough, metal):
    """Of what is white and mirrors nothing, or is all mirror, everything comes back."""
    ball = figure(
        step("sphere", radius=80),
        looks=[look("surface", colour="#ffffff", roughness=rough, metal=metal, mirrors=False)],
    )
    found = drawn(ball, picture=np.ones((HEIGHT, WIDTH, 3), np.float32), frame={"background": "its sky"})[..., :3]
    assert found[0, 0] == pytest.approx(1, abs=1e-4)
    # The gloss on what is not metal is light beside that of its colour; it is no more than Fresnel's share.
    assert middle(found) == pytest.approx(1.04 if not metal else 1, abs=0.005)
    if metal:
        assert found == pytest.approx(1, abs=0.01)


@pytest.mark.parametrize("rotation", [(0, 0, 0), (-60, 0, 0), (50, 30, 0), (10, -75, 0)])
@pytest.mark.parametrize("turn", [0, 70])
def test_a_surface_takes_light_from_all_that_it_faces(rotation, turn):
    picture = uneven()
    d, part = ways(), solid()
    found = middle(drawn(plate(rotation, metal=0), picture=picture, turn=turn))
    x, y, _ = np.radians(rotation)
    normal = np.array([np.sin(y) * np.cos(x), -np.sin(x), np.cos(y) * np.cos(x)])
    if normal[2] < 0:
        normal = -normal
    t = np.radians(turn)
    turned = np.array(
        [np.cos(t) * normal[0] - np.sin(t) * normal[2], normal[1], np.sin(t) * normal[0] + np.cos(t) * normal[2]]
    )
    weights = np.maximum(d @ turned, 0) * part
    expected = (picture * weights[..., None]).sum(axis=(0, 1)) / np.pi
    # Four in a hundred more are mirrored, dully.
    assert found == pytest.approx(1.04 * expected, rel=0.02)


@pytest.mark.parametrize("level", [1, 2, 3, 4, 6, ROUGHEST])
def test_rough_mirrors_show_the_mean_of_a_lobe(level):
    """The levels against the sum over all pixels of the picture, weighed by the distribution of facets (GGX)."""
    picture = uneven(512, 1024)
    d, part = ways(512, 1024), solid(512, 1024)
    made = around_of([Panorama.of(picture, "a")])
    wide = roughness_of(level) ** 2
    for way in (unit(0.5, 0.6, 0.7), unit(0.55, 0.5, 0.7), unit(-0.3, -0.05, -0.9), unit(0.1, -0.9, 0.3)):
        dot = d @ way
        # Half between the two ways stands the facet.
        facet = (1 + dot) / 2
        weights = np.where(dot > 0, dot / (facet * (wide**2 - 1) + 1) ** 2, 0) * part
        expected = (picture * weights[..., None]).sum(axis=(0, 1)) / weights.sum()
        found = seen_around(made, 0, *np.float32(way), np.float32(roughness_of(level)))
        assert found == pytest.approx(expected, rel=0.03), way


@pytest.mark.parametrize("turn", [0, 35, -120])
def test_what_stands_behind_everything_is_what_lies_that_way(turn):
    picture = uneven()
    found = drawn(picture=picture, turn=turn, frame={"background": "its sky"}, samples=1)[..., :3]
    x, y = np.arange(SIZE[0]) + 0.5 - SIZE[0] / 2, SIZE[1] / 2 - np.arange(SIZE[1]) - 0.5
    way = np.stack(np.broadcast_arrays(x / SIZE[0], y[:, None] / SIZE[0], -1.0), axis=-1)
    way /= np.linalg.norm(way, axis=-1, keepdims=True)
    right = (np.arctan2(way[..., 0], -way[..., 2]) + np.radians(turn)) / (2 * np.pi) + 0.5
    column = (np.floor(right * WIDTH) % WIDTH).astype(int)
    row = np.floor((0.5 - np.arcsin(way[..., 1]) / np.pi) * HEIGHT).astype(int)
    assert np.abs(found - picture[row, column]).mean() < 0.01


def test_a_mirror_shows_the_same_as_is_seen_that_way():
    """A mirror across the picture that looks back shows what a camera turned round sees, the other way about."""
    picture = uneven()
    metal = figure(
        step("plane", width=900, height=900), looks=[look("surface", colour="#ffffff", metal=1, roughness=0.02)]
    )
    mirrored = drawn(metal, picture=picture, samples=4)[..., :3]
    behind = drawn(picture=picture, samples=4, turn=180, frame={"background": "its sky"})[..., :3]
    assert np.abs(mirrored - behind[:, ::-1]).mean() < 0.01
    assert np.abs(mirrored - behind).mean() > 0.05


def sunny(radius_deg=2.0, bright=500.0, way=(0.6, 0.7, 0.4), height=256, width=512):
    d = ways(height, width)
    picture = np.full((height, width, 3), 0.2, np.float32)
    disc = d @ unit(*way) > np.cos(np.radians(radius_deg))
    picture[disc] = [bright, bright * 0.8, bright * 0.5]
    return picture, (solid(height, width) * disc).sum()


def test_the_brightest_place_shines_as_a_sun():
    picture, part = sunny()
    (sun,) = Panorama.of(picture, "a", 3).suns
    assert sun.way == pytest.approx(unit(0.6, 0.7, 0.4), abs=0.01)
    assert sun.wide_deg == pytest.approx(4, rel=0.25)
    assert sun.colour == pytest.approx(np.array([500, 400, 250]) * part / np.pi, rel=0.1)


def test_the_light_is_the_same_with_suns_and_without():
    picture, _ = sunny()
    facing = [drawn(plate((-45, 50, 0)), picture=picture, suns=suns) for suns in (0, 1)]
    assert middle(facing[1]) == pytest.approx(middle(facing[0]), rel=0.03)
    away = [drawn(plate((45, 0, 0)), picture=picture, suns=suns) for suns in (0, 1)]
    assert middle(away[1]) == pytest.approx(middle(away[0]), rel=0.05)


def test_several_suns_are_told_apart_and_dull_pictures_have_none():
    one, _ = sunny()
    other, _ = sunny(bright=300, way=(-0.8, 0.3, -0.2))
    both = np.maximum(one, other)
    found = Panorama.of(both, "a", 4).suns
    assert [
        np.round(sun.way @ unit(*way), 3) for sun, way in zip(found, ((0.6, 0.7, 0.4), (-0.8, 0.3, -0.2)), strict=True)
    ] == [1, 1]
    assert len(Panorama.of(both, "a", 1).suns) == 1
    assert Panorama.of(uneven(), "a", 4).suns == ()
    assert Panorama.of(np.zeros((8, 16, 3), np.float32), "a", 4).suns == ()


def test_a_sun_in_the_picture_throws_shadows_and_turns_with_it():
    """Straight below a ball that hangs over the floor it is dark only while the sun stands above it."""
    picture, _ = sunny(way=(0.0, 0.5, 0.9), bright=2000)
    floor = figure(
        step("plane", width=900, height=900), name="Floor", looks=[look("surface", colour="#ffffff", roughness=1)],
        place={"position": [0, -60, 0], "rotation": [-90, 0, 0]},
    )  # fmt: skip
    ball = figure(step("sphere", radius=30), name="Ball", looks=[look("surface", colour="#000000", roughness=1)])
    lights = {
        turn: drawn(floor, ball, picture=picture, suns=1, turn=turn, shadows=True, hollows=1) for turn in (0, 180)
    }
    bare = {turn: drawn(floor, picture=picture, suns=1, turn=turn, shadows=True, hollows=1) for turn in (0, 180)}
    dark = {turn: (lights[turn][60:, :, 0] < 0.5 * bare[turn][60:, :, 0]) for turn in lights}
    # From the front the shadow falls behind the ball, higher in the picture.
    rows = {turn: np.flatnonzero(dark[turn].any(axis=1)).max() for turn in dark}
    assert dark[0].any() and rows[180] > rows[0] + 3


def test_one_that_shines_on_some_figures_leaves_the_others_dark():
    picture = np.ones((HEIGHT, WIDTH, 3), np.float32)
    shone = drawn(plate(), picture=picture, shines="on only", figures=["thing"])
    assert middle(shone) == pytest.approx(1.04, abs=0.01)
    assert middle(drawn(plate(), picture=picture, shines="on all but", figures=["thing"])) == pytest.approx(0, abs=1e-6)
    assert middle(drawn(plate(), picture=picture, brightness=0.25)) == pytest.approx(0.26, abs=0.003)


def test_its_squares_meet_at_their_edges():
    """Ways beside each other show the same, also where the square is folded."""
    made = around_of([Panorama.of(uneven(), "a", 0)])
    for level in (0, 2, 5, BEHIND):
        steps = []
        for turn in np.linspace(0, 2 * np.pi, 2000):
            for y in (-0.2, -0.7, -0.9999, 0.0):
                flat = np.sqrt(1 - y * y)
                near = [
                    seen_level(made, level, *np.float32([flat * np.sin(at), y, flat * np.cos(at)]))
                    for at in (turn, turn + 2e-3)
                ]
                steps.append(np.abs(np.subtract(*near)).max())
        assert max(steps) < 0.12, level
    assert len(made.sides) == LEVELS


def test_same_bytes_on_any_number_of_threads_and_in_parts():
    ball = figure(step("sphere", radius=80), looks=[look("surface", colour="#ffffff", roughness=0.3, metal=1)])
    opened = lit(ball, picture=sunny()[0], suns=1, shadows=True, frame={"background": "its sky", "haze": 0.4})
    found = []
    for threads in (1, 3):
        with use_threads(threads):
            found.append(render_scene(opened, 0, SIZE, 4).light)
    assert np.array_equal(*found)
    plain = evaluate(lit(ball, picture=sunny()[0], suns=1, frame={"background": "its sky"}), 0)
    part = Part(36, 20, 60, 40)
    alone = render_light(plain, SIZE, 4, part=part)
    assert np.abs(alone - render_light(plain, SIZE, 4)[part.place]).mean() < 5e-4


def test_one_without_a_picture_says_so():
    light = {"id": "around", "name": "Around", "kind": "surroundings", "settings": {}}
    opened = read_scene(document(plate(), lights=[light]))
    assert not render_light(evaluate(opened, 0), SIZE, 1)[..., :3].any()
    (note,) = [note for note in notes_of(opened) if note.code == "light.advice"]
    assert note.message.startswith("no picture is chosen")
