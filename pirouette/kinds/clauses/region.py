"""A ball, block, column, funnel or ring that counts inside and fades at its edge."""

import numpy as np

from ...kernels.place import compose, euler_to_quaternion
from ...schema import Kind, Settings, choice, number, vector

FORMS = ("ball", "block", "column", "funnel", "ring")


class RegionSettings(Settings):
    form: str = choice("ball", FORMS, headline=True)
    """The form: a column and a ring stand along y, a funnel is a cone with its tip down."""
    position: list = vector((0, 0, 0), soft=(-500, 500), headline=True)
    """Where its middle is."""
    size: list = vector((200, 200, 200), soft=(1, 1000), hard=(1e-3, None), headline=True)
    """How wide it is along each axis."""
    rotation: list = vector((0, 0, 0), soft=(-180, 180), unit="deg")
    """How it is turned."""
    fade: float = number(0.5, soft=(0, 1), hard=(0, 1), headline=True)
    """How much of the way from its edge to its middle is a soft edge."""
    thickness: float = number(0.3, soft=(0.01, 1), hard=(1e-3, 1))
    """How thick a ring is, as a share of its radius."""


def region(points, settings) -> np.ndarray:
    """Weigh points 1 in the middle of a ball, block, column, funnel or ring, 0 outside.

    points   (N, 3) float32, in the clause's space
    Returns  (N,) float32 in 0..1, straight from the edge inwards over `fade` of the way
    """
    inwards = 1 - _far(_local(points, settings), settings)
    if settings.fade < 1e-6:
        return (inwards >= 0).astype(np.float32)
    return np.clip(inwards / np.float32(settings.fade), 0, 1).astype(np.float32)


def _turn(settings):
    return compose(np.zeros((1, 3)), euler_to_quaternion([settings.rotation]), np.ones((1, 3)))[0, :, :3]


def _local(points, settings):
    local = (points - np.asarray(settings.position, np.float32)) @ _turn(settings)
    return local / (np.asarray(settings.size, np.float32) / 2)


def _far(local, settings):
    """0 in the middle of the form, 1 at its edge."""
    if settings.form == "ball":
        return np.sqrt(np.einsum("ij,ij->i", local, local))
    if settings.form == "block":
        return np.abs(local).max(axis=1)
    aside = np.hypot(local[:, 0], local[:, 2])
    if settings.form == "column":
        return np.maximum(aside, np.abs(local[:, 1]))
    if settings.form == "funnel":
        wide = np.maximum((local[:, 1] + 1) / 2, np.float32(1e-6))
        return np.maximum(np.where(local[:, 1] > -1, aside / wide, 9), np.abs(local[:, 1]))
    half = np.float32(settings.thickness / 2)
    return np.hypot(aside - (1 - half), local[:, 1]) / half


def ways(points, settings):
    """Away from the region's middle, and along its own y axis."""
    away = points - np.asarray(settings.position, np.float32)
    away = away / np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-9)
    return away, np.broadcast_to(_turn(settings)[:, 1], points.shape)


KIND = Kind(
    "region",
    "clause",
    RegionSettings,
    region,
    "in a **{form}** of **{size}** at **{position}**, fading over **{fade}**",
    ways=lambda points, settings, moment, links: ways(points, settings),
)
