"""A formula as a weight."""

import numpy as np

from ...schema import Kind, Settings, choice, number

FORMULA = {"sort": "formula", "text": "0.5 + 0.5 * wave(turn + x / 400)"}


class RuleClauseSettings(Settings):
    weight: float = number(FORMULA, soft=(0, 1), headline=True, per_copy=True)
    """The weight, by each point's place, index and share."""
    beyond: str = choice("cut off", ("cut off", "fold back"), headline=True)
    """What happens to weights below 0 and above 1."""


def rule(points, settings) -> np.ndarray:
    """Weigh points by a formula.

    points   (N, 3) float32, in the clause's space
    Returns  (N,) float32 in 0..1
    """
    weight = np.broadcast_to(np.asarray(settings.weight, np.float64), len(points))
    if settings.beyond == "fold back":
        weight = 1 - np.abs(weight % 2 - 1)
    return np.clip(weight, 0, 1).astype(np.float32)


KIND = Kind(
    "rule",
    "clause",
    RuleClauseSettings,
    rule,
    "by rule **{weight}**, **{beyond}**",
    icon="rule",
    words="formula expression script math equation",
)
