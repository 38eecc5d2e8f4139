"""What shows in the view is what renders: the same frame drawn both ways."""

import base64
import json

import numpy as np
import pytest

from pirouette.document import read_scene
from pirouette.evaluate import Checkpoints, Memo, evaluate
from pirouette.kernels.render.picture import encode
from pirouette.render import render_light, render_scene
from tests.scenes import DEMOS, LIBRARY, demo, document, figure, look, step

pytestmark = pytest.mark.browser
# Enough for outlines, and for what is finished, in blocks; drawing without a graphics card is what takes longest.
SIZE = (640, 360)
SMALL = (480, 270)
# Lines of demo scenes are as thin as a pixel.
FINE = (960, 540)
# What has lines that would be much thinner still in a small picture is compared in a larger one.
LINED = ("box-kite-turning", "spun-owl")
TRACE = 150
UNLIKE = 20
# A frame at which every demo scene, the reveals too, shows most of what it has.
FRAME = 37
# Demo scenes that mirror more than the sky, so that the difference is seen.
MIRRORING = ("neon-hut", "streamers")
# Demo scenes of wax that is thin in places, where the view takes it to be as thick as on the mean, and says so.
WAXEN = ("paper-rosette",)


PATTERNED = ("storm-seed",)


def from_view(page, frame, is_flat=True, is_finish_off=True, size=SIZE, passes=4) -> np.ndarray:
    page.evaluate("(frame) => pirouette.store.seek(frame)", frame)
    for _ in range(400):
        if page.evaluate("(frame) => pirouette.playback.headers.has(frame)", frame):
            break
        page.wait_for_timeout(50)
    # The other frames are not wanted here, and would take the processor away.
    page.evaluate("pirouette.playback.now.fetching?.abort()")
    page.evaluate("(frame) => pirouette.playback.show()", frame)
    pixels = page.evaluate(
        """([width, height, isFlat, isFinishOff, passes]) => {
          const bytes = pirouette.viewport.snapshot(width, height, { isFlat, isFinishOff, passes });
          let text = "";
          for (let k = 0; k < bytes.length; k += 8192) text += String.fromCharCode(...bytes.subarray(k, k + 8192));
          return btoa(text);
        }""",
        [*size, is_flat, is_finish_off, passes],
    )
    picture = np.frombuffer(base64.b64decode(pixels), np.uint8).reshape(size[1], size[0], 4)
    return picture[::-1, :, :3].astype(float)


def from_renderer(raw, frame, is_flat=True, memo=None, size=SIZE) -> np.ndarray:
    picture = evaluate(read_scene(raw, LIBRARY), frame, purpose="view", memo=memo)
    return encode(render_light(picture, size, 16, is_flat))[..., :3].astype(float)


def silhouette(picture, background) -> np.ndarray:
    """Pixels that are about half covered and more: every demo colour is 180 and more away from the ground."""
    return softened(np.abs(picture - background).max(axis=-1)) > 90


def softened(picture) -> np.ndarray:
    """Means of three by three pixels: what is half seen through is seen in every other pixel, by chance."""
    for axis in (0, 1):
        picture = (np.roll(picture, 1, axis) + picture + np.roll(picture, -1, axis)) / 3
    return picture


def on_plain_ground(raw) -> dict:
    """The scene before a ground that no figure has, so that its outline can be seen."""
    return {**raw, "frame": {**raw["frame"], "background": "solid", "colour": "#ff00ff"}}


def agreement(one, two) -> float:
    ground = np.array([255.0, 0, 255])
    a, b = silhouette(one, ground), silhouette(two, ground)
    assert (a | b).sum() >= TRACE, "there is nothing to compare"
    # Where faint threads cross, both are about as much as counts: what is hardly unlike is not another outline.
    is_unlike = (a ^ b) & (np.abs(softened(one) - softened(two)).max(axis=-1) > UNLIKE)
    return 1 - is_unlike.sum() / (a | b).sum()


