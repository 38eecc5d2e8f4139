"""Formulas for each point."""

import numpy as np

from ...schema import Kind, Settings, choice, vector

SWELL = {"sort": "formula", "text": "12 * wave(turn + x / 120)"}


class RulePointsSettings(Settings):
    place: list = vector((0, SWELL, 0), headline=True, per_copy=True)
    """Change of each point's place, or the place itself; `x`, `y`, `z` and all that points carry have names."""
    means: str = choice("changes", ("changes", "sets"), headline=True)
    """Whether the place is added to where a point is, or stands instead of it."""


def rule_points(points, weights, settings) -> np.ndarray:
    """Move points by formulas on their places, numbers and attributes.

    points   (N, 3) float32, scene units; not changed
    weights  (N,) float32 in 0..1, from the step's field
    Returns  (N, 3) float32
    """
    place = np.broadcast_to(np.asarray(settings.place, np.float32), points.shape)
    change = place if settings.means == "changes" else place - points
    return points + change * weights[:, None]


KIND = Kind(
    "rule_points",
    "deform",
    RulePointsSettings,
    rule_points,
    "Rule **{means}** each point's place **{place}**",
    icon="rule_points",
    words="formula expression script math equation",
)
