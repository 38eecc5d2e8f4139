"""Strokes drawn eight pixels at a time against each pixel written out plainly."""

import numpy as np
import pytest

from pirouette.kernels.compile import frozen
from pirouette.kernels.render.bright import rolled_off, rolled_on
from pirouette.kernels.render.lanes import LANES
from pirouette.kernels.render.sheets import NO_SHEETS
from pirouette.kernels.render.stroke import STROKE_SIZE, draw_strokes
from pirouette.kernels.render.tables import Band

ROWS, COLOURS = 12, ((0.9, 0.4, 0.1, 0.8), (0.2, 0.5, 1.4, 0.3))


def strokes_of(width):
    """Flat, steep, slanting, short, beyond the edges, and a dot: x, y, 1/w of both ends."""
    ends = [
        ((1, 3.2, 0.5), (width - 2, 3.4, 0.2)),
        ((width / 2, -4, 0.3), (width / 2 + 1, 20, 0.3)),
        ((-5, -5, 0.4), (width + 5, ROWS + 3, 0.1)),
        ((width - 1.5, 8, 0.2), (width - 1.2, 8.4, 0.2)),
        ((2.5, 6.5, 0.25), (2.5, 6.5, 0.25)),
    ]
    halves = [(0.5, 0.5), (1.7, 1.7), (0.9, 0.9), (2.2, 2.2), (3.1, 3.1)]
    # Once more and a little nearer, tapering: wider, to nothing, and from less than a pixel.
    ends += [((*a[:2], 1.1 * a[2]), (*b[:2], 1.1 * b[2])) for a, b in ends[:4]]
    halves += [(0.5, 2.5), (1.7, 0.0), (0.1, 0.9), (0.3, 0.2)]
    rows = [(*a, *b, *half, *COLOURS[0], *COLOURS[1]) for (a, b), half in zip(ends, halves, strict=True)]
    return np.array(rows, np.float32).reshape(-1, STROKE_SIZE)


def plainly(strokes, softness, is_additive, white, zs, out):
    rows, width, _ = out.shape
    for x0, y0, z0, x1, y1, z1, half0, half1, *colours in strokes.astype(np.float64):
        first, last = np.array(colours[:4]), np.array(colours[4:])
        way = np.array([x1 - x0, y1 - y0])
        for row in range(rows):
            for px in range(width):
                to = np.array([px + 0.5 - x0, row + 0.5 - y0])
                t = np.clip(to @ way / max(way @ way, 1e-9), 0, 1)
                half = half0 + t * (half1 - half0)
                reach = max(half, 0.5) + 0.5
                cover = np.clip((reach - np.linalg.norm(to - t * way)) / max(half0 * softness, 1), 0, 1)
                cover = cover * cover * (3 - 2 * cover) if softness else cover
                depth = z0 + t * (z1 - z0)
                *colour, strength = first + t * (last - first)
                edge = cover * np.mean(depth >= zs[row, :, px])
                # Thinner than a pixel: one pixel wide and as much fainter.
                strength *= min(2 * half, 1)
                cover = edge * strength
                light, before = np.array(colour) * strength, out[row, px].copy()
                within = before[:3] + light if is_additive else before[:3] * (1 - strength) + light
                is_bright = max((ends[:3] * ends[3]).max() for ends in (first, last)) > white
                if is_bright:
                    mean = edge * within * rolled_off(within.max(), white)
                    mean += (1 - edge) * before[:3] * rolled_off(before[:3].max(), white)
                    out[row, px, :3] = mean * rolled_on(mean.max(), white)
                else:
                    out[row, px, :3] = within * edge + before[:3] * (1 - edge)
                if is_additive:
                    out[row, px, 3] += (1 - before[3]) * min(light.max() * edge, 1)
                else:
                    out[row, px, 3] += (1 - before[3]) * cover
                    if cover > 0.5:
                        zs[row, :, px] = np.maximum(zs[row, :, px], depth)


@pytest.mark.parametrize("is_additive", [True, False])
@pytest.mark.parametrize("softness", [0.0, 0.6])
@pytest.mark.parametrize(("width", "samples"), [(LANES, 1), (13, 3), (40, 1), (41, 4)])
@pytest.mark.parametrize("white", [0.3, 4.0])
def test_eight_pixels_at_once_are_those_of_each_alone(width, samples, softness, is_additive, white):
    rng = np.random.default_rng(width)
    stride = (width + 16) * samples
    offsets, places = frozen(np.zeros((samples, 2)), np.int32), frozen(np.zeros(samples))
    band = Band(0, ROWS, width, stride, offsets, places, places, np.float32(0.1))
    out = rng.random((ROWS, width, 4)).astype(np.float32)
    zs = rng.choice(np.array([0.0, 0.28], np.float32), (ROWS, samples, stride // samples))
    strokes = strokes_of(width)
    plain, plain_zs = out.astype(np.float64), zs.copy()
    plainly(strokes, softness, is_additive, white, plain_zs, plain)
    flat = zs.reshape(-1)
    entries = frozen(np.arange(len(strokes)), np.int32)
    pen = frozen(strokes), np.float32(softness), is_additive, np.float32(white)
    assert draw_strokes(band, entries, *pen, flat, flat, NO_SHEETS, out)
    np.testing.assert_allclose(out, plain, atol=3e-6, rtol=1e-4 if white < 1 else 0)
    np.testing.assert_allclose(zs[:, :, :width], plain_zs[:, :, :width], atol=1e-6)
