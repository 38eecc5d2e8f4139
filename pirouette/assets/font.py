"""Fonts: shaped text and the outlines of glyphs, by HarfBuzz; WOFF2 is unpacked by fontTools first."""

import io
from dataclasses import dataclass
from functools import cached_property, lru_cache

import brotli
import numpy as np
import uharfbuzz as hb
from fontTools.misc import sstruct
from fontTools.pens.basePen import BasePen
from fontTools.ttLib import TTFont
from fontTools.ttLib.woff2 import WOFF2DirectoryEntry, woff2DirectoryFormat, woff2DirectorySize

from ..data.problem import Problem, ProblemError
from ..geometry.outline import Contour

MAX_TEXT = 2_000
MAX_SEGMENTS = 20_000
MAX_UNPACKED = 64 << 20
UNPACKED_STEP = 1 << 20


@dataclass(frozen=True)
class Glyph:
    """A shaped glyph: its number, the place in the text it stands for, and where it stands, in ems."""

    number: int
    cluster: int
    x: float
    y: float
    advance: float


class _Pen(BasePen):
    """Collects contours as cubic segments."""

    def __init__(self):
        super().__init__(None)
        self.contours = []
        self._begin()

    def _begin(self):
        self.cubics, self.straight = [], []

    def _moveTo(self, point):  # noqa: N802 - named by fontTools
        self._begin()
        self.start = point

    def _lineTo(self, point):  # noqa: N802
        a, d = np.asarray(self._getCurrentPoint(), float), np.asarray(point, float)
        if (a != d).any():
            self.cubics.append([a, a + (d - a) / 3, a + (d - a) * 2 / 3, d])
            self.straight.append(True)

    def _curveToOne(self, b, c, d):  # noqa: N802
        self.cubics.append([self._getCurrentPoint(), b, c, d])
        self.straight.append(False)
        if len(self.cubics) > MAX_SEGMENTS:
            raise ProblemError(Problem("", f"a glyph with more than {MAX_SEGMENTS:,} segments", "font.glyph"))

    def _closePath(self):  # noqa: N802
        self._lineTo(self.start)
        if self.cubics:
            self.contours.append(Contour(np.array(self.cubics, float), np.array(self.straight), True))
        self._begin()

    def _endPath(self):  # noqa: N802
        self._closePath()


class Font:
    """A typeface that shapes text and gives outlines; all lengths in ems."""

    def __init__(self, data: bytes):
        self._face = hb.Face(data)
        if not self._face.glyph_count:
            raise ProblemError(Problem("", "this is no font with glyphs; allowed TTF, OTF and WOFF2", "font.wrong"))
        self._font = hb.Font(self._face)
        self._em = float(self._face.upem)
        self.contours = lru_cache(maxsize=4096)(self._contours)

    @cached_property
    def name(self) -> str:
        return self._face.get_name(hb.OTNameIdPredefined.FULL_NAME) or "Font"

    @cached_property
    def line_height(self) -> float:
        extents = self._font.get_font_extents("ltr")
        return (extents.ascender - extents.descender + extents.line_gap) / self._em

    def shape(self, text: str) -> list[Glyph]:
        """Return the glyphs of one line of text with kerning and ligatures, starting at 0."""
        if not text:
            return []
        buffer = hb.Buffer()
        buffer.cluster_level = hb.BufferClusterLevel.MONOTONE_CHARACTERS
        buffer.add_str(text[:MAX_TEXT])
        buffer.guess_segment_properties()
        hb.shape(self._font, buffer, {"kern": True, "liga": True, "clig": True})
        glyphs, x = [], 0.0
        for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
            advance = place.x_advance / self._em
            at = x + place.x_offset / self._em
            glyphs.append(Glyph(info.codepoint, info.cluster, at, place.y_offset / self._em, advance))
            x += advance
        return glyphs

    def _contours(self, glyph: int) -> tuple[Contour, ...]:
        pen = _Pen()
        self._font.draw_glyph_with_pen(glyph, pen)
        return tuple(
            Contour(contour.cubics / self._em, contour.straight, contour.closed)
            for contour in pen.contours
            if len(contour.cubics) > 1
        )


def _check_unpacked(data):
    """Refuse a WOFF2 file that unpacks to too much, before anything unpacks it as a whole."""
    file = io.BytesIO(data)
    head = sstruct.unpack(woff2DirectoryFormat, file.read(woff2DirectorySize))
    for _ in range(head["numTables"]):
        WOFF2DirectoryEntry().fromFile(file)
    unpacker, size, packed = brotli.Decompressor(), 0, file.read(head["totalCompressedSize"])
    while not unpacker.is_finished():
        part = unpacker.process(packed, output_buffer_limit=UNPACKED_STEP)
        if not part and not packed:
            return
        packed = b""
        size += len(part)
        if size > MAX_UNPACKED:
            raise ProblemError(Problem("", f"unpacks to more than {MAX_UNPACKED >> 20} MB", "font.size"))


def read_font(data: bytes, suffix: str = ".ttf") -> Font:
    """Read a TTF, OTF or WOFF2 file; raises ProblemError if it is none."""
    try:
        if data[:4] == b"wOF2":
            _check_unpacked(data)
            unpacked = io.BytesIO()
            font = TTFont(io.BytesIO(data), recalcTimestamp=False)
            font.flavor = None
            font.save(unpacked)
            data = unpacked.getvalue()
        return Font(data)
    except ProblemError:
        raise
    except Exception as error:  # fontTools raises whatever a broken table leads to
        raise ProblemError(Problem("", f"this font cannot be read: {error}", "font.wrong")) from None
