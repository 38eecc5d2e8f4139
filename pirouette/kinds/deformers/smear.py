"""What moves fast is drawn back into spikes on the side that faces away."""

from dataclasses import replace

import numpy as np

from ...data import Mesh
from ...kernels.geometry.place import carried, turned_back, unit_rows
from ...kernels.noise.cells import cell_noise
from ...schema import Kind, Settings, curve, integer, number

# The earliest frames of a history count this much of the latest.
OLDEST = 0.25


class SmearSettings(Settings):
    length: float = number(0.35, soft=(0, 1), hard=(0, 10), headline=True, per_copy=True)
    """How far it is drawn back, in the way that it goes in a third of a second."""
    begins_at: float = number(60, soft=(0, 600), hard=(0, None), headline=True)
    """The speed from which on it smears, in units per second."""
    full_at: float = number(300, soft=(1, 2000), hard=(1e-3, None), headline=True)
    """The speed at which it does so wholly."""
    history: int = integer(3, soft=(1, 12), hard=(1, 48), unit="frames")
    """Over how many frames the speed is taken: more is calmer, and goes on for longer."""
    facing: list = curve([[0, 0], [0.35, 0.1], [1, 1]])
    """How much is drawn back from what faces sideways, on the left, to what faces straight backwards."""
    spike_size: float = number(0.12, soft=(0.02, 0.6), hard=(1e-3, 10))
    """How wide spikes are, as a share of the form's size."""
    spikes: list = curve([[0, 1], [0.35, 0.45], [0.7, 0.08], [1, 0]])
    """How far it reaches from the middle of each spike, on the left, to the edge between them."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed has its spikes elsewhere."""


def _velocity(points, matrix, moment, before, settings) -> np.ndarray:
    """(N, 3) float64 units per second in the world: the mean of the last frames, of which later ones count more."""
    here = carried(points.astype(np.float64), matrix)
    total, weight, last = np.zeros_like(here), 0.0, here
    for back in range(1, int(settings.history) + 1):
        if not moment.loops and moment.frame - back < 0:
            # Before the first frame nothing has moved: no leap out of nowhere.
            break
        then = before(float(back))
        if len(then.mesh.points) != len(points):
            break
        place = carried(carried(then.mesh.points.astype(np.float64), then.matrix), matrix)
        share = 1 - (1 - OLDEST) * (back - 1) / max(settings.history - 1, 1)
        total += (last - place) * share
        weight += share
        last = place
    return total * (moment.fps / weight) if weight else total


def smear(whole, weights, settings, matrix, moment, rest, before) -> Mesh:
    """Draw back the side of a form that faces away from where it moves, broken into spikes, the faster the farther.

    before   frames -> the shape so many frames ago, by which its points' own speeds are known
    Returns  the Mesh, with `velocity`, `speed`, `facing`, `spikes` and `smear` (what is drawn back, all together)
    """
    velocity = _velocity(whole.points, matrix, moment, before, settings)
    speed = np.linalg.norm(velocity, axis=1)
    local = turned_back(velocity, matrix)
    way = unit_rows(local)
    away = np.clip(-(whole.normals * way).sum(axis=1), 0, 1)
    facing = np.interp(away, settings.facing[:, 0], settings.facing[:, 1])
    fast = np.clip((speed - settings.begins_at) / max(settings.full_at - settings.begins_at, 1e-6), 0, 1)
    fast = fast * fast * (3 - 2 * fast)
    spikes = _spikes(whole, rest, settings)
    product = fast * facing * spikes * weights
    drawn = whole.points - local * (product * settings.length / 3)[:, None]
    known = {"velocity": velocity, "speed": speed, "facing": facing, "spikes": spikes, "smear": product}
    return replace(whole.with_points(drawn.astype(np.float32)), at_points=whole.at_points.with_(**known))


def _spikes(whole, rest, settings) -> np.ndarray:
    """(N,) how far each point may be drawn back: by cells that lie still on the form as it is at the first frame."""
    on = rest if len(rest.points) == len(whole.points) else whole
    low, high = on.bounds
    size = max(float((high - low).max()), 1e-6) * settings.spike_size
    nearest, _, _ = cell_noise(on.points, np.full(3, 1 / size), np.zeros(3), int(settings.seed), 0.0, 0.0, True)
    return np.interp(nearest, settings.spikes[:, 0], settings.spikes[:, 1])


KIND = Kind(
    "smear",
    "deform",
    SmearSettings,
    smear,
    "Smear by **{length}**, from a speed of **{begins_at}** on, wholly at **{full_at}**",
    icon="smear",
    words="motion blur streak speed cartoon drag",
)
