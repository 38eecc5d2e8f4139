"""Points or copies that hang on springs on their own motion."""

from threading import Lock

import numpy as np
from cachetools import LRUCache, cached

from ...craft.motion import SwaySettings, parts_of, sway_closing, sway_run_in
from ...craft.springs import sprung
from ...data import Copies, Mesh
from ...data.state import State
from ...geometry.neighbours import neighbours
from ...kernels.geometry.place import carried, inverted, turned_back
from ...kernels.geometry.relax import relaxed
from ...schema import Kind, Simulation, choice, number
from ...schema.kind import EACH_POINT, MOVES, WHOLE

# Parts of a second in which `holds_together` says how much neighbours share.
SHARED_PARTS = 96


class JiggleSettings(SwaySettings):
    swings: float = number(2.5, soft=(0.3, 12), hard=(0.05, 60), headline=True)
    """How many times it swings to and fro in a second: more is stiffer."""
    damping: float = number(0.2, soft=(0.02, 1), hard=(0.01, 10), headline=True)
    """How soon it comes to rest: 1 is without overshooting."""
    holds_together: float = number(0.2, soft=(0, 1), hard=(0, 1), headline=True)
    """How much points that are joined move alike."""
    moves: str = choice(EACH_POINT, MOVES, headline=True)
    """Whether each point swings, or copies as a whole."""


def start(places, matrix) -> State:
    """All at rest where they are, in the world."""
    at = carried(np.asarray(places, np.float64), matrix)
    return State(goal=at, at=at, velocity=np.zeros_like(at))


def advance(places, rest, shape, settings, matrix, moment, forces, state) -> State:
    """Let each swing a frame on towards where it is to be, pushed by forces on the way."""
    goal = carried(np.asarray(places, np.float64), matrix)
    if len(goal) != len(state.at):
        return start(places, matrix)
    joined = None
    whole = settings.moves == WHOLE and isinstance(shape, Copies)
    if settings.holds_together > 0 and not whole and len(rest.points) == len(places):
        joined = _joined(rest)
    parts = parts_of(moment.fps)
    seconds = 1.0 / (moment.fps * parts)
    back = inverted(matrix)
    at, velocity = state.at, state.velocity
    for part in range(parts):
        here, there = (state.goal + (goal - state.goal) * (n / parts) for n in (part, part + 1))
        local, speed = carried(at, back).astype(np.float32), turned_back(velocity, matrix).astype(np.float32)
        push = forces.push(local, speed, {})
        if push.any():
            velocity = velocity + (push @ matrix[:3, :3].T.astype(np.float32)) * seconds
        velocity = velocity * np.exp(-forces.slow(local, speed, {}).astype(np.float64) * seconds)[:, None]
        at, velocity = sprung(at, velocity, here, there, settings.swings, settings.damping, seconds)
        if joined is not None:
            share = 1 - (1 - min(settings.holds_together, 0.999)) ** (seconds * SHARED_PARTS)
            at, velocity = there + _shared(at - there, joined, share), _shared(velocity, joined, share)
    local, speed = carried(at, back).astype(np.float32), turned_back(velocity, matrix).astype(np.float32)
    held, slid = forces.hold(local, speed, {})
    if held is not local:
        at, velocity = carried(held.astype(np.float64), matrix), slid.astype(np.float64) @ matrix[:3, :3].T
    return State(goal=goal, at=at, velocity=velocity)


@cached(LRUCache(16), lambda rest: rest.key or rest, Lock())
def _joined(rest: Mesh):
    """How the points of a shape are joined, as it is at the first frame; None if none are."""
    known = neighbours(rest)
    return known if len(known.others) else None


def _shared(values, around, share):
    """Values of points, each nearer to the mean of those beside it."""
    rows = values[around.first]
    moved = relaxed(rows, around.offsets, around.others, np.full(len(rows), share), 0.0, 1)
    # Points in one place are one.
    return values + (moved - rows)[around.place]


def _brought(places, weights, state, matrix):
    """(N, 3) float32 places between where points would be and where the springs have brought them."""
    if len(state.at) != len(places):
        return np.asarray(places, np.float32)
    swung = turned_back(state.at - state.goal, matrix)
    return (places + swung * np.asarray(weights, np.float64)[:, None]).astype(np.float32)


def jiggle(points, weights, state, matrix) -> np.ndarray:
    """Let points swing on springs on their own motion, as much as a field lets them.

    points   (N, 3) float32; weights (N,) 0..1, how freely each swings
    state    in the world: `goal` where points are to be, `at` where they have got to
    Returns  (N, 3) float32
    """
    return _brought(points, weights, state, matrix)


def jiggle_copies(copies, weights, state, matrix) -> Copies:
    """The same with copies as a whole."""
    velocity = turned_back(state.velocity, matrix) if len(state.at) == copies.count else np.zeros_like(copies.position)
    attributes = copies.at_copies.with_(velocity=velocity, speed=np.linalg.norm(velocity, axis=1))
    return copies.moved(position=_brought(copies.position, weights, state, matrix), at_copies=attributes)


KIND = Kind(
    "jiggle",
    "deform",
    JiggleSettings,
    jiggle,
    "Jiggle **{swings}** times a second, damped by **{damping}**, holding together by **{holds_together}**",
    moves_copies=jiggle_copies,
    simulation=Simulation(start, advance, sway_run_in, sway_closing, fixed=("early", "closes_by")),
    icon="jiggle",
    version=2,
    words="spring bounce swing wobble jelly soft secondary",
)
