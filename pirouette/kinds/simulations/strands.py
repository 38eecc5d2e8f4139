"""Hair-like curves that grow on a form and sway, with side strands around each of them."""

from functools import lru_cache

import numpy as np

from ...craft.motion import ObstacleSettings, SwaySettings, meet, parts_of, sway_closing, sway_run_in
from ...craft.springs import Factors, spring_factors
from ...data import Mesh
from ...data.attribute import Attributes
from ...data.mesh import Topology, shares_along
from ...data.state import State
from ...geometry.scatter import places_on
from ...kernels.geometry.place import carried, inverted, turned_back, unit_rows
from ...kernels.geometry.ropes import lengths_kept, speeds_of, swung
from ...schema import Kind, Simulation, choice, integer, number, vector

ON = {"its surface": "surface", "its points": "corners"}
ROOT, BOTH = HELD = ("the root", "both ends")
TIP, ALONG, START = GATHERS = ("at the tip", "nowhere", "at the root")
# After so many, lengths are right to a thousandth also where a strand was bent sharply.
ROUNDS = 6
# What holds points and what keeps lengths take turns: so often in each part of a frame, and when all begins.
HELD_ROUNDS = 3
HELD_FIRST = 40
FIXED = ("count", "parts", "seed", "early", "closes_by")
# So much of the speed that neighbours do not share is lost in each part of a frame: strands rub within.
RUBBED = 0.15


class StrandsSettings(ObstacleSettings, SwaySettings):
    count: int = integer(60, soft=(1, 400), hard=(1, 5000), headline=True)
    """How many strands grow."""
    on: str = choice("its surface", tuple(ON))
    """Where they grow: all over the faces, or at the points, of which there are no more than there are."""
    length: float = number(80, soft=(5, 400), hard=(1e-3, None), headline=True)
    """How long they are."""
    length_chance: float = number(0.3, soft=(0, 1), hard=(0, 1))
    """How much shorter than that they may be, by chance."""
    parts: int = integer(24, soft=(4, 64), hard=(2, 256))
    """How many points each has."""
    lean: list = vector((0, 0, 0), soft=(-1, 1))
    """Which way they lean as they grow, against standing straight on the form, which counts 1."""
    curl: float = number(0, soft=(0, 4), hard=(0, 40))
    """How many times they curl around themselves."""
    curl_size: float = number(8, soft=(0, 40), hard=(0, None))
    """How wide those curls are."""
    swings: float = number(1, soft=(0, 4), hard=(0, 60), headline=True)
    """How stiff they are: how many times a second they would swing back to how they have grown; 0 hang loose."""
    damping: float = number(0.6, soft=(0.02, 2), hard=(0, 10))
    """How soon they come to rest."""
    held: str = choice(ROOT, HELD)
    """Which ends stay where they have grown."""
    sides: int = integer(0, soft=(0, 30), hard=(0, 200), headline=True)
    """How many side strands go along with each."""
    around: float = number(8, soft=(0, 60), hard=(0, None))
    """How far from it they are at most."""
    gather: str = choice(TIP, GATHERS)
    """Where side strands come together with the one that they go along with."""
    wave: float = number(0, soft=(0, 12), hard=(0, None))
    """How far side strands wave to and fro."""
    waves: float = number(3, soft=(0.5, 12), hard=(0, 100))
    """How many waves there are along each."""
    width: float = number(1, soft=(0.1, 8), hard=(0, None))
    """How wide they are at the root, for lines and tubes that go by `width`; they run out thin."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed grows them elsewhere."""


@lru_cache(maxsize=16)
def _chances(seed: int, count: int, sides: int):
    """(N,) for lengths and curls; (N, K, 4) for side strands: two of a place in a disc, and a phase and a length."""
    rng = np.random.default_rng([seed, 71])
    return rng.random(count), rng.random(count), np.random.default_rng([seed, 72]).random((count, sides, 4))


def _grown(mesh, rest, settings, matrix):
    """(N, P, 3) float64 strands in the world as they have grown, and (N, P - 1) how far their points are apart."""
    where = ON[settings.on]
    wanted = len(rest.points) if where == "corners" else int(settings.count)
    places, normals = places_on(mesh, rest, where, wanted, 0.0, int(settings.seed))
    if where == "corners" and len(places) > settings.count:
        chosen = np.linspace(0, len(places) - 1, int(settings.count)).astype(int)
        places, normals = places[chosen], normals[chosen]
    count, parts = len(places), int(settings.parts)
    shorter, phase, _ = _chances(int(settings.seed), int(settings.count), 0)
    shorter, phase = shorter[:count], phase[:count]
    length = settings.length * (1 - settings.length_chance * shorter)
    share = np.linspace(0, 1, parts)
    lean = np.asarray(settings.lean, np.float64)
    # More towards the tip, so that they bend over.
    ways = normals[:, None].astype(np.float64) + lean * share[None, :, None] * 2
    if settings.curl > 0 and settings.curl_size > 0:
        one, two = _across(normals.astype(np.float64))
        turn = 2 * np.pi * (settings.curl * share[None] + phase[:, None])
        wide = settings.curl_size * 2 * np.pi * settings.curl / settings.length
        ways = ways + (one[:, None] * np.cos(turn)[..., None] + two[:, None] * np.sin(turn)[..., None]) * wide
    steps = unit_rows(ways.reshape(-1, 3)).reshape(ways.shape)[:, :-1] * (length / (parts - 1))[:, None, None]
    grown = np.concatenate([np.zeros((count, 1, 3)), np.cumsum(steps, axis=1)], axis=1) + places[:, None]
    grown = carried(grown.reshape(-1, 3), matrix).reshape(grown.shape)
    return grown, np.linalg.norm(np.diff(grown, axis=1), axis=2)


