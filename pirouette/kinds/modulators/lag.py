"""Copies that follow their own motion on a spring."""

import numpy as np

from ...craft.springs import sprung
from ...data import Copies
from ...data.state import State
from ...schema import Kind, Settings, Simulation, number

# A spring has forgotten its start to a thousandth after so many of its time constants.
FORGOTTEN = 7.0
LONGEST = 480


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
    return State(goal=at, at=at, velocity=np.zeros_like(at))


def advance(copies, settings, state, moment) -> State:
    """Pull each copy from where it was a frame ago towards where it is to be."""
    if len(state.at) != copies.count:
        return start(copies)
    goal = copies.position.astype(np.float64)
    swings = np.sqrt(2) / settings.behind * moment.fps / (2 * np.pi)
    spring = swings, 1 - settings.bounce, 1 / moment.fps
    at, velocity = sprung(state.at, state.velocity, state.goal, goal, *spring)
    return State(goal=goal, at=at, velocity=velocity)


def lag(copies, weights, state) -> Copies:
    """Let copies follow where they are on damped springs.

    weights  (N,) 0..1, how much each copy lags
    state    `at` (N, 3) where the springs have brought them, `velocity` (N, 3) in units per second
    Returns  the copies, moved, with their velocity and speed in units per second
    """
    if len(state.at) != copies.count:
        return copies
    position = copies.position + (state.at - copies.position) * np.asarray(weights)[:, None]
    carried = copies.at_copies.with_(velocity=state.velocity, speed=np.linalg.norm(state.velocity, axis=1))
    return copies.moved(position=position, at_copies=carried)


KIND = Kind(
    "lag",
    "modulate",
    LagSettings,
    lag,
    "Lag **{behind}** frames behind, bounce **{bounce}**",
    simulation=Simulation(start, advance, run_in),
    icon="lag",
    version=2,
    words="delay follow spring trail inertia bounce swing",
)
