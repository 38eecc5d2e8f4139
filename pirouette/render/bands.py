"""Draws a picture list of one moment: band by band, from visibility to strokes, each taken by whichever thread is free.

A row's fragments are gathered, then lit together, then laid (kernels/render/shade.py). How much of a light reaches
them is asked of rays just before that light is added (kernels/render/shares.py). Where something is seen through,
all that a pixel shows is listed, and laid in order (kernels/render/sheets.py).
"""

import threading
from contextlib import contextmanager
from typing import NamedTuple

import numpy as np

from ..data import Cancelled, Problem, ProblemError
from ..data.picture import Picture
from ..kernels.compile import frozen
from ..kernels.render.bins import BAND_ROWS, bin_clusters
from ..kernels.render.collect import collect_band
from ..kernels.render.haze import lay_sky
from ..kernels.render.kept import NOTHING_KEPT, NOTHING_SHARED, SharedLight
from ..kernels.render.lanes import LANES
from ..kernels.render.light import TOLD_SIZE
from ..kernels.render.mirror import mirror_band
from ..kernels.render.raster import ROW_PAD, raster_band
from ..kernels.render.shade import depths, lay_background, shade_band
from ..kernels.render.sheets import NO_SHEETS, Sheets, lay_sheets, room_for
from ..kernels.render.stroke import draw_strokes
from ..kernels.render.tables import Band, Lights
from ..kernels.threads import in_slices, take_turns
from .behind import background_rows, haze_of
from .binned import Binned, Cuts, Listed
from .mirrors import NO_MIRRORS, added_parts, mirrors_of
from .rays import NO_RAYS, rays_of
from .sample import Sample
from .shared_light import catch, keep
from .stage import bare_parts, light_rows, shinings, surface_parts, surfaces_of
from .strokes import band_lists, prepare_strokes

NEAR = 0.5
# Nothing is before what is as near as this: its 1/w.
NEAREST = np.float32(3e38)
# A band whose sheets are more than these is drawn in fewer rows at once; a single row may have many more, about 1.5 GB.
MOST_SHEETS = 1 << 18
ALLOWED_SHEETS = 1 << 25
_NOTHING = np.zeros(0, np.float32)
_scratch = threading.local()


class Part(NamedTuple):
    """A part of a picture, in its pixels."""

    left: int
    top: int
    width: int
    height: int

    @classmethod
    def whole(cls, size):
        return cls(0, 0, *size)

    def widened(self, margin: int) -> "Part":
        """Return the part with so many pixels more at each side, also where that is beyond the picture."""
        return Part(self.left - margin, self.top - margin, self.width + 2 * margin, self.height + 2 * margin)

    @property
    def back(self) -> np.ndarray:
        """(3, 3): from (x, y, 1) in the part to the same in the picture."""
        return np.array([[1.0, 0, self.left], [0, 1, self.top], [0, 0, 1]])

    @property
    def place(self) -> tuple[slice, slice]:
        """Its rows and columns."""
        return slice(self.top, self.top + self.height), slice(self.left, self.left + self.width)

    def moved(self, matrix: np.ndarray) -> np.ndarray:
        """The way from the world to the picture's screen, (3, 4), as one to the part's."""
        return np.linalg.inv(self.back) @ matrix


def render_light(
    picture: Picture,
    size,
    samples=1,
    is_flat=False,
    is_cancelled=lambda: False,
    turn=(0, 1),
    part: Part | None = None,
    has_rays=True,
    shared: SharedLight = NOTHING_SHARED,
) -> np.ndarray:
    """Return (H, W, 4) float32: linear light, premultiplied with alpha, before the finish.

    size     width and height in pixels
    samples  1 to 64 for each pixel, or where they lie: a Sample
    is_flat  draw surfaces in their own colour, without lights
    turn     the picture's number among those that are added up, and how many these are
    part     the only part of the picture that is wanted; H and W are its own
    has_rays whether shadows, and what is mirrored or seen through clear things, are asked of rays
    shared   what was found before of the light at that moment, see shared_light
    Raises   ValueError for a size or number of samples out of range, Cancelled once is_cancelled() is true
    """
    width, height = size
    if not (1 <= width <= 8192 and 1 <= height <= 8192):
        raise ValueError(f"size is {width}×{height}; allowed 1 to 8192 each way")
    bands = Bands(picture, size, samples, is_flat, is_cancelled, turn, part, is_quick=not has_rays, shared=shared)
    return bands.render(has_rays and not is_flat)


