"""Vector artwork: each path a piece with its colour, filled, pushed to a depth, or as outlines."""

import numpy as np

from ...data import Copies, Mesh, Problem, ProblemError
from ...data.copies import cells_within
from ...geometry.medial import centre_lines
from ...geometry.outline import Rings, resolve, stroked
from ...geometry.solid import outlines, solid
from ...schema import Kind, Settings, asset, choice, integer, number, switch

DRAWN = ("filled", "outlines")
MAX_POINTS = 8_000_000
OUTLINES = ("closed", "opened", "centre line")


class ArtworkSettings(Settings):
    file: str = asset("artwork", headline=True)
    """The drawing."""
    size: float = number(100, soft=(5, 500), hard=(1e-3, None), headline=True)
    """Its longer side."""
    drawn: str = choice("filled", DRAWN, headline=True)
    """Filled faces, or curves along the outlines."""
    depth: float = number(0, soft=(0, 100), hard=(0, None))
    """How thick it is; 0 is flat."""
    bevel: float = number(0, soft=(0, 10), hard=(0, None))
    """How far the edges are cut back."""
    bevel_steps: int = integer(1, soft=(1, 8), hard=(1, 32))
    """One is a straight cut, more are rounder."""
    outline: str = choice("closed", OUTLINES)
    """As curves: closed outlines as they are, opened at their start, or reduced to a line through their middle."""
    layers: float = number(0.2, soft=(0, 10))
    """How far each path stands before the one under it."""
    detail: int = integer(8, soft=(1, 24), hard=(1, 200))
    """Points on each curved stretch."""
    colours: bool = switch(True)
    """Give the pieces the drawing's colours."""


def artwork(settings, links) -> Copies | Mesh:
    """Make the paths of a drawing, fitted to a size around the origin.

    Returns Copies in the order of painting, each path (and each stroke) a piece around its own middle
    """
    if "file" not in links:
        return Mesh.empty()
    drawing = links["file"].asset.content
    total = sum(len(contour.cubics) for shape in drawing.shapes for contour in shape.contours)
    made = total * settings.detail * 2 * (settings.bevel_steps + 2 if settings.depth > 0 else 1)
    if made > MAX_POINTS:
        raise ProblemError(
            Problem("detail", f"this would make about {made:,} points; allowed up to {MAX_POINTS:,}", "size.limit")
        )
    low, high = drawing.bounds
    scale = settings.size / max(float((high - low).max()), 1e-9)
    middle = (low + high) / 2
    meshes, places, colours, opacity = [], [], [], []
    for order, shape in enumerate(drawing.shapes):
        paths = [(contour.flattened(settings.detail) - middle) * scale for contour in shape.contours]
        closed = [contour.closed for contour in shape.contours]
        for mesh, colour in _pieces(shape, paths, closed, scale, settings):
            if not len(mesh.points):
                continue
            least, most = mesh.bounds
            centre = (least + most) / 2
            meshes.append(mesh.with_points(mesh.points - centre, mesh.known_normals))
            places.append([centre[0], centre[1], order * settings.layers])
            colours.append(np.ones(3) if colour is None or not settings.colours else colour)
            opacity.append(shape.opacity)
    if not meshes:
        raise ProblemError(
            Problem("file", "no path of this drawing has a fill or a stroke; draw it as outlines", "artwork.empty")
        )
    places = np.array(places)
    copies = Copies.at(meshes, places, cells=cells_within(places), which=np.arange(len(meshes)))
    return copies.moved(colours=np.array(colours), opacity=np.array(opacity))


def _pieces(shape, paths, closed, scale, settings):
    """Yield the meshes of a path with their colours: its fill and its stroke, or its outlines."""
    colour = shape.fill if shape.fill is not None else shape.stroke
    if settings.drawn == "outlines":
        if settings.outline == "centre line":
            rings = resolve([path for path, is_closed in zip(paths, closed, strict=True) if is_closed], shape.fill_rule)
            lines = [line for polygon in rings.polygons for line in centre_lines(polygon)]
            lines += [path for path, is_closed in zip(paths, closed, strict=True) if not is_closed]
            yield outlines(lines, [False] * len(lines)), colour
        else:
            keep_closed = settings.outline == "closed"
            opened = [
                path if keep_closed or not is_closed else np.concatenate([path, path[:1]])
                for path, is_closed in zip(paths, closed, strict=True)
            ]
            yield outlines(opened, [was_closed and keep_closed for was_closed in closed]), colour
        return
    if shape.fill is not None:
        yield _filled(resolve(paths, shape.fill_rule), settings), shape.fill
    if shape.stroke is not None:
        width = shape.stroke_width * scale
        yield _filled(stroked(paths, closed, width, shape.cap, shape.join), settings), shape.stroke


def _filled(rings: Rings, settings) -> Mesh:
    return solid(rings, settings.depth, settings.bevel if settings.depth > 0 else 0.0, settings.bevel_steps)


KIND = Kind(
    "artwork",
    "form",
    ArtworkSettings,
    artwork,
    "Artwork **{file}**, **{size}** wide, **{drawn}**",
    estimate=lambda settings: 0,
    advice=lambda shape, settings, links: (
        "" if "file" in links else "no file is chosen; choose one, or drop an SVG file"
    ),
    icon="artwork",
    words="svg logo vector drawing outline mark illustration import",
)
