"""A ball or block that counts inside and fades at its edge."""

import numpy as np

from ...kernels.place import compose, euler_to_quaternion
from ...schema import Kind, Settings, choice, number, vector


class RegionSettings(Settings):
    form: str = choice("ball", ("ball", "block"), headline=True)
    """The form of the region."""
    position: list = vector((0, 0, 0), soft=(-500, 500), headline=True)
    """Where its middle is."""
    size: list = vector((200, 200, 200), soft=(1, 1000), hard=(1e-3, None), headline=True)
    """How wide it is along each axis."""
    rotation: list = vector((0, 0, 0), soft=(-180, 180), unit="deg")
    """How it is turned."""
    fade: float = number(0.5, soft=(0, 1), hard=(0, 1), headline=True)
    """How much of the way from its edge to its middle is a soft edge."""


def region(points, settings) -> np.ndarray:
    """Weigh points 1 in the middle of a ball or block, 0 outside.

    points   (N, 3) float32, in the clause's space
    Returns  (N,) float32 in 0..1, straight from the edge inwards over `fade` of the way
    """
    turn = compose(np.zeros((1, 3)), euler_to_quaternion([settings.rotation]), np.ones((1, 3)))[0, :, :3]
    local = (points - np.asarray(settings.position, np.float32)) @ turn
    local = local / (np.asarray(settings.size, np.float32) / 2)
    far = np.linalg.norm(local, axis=1) if settings.form == "ball" else np.abs(local).max(axis=1)
    inwards = np.float32(1) - far
    if settings.fade < 1e-6:
        return (inwards >= 0).astype(np.float32)
    return np.clip(inwards / np.float32(settings.fade), 0, 1).astype(np.float32)


KIND = Kind(
    "region",
    "clause",
    RegionSettings,
    region,
    "in a **{form}** of **{size}** at **{position}**, fading over **{fade}**",
)
