"""The ways that points, copies or guides have gone, as curves."""

import numpy as np

from ...data import Copies, Mesh
from ...data.attribute import Attributes
from ...geometry.ways import MOST_BETWEEN, ways
from ...kernels.geometry.follow import followed
from ...kernels.geometry.place import carried
from ...schema import Kind, Settings, choice, integer, number, only_if, references

FRAMES, BIRTH, LOOP, ORDER = LASTS = ("some frames", "since birth", "the whole loop", "from one to the next")
IN = ("the world", "the figure's own space")
FADES = ("in width", "in opacity", "in both", "not at all")
# A birth longer ago than this is taken to be this long ago, where a scene plays once.
LONGEST = 2000
# What points are known by at other times.
NAMES = ("seed", "age", "velocity")


class TrailSettings(Settings):
    lasts: str = choice(FRAMES, LASTS, headline=True)
    """How far back the ways go; or lines from each point to the next in their order instead."""
    frames: int = only_if(integer(24, soft=(2, 96), hard=(1, LONGEST), unit="frames", headline=True), lasts=(FRAMES,))
    """How long ago they begin."""
    of: list = references("guides", headline=True)
    """The guides whose ways are drawn, instead of those of the points or copies before this step."""
    stays_in: str = only_if(choice("the world", IN), lasts=(FRAMES, BIRTH, LOOP))
    """Whether ways stay in the world when the figure moves, or go along with it."""
    fades: str = choice("in width", FADES)
    """What becomes less towards the older end."""
    width: float = number(2, soft=(0.2, 20), hard=(0, None))
    """How wide a way is where it is newest, for lines and tubes that go by `width`."""
    spacing: float = number(0, soft=(0, 20), hard=(0, None))
    """How far apart its points are, evenly, at most four for each frame; 0 leaves them where each frame found them."""


def trail(shape, weights_at, settings, moment, before) -> Mesh:
    """Draw the ways that points or copies have gone so far; those of a field's weight from one half on.

    before   frames -> the shape so many frames ago; its matrix leads from where the figure was then to where it is now
    Returns  a curve for each, from its oldest place to the present one, with `along` and `age` in frames
    """
    made = _linked(shape, weights_at) if settings.lasts == ORDER else _ways(shape, weights_at, settings, moment, before)
    if not len(made.points):
        return made
    if settings.lasts == ORDER:
        return _widened(made, settings, 1 - made.at_points["along"])
    oldest = max(float(made.at_points["age"].max()), 1e-9)
    if settings.lasts == FRAMES:
        oldest = float(settings.frames)
    closed = settings.lasts == LOOP and moment.loops
    return _widened(made, settings, np.zeros(len(made.points)) if closed else made.at_points["age"] / oldest)


def _widened(made, settings, gone):
    """Ways with their width, and what fades towards where (V,) `gone` is 1."""
    left = np.clip(1 - np.asarray(gone, np.float32), 0, 1)
    width = np.full(len(made.points), settings.width, np.float32)
    opacity = None
    if settings.fades in ("in width", "in both"):
        width = width * left
    if settings.fades in ("in opacity", "in both"):
        opacity = left
    return Mesh(made.points, made.topology, opacity=opacity, at_points=made.at_points.with_(width=width))


def _linked(shape, weights_at) -> Mesh:
    places, carries = _points_of(shape)
    chosen = np.flatnonzero(weights_at(places, carries) >= 0.5)
    if len(chosen) < 2:
        return Mesh.empty()
    made = Mesh.curves(places[chosen], [len(chosen)], [False])
    return Mesh(made.points, made.topology, at_points=Attributes({**carries.gathered(chosen), **made.at_points}))


