"""Points that are born on a shape, move under forces, and die."""

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from ...craft.motion import EarlySettings, MeetingSettings, moved
from ...craft.vary import gradient_colours
from ...data import Copies, Mesh, Problem, ProblemError
from ...data.attribute import Attributes
from ...data.mesh import Topology
from ...data.state import State
from ...geometry.scatter import places_on
from ...kernels.geometry.place import lengths, turn_between, unit_rows
from ...schema import Kind, Simulation, choice, curve, gradient, integer, number, only_if, switch
from ...schema.kind import BY_BIRTHS, BY_BLENDING, OPEN

SURFACE, POINTS, INSIDE, COPIES = SOURCES = ("its surface", "its points", "its inside", "its copies")
WHERE = {SURFACE: "surface", POINTS: "corners", INSIDE: "inside"}
AT_ONCE, OVER_TIME, BY_FIELD = BORN = ("all at once", "over time", "as the field reaches them")
WAYS = ("outwards", "all ways", "along x", "along y", "along z")
# All points that may live at a time, of all loops.
MOST = 400_000
DEAD = np.float32(-1)
# How many there are, and which, is decided once.
FIXED = ("count", "over", "life", "life_chance", "early", "seed", "closes_by")
STAYS, LIVES = "as it is", "as they live"


class SwarmSettings(MeetingSettings, EarlySettings):
    count: int = integer(400, soft=(1, 5000), hard=(1, 100_000), headline=True)
    """How many points are born in all; of copies never more than there are."""
    out_of: str = choice(SURFACE, SOURCES, headline=True)
    """Where they are born: on the faces, at the points, or within a closed shape; or each copy is one, and moves."""
    born: str = choice(OVER_TIME, BORN)
    """When they are born: all at the first frame, one after the other, or each whenever the field of `only where` has
    come to it; without a field, one after the other. In a loop births come again in each turn."""
    over: int = only_if(integer(48, soft=(1, 240), hard=(1, 100_000), unit="frames"), born=(OVER_TIME,))
    """How long births go on in a scene that plays once; in a loop they fill all of it."""
    life: float = number(48, soft=(0, 240), hard=(0, 10_000), unit="frames", headline=True)
    """How long each lives; 0 is as long as the scene."""
    life_chance: float = number(0.3, soft=(0, 1), hard=(0, 1))
    """How much shorter than that a life may be, by chance."""
    closes_by: str = choice(BY_BIRTHS, (BY_BIRTHS, BY_BLENDING, OPEN), headline=True)
    """How a loop closes: births come again; or points that live for ever are blended between two stretches."""
    speed: float = number(50, soft=(0, 300), headline=True)
    """How fast a point is at its birth, in units per second."""
    speed_chance: float = number(0.3, soft=(0, 1), hard=(0, 1))
    """How much slower than that it may be, by chance."""
    way: str = choice("outwards", WAYS)
    """Which way it goes then."""
    spread: float = number(20, soft=(0, 180), hard=(0, 180), unit="deg")
    """How far from that way it may stray, by chance."""
    size: float = number(4, soft=(0, 30), hard=(0, None))
    """How wide a point is, for dots that go by `width`; copies grow from 0 to their own size and back instead."""
    grows: list = curve([[0, 0], [0.15, 1], [0.7, 1], [1, 0]])
    """The share of its size from birth, on the left, to the end of its life."""
    colour: str = choice(STAYS, (STAYS, LIVES))
    """Whether points keep the colour of what they are, or change it as they live."""
    colours: list = only_if(gradient([{"at": 0, "colour": "#f4ead7"}, {"at": 1, "colour": "#e2553a"}]), colour=(LIVES,))
    """The colours from birth to the end."""
    turns: bool = only_if(switch(True), out_of=(COPIES,))
    """Turn copies so that their z axis points the way they go."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another swarm."""


class _Chances(NamedTuple):
    """What chance gives to each of N points, for as long as they are."""

    jitter: np.ndarray  # (N,) 0..1, of the birth within its place in the order
    life: np.ndarray  # (N,) 0..1
    speed: np.ndarray  # (N,) 0..1
    keeps: np.ndarray  # (N,) 0..1: it is born where, or when, the field weighs more
    spread: np.ndarray  # (N,) 0..1, how far from its way it goes
    stray: np.ndarray  # (N, 3) of a normal distribution


