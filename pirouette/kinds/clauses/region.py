"""A ball, block, column, funnel or ring that counts inside and fades at its edge."""

import numpy as np

from ...kernels.geometry.place import compose, euler_to_quaternion, unit_rows
from ...kernels.geometry.weigh import region_weights
from ...schema import Kind, Settings, choice, number, vector

# In the order of the kernel's numbers.
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
    rows = _turn(settings).T / (np.asarray(settings.size, np.float32)[:, None] / 2)
    return region_weights(
        points, settings.position, rows, FORMS.index(settings.form), settings.fade, settings.thickness
    )


def _turn(settings):
    return compose(np.zeros((1, 3)), euler_to_quaternion([settings.rotation]), np.ones((1, 3)))[0, :, :3]


def ways(points, settings):
    """Away from the region's middle, and along its own y axis."""
    away = points - np.asarray(settings.position, np.float32)
    return unit_rows(away), np.broadcast_to(_turn(settings)[:, 1], points.shape)


KIND = Kind(
    "region",
    "clause",
    RegionSettings,
    region,
    "in a **{form}** of **{size}** at **{position}**, fading over **{fade}**",
    ways=lambda points, settings, moment, links: ways(points, settings),
    icon="ball",
    words="sphere box cylinder area falloff shape volume",
)