def _across(ways):
    """Two unit vectors at right angles to (N, 3) ways and to each other."""
    up = np.where(np.abs(ways[:, 1:2]) < 0.9, [[0.0, 1, 0]], [[0.0, 0, 1]])
    one = unit_rows(np.cross(ways, up))
    return one, np.cross(ways, one)


def start(whole, rest, settings, matrix, forces) -> State:
    """All as they have grown, but for what holds them."""
    grown, lengths = _grown(whole, rest, settings, matrix)
    still = np.zeros_like(grown)
    at = _held(grown, still, forces, matrix, lengths, _weights(grown, settings), HELD_FIRST) if len(grown) else grown
    return State(goal=grown, at=at, velocity=still)


def _weights(grown, settings):
    """(N, P) how easily each point is moved: 0 at what is held by the form."""
    weights = np.ones(grown.shape[:2])
    weights[:, 0] = 0
    if settings.held == BOTH:
        weights[:, -1] = 0
    return weights


def advance(whole, rest, settings, matrix, moment, forces, links, state) -> State:
    """Move strands a frame on: their roots go with the form, forces push them, and they keep their length."""
    goal, lengths = _grown(whole, rest, settings, matrix)
    if goal.shape != state.at.shape or not len(goal):
        return start(whole, rest, settings, matrix, forces)
    parts = parts_of(moment.fps)
    seconds = 1.0 / (moment.fps * parts)
    weights = _weights(goal, settings)
    fixed = weights == 0
    at, velocity = state.at, state.velocity
    if forces.holds:
        local, speed, carries = _in_figure(at, velocity, matrix)
        at = _moved_to(at, local, forces.carry(local, speed, carries), matrix, fixed)
    push, slow = _forces_at(at, velocity, forces, matrix)
    spring = _spring(settings, seconds)
    there = state.goal
    for part in range(parts):
        here, there = there, goal if part == parts - 1 else state.goal + (goal - state.goal) * ((part + 1) / parts)
        before = at
        goals = (here, there) if settings.swings > 0 else (there, there)
        at, velocity = swung(at, velocity, push, slow, goals, fixed, spring, seconds)
        at = _held(at, velocity, forces, matrix, lengths, weights, HELD_ROUNDS)
        if part == parts - 1 and any(name.startswith("meets/") for name in links):
            at = _kept_outside(at, velocity, links, matrix, fixed)
        at = lengths_kept(at, lengths, weights, ROUNDS)
        velocity = speeds_of(before, at, seconds, RUBBED)
    return State(goal=goal, at=at, velocity=velocity)


def _spring(settings, seconds) -> Factors:
    """The springs on which strands hang; without any they fly freely, and slow down as damping says."""
    if settings.swings > 0:
        return spring_factors(settings.swings, settings.damping, seconds)
    left = np.exp(-settings.damping * seconds)
    return Factors(1.0, left * seconds, 0.0, left, 0.0)


def _in_figure(at, velocity, matrix):
    """Places and speeds of strands in the figure's space, as rows, and what their points carry."""
    local = carried(at.reshape(-1, 3), inverted(matrix)).astype(np.float32)
    speed = turned_back(velocity.reshape(-1, 3), matrix).astype(np.float32)
    along = np.tile(np.linspace(0, 1, at.shape[1], dtype=np.float32), len(at))
    return local, speed, Attributes(along=along, velocity=speed, speed=np.linalg.norm(speed, axis=1))


def _forces_at(at, velocity, forces, matrix):
    """What forces do to strands in the world: (N, P, 3) pushes and (N, P) rates of decay."""
    local, speed, carries = _in_figure(at, velocity, matrix)
    push = forces.push(local, speed, carries).astype(np.float64) @ matrix[:3, :3].T
    return push.reshape(at.shape), forces.slow(local, speed, carries).astype(np.float64).reshape(at.shape[:2])


def _held(at, velocity, forces, matrix, lengths, weights, rounds):
    """Strands in the world where forces that hold points let them be: these and their lengths take turns."""
    for _ in range(rounds if forces.holds else 0):
        at = lengths_kept(at, lengths, weights, ROUNDS)
        local, speed, carries = _in_figure(at, velocity, matrix)
        at = _moved_to(at, local, forces.hold(local, speed, carries)[0], matrix, weights == 0)
    return at