@lru_cache(maxsize=16)
def _chances(seed: int, count: int) -> _Chances:
    rng = np.random.default_rng([seed, 53])
    numbers = rng.random((5, count), np.float32)
    return _Chances(*numbers, rng.standard_normal((count, 3), np.float32))


def _spans(settings, moment) -> np.ndarray:
    """(N,) float32 frames that each point lives."""
    count = int(settings.count)
    if not _is_born_again(settings, moment):
        return np.full(count, np.inf, np.float32)
    life = settings.life or (moment.frame_count if moment.loops else np.inf)
    return (life * (1 - settings.life_chance * _chances(int(settings.seed), count).life)).astype(np.float32)


def _turns(settings, moment) -> int:
    """How many births of one point may be alive at a time: in a loop that is shorter than a life, several."""
    if not moment.loops or not _is_born_again(settings, moment):
        return 1
    life = settings.life or moment.frame_count
    turns = max(int(np.ceil(life / moment.frame_count)), 1)
    if turns * settings.count > MOST:
        message = (
            f"{int(settings.count):,} points a loop, each living {turns} loops, would be "
            f"{turns * settings.count:,.0f}; allowed {MOST:,}"
        )
        raise ProblemError(Problem("life", message, "size.limit"))
    return turns


def run_in(settings, moment) -> int:
    """As many frames as the longest life, so that all that lives at the first frame has been born before."""
    if not moment.loops:
        return int(settings.early)
    return int(np.ceil(settings.life or moment.frame_count)) if settings.closes_by == BY_BIRTHS else 0


def start(copies, mesh, rest, settings, moment, weights_at, is_limited) -> State:
    """Nobody but those who are born at this very frame.

    A state has a slot for each point and each of its births that may be alive at a time. `age` is in frames, below 0
    where nobody is; `births` says how often each point was born so far, `reached` whether the field is upon it.
    """
    count, turns = int(settings.count), _turns(settings, moment)
    shape = count * turns
    none = State(
        at=np.zeros((shape, 3), np.float32),
        velocity=np.zeros((shape, 3), np.float32),
        age=np.full(shape, DEAD),
        stuck=np.zeros(shape, bool),
        births=np.zeros(count, np.int32),
        reached=np.zeros(count, bool),
    )
    return _with_births(none, copies, mesh, rest, settings, moment, weights_at, is_limited, is_first=True)


def advance(copies, mesh, rest, settings, moment, weights_at, is_limited, forces, links, state) -> State:
    """Move all points a frame on, let those die whose life is over, and those be born whose time has come."""
    spans = np.repeat(_spans(settings, moment), _turns(settings, moment))
    alive = np.flatnonzero(state.age >= 0)
    at, velocity, age, stuck = (array.copy() for array in (state.at, state.velocity, state.age, state.stuck))
    carried = _attributes(settings, moment, state, alive, spans)
    places, speeds, sticks = moved(at[alive], velocity[alive], carried, forces, links, settings, moment.fps)
    held = stuck[alive]
    at[alive] = np.where(held[:, None], at[alive], places)
    velocity[alive] = np.where(held[:, None], 0, speeds)
    stuck[alive] = held | sticks
    age[alive] += 1
    age[age >= spans] = DEAD
    then = State(at=at, velocity=velocity, age=age, stuck=stuck, births=state.births, reached=state.reached)
    return _with_births(then, copies, mesh, rest, settings, moment, weights_at, is_limited)


