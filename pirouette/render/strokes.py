"""Prepares wires and dots: which segments of which instances, projected and sorted to bands."""

from dataclasses import dataclass

import numpy as np

from ..data.picture import REFERENCE_LINES, TINT_SIZE, Picture
from ..kernels.compile import frozen
from ..kernels.render.bins import BAND_ROWS, count_bands, list_bands
from ..kernels.render.stroke import STROKE_SIZE, Pen, Segments, project_strokes
from ..kernels.threads import in_slices
from .stage import on_screen

SURFACE_LIFT_PX = 2.0


@dataclass(frozen=True, eq=False)
class Strokes:
    """One look's lines or dots on screen, and for each band the list of those that touch it."""

    rows: np.ndarray
    entries: np.ndarray
    offsets: np.ndarray
    softness: float
    is_additive: bool
    cut: tuple[str, str] | None


def prepare_strokes(picture: Picture, lights, screen_from_world, whole, size, near, is_additive) -> list[Strokes]:
    """Return the wires and dots of one blend, in the order of the figures and their looks.

    whole, size  width and height of the picture, and of the part of it that is drawn
    """
    blend = "additive" if is_additive else "normal"
    return [
        _project(picture, lights, drawable, look, screen_from_world, whole, size, near)
        for drawable in picture.drawables
        for look in drawable.looks
        if look.kind in ("wire", "dots") and look.settings.blend == blend and len(drawable.mesh.points)
    ]


def rows_or_one(tints) -> np.ndarray:
    """Return tints, or one row of ones that stands for all."""
    return frozen(np.ones((1, TINT_SIZE)) if tints is None else tints)


def _or_one(factors) -> np.ndarray:
    return frozen(np.ones(1) if factors is None else factors)


def band_lists(lows, highs, height) -> tuple[np.ndarray, np.ndarray]:
    """Return each band's entries, one after the other, and where each band's begin."""
    counts = np.zeros(-(-height // BAND_ROWS), np.int64)
    count_bands(lows, highs, counts)
    offsets = np.concatenate([[0], np.cumsum(counts)])
    entries = np.empty(offsets[-1], np.int32)
    list_bands(lows, highs, frozen(offsets, np.int64), entries)
    return frozen(entries, np.int32), offsets


def _project(picture, lights, drawable, look, screen_from_world, whole, size, near):
    width, height = size
    settings, mesh = look.settings, drawable.mesh
    if look.kind == "wire":
        ends = mesh.topology.edges
        starts, ends, across = ends[:, 0], ends[:, 1], settings.width
    else:
        starts = ends = np.arange(len(mesh.points))
        across = settings.size
    starts, ends = frozen(starts, np.int32), frozen(ends, np.int32)
    world = frozen(drawable.matrices)
    count = len(world) * len(starts)
    screen, _ = on_screen(world, screen_from_world)
    rows = np.empty((count, STROKE_SIZE), np.float32)
    lows, highs = np.empty(count, np.int32), np.empty(count, np.int32)
    in_units = settings.unit == "units"
    half = across / 2 if in_units else across / 2 * whole[1] / REFERENCE_LINES
    focal = whole[0] / 2 / picture.view.tangent
    f32 = np.float32
    tints = rows_or_one(look.tints), rows_or_one(look.point_tints)
    widths = _or_one(look.widths), _or_one(look.point_widths)
    segments = Segments(mesh.points, starts, ends, screen, *tints, *widths)
    colour = frozen(np.asarray(settings.colour) * settings.brightness)
    lift, is_additive = f32(SURFACE_LIFT_PX / focal), settings.blend == "additive"
    pen = Pen(colour, f32(half), in_units, f32(focal), lift, f32(near), width, height, is_additive)
    in_slices(lambda a, b: project_strokes(segments, pen, lights, a, b, rows, lows, highs), count)
    entries, offsets = band_lists(frozen(lows, np.int32), frozen(highs, np.int32), height)
    return Strokes(
        frozen(rows),
        entries,
        offsets,
        settings.softness if look.kind == "dots" else 0.0,
        is_additive,
        drawable.cut,
    )
