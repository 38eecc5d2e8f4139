"""Copies that follow their own motion on a spring."""

import numpy as np

from ...data import Copies
from ...schema import Kind, Settings, number

# A spring has forgotten its start to a thousandth after so many of its time constants.
FORGOTTEN = 7.0
LONGEST = 240
PARTS = 4


class LagSettings(Settings):
    behind: float = number(6, soft=(0.5, 24), hard=(0.25, 48), unit="frames", headline=True)
    """About how many frames copies are behind."""
    bounce: float = number(0.4, soft=(0, 0.95), hard=(0, 0.97), headline=True)
    """How much they overshoot: 0 not at all."""


def reach(settings) -> int:
    """How many earlier frames the spring remembers."""
    return int(min(np.ceil(settings.behind * FORGOTTEN / (1 - settings.bounce)), LONGEST))


def lag(copies, weights, settings, trail) -> Copies:
    """Let copies follow where they are on damped springs.

    trail    (T, N, 3) their positions at the frames before this one, oldest first, this one last
    weights  (N,) 0..1, how much each copy lags
    Returns  the copies, moved; any frame is right by itself, since the spring starts anew far enough before it
    Source   the damped harmonic oscillator, stepped semi-implicitly
    """
    pull = 1.0 / settings.behind
    stiffness, damping = pull * pull * 2, 2 * pull * np.sqrt(2) * (1 - settings.bounce)
    if len(trail) < 2 or trail.shape[1] != copies.count:
        return copies
    at, speed = trail[0].astype(np.float64), np.zeros_like(trail[0], np.float64)
    for before, now in zip(trail, trail[1:], strict=False):
        for part in range(PARTS):
            goal = before + (now - before) * ((part + 1) / PARTS)
            speed += ((goal - at) * stiffness - speed * damping) / PARTS
            at = at + speed / PARTS
    return copies.moved(position=copies.position + (at - copies.position) * np.asarray(weights)[:, None])


KIND = Kind("lag", "modulate", LagSettings, lag, "Lag **{behind}** frames behind, bounce **{bounce}**", times=reach)
