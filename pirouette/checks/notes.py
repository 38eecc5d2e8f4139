"""Notes: what in a scene has no effect, and why. Each names the thing, says what would help, and may mend it."""

import numpy as np

from ..data import Copies, ProblemError, TooMuch
from ..document import Scene
from ..evaluate import Evaluator, Memo
from ..evaluate.offers import Offers
from ..evaluate.routines import Run, run_routine
from ..kernels.geometry.box import box
from ..kernels.geometry.place import carried
from .cuts import on_cut
from .late import on_followers, on_late_step, on_own_time
from .looks import on_looks
from .mend import mends_of
from .note import Note

FRAMES_LOOKED_AT = 12
# A region that covers less than this of what it limits is told of.
COVERED = 0.9


def notes_of(scene: Scene, frame: float = 0.0, memo: Memo | None = None, is_cancelled=lambda: False) -> list[Note]:
    """Return all notes on a scene as it is at a frame; a figure that cannot be computed gets its problems as notes.

    is_cancelled  asked between steps; once true, Cancelled is raised
    """
    notes = []
    ev = Evaluator(scene, frame, memo, is_cancelled)
    for number, figure in enumerate(scene.figures):
        if figure.routine and not any(look.on for look in figure.looks) and figure.visible != "hidden":
            surface = {"id": "surface", "kind": "surface", "settings": {}}
            patch = [{"op": "add", "path": f"/figures/{number}/looks", "value": [surface]}]
            notes.append(
                Note(figure.name, "looks", "has no look, so nothing of it is drawn", "look.none", "Add Surface", patch)
            )
        try:
            notes.extend(_on_steps(Run.of(ev.own(figure), figure), number))
            notes.extend(on_looks(ev, number, figure))
            notes.extend(on_own_time(ev, number, figure))
            notes.extend(on_cut(ev, number, figure))
        except TooMuch:
            raise
        except ProblemError as error:
            notes.extend(Note(figure.name, p.path, p.message, p.code) for p in error.problems)
    used = set(_used_fields(scene))
    notes.extend(
        Note(field.name, "field", "limits nothing; choose it after “only where” in a step or look", "field.unused")
        for field in scene.fields
        if field.id not in used
    )
    notes.extend(on_followers(ev))
    if scene.first_moment.loops:
        notes.extend(_on_seam(scene))
    for light in scene.lights:
        if light.on and light.kind.advice:
            message = light.kind.advice(light.settings.resolve(ev.around))
            if message:
                notes.append(Note(light.name, light.kind.id, message, "light.advice"))
    if not any(light.on for light in scene.lights) and _needs_light(scene):
        sky = {"id": "sky", "name": "Sky", "kind": "sky", "settings": {}}
        patch = [{"op": "add", "path": "/lights", "value": [sky]}]
        notes.append(
            Note(
                "Scene", "lights", "no light is on, so surfaces without glow are black", "light.none", "Add Sky", patch
            )
        )
    return notes


def _on_seam(scene):
    """What closes, but is eased where a sweep should go on evenly."""
    for (name, what), mend in mends_of(scene).items():
        if mend.is_eased:
            words = mend.words[0].upper() + mend.words[1:]
            yield Note(name, what, mend.cause, "seam.eased", words, list(mend.patch))


def _used_fields(scene):
    for figure in scene.figures:
        for _, _, line in (*figure.made_by, *figure.drawn_by):
            if line.only_where:
                yield line.only_where
            for _, families, value in line.settings.references:
                if "fields" in families:
                    yield value


def _needs_light(scene):
    return any(
        look.on and look.kind.id == "surface" and not _may_glow(look.settings)
        for figure in scene.figures
        for look in figure.looks
    )


def _may_glow(settings) -> bool:
    return settings.glow.moves or settings.resolve().glow > 0


def _force_advice(force, around) -> str:
    """Why a force can have no effect, or nothing."""
    return force.kind.advice(force.settings.resolve(around)) if force.kind.advice else ""


