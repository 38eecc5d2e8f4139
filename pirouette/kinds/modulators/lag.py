"""Copies that follow their own motion on a spring."""

import numpy as np

from ...data import Copies
from ...data.state import State
from ...schema import Kind, Settings, Simulation, number

# A spring has forgotten its start to a thousandth after so many of its time constants.
FORGOTTEN = 7.0
LONGEST = 480
PARTS = 4


class LagSettings(Settings):
    behind: float = number(6, soft=(0.5, 24), hard=(0.25, 48), unit="frames", headline=True)
    """About how many frames copies are behind."""
    bounce: float = number(0.4, soft=(0, 0.95), hard=(0, 0.97), headline=True)
    """How much they overshoot: 0 not at all."""


def run_in(settings, moment) -> int:
    """How many frames it takes a loop until the spring has forgotten its start; what plays once begins at rest."""
    if not moment.loops:
        return 0
    return int(min(np.ceil(settings.behind * FORGOTTEN / (1 - settings.bounce)), LONGEST))


def start(copies) -> State:
    """All copies at rest where they are."""
    at = copies.position.astype(np.float64)
    return State(goal=at, at=at, speed=np.zeros_like(at))


def advance(copies, settings, state) -> State:
    """Pull each copy from where it was a frame ago towards where it is to be.

    Source  the damped harmonic oscillator, stepped semi-implicitly
    """
    if len(state.at) != copies.count:
        return start(copies)
    pull = 1.0 / settings.behind
    stiffness, damping = pull * pull * 2, 2 * pull * np.sqrt(2) * (1 - settings.bounce)
    goal = copies.position.astype(np.float64)
    at, speed = state.at, state.speed
    for part in range(PARTS):
        here = state.goal + (goal - state.goal) * ((part + 1) / PARTS)
        speed = speed + ((here - at) * stiffness - speed * damping) / PARTS
        at = at + speed / PARTS
    return State(goal=goal, at=at, speed=speed)


def lag(copies, weights, settings, state, moment) -> Copies:
    """Let copies follow where they are on damped springs.

    weights  (N,) 0..1, how much each copy lags
    state    `at` (N, 3) where the springs have brought them, `speed` (N, 3) in units per frame
    Returns  the copies, moved, with their velocity and speed in units per second
    """
    if len(state.at) != copies.count:
        return copies
    position = copies.position + (state.at - copies.position) * np.asarray(weights)[:, None]
    velocity = state.speed * moment.fps
    carried = copies.at_copies.with_(velocity=velocity, speed=np.linalg.norm(velocity, axis=1))
    return copies.moved(position=position, at_copies=carried)


KIND = Kind(
    "lag",
    "modulate",
    LagSettings,
    lag,
    "Lag **{behind}** frames behind, bounce **{bounce}**",
    simulation=Simulation(start, advance, run_in),
    icon="lag",
)