def _with_births(state, copies, mesh, rest, settings, moment, weights_at, is_limited, is_first=False) -> State:
    """The state with those who were born since the frame before, moved on by what is left of the frame."""
    is_by_field = is_limited and _is_by_field(settings, moment)
    born, late = _everyone(settings) if is_by_field else _born(settings, moment, is_first)
    if settings.out_of == COPIES:
        born, late = born[born < copies.count], late[born < copies.count]
    if not len(born):
        return state
    places, normals = _birth_places(copies, mesh, rest, settings)
    if not len(places):
        return state
    here = born % len(places)
    chances = _chances(int(settings.seed), int(settings.count))
    kept = weights_at(places[here], {}) > chances.keeps[born]
    reached = state.reached
    if is_by_field:
        reached = np.zeros(len(reached), bool)
        reached[born] = kept
        # In a loop those whom it is upon when all begins were born before, and their lives are over by the first frame.
        kept &= ~(reached if is_first and moment.loops else state.reached)[born]
    kept &= late < _spans(settings, moment)[born]
    born, late, here = born[kept], late[kept], here[kept]
    turns = _turns(settings, moment)
    slots = born * turns + state.births[born] % turns
    velocity = _first_velocity(settings, chances, born, normals[here])
    at, speed, age, stuck = (array.copy() for array in (state.at, state.velocity, state.age, state.stuck))
    at[slots] = places[here] + velocity * (late / np.float32(moment.fps))[:, None]
    speed[slots], age[slots], stuck[slots] = velocity, late, False
    births = state.births.copy()
    births[born] += 1
    return State(at=at, velocity=speed, age=age, stuck=stuck, births=births, reached=reached)


def _is_by_field(settings, moment) -> bool:
    """True if each is born when the field has come to it."""
    return settings.born == BY_FIELD and _is_born_again(settings, moment)


def _is_born_again(settings, moment) -> bool:
    """True if there are births at all after the first frame."""
    return not moment.loops or settings.closes_by == BY_BIRTHS


def _everyone(settings):
    """All points, as born at this very moment."""
    return np.arange(int(settings.count)), np.zeros(int(settings.count), np.float32)


def _born(settings, moment, is_first):
    """Which points are born within the frame before this moment, and how many frames ago."""
    count = int(settings.count)
    everyone, now = _everyone(settings)
    if not _is_born_again(settings, moment):
        return (everyone, now) if is_first else (everyone[:0], now[:0])
    when = np.zeros(count)
    if settings.born != AT_ONCE:
        length = moment.frame_count if moment.loops else settings.over
        when = (everyone + _chances(int(settings.seed), count).jitter.astype(np.float64)) / count * length
    late = moment.frame - when + (0 if moment.loops else settings.early)
    if moment.loops:
        late %= moment.frame_count
    is_now = (late >= 0) & (late < 1)
    return everyone[is_now], late[is_now].astype(np.float32)


def _birth_places(copies, mesh, rest, settings):
    """(M, 3) places where points are born, in turn, and the ways that are outwards there."""
    if settings.out_of == COPIES:
        middle = copies.position.mean(axis=0) if copies.count else np.zeros(3, np.float32)
        return copies.position, unit_rows(copies.position - middle)
    count = len(mesh.points) if settings.out_of == POINTS else int(settings.count)
    return places_on(mesh, rest, WHERE[settings.out_of], count, 0.0, int(settings.seed))


def _first_velocity(settings, chances, born, normals):
    """(N, 3) float32 speeds at birth."""
    stray = unit_rows(chances.stray[born])
    if settings.way == "outwards":
        way = normals
    elif settings.way == "all ways":
        way = stray
    else:
        way = np.zeros((len(born), 3), np.float32)
        way[:, "xyz".index(settings.way[-1])] = 1
    # Straying is even over the cap: the cosine of the angle is.
    across = unit_rows(np.cross(way, stray))
    cosine = 1 - (1 - np.cos(np.radians(settings.spread))) * chances.spread[born][:, None]
    way = way * cosine + across * np.sqrt(np.maximum(1 - cosine * cosine, 0))
    speed = settings.speed * (1 - settings.speed_chance * chances.speed[born])
    return (way * speed[:, None]).astype(np.float32)


def between(state, after, share, moment) -> State:
    """The state between two whole frames: who died meanwhile is there until then, who was born comes at its time."""
    goes_on = (state.age >= 0) & (np.abs(after.age - state.age - 1) < 0.5)
    arrives = (after.age >= 0) & ~goes_on & (after.age >= 1 - share)
    stays = (state.age >= 0) & ~goes_on & ~arrives
    seconds = np.float32(1 / moment.fps)
    at = np.where(goes_on[:, None], state.at + (after.at - state.at) * np.float32(share), after.at)
    at = np.where(arrives[:, None], after.at - after.velocity * (seconds * np.float32(1 - share)), at)
    at = np.where(stays[:, None], state.at + state.velocity * (seconds * np.float32(share)), at)
    mean = state.velocity + (after.velocity - state.velocity) * np.float32(share)
    velocity = np.where(goes_on[:, None], mean, np.where(arrives[:, None], after.velocity, state.velocity))
    age = np.full_like(state.age, DEAD)
    age[goes_on | stays] = state.age[goes_on | stays] + np.float32(share)
    age[arrives] = after.age[arrives] - np.float32(1 - share)
    return State(at=at, velocity=velocity, age=age, stuck=after.stuck, births=after.births, reached=after.reached)


