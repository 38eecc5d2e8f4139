"""Draws a picture list of one moment: band by band, from visibility to strokes, each taken by whichever thread is free.

A row's fragments are gathered, then lit together, then laid (kernels/render/shade.py). How much of a light reaches
them is asked of rays just before that light is added (kernels/render/shares.py).
"""

import threading

import numpy as np

from ..data import Cancelled
from ..data.picture import Picture
from ..kernels.compile import frozen
from ..kernels.render.additive import add_band
from ..kernels.render.bins import BAND_ROWS, bin_clusters
from ..kernels.render.lanes import LANES
from ..kernels.render.raster import ROW_PAD, raster_band
from ..kernels.render.shade import depths, lay_background, shade_band
from ..kernels.render.stroke import draw_strokes
from ..kernels.render.tables import Band, Lights
from ..kernels.threads import in_slices, take_turns
from .rays import NO_RAYS, rays_of
from .sample import Sample
from .stage import light_rows, shinings, surface_parts, surfaces_of
from .strokes import band_lists, prepare_strokes

NEAR = 0.5
_scratch = threading.local()


def render_light(
    picture: Picture, size, samples=1, is_flat=False, is_cancelled=lambda: False, turn=(0, 1)
) -> np.ndarray:
    """Return (H, W, 4) float32: linear light, premultiplied with alpha, before the finish.

    size     width and height in pixels
    samples  1 to 64 for each pixel, or where they lie: a Sample
    is_flat  draw surfaces in their own colour, without lights
    turn     the picture's number among those that are added up, and how many these are
    Raises   ValueError for a size or number of samples out of range, Cancelled once is_cancelled() is true
    """
    width, height = size
    if not (1 <= width <= 8192 and 1 <= height <= 8192):
        raise ValueError(f"size is {width}×{height}; allowed 1 to 8192 each way")
    bands = Bands(picture, size, samples, is_flat, is_cancelled, turn)
    return bands.render()


