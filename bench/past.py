"""Speed of what has a past: cell noise, a swarm, strands, and going on after an edit."""

import itertools
import json
from pathlib import Path

import numpy as np
from scipy.spatial import cKDTree

from pirouette.assets.library import beside
from pirouette.document import read_scene
from pirouette.document.read import new_scene
from pirouette.evaluate import Evaluator, Memo, evaluate
from pirouette.evaluate.simulate import _Chain
from pirouette.formats.packet import encode_packet
from pirouette.kernels.noise.cells import cell_noise

from .measure import line

DEMO = Path(__file__).resolve().parent.parent / "studio" / "demo" / "scenes"


def bench_cells():
    """Nearest and second of cell noise at 1 M points."""
    from pyfastnoiselite.pyfastnoiselite import CellularReturnType, FastNoiseLite, NoiseType

    points = (np.random.default_rng(1).random((1_000_000, 3)) * 1000).astype(np.float32)
    peer = FastNoiseLite(1)
    peer.noise_type = NoiseType.NoiseType_Cellular
    peer.frequency = 1 / 60
    peer.cellular_return_type = CellularReturnType.CellularReturnType_Distance2
    columns = np.ascontiguousarray(points.T)
    yield line(
        "cell noise",
        lambda: cell_noise(points, np.full(3, 1 / 60), np.zeros(3), 1, 0.0, 0.0, True),
        "pyfastnoiselite",
        lambda: peer.gen_from_coords(columns),
        2,
    )


def _figure(name, *steps, **more):
    return {"id": name.lower(), "name": name, "routine": list(steps), "looks": [], **more}


def _step(kind, *forces, **settings):
    made = {"id": kind, "kind": kind, "settings": settings}
    if forces:
        made["forces"] = [{"id": f["kind"], **f} for f in forces]
    return made


def _force(kind, **settings):
    return {"kind": kind, "settings": settings}


def _chain(*figures):
    raw = new_scene("Bench")
    raw["figures"] = list(figures)
    raw["clock"] = {"fps": 24, "frames": 96, "loops": False}
    scene = read_scene(raw)
    chain = _Chain(Evaluator(scene, 0, Memo()), scene.figures[0], 1)
    return chain, chain._stepped(3, 0)


def _gradients(places, seed):
    """The slopes of one layer of gradient noise, written with numpy as plainly as is fast."""
    base = np.floor(places)
    at = places - base
    fade = at**3 * (at * (at * 6 - 15) + 10)
    slope = 30 * at**2 * (at * (at - 2) + 1)
    cell = base.astype(np.int64)
    total = np.zeros_like(places)
    for corner in itertools.product((0, 1), repeat=3):
        h = ((cell[:, 0] + corner[0]) * 0x8DA6B343 ^ (cell[:, 1] + corner[1]) * 0xD8163841) & 0xFFFFFFFF
        h = (h ^ (cell[:, 2] + corner[2]) * 0xCB1AB31F ^ seed) & 0xFFFFFFFF
        h = (h ^ h >> 15) * 0x7FEB352D & 0xFFFFFFFF
        ways = np.stack([h & 1023, h >> 10 & 1023, h >> 22], axis=1) / 511.5 - 1
        sides = np.where(corner, fade, 1 - fade)
        value = (ways * (at - corner)).sum(axis=1)
        share = sides.prod(axis=1)
        for axis in range(3):
            others = sides[:, axis - 1] * sides[:, axis - 2]
            total[:, axis] += share * ways[:, axis] + value * others * (
                slope[:, axis] if corner[axis] else -slope[:, axis]
            )
    return total


def _plain_gust(places, size, octaves):
    total = np.zeros_like(places)
    for octave in range(octaves):
        a, b, c = (_gradients(places / size * 2**octave + 17 * octave, seed) for seed in (1, 2, 3))
        total += 0.5**octave * np.stack([c[:, 1] - b[:, 2], a[:, 2] - c[:, 0], b[:, 0] - a[:, 1]], axis=1)
    return total