def _on_steps(run, number):
    shape = None
    figure = run.figure
    for index, step in enumerate(figure.routine):
        if not step.on:
            continue
        where = f"{step.kind.id}, line {index + 1}"
        before = shape
        shape = run_routine(run, index + 1)
        yield from on_late_step(run, number, index, step, where)
        offers = Offers(run, index, before)
        if step.kind.advice:
            message = _advice(offers, shape if before is None else before)
            if message and not _helps_later(offers):
                yield Note(figure.name, where, message, "step.no-effect")
        for force in step.forces:
            message = _force_advice(force, run.ev.around) if force.on else ""
            if message:
                yield Note(figure.name, f"{force.kind.id}, under line {index + 1}", message, "step.no-effect")
        if offers.limit:
            yield from _on_field(offers, number, where)


def _advice(offers, shape) -> str:
    return offers.kind.advice(shape, offers.settings, offers.links)


def _helps_later(offers) -> bool:
    """True if a step has an effect at some other time: a curve may not have begun yet."""
    scene, run, index = offers.run.ev.scene, offers.run, offers.index
    for frame in np.linspace(0, scene.frame_count - 1, FRAMES_LOOKED_AT):
        then = Run.of(run.ev.at(scene.moment(float(frame))), run.figure)
        before = then.shape_before(index)
        if not _advice(Offers(then, index, before), then.shape_before(index + 1) if before is None else before):
            return True
    return False


def _on_field(offers, number, where):
    """Say if a field never reaches what it should limit, or if its one region is smaller than that."""
    scene, limit, run = offers.run.ev.scene, offers.limit, offers.run
    points = carried(_limited(offers), run.matrix)
    if not len(points):
        return
    # A field may pass by at another time, so the whole scene is looked through.
    reached = np.zeros(len(points), bool)
    for frame in [run.ev.moment.frame, *np.linspace(0, scene.frame_count - 1, FRAMES_LOOKED_AT)]:
        there = run.ev.at(scene.moment(float(frame)))
        weights = there.weights(limit, points)
        if not weights.any() and not reached.any():
            # What it should limit may be elsewhere then, too.
            weights = _weights_then(offers, there)
        if len(weights) == len(points):
            reached |= weights > 0
        elif weights.any():
            return
        if reached.all():
            return
    share = reached.mean()
    region = _lone_region(limit)
    mend, patch = ("Fit it", _fitted(scene, limit, points)) if region is not None else ("", [])
    if share == 0:
        yield Note(run.figure.name, where, f"“{limit.name}” never reaches any of it", "field.misses", mend, patch)
    elif region is not None and share < COVERED:
        message = f"“{limit.name}” reaches {share:.0%} of it: its region is smaller than what it limits"
        yield Note(run.figure.name, where, message, "field.small", mend, patch)


def _limited(offers):
    """(N, 3) places whose weights a step asks for: what a form or repeat makes, or what else is changed."""
    if offers.kind.group not in ("form", "repeat"):
        return offers.places
    made = offers.call()
    return made.position if isinstance(made, Copies) else made.points


def _weights_then(offers, ev):
    run = Run.of(ev.own(offers.run.figure), offers.run.figure)
    then = Offers(run, offers.index, run.shape_before(offers.index))
    return ev.weights(offers.limit, carried(_limited(then), run.matrix))


def _lone_region(limit):
    """The field's one clause, if that is a region that stands still by itself; one that moves is meant to be small."""
    clauses = [clause for clause in limit.clauses if clause.on]
    if len(clauses) != 1 or clauses[0].kind.id != "region" or clauses[0].joining.inside_out:
        return None
    clause = clauses[0]
    moves = clause.settings.moving() or clause.joining.follows
    return None if moves else clause


def _fitted(scene, limit, points) -> list:
    """A patch that makes a region hold all points, with some room beyond its soft edge."""
    clause = _lone_region(limit)
    low, high = box(points)
    wide = np.maximum(high - low, 1.0)
    # A ball must hold the corners of the box, and its edge may be soft.
    factor = (3**0.5 if clause.settings.resolve().form == "ball" else 1.0) * 1.5
    field_index = scene.fields.index(limit)
    base = f"/fields/{field_index}/clauses/{limit.clauses.index(clause)}/settings"
    rounded = lambda numbers: [round(float(number), 2) for number in numbers]  # noqa: E731
    return [
        {"op": "add", "path": f"{base}/position", "value": rounded((low + high) / 2)},
        {"op": "add", "path": f"{base}/size", "value": rounded(wide * factor)},
        {"op": "add", "path": f"{base}/rotation", "value": [0, 0, 0]},
    ]
