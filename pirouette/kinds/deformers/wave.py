"""Waves that run through a shape."""

import numpy as np

from ...craft import sample_noise
from ...craft.extent import AXES
from ...kernels.rows import pushed_rows
from ...schema import Kind, Resolved, Settings, choice, integer, number, reference
from ...values.functions import chances

SIDEWAYS = (*AXES, "normals")
RUNS = (*(f"along {axis}" for axis in AXES), "round from a point")
BREAKS = ("not", "by a noise", "at random")
EVEN = {"pattern": "soft", "stretch": (1, 1, 1), "detail": 1, "roughness": 0.5, "slide": (0, 0, 0)}
# How much of the height, and of a whole wave, a break-up takes or adds at most.
OF_HEIGHT, OF_WAVE = 0.8, 0.5


class WaveSettings(Settings):
    height: float = number(15, soft=(-60, 60), headline=True, per_copy=True)
    """How far the crests are from where points were."""
    length: float = number(80, soft=(5, 400), hard=(1e-3, None), headline=True, per_copy=True)
    """From one crest to the next."""
    moves: str = choice("x", SIDEWAYS, headline=True)
    """Which way points move."""
    runs: str = choice("along y", RUNS, headline=True)
    """Which way the waves run."""
    start: str = reference("guides", "figures")
    """The place that round waves run out from; the middle of the figure if none."""
    speed: int = integer(1, soft=(-6, 6), hard=(-1000, 1000))
    """How many waves pass in each loop, or in each second of a scene that plays once; below 0 they run back."""
    offset: float = number(0, soft=(-1, 1), per_copy=True)
    """How far they have run at the first frame, in waves."""
    breaks_up: str = choice("not", BREAKS)
    """Whether height and place of the crests vary, by a noise or for each point at random."""
    break_size: float = number(60, soft=(5, 400), hard=(1e-3, None))
    """Size of the noise that breaks them up."""
    churn: float = number(0, soft=(0, 8), hard=(0, 1000))
    """How many other breaks that noise passes through in each loop, or in each second."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another break-up."""

    @classmethod
    def depends_on_time(cls, resolved) -> bool:
        return bool(resolved.speed or (resolved.churn > 0 and resolved.breaks_up == "by a noise"))


def wave(points, normals, weights, settings, moment, links) -> np.ndarray:
    """Move points to and fro in waves that run along an axis or round from a place; any number add up as steps.

    points, normals  (N, 3) float32; not changed
    weights          (N,) float32 in 0..1, from the step's field
    Returns          (N, 3) float32
    """
    away = _away(points, settings, links)
    height, run = _broken_up(points, settings, moment)
    turns = away / settings.length - settings.speed * moment.phase - settings.offset + run
    amounts = np.asarray(settings.height * height * np.sin(2 * np.pi * turns) * weights, np.float32)
    if settings.moves == "normals":
        return pushed_rows(points, normals, amounts)
    moved = points.copy()
    moved[:, AXES.index(settings.moves)] += amounts
    return moved


def _away(points, settings, links):
    """(N,) how far the wave has run to each point."""
    if settings.runs != RUNS[-1]:
        return points[:, AXES.index(settings.runs[-1])]
    place = links["start"].place if "start" in links else np.zeros(3)
    return np.linalg.norm(points - np.asarray(place, np.float32), axis=1)


def _broken_up(points, settings, moment):
    """Factors on the height, and what is added to the turns."""
    if settings.breaks_up == "not":
        return 1.0, 0.0
    if settings.breaks_up == "at random":
        count = len(points)
        varied = [chances(count, settings.seed) * 2 - 1, chances(count, settings.seed + 1) * 2 - 1]
    else:
        noise = Resolved({**vars(settings), **EVEN, "size": settings.break_size})
        varied = [sample_noise(points, noise, moment, channel) for channel in (0, 1)]
    return 1 + OF_HEIGHT * varied[0], OF_WAVE * varied[1]


KIND = Kind(
    "wave",
    "deform",
    WaveSettings,
    wave,
    "Wave **{moves}** by **{height}**, **{length}** long, **{runs}**",
    version=2,
    icon="wave",
    words="ripple sine swell wobble water",
)
