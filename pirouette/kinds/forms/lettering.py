"""Text in a typeface, as letters that can be varied one by one."""

from dataclasses import replace

import numpy as np

from ...data import Copies, Mesh
from ...data.copies import cells_within
from ...geometry.join import joined, placed
from ...geometry.outline import resolve
from ...geometry.solid import outlines, solid
from ...schema import Kind, Settings, asset, choice, integer, number, text

PIECES = ("letters", "words", "lines", "one piece")


class LetteringSettings(Settings):
    text: str = text("Kite", headline=True)
    """The words; each line of them is a line."""
    typeface: str = asset("font", "fraunces.woff2", headline=True)
    """The typeface."""
    size: float = number(100, soft=(5, 400), hard=(1e-3, None), headline=True)
    """The size of the type, from line to line before leading."""
    depth: float = number(0, soft=(0, 100), hard=(0, None))
    """How thick the letters are; 0 is flat."""
    bevel: float = number(0, soft=(0, 10), hard=(0, None))
    """How far the edges are cut back."""
    bevel_steps: int = integer(1, soft=(1, 8), hard=(1, 32))
    """One is a straight cut, more are rounder."""
    drawn: str = choice("filled", ("filled", "outlines"))
    """Filled faces, or curves along the outlines."""
    tracking: float = number(0, soft=(-0.1, 0.5))
    """Space added between letters, as a share of the size."""
    leading: float = number(1, soft=(0.5, 2))
    """Factor on the distance from line to line."""
    align: str = choice("middle", ("left", "middle", "right"))
    """Whether the lines begin at the origin, stand around it, or end there."""
    pieces: str = choice("letters", PIECES)
    """What later steps vary one by one."""
    detail: int = integer(8, soft=(1, 24), hard=(1, 200))
    """Points on each curved stretch of an outline."""


def lettering(settings, links) -> Copies | Mesh:
    """Set text with kerning and ligatures, filled with its holes or as outlines.

    Returns Copies of the pieces in reading order, each around its own middle
    """
    if "typeface" not in links:
        return Mesh.empty()
    font = links["typeface"].asset.content
    made, places, shapes, numbers = {}, [], [], []
    lines = settings.text.splitlines() or [""]
    for row, line in enumerate(lines):
        glyphs = font.shape(line)
        tracked = np.arange(len(glyphs)) * settings.tracking
        width = (glyphs[-1].x + glyphs[-1].advance + tracked[-1]) if glyphs else 0.0
        start = {"left": 0.0, "middle": -width / 2, "right": -width}[settings.align]
        height = ((len(lines) - 1) / 2 - row) * font.line_height * settings.leading - 0.35
        word = 0
        for glyph, extra in zip(glyphs, tracked, strict=True):
            if line[glyph.cluster : glyph.cluster + 1].isspace():
                word += 1
                continue
            if glyph.number not in made:
                made[glyph.number] = _glyph(font, glyph.number, settings)
            mesh, middle = made[glyph.number]
            if len(mesh.points):
                at = np.array([start + glyph.x + extra, height + glyph.y]) * settings.size + middle
                places.append([*at, 0.0])
                shapes.append(glyph.number)
                numbers.append((row, word))
    sources = list(made)
    which = np.array([sources.index(number) for number in shapes], np.int64)
    copies = Copies.at(
        [made[number][0] for number in sources] or [Mesh.empty()],
        np.array(places).reshape(-1, 3),
        cells=cells_within(np.array(places).reshape(-1, 3)),
        which=which,
    )
    if settings.pieces == "letters":
        return copies
    groups = {"words": numbers, "lines": [row for row, _ in numbers], "one piece": [0] * len(numbers)}
    return _grouped(copies, groups[settings.pieces])


def _glyph(font, number, settings):
    """A glyph around the middle of its box, and where that middle is."""
    paths = [contour.flattened(settings.detail) * settings.size for contour in font.contours(number)]
    if not paths:
        return Mesh.empty(), np.zeros(2)
    low = np.min([path.min(axis=0) for path in paths], axis=0)
    high = np.max([path.max(axis=0) for path in paths], axis=0)
    middle = (low + high) / 2
    paths = [path - middle for path in paths]
    if settings.drawn == "outlines":
        rings = resolve(paths).rings
        return outlines(rings, [True] * len(rings)), middle
    bevel = settings.bevel if settings.depth > 0 else 0.0
    return solid(resolve(paths), settings.depth, bevel, settings.bevel_steps), middle


def _grouped(copies, groups):
    """Join the letters of each group into one piece around its own middle."""
    names = list(dict.fromkeys(groups))
    meshes, middles = [], []
    for name in names:
        mine = [index for index, group in enumerate(groups) if group == name]
        parts = [
            placed(copies.sources[copies.which[index]], np.column_stack([np.eye(3), copies.position[index]]))
            for index in mine
        ]
        mesh = joined(parts)
        low, high = mesh.bounds
        middle = (low + high) / 2
        meshes.append(replace(mesh, points=mesh.points - middle, key=""))
        middles.append(middle)
    places = np.array(middles).reshape(-1, 3)
    return Copies.at(meshes or [Mesh.empty()], places, cells=cells_within(places), which=np.arange(len(places)))


KIND = Kind(
    "lettering",
    "form",
    LetteringSettings,
    lettering,
    "Lettering “**{text}**” in **{typeface}**, size **{size}**",
    estimate=lambda settings: len(settings.text) * 40 * settings.detail * (2 + settings.bevel_steps),
    advice=lambda shape, settings, links: "" if "typeface" in links else "no typeface is chosen; choose one",
    icon="lettering",
    words="text type title font words letters write logo",
)