def _ways(shape, weights_at, settings, moment, before) -> Mesh:
    whole_loop = settings.lasts == LOOP and moment.loops
    places, carries = _guides(before(0.0)) if settings.of else _points_of(shape)
    chosen = np.arange(len(places)) if settings.of else np.flatnonzero(weights_at(places, carries) >= 0.5)
    known = carries.gathered(chosen)
    has_ages = set(NAMES) <= set(known)
    frames = _times(settings, moment, known if has_ages else None)
    found = [_then(before(one), settings) for one in frames]
    if has_ages:
        earlier = _followed(places[chosen], known, found, frames, moment.fps)
    else:
        # Without names of their own, points are known by their place in the order of all.
        earlier = np.full((len(frames), len(chosen), 3), np.nan)
        for row, (at, _) in zip(earlier, found, strict=True):
            row[chosen < len(at)] = at[chosen[chosen < len(at)]]
    all_places = np.concatenate([places[chosen][None], earlier])
    return ways(np.append(0.0, frames), all_places, known, whole_loop and not has_ages, settings.spacing)


def _then(then, settings):
    """(N, 3) places at an earlier time, as they are seen now, and what was there."""
    at, carries = _guides(then) if settings.of else _points_of(then.shape)
    return (carried(at, then.matrix) if settings.stays_in == "the world" and not settings.of else at), carries


def _followed(places, known, found, frames, fps):
    """(T, N, 3) where points were at earlier times, by what they and those of each time carry."""
    # What has not begun yet carries nothing: there are no points at that time.
    counts = [len(at) if set(NAMES) <= set(carries) else 0 for at, carries in found]
    parts = [(places, known), *(one for one, count in zip(found, counts, strict=True) if count)]
    then = [
        np.concatenate([at for at, _ in parts]),
        *(np.concatenate([carries[name] for _, carries in parts]) for name in NAMES),
    ]
    starts = len(places) + np.cumsum([0, *counts])
    return followed((places, *(known[name] for name in NAMES)), then, starts, frames, fps)


def _times(settings, moment, known) -> np.ndarray:
    """Frames before now at which places are asked for: at whole frames, so that ways stay still, and the end."""
    if settings.lasts == LOOP and moment.loops:
        return np.arange(1, moment.frame_count, dtype=np.float64)
    if settings.lasts == FRAMES:
        longest = float(settings.frames)
    elif known is not None:
        longest = float(np.ceil(known["age"].max(initial=0)))
    else:
        longest = float(moment.frame % moment.frame_count if moment.loops else moment.frame)
    if not moment.loops and known is None:
        longest = min(longest, moment.frame)
    longest = min(longest, LONGEST)
    part = moment.frame - np.floor(moment.frame)
    whole = np.arange(part if part > 0 else 1.0, longest, 1.0)
    return np.append(whole, longest) if longest > 0 else whole


def _points_of(shape):
    """(N, 3) places and what is there: those of copies as wholes, or points."""
    if shape is None:
        return np.zeros((0, 3), np.float32), Attributes()
    if isinstance(shape, Copies):
        return shape.position, shape.at_copies
    return shape.points, shape.at_points


def _guides(then):
    """The places of the guides that were chosen, in the figure's space now."""
    places = [link.place for name, link in then.links.items() if name.startswith("of/")]
    at = carried(np.array(places, np.float32).reshape(-1, 3), then.matrix)
    return at, Attributes()


def estimate(settings, shape, moment) -> int:
    """How many points there may be."""
    count = 0 if shape is None else shape.count if isinstance(shape, Copies) else len(shape.points)
    count = len(settings.of) or count
    longest = min(LONGEST, moment.frame_count) + 2
    frames = {FRAMES: settings.frames + 2, ORDER: 1}.get(settings.lasts, longest)
    return int(count * frames * (MOST_BETWEEN if settings.spacing > 0 else 1))


KIND = Kind(
    "trail",
    "build",
    TrailSettings,
    trail,
    "Trail that lasts **{lasts}** **{frames}**",
    estimate=estimate,
    icon="trail",
    version=3,
    words="path trace history line draw motion",
)
