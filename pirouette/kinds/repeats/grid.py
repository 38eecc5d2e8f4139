"""Copies in rows, columns and layers."""

import numpy as np

from ...craft import RepeatSettings, at_places
from ...data import Copies, Mesh
from ...kernels.rows import lattice
from ...schema import Kind, choice, integer, number, vector


class GridSettings(RepeatSettings):
    columns: int = integer(8, soft=(1, 40), hard=(1, 10_000), headline=True)
    """Copies from left to right."""
    rows: int = integer(5, soft=(1, 40), hard=(1, 10_000), headline=True)
    """Copies from bottom to top."""
    layers: int = integer(1, soft=(1, 20), hard=(1, 10_000), headline=True)
    """Copies from back to front."""
    apart: list = vector((60, 60, 60), soft=(0, 300), headline=True)
    """Distance from one copy to the next along each axis; beyond the copies' own size where it is fitted."""
    pitch: str = choice("stated", ("stated", "fitted"))
    """Take the distance as it is stated, or fit it to the size of what is repeated."""
    fills: str = choice("box", ("box", "ball", "cylinder"))
    """The form that is filled; a cylinder stands along y."""
    offset: float = number(0, soft=(0, 1))
    """How far every other row is shifted, as a share of the distance between columns; 0.5 is like bricks."""


def grid(shape, settings, links) -> Copies:
    """Repeat a shape in columns, rows and layers around the origin.

    Returns Copies ordered left to right, then bottom to top, then back to front
    """
    counts = (settings.columns, settings.rows, settings.layers)
    apart = np.asarray(settings.apart, np.float32)
    if settings.pitch == "fitted":
        apart = apart + _size(shape)
    places, cells = lattice(counts, apart, settings.offset)
    if settings.fills != "box":
        inside = _inside(cells, settings)
        places, cells = places[inside], cells[inside]
    return at_places(shape, settings, links, places, cells=cells)


def _inside(cells, settings):
    """Which cells lie in the ellipse around the middle of those axes that have more than one place."""
    counts = np.array([settings.columns, settings.rows, settings.layers])
    across = (cells * 2 - 1) * (counts > 1) * np.maximum(counts - 1, 1) / counts
    if settings.fills == "cylinder":
        across[:, 1] = 0
    return (across**2).sum(axis=1) <= 1


def _size(shape) -> np.ndarray:
    meshes = (
        [(shape, None)] if isinstance(shape, Mesh) else [(placed.mesh, placed.matrices) for placed in shape.flattened()]
    )
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    for mesh, matrices in meshes:
        corners = np.array(np.meshgrid(*np.stack(mesh.bounds, axis=1), indexing="ij")).reshape(3, -1).T
        if matrices is not None:
            corners = (np.einsum("kij,cj->kci", matrices[:, :, :3], corners) + matrices[:, None, :, 3]).reshape(-1, 3)
        low, high = np.minimum(low, corners.min(axis=0)), np.maximum(high, corners.max(axis=0))
    return np.maximum(high - low, 0).astype(np.float32) if np.isfinite(low).all() else np.zeros(3, np.float32)


KIND = Kind(
    "grid",
    "repeat",
    GridSettings,
    grid,
    "Repeat on a **grid** of **{columns}** × **{rows}** × **{layers}**, **{apart}** apart",
    estimate=lambda settings: settings.columns * settings.rows * settings.layers,
    icon="grid",
    words="repeat copies clone array matrix lattice wall duplicate",
)