def _kept_outside(at, velocity, links, matrix, fixed):
    """Strands in the world outside of what they meet."""
    local, speed, _ = _in_figure(at, velocity, matrix)
    return _moved_to(at, local, meet(local, speed, links)[1], matrix, fixed)


def _moved_to(at, local, places, matrix, fixed):
    """Strands in the world with those points moved whose places in the figure's space are others than before.

    What nothing touches stays as exact as it is; what is fixed stays in any case.
    """
    if places is local:
        return at
    rows, moved = at.reshape(-1, 3).copy(), (places != local).any(axis=1) & ~fixed.reshape(-1)
    rows[moved] = carried(places[moved].astype(np.float64), matrix)
    return rows.reshape(at.shape)


def strands(state, settings, matrix) -> Mesh:
    """Grow strands on a form that sway on springs, pushed by forces, with side strands around each.

    state    where the strands have got to, in the world
    Returns  curves with `along`, `width`, `branch` (0, side strands 1), `seed` and `order`
    """
    count, parts = state.at.shape[:2]
    if not count:
        return Mesh.empty()
    # Between two states, strands are as long as they have grown.
    weights = np.ones((count, parts))
    weights[:, 0] = 0
    at = lengths_kept(state.at, np.linalg.norm(np.diff(state.goal, axis=1), axis=2), weights)
    at = carried(at.reshape(-1, 3), inverted(matrix)).reshape(at.shape)
    share = np.linspace(0, 1, parts)
    rows = [at]
    if settings.sides > 0:
        rows.append(_beside(at, share, settings).reshape(-1, parts, 3))
    points = np.concatenate(rows)
    curves, numbers = len(points), np.arange(count)
    strand = np.concatenate([numbers, np.repeat(numbers, curves // count - 1)])
    topology = Topology.of_lines(np.full(curves, parts), np.zeros(curves, bool))
    flat = points.reshape(-1, 3).astype(np.float32)
    thin = np.sqrt(1 - share) * settings.width
    return Mesh(
        flat,
        topology,
        at_points=Attributes(
            along=shares_along(flat, topology.lines),
            width=np.tile(thin, curves),
            branch=np.repeat((np.arange(curves) >= count).astype(np.float32), parts),
            seed=np.repeat(strand, parts),
            order=np.repeat(strand / max(count - 1, 1), parts),
        ),
    )


def _beside(at, share, settings):
    """(N, K, P, 3) strands beside others."""
    count, parts = at.shape[:2]
    sides = int(settings.sides)
    _, _, chances = _chances(int(settings.seed), int(settings.count), sides)
    chances = chances[:count]
    one, two = _carried_across(at)
    away = settings.around * np.sqrt(chances[..., 0])
    turn = 2 * np.pi * chances[..., 1]
    profile = {TIP: 1 - share**2, ALONG: np.ones(parts), START: share**0.5}[settings.gather]
    x = (away * np.cos(turn))[..., None] * profile
    y = (away * np.sin(turn))[..., None] * profile
    if settings.wave > 0:
        swing = 2 * np.pi * (settings.waves * share + chances[..., 2:3])
        calm = np.minimum(share * 4, 1) * settings.wave
        x, y = x + np.sin(swing) * calm, y + np.cos(swing * 0.83 + 1) * calm
    # They end a little before or after the one that they go along with.
    reach = 1 - 0.25 * chances[..., 3:4] * share
    root = at[:, None, :1]
    along = root + (at[:, None] - root) * reach[..., None]
    return along + x[..., None] * one[:, None] + y[..., None] * two[:, None]


def _carried_across(at):
    """Two (N, P, 3) unit vectors across strands that turn as little as can be from point to point."""
    ways = np.gradient(at, axis=1)
    ways = unit_rows(ways.reshape(-1, 3)).reshape(at.shape)
    one = np.empty_like(at)
    one[:, 0], _ = _across(ways[:, 0])
    for part in range(1, at.shape[1]):
        side = one[:, part - 1] - ways[:, part] * (one[:, part - 1] * ways[:, part]).sum(axis=1, keepdims=True)
        one[:, part] = unit_rows(side)
    return one, np.cross(ways, one)


def estimate(settings) -> int:
    """How many points all strands have."""
    return int(settings.count * settings.parts * (1 + settings.sides))


def advice(shape, settings, links) -> str:
    meshes = shape.leaves if hasattr(shape, "leaves") else (shape,)
    if settings.on == "its surface" and not any(mesh.topology.face_count for mesh in meshes):
        return "there are no faces to grow on; begin with a form, or let strands grow at its points"
    return ""


KIND = Kind(
    "strands",
    "simulate",
    StrandsSettings,
    strands,
    "Strands, **{count}**, **{length}** long, stiff by **{swings}**, **{sides}** side strands each",
    estimate=estimate,
    advice=advice,
    simulation=Simulation(start, advance, sway_run_in, sway_closing, fixed=FIXED),
    icon="strands",
    version=2,
    words="hair fur grass fibres threads tendrils",
)