def shared_light(
    picture: Picture, size, is_cancelled=lambda: False, turn=(0, 1), part: Part | None = None, margin: int = 0
) -> SharedLight:
    """Return how much light arrives at what each pixel shows, for pictures from elsewhere at the same moment.

    Nothing is kept where nothing is asked of rays, or too much would be.

    turn    the moment's number among those that are added up, and how many these are: they share out their rays
    margin  so many pixels beyond each edge of the part are asked, too
    """
    part = (Part.whole(size) if part is None else part).widened(margin)
    bands = Bands(picture, size, 1, False, is_cancelled, turn, part)
    return SharedLight(keep(bands), bands.thrown())


class Bands:
    """What all bands of one picture share, and the work on one of them."""

    def __init__(
        self, picture, size, samples, is_flat=False, is_cancelled=lambda: False, turn=(0, 1), part=None, is_quick=False,
        shared=NOTHING_SHARED,
    ):  # fmt: skip
        part = Part.whole(size) if part is None else part
        self.whole, self.width, self.height = size, part.width, part.height
        self.is_cancelled, self.is_quick = is_cancelled, is_quick
        self.offsets = (samples if isinstance(samples, Sample) else Sample.pattern(samples)).offsets
        self.places = [frozen(column / 256) for column in self.offsets.T]
        self.picture = picture
        matrix = self.matrix = part.moved(picture.view.screen_matrix(*size))
        rays = frozen(picture.view.ray_matrix(*size) @ part.back)
        # What is behind everything, of the part and of the whole picture.
        self.behind = background_rows(picture.background, size[1])
        rows = np.clip(np.arange(part.top, part.top + part.height), 0, size[1] - 1)
        self.background = frozen(self.behind[rows]) if len(self.behind) else self.behind
        haze = haze_of(picture.background, self.background, is_flat)
        self.lights = Lights(frozen(picture.view.position), rays, is_flat=is_flat, haze=haze, **light_rows(picture))
        self.white = np.float32(white_of(picture))
        self.turn, self.shared, self.part = turn, shared, part
        self.sets = shinings(picture)
        # The faces of figures that others are cut by, whatever their looks, and the one that each thread saw last.
        self.last_mask = threading.local()
        self.masks = {mask: self._binned(bare_parts(drawables), matrix) for mask, drawables in picture.masks.items()}
        # Rays meet more than is drawn here.
        met = [] if is_flat or is_quick else added_parts(picture)
        self.solid = self._binned(surface_parts(picture, False), matrix, met)

    def _binned(self, parts, matrix, others=()):
        """Surfaces, and of each band which pairs are in it: all, then those that are opaque, then the others.

        others  parts that are told with them, but not drawn
        """
        surfaces = surfaces_of([*parts, *others], matrix, self.sets, self.is_quick)
        if others:
            is_drawn = surfaces.part_of[surfaces.pair_instance] < len(parts)
            surfaces = surfaces._replace(
                pair_instance=frozen(surfaces.pair_instance[is_drawn], np.int32),
                pair_cluster=frozen(surfaces.pair_cluster[is_drawn], np.int32),
            )
        count = len(surfaces.pair_instance)
        lows, highs, nears = np.empty(count, np.int32), np.empty(count, np.int32), np.empty(count, np.float32)
        size = frozen([self.width, self.height], np.int32)
        in_slices(
            lambda a, b: bin_clusters(a, b, surfaces, self.lights.eye, np.float32(NEAR), size, lows, highs, nears),
            count,
        )
        is_open = surfaces.opens[surfaces.pair_instance] > 0
        cuts = Cuts.among(parts, surfaces)
        lists = [
            Listed(
                *band_lists(frozen(lows, np.int32), frozen(np.where(is_in, highs, -1), np.int32), self.height), nears
            )
            for is_in in (np.ones(count, bool), ~is_open, is_open)
        ]
        return Binned(surfaces, *lists, cuts)

    def render(self, has_rays=True):
        """Return the light of the whole picture; without rays nothing throws shadows, and only the sky is mirrored."""
        picture, matrix = self.picture, self.matrix
        self.glowing = self._binned(surface_parts(picture, True), matrix)
        self.strokes = [
            *prepare_strokes(picture, self.lights, matrix, self.whole, (self.width, self.height), NEAR, False),
            *prepare_strokes(picture, self.lights, matrix, self.whole, (self.width, self.height), NEAR, True),
        ]
        self.rays, self.worlds, self.mirrors, self.around = NO_RAYS, (), NO_MIRRORS, ()
        if has_rays:
            self.begin_rays()
            if self.shared.thrown is NOTHING_KEPT:
                self.shared = self.shared._replace(thrown=self.thrown())
        self.out = np.empty((self.height, self.width, 4), np.float32)
        take_turns(self._draw, -(-self.height // BAND_ROWS))
        return self.out

    def begin_rays(self):
        """Find what rays meet that are sent for this picture."""
        self.rays, self.worlds = rays_of(self.picture, *self.turn)
        self.mirrors, self.around = self._mirrors()

    def each_opaque(self, work):
        """Call work(band, listed, seen) for every band that shows anything opaque; see each."""

        def draw(number):
            if self.is_cancelled():
                raise Cancelled
            top = number * BAND_ROWS
            band, listed = self._band(top, min(BAND_ROWS, self.height - top)), self.solid.opaque.of(number)
            if len(listed):
                work(band, listed, self._visible(band, self.solid.opaque, number))

        take_turns(draw, -(-self.height // BAND_ROWS))

    def shade_alone(self, band, listed, seen):
        """Shade what is seen of opaque surfaces, for what that finds out alone."""
        self._shade(band, listed, seen, _NOTHING, NO_SHEETS, np.empty((band.rows, band.width, 4), np.float32))

    def thrown(self):
        """Return what surfaces throw on each other if that counts, asked in half of the pixels each way."""
        if self.picture.background.bounce <= 0:
            return NOTHING_KEPT
        size, part = tuple(-(-side // 2) for side in self.whole), self.part
        half = Part(part.left // 2, part.top // 2, part.width // 2 + 1, part.height // 2 + 1)
        return catch(Bands(self.picture, size, 1, False, self.is_cancelled, self.turn, half))

    def _mirrors(self):
        whole_rays = self.picture.view.ray_matrix(*self.whole)
        return mirrors_of(self.picture, whole_rays, self.behind, self.whole, *self.turn)

    def each(self, work):
        """Call work(band, listed, seen, rows) for every band, once it is known what is seen in it.

        Of what is not opaque, what hides at least half of what is behind it is seen.

        listed  (E,) the pairs of the band; seen  see kernels/render/raster.py; rows  a slice of the picture's rows
        """
        everything = self.solid.all

        def draw(number):
            top = number * BAND_ROWS
            band, listed = self._band(top, min(BAND_ROWS, self.height - top)), everything.of(number)
            work(band, listed, self._visible(band, everything, number), _rows(band))

        take_turns(draw, -(-self.height // BAND_ROWS))

    def _band(self, top, rows):
        stride = -(-(self.width + ROW_PAD) * len(self.offsets) // LANES) * LANES
        return Band(top, rows, self.width, stride, self.offsets, *self.places, np.float32(NEAR))

    def _visible(self, band, pairs, number):
        """What is seen of some pairs of surfaces at the samples of a band, or of some of its rows."""
        seen = _buffer(band.rows * band.stride + LANES)
        entries, nearest = pairs.of(number), pairs.nearest_first(number)
        for cut, chosen in self.solid.cuts.split(entries, nearest):
            if cut is None:
                raster_band(self.solid.surfaces, band, chosen, entries, seen)
                continue
            apart = np.zeros(len(seen), np.int64)
            raster_band(self.solid.surfaces, band, chosen, entries, apart)
            apart[~self._is_open(band, number, cut)] = 0
            np.maximum(seen, apart, out=seen)
        return seen

    def _mask_seen(self, band, number, cut):
        """What is seen of a mask at the samples of a band, or of some of its rows, as raster_band has it.

        Each thread keeps the last one: it is asked for by all that one mask cuts.
        """
        name = cut[1], band.top, band.rows
        if getattr(self.last_mask, "name", None) == name:
            return self.last_mask.seen
        surfaces, everything, *_ = self.masks[cut[1]]
        seen = np.zeros(band.rows * band.stride + LANES, np.int64)
        raster_band(surfaces, band, everything.nearest_first(number), everything.of(number), seen)
        self.last_mask.name, self.last_mask.seen = name, seen
        return seen

    def _is_open(self, band, number, cut):
        """At which samples of a band what is cut so is seen."""
        return (self._mask_seen(band, number, cut) != 0) == (cut[0] == "only through")

    @contextmanager
    def _cut(self, band, number, cut, zs):
        """Lend depths as `depths` tells them; where nothing is seen of what is cut so they are the nearest."""
        if cut is None:
            yield zs
            return
        covered = np.zeros(len(zs), np.float32)
        depths(band, self._mask_seen(band, number, cut), covered)
        is_open = (covered > 0) == (cut[0] == "only through")
        lent = np.where(is_open, zs, NEAREST)
        yield lent
        np.copyto(zs, lent, where=is_open)

    def _draw(self, number):
        top = number * BAND_ROWS
        self._draw_rows(number, top, min(BAND_ROWS, self.height - top))

    def _draw_rows(self, number, top, rows):
        """Draw rows of a band: fewer at once if they have too many sheets."""
        if self.is_cancelled():
            raise Cancelled
        while needed := self._room_needed(number, self._band(top, rows)):
            if rows > 1:
                fewer = max(1, min(rows // 2, rows * MOST_SHEETS // needed))
                for first in range(top, top + rows, fewer):
                    self._draw_rows(number, first, min(fewer, top + rows - first))
                return
            room = 2 * _scratch.sheets.room
            if room > ALLOWED_SHEETS:
                text = (
                    f"a row of the picture shows more than {ALLOWED_SHEETS:,} half-transparent faces behind each other"
                )
                raise ProblemError(
                    Problem("limit", f"{text}; allowed as many: show fewer, or a smaller picture", "figures")
                )
            _make_room(room)

    def _room_needed(self, number, band) -> int:
        """Draw a band, and return 0; or about how many sheets it has, if there is no room for them."""
        surfaces, _, opaque, opened, cuts = self.solid
        out = self.out[_rows(band)]
        listed, see_through = opaque.of(number), opened.of(number)[opened.nearest_first(number)]
        glowing = self.glowing.all.of(number)
        are_strokes = any(stroke.offsets[number] < stroke.offsets[number + 1] for stroke in self.strokes)
        seen = self._visible(band, opaque, number) if len(listed) else None
        zs = None
        if len(glowing) or len(see_through) or are_strokes:
            zs = np.zeros(band.rows * band.stride + LANES, np.float32)
            if seen is not None:
                depths(band, seen, zs)
        sheets = NO_SHEETS
        if len(see_through):
            sheets = _sheets(band)
            for cut, chosen in cuts.split(see_through):
                with self._cut(band, number, cut, zs) as cut_zs:
                    done = collect_band(
                        surfaces, band, self.lights, self.rays, self.mirrors, chosen, False, cut_zs, sheets,
                        self.shared, out,
                    )  # fmt: skip
                    if done < len(chosen):
                        # The others are taken for as large on the mean, and the one at hand for half done.
                        return int(sheets.count[0] * len(chosen) / (done + 0.5))
            if sheets.count[0] == 0:
                sheets = NO_SHEETS
        behind, white = self._behind(band), self.white
        if seen is None:
            lay_background(behind, out)
        elif not self._shade(band, listed, seen, self._mirrored(band, listed, seen), sheets, out):
            return _more(sheets)
        # Strokes hide what comes after them, but not what is told apart by sheets.
        solids = zs.copy() if are_strokes and sheets is not NO_SHEETS else zs
        if not self._stroke(number, band, zs, solids, sheets, out, False):
            return _more(sheets)
        for cut, chosen in self.glowing.cuts.split(glowing):
            with self._cut(band, number, cut, zs) as cut_zs:
                done = collect_band(
                    self.glowing.surfaces, band, self.lights, NO_RAYS, NO_MIRRORS, chosen, True, cut_zs, sheets,
                    self.shared, out,
                )  # fmt: skip
                if done < len(chosen):
                    return _more(sheets)
        if not self._stroke(number, band, zs, solids, sheets, out, True):
            return _more(sheets)
        if sheets is not NO_SHEETS:
            lay_sheets(sheets, band, behind, white, out)
        return 0

    def _shade(self, band, listed, seen, told, sheets, out):
        """Lay the light of what is seen of opaque surfaces; False if there is no room for their sheets."""
        return shade_band(
            self.solid.surfaces, band, self.lights, self.rays, told, listed, seen, self._behind(band), self.white,
            sheets, self.shared, out.reshape(-1),
        )  # fmt: skip

    def _behind(self, band):
        """What is behind everything in a band: (rows, 1, 4) float32, or (rows, width, 4) where it is the skies."""
        if len(self.background):
            return self.background[_rows(band), None]
        behind = np.empty((band.rows, band.width, 4), np.float32)
        lay_sky(self.lights, band.top, behind)
        return frozen(behind)

    def _mirrored(self, band, listed, seen):
        """What is mirrored in a band, see kernels/render/mirror.py; empty if nothing is."""
        if not self.mirrors.are_cast:
            return _NOTHING
        told = np.empty(TOLD_SIZE * band.rows * band.width * len(band.offsets), np.float32)
        mirror_band(self.solid.surfaces, band, self.lights, self.rays, self.mirrors, listed, seen, told)
        return told

    def _stroke(self, number, band, zs, solids, sheets, out, is_additive):
        """Draw strokes of one blend; False if there is no room for their sheets."""
        for stroke in self.strokes:
            if stroke.is_additive != is_additive or stroke.offsets[number] == stroke.offsets[number + 1]:
                continue
            listed = frozen(stroke.entries[stroke.offsets[number] : stroke.offsets[number + 1]], np.int32)
            wide = out if self.width >= LANES else np.pad(out, ((0, 0), (0, LANES - self.width), (0, 0)))
            softness = np.float32(stroke.softness)
            with self._cut(band, number, stroke.cut, zs) as own_zs, self._cut(band, number, stroke.cut, solids) as own:
                are_drawn = draw_strokes(
                    band, listed, stroke.rows, softness, is_additive, self.white, own_zs, own, sheets, wide
                )
            if not are_drawn:
                return False
            if wide is not out:
                out[:] = wide[:, : self.width]
        return True


def _sheets(band) -> Sheets:
    """This thread's sheets, with empty lists for the pixels of a band."""
    if not hasattr(_scratch, "sheets"):
        _make_room(MOST_SHEETS)
    count = band.rows * band.width
    heads, lengths = np.full(count, -1, np.int32), np.zeros(count, np.int32)
    return _scratch.sheets._replace(heads=heads, lengths=lengths, count=np.zeros(1, np.int64))


def _make_room(count) -> None:
    _scratch.sheets = room_for(count)


def _more(sheets) -> int:
    """About how many sheets there are, if there was no room for the last ones of them."""
    return 2 * sheets.room


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
    stops = (getattr(settings, "stops", 0.0) for _, settings in picture.finish if settings.acts == "on all")
    return 2.0 ** -sum(stops)
