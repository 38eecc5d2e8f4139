"""What becomes of bright light: it rolls off, colours keep their hue, and edges are smooth however bright."""

import numpy as np
import pytest

from pirouette.document import read_scene
from pirouette.evaluate import evaluate
from pirouette.kernels.render.transform import TRANSFORMS, expose
from pirouette.render import render_light, render_scene
from tests.scenes import document, figure, look, step

CONES = np.array(
    [[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
     [0.0883024619, 0.2817188376, 0.6299787005]]
)  # fmt: skip
LAB = np.array(
    [[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
     [0.0259040371, 0.7827717662, -0.8086757660]]
)  # fmt: skip


def hue_and_chroma(rgb):
    """Hues in degrees and how colourful: B. Ottosson, "A perceptual color space for image processing" (2020)."""
    lab = np.cbrt(rgb @ CONES.T) @ LAB.T
    return np.degrees(np.arctan2(lab[..., 2], lab[..., 1])), np.hypot(lab[..., 1], lab[..., 2])


def exposed(colours, stops, transform):
    row = np.concatenate([colours, np.ones((len(colours), 1))], axis=1)[None].astype(np.float32)
    return expose(row, stops, transform)[0, :, :3].astype(np.float64)


def wheel(count=72):
    """Saturated colours all around, linear; each has a channel of 1."""
    angle = np.linspace(0, 6, count, endpoint=False)[:, None]
    offsets = np.array([0.0, 4.0, 2.0])
    return np.clip(np.abs((angle + offsets) % 6 - 3) - 1, 0, 1)


@pytest.mark.parametrize("transform", TRANSFORMS)
def test_picked_colours_stay_and_light_grows_without_an_end(transform):
    ramp = np.linspace(0, 40, 500)
    shown = exposed(np.repeat(ramp[:, None], 3, axis=1), 0, transform)
    assert np.all(np.diff(shown, axis=0) >= 0)
    picked = ramp < 0.5
    np.testing.assert_allclose(shown[picked], np.repeat(ramp[picked][:, None], 3, axis=1), atol=1e-6)
    assert (shown.max() <= 1) == (transform != "plain")


def test_a_stop_doubles_the_light():
    np.testing.assert_allclose(exposed(np.full((2, 3), 0.1), 1.0, "plain"), 0.2, atol=1e-6)


def test_under_the_steady_transform_saturated_light_turns_paler_and_no_other_colour():
    hues, chromas = hue_and_chroma(wheel())
    drift = {}
    for transform in ("steady", "filmic"):
        worst, before = 0.0, np.full(len(hues), np.inf)
        for stops in range(7):
            hue, chroma = hue_and_chroma(exposed(wheel(), stops, transform))
            turned = np.abs((hue - hues + 180) % 360 - 180)
            worst = max(worst, turned[chroma > 0.03].max(initial=0.0))
            assert np.all(chroma <= before + 1e-6)
            before = chroma
        assert before.mean() < chromas.mean() / 5
        drift[transform] = worst
    assert drift["steady"] < 6
    assert drift["filmic"] > 15


def shining(kind, **settings):
    """A box that is thirty times as bright as white."""
    return figure(step("box", width=90, height=90), looks=[look(kind, colour="#ffffff", **settings)])


EDGES = {
    "a surface that glows": shining("surface", glow=30),
    "thick wire": shining("wire", width=30, brightness=30),
    "wire that adds light": shining("wire", width=30, brightness=30, blend="additive"),
}


@pytest.mark.parametrize("name", EDGES)
def test_edges_of_very_bright_light_are_as_smooth_as_any(name):
    """As many shades on the way from black to white as a white figure has, whose light is not beyond the screen."""
    bright = EDGES[name]
    (one,) = bright["looks"]
    white = {"glow": 1} if one["kind"] == "surface" else {"brightness": 1}
    plain = {**bright, "looks": [{**one, "settings": {**one["settings"], **white}}]}

    def shades(thing):
        thing = {**thing, "place": {"rotation": [0, 0, 8]}}
        raw = document(thing, lights=[], finish=[{"id": "e", "kind": "exposure", "settings": {}}])
        pixels = render_scene(read_scene(raw), 0, (320, 180), 16).pixels()[..., 0].astype(float)
        return int(((pixels > 40) & (pixels < 215)).sum())

    assert shades(plain) > 100
    assert shades(bright) > 0.7 * shades(plain)


def test_weighing_leaves_whole_pixels_and_their_brightness_alone():
    raw = document(EDGES["a surface that glows"], lights=[])
    light = render_light(evaluate(read_scene(raw), 0), (320, 180), 16)
    assert light[90, 160, 0] == pytest.approx(30, rel=1e-3)
    dim = document(figure(step("box", width=90), looks=[look("surface", glow=0.9, colour="#ffffff")]), lights=[])
    light = render_light(evaluate(read_scene(dim), 0), (320, 180), 16)[..., 0]
    # What no sample exceeds white in is the plain mean: sixteenths of the whole.
    sixteenths = light / light[90, 160] * 16
    np.testing.assert_allclose(sixteenths, np.round(sixteenths), atol=1e-4)
    assert len(np.unique(np.round(sixteenths))) > 4
