"""Where things are: what carries them, the place of another one or a place along its curve, and what cameras see."""

import numpy as np

from ..data import Problem, ProblemError
from ..data.picture import SENSOR_MM, Lens, View
from ..geometry.curve import curves_of, frames_along, sampled
from ..kernels.compile import frozen
from ..kernels.geometry.place import carried, compose, euler_to_quaternion
from .size import expanded

SMALLEST = 1e-12
# Where it is that nothing carries.
HOME = frozen(np.eye(4), np.float64)


def place_matrix(place) -> np.ndarray:
    """Return the (4, 4) float64 matrix of resolved place settings."""
    matrix = np.eye(4)
    rotation = euler_to_quaternion(np.asarray(place.rotation)[None])
    matrix[:3] = compose(np.zeros((1, 3)), rotation, np.asarray(place.scale)[None])[0]
    matrix[:3, 3] = place.position
    return matrix


def moved_to(position) -> np.ndarray:
    """Return the (4, 4) float64 matrix that moves to a position."""
    matrix = np.eye(4)
    matrix[:3, 3] = position
    return matrix


def carrier_matrix(ev, place) -> np.ndarray:
    """Return the (4, 4) matrix of what carries a thing with resolved follow settings, which name one."""
    then = ev.at(ev.moment.earlier(place.lag)) if place.lag else ev
    if place.rides == "its curve":
        return _only(_on_curve(then, place), place.takes)
    return _only(then.thing_matrix(place.follows), place.takes)


def _only(matrix, takes) -> np.ndarray:
    """Leave of a matrix its position, rotation or scale alone."""
    if len(takes) == 3:
        return matrix
    sizes = np.linalg.norm(matrix[:3, :3], axis=0)
    kept = np.eye(4)
    if "rotation" in takes:
        kept[:3, :3] = matrix[:3, :3] / np.maximum(sizes, SMALLEST)
    if "scale" in takes:
        kept[:3, :3] = kept[:3, :3] * sizes
    if "position" in takes:
        kept[:3, 3] = matrix[:3, 3]
    return kept


def _on_curve(ev, place):
    """The place along a figure's first curve: turned so that x leads along it and y keeps as steady as it can."""
    figure = ev.scene.figures_by_id.get(place.follows)
    if figure is None:
        raise ProblemError(Problem("follows", "a guide has no curve; choose a figure that is a curve", "follow.curve"))
    curves = curves_of(expanded(ev.memo, ev.shape_of(figure)))
    if not curves:
        raise ProblemError(
            Problem(
                "follows",
                f"“{figure.name}” has no curve to follow; begin it with a line, circle or path",
                "follow.curve",
            )
        )
    points, is_closed = curves[0]
    share = place.along - np.floor(place.along) if is_closed else np.clip(place.along, 0, 1)
    line, frames = frames_along(points, is_closed)
    matrix = moved_to(sampled(line, np.array([share]))[0])
    if place.aligned:
        frame = sampled(frames.reshape(len(frames), 9), np.array([share]), like=line)[0].reshape(3, 3)
        way = frame[:, 0] / max(np.linalg.norm(frame[:, 0]), SMALLEST)
        side = frame[:, 1] - way * (way @ frame[:, 1])
        side /= max(np.linalg.norm(side), SMALLEST)
        matrix[:3, :3] = np.stack([way, side, np.cross(way, side)], axis=1)
    return ev.thing_matrix(figure.id) @ matrix


def lens(ev, camera) -> Lens:
    """Return what a camera lets in."""
    settings = ev.resolve(camera.settings, f"cameras/{camera.name}")
    focus = settings.focus
    position, target, _ = _sight(ev, camera)
    away = float(np.linalg.norm(target - position))
    if settings.focus_on is not None:
        place = ev.thing_matrix(settings.focus_on)[:3, 3]
        focus = float((place - position) @ (target - position)) / max(away, SMALLEST)
    elif not focus:
        focus = away
    return Lens(settings.shutter, settings.opens, settings.opening, max(focus, SMALLEST), settings.blades)


def _sight(ev, camera):
    """Where a camera is, what it looks at, and what carries it."""
    path = f"cameras/{camera.name}"
    settings = ev.resolve(camera.settings, path)
    carry = ev.carrier(camera.settings, path)
    target = carried(settings.target, carry)
    if settings.aims_at is not None:
        target = ev.thing_matrix(settings.aims_at)[:3, 3]
    return carried(settings.position, carry), target, carry


def view(ev, camera) -> View:
    """Return how a camera sees the scene."""
    settings = ev.resolve(camera.settings, f"cameras/{camera.name}")
    position, target, carry = _sight(ev, camera)
    lens = settings.lens
    if settings.measured == "angle":
        lens = SENSOR_MM / 2 / np.tan(np.radians(settings.angle) / 2)
    return View.looking(position, target, settings.roll, lens, carry[:3, 1])