class Bands:
    """What all bands of one picture share, and the work on one of them."""

    def __init__(self, picture, size, samples, is_flat=False, is_cancelled=lambda: False, turn=(0, 1)):
        width, height = size
        self.width, self.height = width, height
        self.is_cancelled = is_cancelled
        self.offsets = (samples if isinstance(samples, Sample) else Sample.pattern(samples)).offsets
        self.places = [frozen(column / 256) for column in self.offsets.T]
        self.picture = picture
        matrix = picture.view.screen_matrix(width, height)
        rays = frozen(picture.view.ray_matrix(width, height))
        self.lights = Lights(frozen(picture.view.position), rays, *light_rows(picture), is_flat)
        self.background = background_rows(picture.background, height)
        self.white = np.float32(white_of(picture))
        self.turn = turn
        self.sets = shinings(picture)
        self.solid = self._binned(surfaces_of(surface_parts(picture, False), matrix, self.sets))

    def _binned(self, surfaces):
        count = len(surfaces.pair_instance)
        lows, highs, nears = np.empty(count, np.int32), np.empty(count, np.int32), np.empty(count, np.float32)
        size = frozen([self.width, self.height], np.int32)
        in_slices(
            lambda a, b: bin_clusters(a, b, surfaces, self.lights.eye, np.float32(NEAR), size, lows, highs, nears),
            count,
        )
        entries, starts = band_lists(frozen(lows, np.int32), frozen(highs, np.int32), self.height)
        return surfaces, entries, starts, nears

    def render(self):
        """Return the light of the whole picture."""
        picture, size = self.picture, (self.width, self.height)
        matrix = picture.view.screen_matrix(*size)
        self.glowing = self._binned(surfaces_of(surface_parts(picture, True), matrix, self.sets))
        self.strokes = [
            *prepare_strokes(picture, matrix, size, NEAR, False),
            *prepare_strokes(picture, matrix, size, NEAR, True),
        ]
        self.rays, self.worlds = (NO_RAYS, ()) if self.lights.is_flat else rays_of(picture, *self.turn)
        self.out = np.empty((self.height, self.width, 4), np.float32)
        take_turns(self._draw, -(-self.height // BAND_ROWS))
        return self.out

    def each(self, work):
        """Call work(band, listed, seen, rows) for every band, once it is known what is seen in it.

        listed  (E,) the pairs of the band; seen  see kernels/render/raster.py; rows  a slice of the picture's rows
        """

        def draw(number):
            band, listed, seen = self._visible(number)
            work(band, listed, _buffer(band.rows * band.stride + LANES) if seen is None else seen, _rows(band))

        take_turns(draw, -(-self.height // BAND_ROWS))

    def _visible(self, number):
        """A band, the pairs of surfaces in it, and what is seen at its samples; None where there are none."""
        if self.is_cancelled():
            raise Cancelled
        top = number * BAND_ROWS
        rows = min(BAND_ROWS, self.height - top)
        stride = -(-(self.width + ROW_PAD) * len(self.offsets) // LANES) * LANES
        band = Band(top, rows, self.width, stride, self.offsets, *self.places, np.float32(NEAR))
        surfaces, entries, starts, nears = self.solid
        listed = frozen(entries[starts[number] : starts[number + 1]], np.int32)
        seen = None
        if len(listed):
            seen = _buffer(rows * stride + LANES)
            nearest_first = frozen(np.argsort(-nears[listed], kind="stable"), np.int32)
            raster_band(surfaces, band, nearest_first, listed, seen)
        return band, listed, seen

    def _draw(self, number):
        band, listed, seen = self._visible(number)
        surfaces = self.solid[0]
        out = self.out[_rows(band)]
        if seen is not None:
            shade_band(
                surfaces, band, self.lights, self.rays, listed, seen, self.background, self.white, out.reshape(-1)
            )
        else:
            lay_background(self.background[_rows(band)], out.reshape(-1))
        surfaces, entries, starts, _ = self.glowing
        glowing = frozen(entries[starts[number] : starts[number + 1]], np.int32)
        if not self.strokes and not len(glowing):
            return
        zs = np.zeros(band.rows * band.stride + LANES, np.float32)
        if seen is not None:
            depths(band, seen, zs)
        self._stroke(number, band, zs, out, False)
        if len(glowing):
            add_band(surfaces, band, self.lights, NO_RAYS, glowing, zs, out)
        self._stroke(number, band, zs, out, True)

    def _stroke(self, number, band, zs, out, is_additive):
        for stroke in self.strokes:
            if stroke.is_additive != is_additive or stroke.offsets[number] == stroke.offsets[number + 1]:
                continue
            listed = frozen(stroke.entries[stroke.offsets[number] : stroke.offsets[number + 1]], np.int32)
            wide = out if self.width >= LANES else np.pad(out, ((0, 0), (0, LANES - self.width), (0, 0)))
            draw_strokes(band, listed, stroke.rows, np.float32(stroke.softness), is_additive, self.white, zs, wide)
            if wide is not out:
                out[:] = wide[:, : self.width]


def _rows(band):
    """The band's rows of the whole picture."""
    return slice(band.top, band.top + band.rows)


def _buffer(size):
    """Return this thread's buffer of what is seen, cleared, at the beginning of a line of the cache."""
    if getattr(_scratch, "size", 0) < size:
        whole = np.empty(size + LANES, np.int64)
        _scratch.seen = whole[-(whole.ctypes.data // 8) % LANES :]
        _scratch.size = size
    seen = _scratch.seen[:size]
    seen.fill(0)
    return seen


def white_of(picture: Picture) -> float:
    """Return how bright light is that the picture's finishes bring to white."""
    return 2.0 ** -sum(getattr(settings, "stops", 0.0) for _, settings in picture.finish)


def background_rows(background, height) -> np.ndarray:
    """Return (H, 4) float32: what is behind everything, for each row of the picture."""
    rows = np.zeros((height, 4), np.float32)
    if background.background == "transparent":
        return frozen(rows)
    share = (np.arange(height) + 0.5)[:, None] / height if background.background == "gradient" else 0.0
    top, bottom = np.asarray(background.colour), np.asarray(background.bottom)
    rows[:, :3] = top + (bottom - top) * share
    rows[:, 3] = 1
    return frozen(rows)
