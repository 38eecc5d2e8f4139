"""Points pushed about by noise."""

import numpy as np

from ...craft import NoiseSettings, in_its_space, sample_noise, sample_noise_vectors
from ...data import Mesh
from ...kernels.rows import pushed_rows
from ...schema import Kind, choice, number

WAYS = ("normals", "x", "y", "z", "all ways", "the field")


class DisplaceSettings(NoiseSettings):
    strength: float = number(12, soft=(-100, 100), headline=True, per_copy=True)
    """How far the noise's peaks push."""
    along: str = choice("normals", WAYS, headline=True)
    """Which way points are pushed."""


def displace(points, normals, weights, settings, moment, directions, links) -> np.ndarray:
    """Push points along their normals, an axis or all ways by noise at their places.

    points, normals  (N, 3) float32; not changed
    weights          (N,) float32 in 0..1, from the step's field
    directions       (N, 3) of the step's field, or None
    Returns          (N, 3) float32
    """
    places = in_its_space(points, links)
    # A strength that is the same for all stays one number up to the kernel.
    factor, share = (
        (settings.strength, weights) if np.ndim(settings.strength) == 0 else (1.0, settings.strength * weights)
    )
    if settings.along == "all ways":
        return pushed_rows(points, sample_noise_vectors(places, settings, moment), np.float32(factor) * share)
    if settings.along == "the field" and directions is None:
        return points
    push = sample_noise(places, settings, moment)
    if settings.along in ("normals", "the field"):
        return pushed_rows(points, normals if settings.along == "normals" else directions, push, share, factor)
    moved = points.copy()
    moved[:, "xyz".index(settings.along)] += push * (np.float32(factor) * share)
    return moved


def advice(shape, settings, links) -> str:
    """Say why the displacement can have no effect, or nothing."""
    mesh = shape if isinstance(shape, Mesh) else shape.leaves[0]
    if len(mesh.points) and len(mesh.points) <= 8:
        return f"Displace has little to move: {len(mesh.points)} points; add Subdivide before it"
    return ""


KIND = Kind(
    "displace",
    "deform",
    DisplaceSettings,
    displace,
    "Displace by **{strength}** along **{along}**, noise **{size}** wide",
    advice=advice,
    version=2,
    icon="waves",
    words="noise turbulence bumps wrinkle rough crumple",
)