SHAPES = {
    "a lone ball": figure(step("sphere", radius=90), looks=[look("surface", colour="#30a050")]),
    "turned boxes": figure(
        step("box", width=40, height=40), step("grid", columns=7, rows=4), step("shuffle", turn=[90, 90, 90]),
        looks=[look("surface", colour="#c0c040")],
    ),
    "thick wires": figure(
        step("sphere", radius=90, rings=8, segments=12), looks=[look("wire", colour="#ffffff", width=14)]
    ),
    "wires in units": figure(
        step("box", width=120, height=90, parts=2), looks=[look("wire", colour="#ffffff", width=7, unit="units")],
        place={"rotation": [25, 35, 0]},
    ),
    "lines as wide as their points say": figure(
        step("sphere", radius=90, rings=8, segments=12), step("scatter", count=60), step("web", reach=90, width=9),
        looks=[look("wire", colour="#ffffff", width=2, unit="units", by_width=True)],
    ),
    "dots as wide as their points say": figure(
        step("bolt", start=[0, 90, 0], end=[0, -90, 0]), step("points", each=3),
        looks=[look("dots", colour="#ffffff", size=9, unit="units", by_width=True)],
    ),
    "dots": figure(step("sphere", radius=90, rings=8, segments=12), looks=[look("dots", colour="#ffffff", size=40)]),
    "a mirrored figure": figure(
        step("box", width=120), step("twist", angle=60), looks=[look("surface", colour="#4060d0")],
        place={"scale": [-1, 1.4, 1], "rotation": [20, 30, 10]},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SHAPES)
def test_every_look_has_the_same_outline(easel, name):
    raw = on_plain_ground(document(SHAPES[name]))
    view, render = from_view(easel(raw), 0), from_renderer(raw, 0)
    assert agreement(view, render) >= 0.97


CUT = {
    "a surface": [look("surface", colour="#30a050")],
    "thick wires": [look("wire", colour="#ffffff", width=16)],
    "dots": [look("dots", colour="#ffffff", size=36)],
    "light": [look("surface", colour="#000000", glow=1, glow_colour="#40ff40", blend="additive")],
}


@pytest.mark.parametrize("seen", ["only through", "only outside"])
@pytest.mark.parametrize("name", CUT)
def test_what_is_cut_out_has_the_same_outline(easel, name, seen):
    balls = {
        **figure(
            step("sphere", radius=40, rings=24, segments=32), step("row", count=3, apart=[110, 0, 0]), name="Balls"
        ),
        "visible": "hidden", "place": {"position": [0, 10, 90], "scale": [-1, 1.2, 1]},
    }  # fmt: skip
    form = step("plane", width=330, height=170, across=5, up=4)
    sheet = {**figure(form, looks=CUT[name], name="Sheet"), "cut": {"seen": seen, "mask": "balls"}}
    raw = on_plain_ground(document(sheet, balls))
    view, render = from_view(easel(raw), 0), from_renderer(raw, 0)
    assert agreement(view, render) >= 0.97


def test_a_clear_skin_is_as_dark_and_as_coloured_in_the_view(easel):
    """What light goes straight through is near to the render's: by its tint, and by what is mirrored of a sky."""
    looks = [look("surface", colour="#20c040", roughness=0.6, clear=1, filled=False, tint="#ffb070", throws=False)]
    ball = figure(step("sphere", radius=90, rings=48, segments=64), name="Ball", looks=looks)
    bars = figure(
        step("box", width=16, height=200, depth=6), step("row", count=7, apart=[40, 0, 0]), name="Bars",
        looks=[look("surface", colour="#000000", glow=0.8, roughness=1)], place={"position": [0, 0, -160]},
    )  # fmt: skip
    raw = document(ball, bars)
    # Before solid black, where there is no background to dim.
    view, render = from_view(easel(raw), 0, False, size=SMALL), from_renderer(raw, 0, False, size=SMALL)
    without = from_renderer(document(bars), 0, False, size=SMALL)
    rows, columns = np.mgrid[: SMALL[1], : SMALL[0]] + 0.5
    inside = np.hypot(columns - SMALL[0] / 2, rows - SMALL[1] / 2) < 60
    # What is rough is mixed from the pixels around in the render, and mirrors the bars: the mean colour is compared.
    seen, expected, bare = (picture[inside].mean(axis=0) for picture in (view, render, without))
    assert np.abs(seen - expected).max() < 20
    assert np.abs(seen - expected).max() < 0.5 * np.abs(bare - expected).max()


WAXY = {
    "a ball that is lit from beside": (step("sphere", radius=90, rings=48, segments=64), 100, 25),
    "a sheet that is lit from behind": (step("plane", width=240, height=180), 165, 3),
}


@pytest.mark.parametrize("name", WAXY)
def test_wax_is_about_as_bright_and_as_coloured_in_the_view(easel, name):
    """There a body is as thick everywhere as on the mean; a sheet is what it is."""
    form, around, most = WAXY[name]
    looks = [look("surface", colour="#f0e0d0", roughness=0.8, wax=0.9, wax_depth=50)]
    lights = [{"id": "sun", "name": "Sun", "kind": "sun", "settings": {"around": around, "above": 10}}]
    raw = on_plain_ground(document(figure(form, looks=looks), lights=lights))
    view, render = from_view(easel(raw), 0, False, size=SMALL), from_renderer(raw, 0, False, size=SMALL)
    dull = json.loads(json.dumps(raw))
    dull["figures"][0]["looks"][0]["settings"]["wax"] = 0
    inside = silhouette(render, np.array([255.0, 0, 255]))
    # The half that is away from the light.
    inside[:, SMALL[0] // 2 - 15 :] = False
    seen, expected, without = (
        one[inside].mean(axis=0) for one in (view, render, from_renderer(dull, 0, False, size=SMALL))
    )
    assert np.abs(seen - expected).max() < most
    assert np.abs(without - expected).max() > 2 * most
    assert "light in wax: finer in the proof" in easel(raw).locator("#near").inner_text()


def test_lit_surfaces_have_the_same_light(easel):
    lights = [
        {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"shadows": False}},
        {"id": "key", "name": "Key", "kind": "key", "settings": {"brightness": 1, "shadows": False}},
        {"id": "sky", "name": "Sky", "kind": "sky", "settings": {"shadows": False}},
    ]
    looks = [look("surface", colour="#c07040", roughness=0.35, metal=0.3)]
    raw = on_plain_ground(
        document(figure(step("sphere", radius=100, rings=96, segments=128), looks=looks), lights=lights)
    )
    view, render = from_view(easel(raw), 0, False), from_renderer(raw, 0, False)
    inside = silhouette(render, np.array([255.0, 0, 255]))
    inside[1:-1, 1:-1] &= inside[:-2, 1:-1] & inside[2:, 1:-1] & inside[1:-1, :-2] & inside[1:-1, 2:]
    assert np.abs(view - render)[inside].mean() < 2.5


# A pattern that changes, travels and is longer along one axis.
LIVELY = {"pattern_churn": 1.5, "pattern_slide": [40, 10, 0], "pattern_stretch": [1, 2, 1]}
HOME = {"id": "home", "name": "Home", "place": {"position": [20, 10, 0], "rotation": [20, 40, 0], "scale": [1, 1.6, 1]}}
PAINTED = {
    "a gradient around a ball": (step("sphere"), {"paint": "gradient", "across": 2, "paint_turn": 20}),
    "a gradient that glows": (step("torus"), {"paint": "gradient", "glow": 1, "painted": ["glow"], "laid": "around y"}),
    "a picture on a box": (
        step("box", width=200, height=200), {"paint": "picture", "picture": "woven-string.png", "up": 0.5}
    ),
    "a picture seen from afar": (
        step("plane", width=60, height=60),
        {"paint": "picture", "picture": "woven-string.png", "across": 30, "up": 30, "beyond": "mirror"},
    ),
    "a picture on faces that add light": (
        step("cylinder"), {"paint": "picture", "picture": "woven-string.png", "blend": "additive"}
    ),
    "two noises of which one is taken away": (
        step("sphere"), {"paint": "pattern", "pattern": "cells", "less": "soft", "pattern_size": 70, **LIVELY}
    ),
    "a hard pattern in a guide's space that glows": (
        step("torus"),
        {
            "paint": "pattern", "pattern": "soft", "pattern_in": "home", "glow": 1,
            "pattern_ramp": [[0, 0], [0.49, 0], [0.51, 1], [1, 1]],
            "painted": ["glow"], "colour": "#30a050", "pattern_detail": 2, "pattern_size": 50,
        },
    ),
    "blocks and cracks": (step("sphere"), {"paint": "pattern", "pattern": "blocks", "less": "cracks"}),
    "ridges and billows": (
        step("sphere"), {"paint": "pattern", "pattern": "ridges", "less": "billows", "pattern_size": 90}
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", PAINTED)
def test_pictures_and_gradients_lie_alike(easel, name):
    form, settings = PAINTED[name]
    raw = on_plain_ground(
        document(
            figure(form, looks=[look("surface", **{"colour": "#ffffff", **settings})], place={"rotation": [25, 35, 0]}),
            guides=[HOME],
        )
    )
    view, render = from_view(easel(raw, 31), 31), from_renderer(raw, 31)
    assert agreement(view, render) >= 0.97
    both = silhouette(view, np.array([255.0, 0, 255])) & silhouette(render, np.array([255.0, 0, 255]))
    # The view's picture is the mean of several, so what is as fine as a pixel is softer there.
    soft = [np.stack([softened(one[..., k]) for k in range(3)], axis=-1)[both] for one in (view, render)]
    assert np.abs(soft[0] - soft[1]).mean() < 3
    assert np.abs(soft[0].mean(axis=0) - soft[1].mean(axis=0)).max() < 1.5


def finished(raw, frame, size=SIZE, memo=None) -> np.ndarray:
    """The finished frame as the renderer makes it."""
    pixels = render_scene(read_scene(raw, LIBRARY), frame, size, 4, purpose="view", memo=memo).pixels().astype(float)
    return pixels[..., :3] * (pixels[..., 3:] / 255)


def coarse(picture, side=40) -> np.ndarray:
    """Means of blocks, which fine grain and edges do not change."""
    rows, columns = picture.shape[0] // side, picture.shape[1] // side
    return picture[: rows * side, : columns * side].reshape(rows, side, columns, side, 3).mean(axis=(1, 3))


def held(raw) -> dict:
    """The scene as one moment shows it: a long shutter is in the proof alone, and the view says so."""
    cameras = [{**one, "settings": {**one["settings"], "shutter": 0}} for one in raw["cameras"]]
    return {**raw, "cameras": cameras}


def with_skies_alone(raw) -> dict:
    """The scene as it is when surfaces mirror nothing but the sky, and no lines are seen through any."""
    alone = json.loads(json.dumps(raw))
    for figure_ in alone["figures"]:
        for one in figure_["looks"]:
            if one["kind"] == "surface":
                one["settings"]["mirrors"] = False
            else:
                one["settings"]["mirrored"] = False
    return alone


@pytest.mark.parametrize("name", DEMOS)
def test_demo_scenes_look_alike_finished_and_have_the_same_outline(easel, studio, name):
    # What the server has computed of simulations is not computed once more.
    raw, memo, small = (
        held(demo(name)),
        Memo(checkpoints=Checkpoints(studio.folder / "states")),
        SIZE if name in LINED else SMALL,
    )
    page = easel(raw, FRAME)
    # Half of the passes that the page makes at rest: more shadows would only be finer.
    view, proof = from_view(page, FRAME, False, False, small, passes=4), finished(raw, FRAME, small, memo)
    assert np.abs(view.mean(axis=(0, 1)) - proof.mean(axis=(0, 1))).max() < 4
    # What is mirrored but the sky is seen in the proof alone, and the view says so.
    render = finished(with_skies_alone(raw), FRAME, small, memo) if name in MIRRORING else proof
    # Shadows are near to the render's: in hollows a little brighter, and at their edges some pixels off.
    is_shaded = any(light["settings"].get("shadows", True) for light in raw["lights"])
    assert np.abs(view.mean(axis=(0, 1)) - render.mean(axis=(0, 1))).max() < (4 if is_shaded else 1.8)
    # Lines thinner than a pixel that add up, such as those of Spun owl, are a little fainter in the view.
    most = 100 if name in WAXEN else 32 if is_shaded else 27
    side = small[0] // 32
    assert np.abs(coarse(view, side) - coarse(render, side)).max() < most
    # The same frame before another ground, without computing anything anew.
    plain = on_plain_ground(raw)
    ground = {"background": "solid", "colour": [1, 0, 1]}
    page.evaluate(
        "([at, ground]) => Object.assign(pirouette.playback.headers.get(at).background, ground)", [FRAME, ground]
    )
    # Patterns are what takes longest to draw without a graphics card, and no outline depends on them.
    size = (
        SMALL
        if name in PATTERNED
        else FINE
        if any(one["kind"] != "surface" for figure_ in raw["figures"] for one in figure_["looks"])
        else SIZE
    )
    view, render = from_view(page, FRAME, size=size, passes=4), from_renderer(plain, FRAME, memo=memo, size=size)
    assert agreement(view, render) >= 0.97
    assert np.abs(view.mean(axis=(0, 1)) - render.mean(axis=(0, 1))).max() < 4


SHADED = {"id": "sun", "name": "Sun", "kind": "sun", "settings": {}}
BRIGHTER = {"kind": "exposure", "settings": {"stops": 1.5, "transform": "plain"}}
FILMIC = {"kind": "exposure", "settings": {"stops": 1}}
DARK_RIM = {"kind": "vignette", "settings": {"strength": 1, "reach": 0.2}}
HALO = {"kind": "glow", "settings": {"strength": 1.5, "above": 0.9, "size": 0.6}}
CHAINS = {
    "nothing": [],
    "a rim, then light": [DARK_RIM, FILMIC],
    "light, then a rim": [FILMIC, DARK_RIM],
    "brighter before it glows": [BRIGHTER, HALO],
    "glow before it is brighter": [HALO, BRIGHTER],
    "the same one twice": [DARK_RIM, DARK_RIM, FILMIC],
    "two halos": [HALO, BRIGHTER, HALO, FILMIC],
    "steady, filmic, plain": [*({"kind": "exposure", "settings": {"transform": one}} for one in ("steady", "plain"))],
    "colours turned": [
        {
            "kind": "colour",
            "settings": {
                "hue": 70,
                "saturation": 1.3,
                "vibrance": 0.6,
                "gamma": 1.2,
                "lift": 0.05,
                "lift_colour": "#3050ff",
                "gain": 0.9,
            },
        }
    ],
    "curves": [
        BRIGHTER,
        {
            "kind": "curves",
            "settings": {
                "all": [[0, 0.1], [0.4, 0.3], [0.7, 0.9], [1, 0.95]],
                "red": [[0, 0], {"at": [0.5, 0.3], "arrive": [-0.1, 0.3], "leave": [0.3, -0.1]}, [1, 1]],
                "blue": [[0, 0], [0.5, 0.7], [1, 1]],
            },
        },
    ],
    "specks": [{"kind": "grain", "settings": {"amount": 0.4, "size": 60, "coloured": 1}}],
    "half gone": [{"kind": "fade", "settings": {"amount": 0.5, "colour": "#40a0ff"}}],
    "a flare": [
        {
            "kind": "flare",
            "settings": {
                "source": "lamp",
                "double_shine": 0.4,
                "double_size": 20,
                "halo": 0.5,
                "spread": 1,
                "hides": False,
            },
        }
    ],
    "only what a sun makes in the lens": [
        {"kind": "flare", "settings": {"source": "sun", "shows": False, "rays": 9, "halo": 1, "hides": False}}
    ],
    "fringes": [{"kind": "fringe", "settings": {"amount": 6, "rise": 0.5}}],
    "a little blurred": [{"kind": "blur", "settings": {"width": 0.7}}],
    "blurred, then steady": [{"kind": "blur", "settings": {"width": 9}}, {"kind": "exposure", "settings": {}}],
}


@pytest.mark.parametrize("name", CHAINS)
def test_finishes_run_in_the_same_order_and_number_in_the_view(easel, name):
    balls = figure(
        step("sphere", radius=45), step("grid", columns=3, rows=1, apart=[150, 0, 0]), step("tint"),
        looks=[look("surface", colour="#ffb060", glow=0.35)],
    )  # fmt: skip
    effects = [{"id": f"effect{number}", **one} for number, one in enumerate(CHAINS[name])]
    lamp = {"id": "lamp", "name": "Lamp", "place": {"position": [60, 40, 20]}}
    sun = {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"around": 170, "above": -12, "shadows": False}}
    lights = {"lights": [sun]} if "sun" in name else {}
    frame = {"width": 1280, "height": 720, "background": "gradient", "colour": "#405070", "bottom": "#101820"}
    raw = document(balls, guides=[lamp], **lights, finish=effects, frame=frame)
    view, render = from_view(easel(raw), 0, False, False), finished(raw, 0, SIZE)
    assert np.abs(view.mean(axis=(0, 1)) - render.mean(axis=(0, 1))).max() < 1.5
    # Halos of few lines are a little coarser.
    assert np.abs(coarse(view, 20) - coarse(render, 20)).max() < 15


LIMITED = {
    "the hue of some": ("colour", {"hue": 140, "acts": "on only", "figures": ["near"]}),
    "brightness of all but some": (
        "exposure",
        {"stops": 1.5, "transform": "plain", "acts": "on all but", "figures": ["near"]},
    ),
    "glow of some": ("glow", {"strength": 1.5, "above": 0.3, "size": 0.5, "acts": "on only", "figures": ["near"]}),
    "softness of all but some": ("blur", {"width": 6, "acts": "on all but", "figures": ["near"]}),
    "some are gone": ("fade", {"amount": 0.8, "colour": "#40a0ff", "acts": "on only", "figures": ["far"]}),
}


@pytest.mark.parametrize("name", LIMITED)
def test_finishes_of_some_figures_change_the_same_in_the_view(easel, name):
    kind, settings = LIMITED[name]
    looks = [look("surface", colour="#ffb060", glow=0.5, glow_colour="#ffb060")]
    far = figure(step("box", width=260, height=90), looks=looks, name="Far", place={"position": [60, 20, -80]})
    near = figure(
        step("sphere", radius=55), looks=[look("surface", colour="#60ffb0", glow=0.5, glow_colour="#60ffb0")],
        name="Near", place={"position": [-40, 0, 40]},
    )  # fmt: skip
    frame = {"width": 1280, "height": 720, "background": "gradient", "colour": "#405070", "bottom": "#101820"}
    effects = [{"id": "a", "kind": kind, "settings": settings}, {"id": "b", "kind": "exposure", "settings": {}}]
    raw = document(far, near, finish=effects, frame=frame)
    view, render = from_view(easel(raw), 0, False, False), finished(raw, 0, SIZE)
    assert np.abs(view.mean(axis=(0, 1)) - render.mean(axis=(0, 1))).max() < 1.5
    # Of the view's cover edges are a pixel off here and there.
    assert np.abs(coarse(view, 20) - coarse(render, 20)).max() < 15
    plain = finished({**raw, "finish": effects[1:]}, 0, SIZE)
    assert np.abs(coarse(plain, 20) - coarse(render, 20)).max() > 20


def test_a_picture_that_fades_into_nothing_leaves_only_what_is_behind_it(editor):
    ball = figure(step("sphere", radius=80), looks=[look("surface", colour="#ffffff")])
    fade = [{"id": "fade", "kind": "fade", "settings": {"amount": 1, "into": "nothing"}}]
    page = editor(document(ball, finish=fade, frame={"width": 320, "height": 180, "colour": "#ffffff"}))
    assert from_view(page, 0, False, False, SIZE).max() == 0
    # On the page, checks show through.
    pixel = page.evaluate(
        "() => { const { viewport } = pirouette; viewport.feed(); viewport.render();"
        " const gl = viewport.renderer.getContext(); const { width, height } = gl.canvas; const p = new Uint8Array(4);"
        " gl.readPixels(width / 2, height / 2, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, p); return [...p]; }"
    )
    assert 30 < pixel[0] == pixel[1] == pixel[2] < 55


def test_more_than_four_lights_of_a_sort_are_drawn(easel):
    colours = ["#ff0000", "#00ff00", "#0000ff", "#ffff00", "#00ffff", "#ff00ff", "#ffffff"]
    lights = [
        {
            "id": f"{kind}{number}",
            "name": f"{kind} {number}",
            "kind": kind,
            "settings": {"colour": colour, "shadows": False, **more},
        }
        for number, colour in enumerate(colours)
        for kind, more in (
            ("sun", {"brightness": 0.3, "around": number * 50}),
            ("key", {"brightness": 0.4, "position": [number * 120 - 360, 150, 200], "width": 40}),
        )
    ]
    ball = figure(step("sphere", radius=100), looks=[look("surface", colour="#ffffff", roughness=0.5)])
    raw = on_plain_ground(document(ball, lights=lights))
    view, render = from_view(easel(raw), 0, False), from_renderer(raw, 0, False)
    inside = silhouette(render, np.array([255.0, 0, 255]))
    assert np.abs(view - render)[inside].mean() < 2.5
    four = on_plain_ground(document(ball, lights=lights[:8]))
    assert np.abs(from_renderer(four, 0, False) - render)[inside].mean() > 10


HAZY = {
    "into a solid ground": {"background": "solid", "colour": "#405080", "haze": 0.6},
    "into a gradient": {"background": "gradient", "colour": "#203080", "bottom": "#e0a060", "haze": 0.6},
    "into the sky": {"background": "its sky", "haze": 0.6},
    "a colour, lying low": {
        "background": "its sky", "haze": 0.9, "haze_shows": "a colour", "haze_colour": "#c0d0e0", "haze_height": 60,
        "haze_base": -40,
    },
    "no haze before the sky": {"background": "its sky"},
}  # fmt: skip


@pytest.mark.parametrize("name", HAZY)
def test_haze_and_sky_are_alike(easel, name):
    """On all that is drawn, by a camera that looks up a little."""
    ball = step("sphere", radius=26, rings=12, segments=16)
    pane = step("plane", width=60, height=40)
    rows = [step("row", count=4, apart=[60, 4, -260])]
    looks = {
        "Solid": [look("surface", colour="#d04030", roughness=0.6)],
        "Wire": [look("wire", colour="#ffffff", width=8)],
        "Dots": [look("dots", colour="#40ff80", size=7, unit="units")],
        "Light": [look("surface", colour="#000000", glow=0.6, glow_colour="#ffa040", blend="additive")],
        "Clear": [look("surface", colour="#ffffff", clear=0.8, index=1.2, filled=False, roughness=0.1)],
        "Many": [look("surface", colour="#3060d0", roughness=0.7)],
    }
    grid = [step("grid", columns=12, rows=2, layers=4, apart=[60, 40, -200])]
    figures = [
        figure(
            pane if made == "Clear" else ball, *(grid if made == "Many" else rows), name=made, looks=looks_,
            place={"position": [-90, 110 - 44 * number, 0]},
        )
        for number, (made, looks_) in enumerate(looks.items())
    ]  # fmt: skip
    cameras = [{"id": "camera", "name": "Camera", "settings": {"position": [40, -60, 420], "target": [0, 20, 0]}}]
    lights = [
        {"id": "sky", "name": "Sky", "kind": "sky", "settings": {"brightness": 0.9, "shadows": False}},
        {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"shadows": False}},
    ]
    raw = document(*figures, cameras=cameras, lights=lights)
    raw["frame"] = {"width": 1600, "height": 900, "haze_distance": 500, **HAZY[name]}
    view, render = from_view(easel(raw), 0, False, size=SMALL), from_renderer(raw, 0, False, size=SMALL)
    apart = np.abs(view - render)
    assert apart.mean() < 1.5
    assert np.percentile(softened(apart).max(axis=-1), 97) < 12
    bare = {**raw, "frame": {**raw["frame"], "haze": 0, "background": "solid", "colour": "#000000"}}
    assert np.abs(from_renderer(bare, 0, False, size=SMALL) - render).mean() > 15


AROUND = {"turn": 40, "shadows": False}


@pytest.mark.parametrize(
    ("frame", "more"),
    [({}, {}), ({"haze": 0.5, "haze_distance": 900}, {"suns": 0}), ({}, {"shines": "on only", "figures": ["dull"]})],
    ids=["alone", "in haze, without suns", "on one figure only"],
)
def test_a_picture_all_around_is_alike(easel, frame, more):
    """What it lights, what mirrors of all roughnesses show of it, and what stands behind everything."""
    looks = {
        "Dull": {"roughness": 1},
        "Satin": {"roughness": 0.45, "metal": 1},
        "Gloss": {"roughness": 0.1},
        "Chrome": {"roughness": 0.02, "metal": 1},
    }
    figures = [
        figure(
            step("sphere", radius=70), name=name, looks=[look("surface", colour="#d0c0b0", mirrors=False, **settings)],
            place={"position": [160 * number - 240, 0, 0]},
        )
        for number, (name, settings) in enumerate(looks.items())
    ]  # fmt: skip
    given = {"picture": "kite-loft.exr", **AROUND, **more}
    lights = [{"id": "around", "name": "Around", "kind": "surroundings", "settings": given}]
    raw = document(*figures, lights=lights)
    raw["frame"] = {"width": 1600, "height": 900, "background": "its sky", **frame}
    render = from_renderer(raw, 0, False, size=SMALL)
    apart = np.abs(from_view(easel(raw), 0, False, size=SMALL) - render)
    assert apart.mean() < 1.5
    assert np.percentile(softened(apart).max(axis=-1), 97) < 10
    turned = {**raw, "lights": [{**lights[0], "settings": {**given, "turn": 130}}]}
    assert np.abs(from_renderer(turned, 0, False, size=SMALL) - render).mean() > 8


def test_the_view_says_what_only_the_proof_shows(editor):
    cameras = [{"id": "camera", "name": "Camera", "settings": {"shutter": 2, "opening": 9}}]
    page = editor(document(figure(step("box")), cameras=cameras, lights=[SHADED]))
    page.get_by_text("shutter: in the proof · focus: in the proof · shadows: finer in the proof", exact=True).wait_for()
    chrome = figure(step("sphere"), looks=[look("surface", roughness=0.2)])
    editor(document(chrome)).get_by_text("reflections: in the proof", exact=True).wait_for()
    inside = {"id": "key", "name": "Key", "kind": "key", "settings": {"position": [0, 0, 0]}}
    page = editor(document(figure(step("box")), lights=[inside]))
    assert "shadows of 1 light: in the proof" in page.locator("#near").inner_text()
    plain = {**inside, "settings": {"shadows": False}}
    assert not editor(document(figure(step("box")), lights=[plain])).locator("#near").is_visible()


def test_hidden_things_stay_hidden_in_the_view(easel):
    raw = on_plain_ground(document(figure(step("sphere", radius=90), visible="render only")))
    assert not silhouette(from_view(easel(raw), 0), np.array([255.0, 0, 255])).any()
