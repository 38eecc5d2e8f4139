"""The inside of a closed figure."""

import numpy as np

from ...schema import Kind, Settings, number, reference


class WithinSettings(Settings):
    figure: str = reference("figures", headline=True)
    """The closed figure."""
    fade: float = number(10, soft=(0, 100), hard=(0, None), headline=True)
    """How far from its surface inwards the weight grows to 1."""


def within(points, settings, links) -> np.ndarray:
    """Weigh points 1 inside a closed figure, 0 outside.

    points   (N, 3) float32, in the clause's space
    Returns  (N,) float32 in 0..1, growing from the surface inwards over `fade`; 0 if the figure has no inside
    """
    link = links.get("figure")
    if link is None or not len(link.mesh.topology.triangles):
        return np.zeros(len(points), np.float32)
    inside = link.tree.inside(points)
    if settings.fade < 1e-6:
        return inside.astype(np.float32)
    weight = np.zeros(len(points), np.float32)
    if inside.any():
        weight[inside] = np.minimum(link.tree.closest(points[inside])[2] / settings.fade, 1)
    return weight


KIND = Kind(
    "within",
    "clause",
    WithinSettings,
    within,
    "within **{figure}**, growing over **{fade}** from its surface",
    icon="within",
    words="inside volume contains falloff",
)