def _attributes(settings, moment, state, rows, spans):
    """What points in some slots carry."""
    count, turns = int(settings.count), _turns(settings, moment)
    number = rows // turns
    age, span = state.age[rows], spans[rows]
    life = np.where(np.isfinite(span), np.clip(age / np.where(np.isfinite(span), span, 1), 0, 1), 0)
    velocity = state.velocity[rows]
    return Attributes(
        age=age,
        life=life,
        velocity=velocity,
        speed=lengths(velocity),
        seed=number,
        order=number / max(count - 1, 1),
    )


def swarm(copies, settings, state, moment, forces) -> Mesh | Copies:
    """Let points be born on a shape, move under forces, and die.

    copies   what points are born of, where each copy is one
    state    where each is, how fast, and how old
    Returns  bare points that carry age, life, velocity, speed, seed, order and width; or the copies that are alive
    """
    spans = np.repeat(_spans(settings, moment), _turns(settings, moment))
    rows = np.flatnonzero((state.age >= 0) & (state.age < spans))
    number = rows // _turns(settings, moment)
    # A point's births stand in the order of their ages, so that all loops are alike.
    rows = rows[np.lexsort((state.age[rows], number))]
    carried = _attributes(settings, moment, state, rows, spans)
    at, _ = forces.hold(state.at[rows], state.velocity[rows], carried)
    grown = np.ones(len(rows), np.float32)
    if np.isfinite(spans).any():
        grown = np.interp(carried["life"], settings.grows[:, 0], settings.grows[:, 1]).astype(np.float32)
    colours = gradient_colours(settings.colours, carried["life"]) if settings.colour == LIVES else None
    if settings.out_of != COPIES:
        return Mesh(
            at,
            Topology(np.zeros(1), np.zeros(0), len(at)),
            colours=colours,
            at_points=carried.with_(width=grown * np.float32(settings.size)),
        )
    alive = copies.picked((rows // _turns(settings, moment)) % max(copies.count, 1))
    changes = {"position": at, "scale": alive.scale * grown[:, None]}
    if settings.turns:
        changes["rotation"] = turn_between((0, 0, 1), carried["velocity"], False)
    if colours is not None:
        changes["colours"] = alive.colours * colours
    return alive.moved(**changes, at_copies=Attributes({**alive.at_copies, **carried}))


def estimate(settings, shape) -> int:
    """How many points there may be; of copies, how many points those have."""
    if settings.out_of == COPIES and isinstance(shape, Copies):
        return shape.point_count
    return int(settings.count)


def advice(shape, settings, links) -> str:
    if settings.out_of == COPIES and not isinstance(shape, Copies):
        return "there are no copies to move; add a repeat before it, or let points be born on the surface"
    if settings.out_of in (SURFACE, INSIDE) and not _has_faces(shape):
        return "there are no faces to be born on; begin with a form, or choose its points"
    for name, link in links.items():
        if name.startswith("meets/") and not link.mesh.topology.is_closed:
            return "a figure that it meets is not closed, so nothing can be kept out of it"
    return ""


def _has_faces(shape) -> bool:
    meshes = shape.leaves if isinstance(shape, Copies) else (shape,)
    return any(mesh.topology.face_count for mesh in meshes)


KIND = Kind(
    "swarm",
    "simulate",
    SwarmSettings,
    swarm,
    "Swarm of **{count}**, speed **{speed}**, for **{life}** frames, closed by **{closes_by}**",
    estimate=estimate,
    advice=advice,
    version=2,
    simulation=Simulation(start, advance, run_in, lambda settings: settings.closes_by, between, FIXED),
    icon="swarm",
    words="particles emitter emit birth spawn dust sparks",
)
