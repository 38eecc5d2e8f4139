"""Notes on what is early or late where nothing moves, so that it shows nothing of it."""

import numpy as np

from ..data import ProblemError
from ..evaluate.routines import Run, run_routine
from .note import Note

FRAMES_LOOKED_AT = 5
# Steps that show what was at earlier times.
SHOWS_EARLIER = {"afterimage", "trail"}
STILL = 1e-6


def _moments(ev):
    """This moment and some that lie unevenly over the scene, so that what repeats is not always met alike."""
    count = ev.scene.frame_count
    shares = (np.arange(1, FRAMES_LOOKED_AT) / FRAMES_LOOKED_AT) ** 1.3
    return [ev.moment, *(ev.scene.moment(round(share * count)) for share in shares)]


def on_followers(ev):
    """Yield notes on what follows another thing late although that never moves."""
    scene = ev.scene
    for _, settings, path in scene.carried():
        if settings.follows is None or settings.rides == "its curve":
            continue
        lag = ev.resolve(settings, path).lag
        if not lag:
            continue
        places = [ev.at(moment).thing_matrix(settings.follows) for moment in _moments(ev)]
        if all(np.allclose(place, places[0], atol=STILL) for place in places):
            carrier = {**scene.guides_by_id, **scene.figures_by_id}[settings.follows].name
            name = path.split("/")[1]
            yield Note(name, "place", f"it lags {lag:g} frames behind “{carrier}”, which never moves", "follow.still")


def on_own_time(ev, number, figure):
    """Yield a note on a figure with a time of its own of which nothing moves in that time."""
    time = ev.resolve(figure.own_time, f"figures/{figure.name}/own_time")
    if time.speed == 1 and time.offset == 0 and not figure.own_time.moving():
        return
    if _moves(Run.of(ev, figure), None) or figure.place.moving():
        return
    patch = [{"op": "remove", "path": f"/figures/{number}/own_time"}]
    message = "it plays in a time of its own, but nothing in its steps or place moves"
    yield Note(figure.name, "own time", message, "time.still", "Play with the scene", patch)


def on_late_step(run, number, index, step, where):
    """Yield a note on a step that shows, or goes by, earlier times of what does not move."""
    settings = run.ev.resolve(step.settings, f"figures/{run.figure.name}/routine/{index} ({step.kind.id})")
    if "before" in step.kind.arguments and step.kind.id in SHOWS_EARLIER:
        if _moves(run, index) or _place_moves(run) or step.settings.references:
            return
        message = "nothing moves that it could show at earlier times"
        yield Note(run.figure.name, where, message, "time.still")
    elif step.kind.simulation is not None and step.kind.group != "simulate":
        in_world = "matrix" in step.kind.simulation.arguments
        is_pushed = any(force.on for force in step.forces)
        if not is_pushed and not _moves(run, index) and not (in_world and _place_moves(run)):
            message = "nothing above it moves, so there is nothing for it to follow; put it below what moves"
            yield Note(run.figure.name, where, message, "time.still")
    elif getattr(settings, "time", None) is not None and np.any(settings.time) and not _moves(run, index):
        message = "it makes copies late, but nothing before it moves"
        patch = [{"op": "add", "path": f"/figures/{number}/routine/{index}/settings/time", "value": 0}]
        yield Note(run.figure.name, where, message, "time.still", "All at one time", patch)


def _moves(run, stop) -> bool:
    """True if what the first steps of a figure make differs from time to time."""
    try:
        shapes = [run_routine(run.at(moment), stop) for moment in _moments(run.ev)]
    except ProblemError:
        # What cannot be made at some frame is told of where that frame is shown.
        return True
    return len({None if shape is None else shape.key for shape in shapes}) > 1


def _place_moves(run) -> bool:
    places = [run.at(moment).matrix for moment in _moments(run.ev)]
    return not all(np.allclose(place, places[0], atol=STILL) for place in places)
