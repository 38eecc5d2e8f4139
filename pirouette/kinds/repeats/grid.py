"""Copies in rows, columns and layers."""

import numpy as np

from ...data import Copies
from ...schema import Kind, Settings, integer, vector


class GridSettings(Settings):
    columns: int = integer(8, soft=(1, 40), hard=(1, 10_000), headline=True)
    """Copies from left to right."""
    rows: int = integer(5, soft=(1, 40), hard=(1, 10_000), headline=True)
    """Copies from bottom to top."""
    layers: int = integer(1, soft=(1, 20), hard=(1, 10_000), headline=True)
    """Copies from back to front."""
    apart: list = vector((60, 60, 60), soft=(0, 300), headline=True)
    """Distance from one copy to the next along each axis."""


def grid(shape, settings) -> Copies:
    """Repeat a shape in columns, rows and layers around the origin.

    Returns Copies ordered left to right, then bottom to top, then back to front
    """
    counts = (settings.layers, settings.rows, settings.columns)
    layer, row, column = (axis.ravel() for axis in np.meshgrid(*map(np.arange, counts), indexing="ij"))
    steps = np.stack([column, row, layer], axis=1).astype(np.float32)
    last = np.array([settings.columns, settings.rows, settings.layers], np.float32) - 1
    cells = steps / np.maximum(last, 1)
    return Copies.at(shape, (steps - last / 2) * np.asarray(settings.apart, np.float32), cells=cells)


KIND = Kind(
    "grid",
    "repeat",
    GridSettings,
    grid,
    "Repeat on a **grid** of **{columns}** × **{rows}** × **{layers}**, **{apart}** apart",
    estimate=lambda settings: settings.columns * settings.rows * settings.layers,
)