def bench_swarm():
    """One frame of 10,000 points with a gust, a pull to and a hold on 20,000 faces, and drag."""
    ball = _figure("Ball", _step("sphere", radius=100, rings=100, segments=200))
    swarm = _step(
        "swarm", _force("gust", strength=200, size=60, detail=3), _force("pull", to="ball", strength=100),
        _force("drag"), _force("stick", to="ball", within=20),
        count=10_000, born="all at once", life=0, life_chance=0,
    )  # fmt: skip
    chain, state = _chain(_figure("Points", _step("sphere", radius=100), swarm), ball)
    offers = chain._offers(4)

    tree = offers.forces._pushes[1].links["to"].tree
    middles = tree.points[tree.items].mean(axis=1)
    near = cKDTree(middles)

    def peer():
        at, velocity, part = state.at.astype(float), state.velocity.astype(float), 1 / 96
        for _ in range(4):
            way = middles[near.query(at)[1]] - at
            distance = np.linalg.norm(way, axis=1, keepdims=True)
            push = _plain_gust(at, 60, 3) * 200 + way / np.maximum(distance, 1e-9) * 100 * np.minimum(distance / 10, 1)
            velocity = (velocity + push * part) * np.exp(-part)
            at = at + velocity * part
            goal = middles[near.query(at)[1]]
            at = np.where(np.linalg.norm(goal - at, axis=1, keepdims=True) < 20, goal, at)

    yield line(
        "a frame of 10,000 points",
        lambda: chain._offers(4).call(chain.simulation.advance, state=state),
        "numpy and cKDTree",
        peer,
        10,
    )


def bench_strands():
    """One frame of 400 strands of 64 parts with a gust, that do not enter a ball."""
    ball = _figure("Ball", _step("sphere", radius=49, rings=24, segments=48))
    strands = _step("strands", _force("gust", strength=200), count=400, parts=64, length=100, meets=["ball"])
    chain, state = _chain(_figure("Hair", _step("sphere", radius=50), strands), ball)
    offers = chain._offers(4)
    lengths = np.linalg.norm(np.diff(state.goal, axis=1), axis=2)

    def peer():
        """The same parts of a frame; lengths by going along each strand, over and over, as far as ours come."""
        at, velocity, part = state.at.copy(), state.velocity.copy(), 1 / 96
        push = _plain_gust(at.reshape(-1, 3), 60, 1).reshape(at.shape) * 200
        for _ in range(4):
            before = at
            velocity = velocity + push * part
            at = at + velocity * part
            at[:, 0] = state.goal[:, 0]
            away = np.linalg.norm(at, axis=2, keepdims=True)
            at = np.where(away < 49, at / np.maximum(away, 1e-9) * 49, at)
            for _ in range(20):
                for i in range(at.shape[1] - 1):
                    way = at[:, i + 1] - at[:, i]
                    far = np.linalg.norm(way, axis=1)
                    move = way * ((far - lengths[:, i]) / np.maximum(far, 1e-9))[:, None]
                    share = 0.0 if i == 0 else 0.5
                    at[:, i] += move * share
                    at[:, i + 1] -= move * (1 - share)
            velocity = (at - before) / part

    yield line(
        "a frame of 400 strands",
        lambda: offers.call(chain.simulation.advance, state=state),
        "numpy, one part after the other",
        peer,
        10,
    )


def bench_resume():
    """*Lantern vines*: the strength of what drives them dragged at the middle of the loop, to the new packet."""
    path = DEMO / "lantern-vines.json"
    raw = json.loads(path.read_text("utf-8"))
    figure = next(number for number, one in enumerate(raw["figures"]) if one["name"] == "Vines")
    index = next(k for k, one in enumerate(raw["figures"][figure]["routine"]) if one["kind"] == "swarm")
    driving = raw["figures"][figure]["routine"][index]["forces"][0]["settings"]
    memo, numbers = Memo(), itertools.count()
    frame = raw["clock"]["frames"] // 2

    def scene_of(number):
        driving["strength"] = 130 + number * 0.25
        return read_scene(json.loads(json.dumps(raw)), beside(path))

    def ours():
        encode_packet(evaluate(scene_of(next(numbers)), frame, memo=memo))

    def peer():
        """One step so many times as it must be taken."""
        scene = scene_of(0)
        chain = _Chain(Evaluator(scene, frame, memo), scene.figures[figure], index)
        state = chain._whole(frame - 1)
        for _ in range(frame - chain.first):
            chain._offers(frame).call(chain.simulation.advance, state=state)

    yield line("a force dragged", ours, "its steps alone", peer, 0.5)


PAST = {"cells": bench_cells, "swarm": bench_swarm, "strands": bench_strands, "resume": bench_resume}
