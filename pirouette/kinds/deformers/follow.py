"""Shapes laid along a curve."""

import numpy as np

from ...craft.extent import AXES
from ...data import Copies, Mesh, Problem, ProblemError
from ...geometry.curve import Line, curves_of, frames_along, sampled, square_frames
from ...geometry.join import joined
from ...kernels.geometry.place import compose, matrices_to_quaternions, unit_rows
from ...schema import EACH_POINT, MOVES, Kind, Settings, choice, number, reference

FITS = ("stretched", "at its own length", "repeated")
MOST_POINTS = 4_000_000


class FollowCurveSettings(Settings):
    curve: str = reference("figures", headline=True)
    """The figure whose first curve it is laid along."""
    fit: str = choice("at its own length", FITS, headline=True)
    """Stretched from the curve's start to its end, as long as it is, or as many times as fit best."""
    axis: str = choice("x", AXES, headline=True)
    """The axis of the shape that runs along the curve; what lies on that axis lies on the curve."""
    slide: float = number(0, soft=(0, 1), unit="rounds", headline=True, per_copy=True)
    """How far it has travelled along the curve; on a closed one, whole numbers are whole rounds."""
    roll: float = number(0, soft=(-720, 720), unit="deg", winds=True)
    """How far it is turned about the curve."""
    winds: float = number(0, soft=(-1080, 1080), unit="deg", winds=True)
    """How much further it is turned from the curve's start to its end."""
    moves: str = choice(EACH_POINT, MOVES)
    """Bends every shape along the curve, or places copies on it as they are."""


def follow(mesh, weights, settings, links) -> Mesh:
    """Lay a shape along a curve, by frames that never flip; what reaches past an open end goes straight on.

    weights  (V,) 0..1 from the step's field: how far each point goes
    Returns  the mesh, or as many of it as fit
    """
    track = _Track.of(settings, links)
    if track is None or not len(mesh.points):
        return mesh
    low, extent = _span(mesh.points, settings.axis)
    times = 1
    if settings.fit == "repeated":
        times = max(1, round(track.line.length / max(extent, 1e-6)))
        if times * len(mesh.points) > MOST_POINTS:
            raise ProblemError(
                Problem("fit", f"{times:,} repetitions would make {times * len(mesh.points):,} points; allowed "
                               f"{MOST_POINTS:,}", "size.limit")
            )  # fmt: skip
    points = mesh.points.astype(np.float64)
    along = _arc(points, settings, track, low, extent, times)
    slid = np.asarray(settings.slide, np.float64)
    made = []
    for turn in range(times):
        place, frames = track.at((along + turn * track.line.length / times) / track.line.length + slid)
        rest = points.copy()
        rest[:, AXES.index(settings.axis)] = 0
        moved = place + np.einsum("nij,nj->ni", frames, rest)
        made.append(mesh.with_points((points + (moved - points) * weights[:, None]).astype(np.float32)))
    return joined(made)


def follow_copies(copies, weights, settings, links) -> Copies:
    """Place copies along a curve as they are, each turned with it.

    weights  (N,) 0..1 from the step's field
    """
    track = _Track.of(settings, links)
    if track is None or not copies.count:
        return copies
    points = copies.position.astype(np.float64)
    low, extent = _span(points, settings.axis)
    along = _arc(points, settings, track, low, extent, 1)
    place, frames = track.at(along / track.line.length + np.asarray(settings.slide, np.float64))
    rest = points.copy()
    rest[:, AXES.index(settings.axis)] = 0
    moved = place + np.einsum("nij,nj->ni", frames, rest)
    own = compose(copies.position, copies.rotation, np.ones((copies.count, 3), np.float32))[:, :, :3]
    turned = matrices_to_quaternions(frames @ own)
    turned = np.where((turned * copies.rotation).sum(axis=1, keepdims=True) < 0, -turned, turned)
    share = np.asarray(weights, np.float64)[:, None]
    return copies.moved(
        position=points + (moved - points) * share,
        rotation=unit_rows(copies.rotation + (turned - copies.rotation) * share),
    )


def _span(points, axis):
    column = points[:, AXES.index(axis)]
    return float(column.min()), float(np.ptp(column))


def _arc(points, settings, track, low, extent, times):
    """(N,) how far along the curve each point lies, in scene units."""
    away = points[:, AXES.index(settings.axis)] - low
    if settings.fit == "at its own length":
        return away
    return away / max(extent, 1e-9) * track.line.length / times


class _Track:
    """A curve with its frames, whose columns are the axes of a shape that lies along it."""

    def __init__(self, points, is_closed, settings):
        self.is_closed = is_closed
        self.line, frames = frames_along(points, is_closed)
        self.frames = frames.reshape(len(frames), 9)
        self.axis = AXES.index(settings.axis)
        self.roll, self.winds = np.radians(settings.roll), np.radians(settings.winds)

    @classmethod
    def of(cls, settings, links):
        curves = curves_of(links["curve"].mesh) if "curve" in links else []
        curves = [(points, closed) for points, closed in curves if Line(points, closed).length > 0]
        return cls(*curves[0], settings) if curves else None

    def at(self, share):
        """(N, 3) places and (N, 3, 3) frames at shares of the length."""
        inside = share - np.floor(share) if self.is_closed else np.clip(share, 0, 1)
        mixed = sampled(self.frames, inside, like=self.line)
        frames = square_frames(mixed, self.roll + self.winds * share, self.axis)
        past = (share - inside) * self.line.length * (not self.is_closed)
        return sampled(self.line, inside) + frames[:, :, self.axis] * past[:, None], frames


def advice(shape, settings, links) -> str:
    if "curve" not in links:
        return "no curve is chosen; choose a figure with one"
    if not curves_of(links["curve"].mesh):
        return "the chosen figure has no curves; begin it with a line, circle or path"
    return ""


KIND = Kind(
    "follow",
    "deform",
    FollowCurveSettings,
    follow,
    "Follow **{curve}**, **{fit}** along **{axis}**, slid by **{slide}**",
    moves_copies=follow_copies,
    advice=advice,
    icon="follow",
    words="path curve spline wrap",
)
