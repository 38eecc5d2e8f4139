"""Notes: what in a scene has no effect, and why. Each names the thing and says what would help."""

from dataclasses import asdict, dataclass, replace

import numpy as np

from ..data import Copies, ProblemError
from ..document import Scene
from ..evaluate import Memo
from ..evaluate.routine import Run, run_routine
from ..evaluate.weigh import field_weights
from ..evaluate.world import World

FRAMES_LOOKED_AT = 12


@dataclass(frozen=True)
class Note:
    """One remark: the thing it is about, where in it, and the sentence."""

    name: str
    where: str
    message: str
    code: str

    def describe(self) -> dict:
        return asdict(self)


def notes_of(scene: Scene, frame: float = 0.0, memo: Memo | None = None) -> list[Note]:
    """Return all notes on a scene as it is at a frame; a figure that cannot be computed gets its problems as notes."""
    notes = []
    world = World(scene, scene.moment(frame))
    memo = memo or Memo()
    for figure in scene.figures:
        if figure.visible == "hidden":
            continue
        if figure.routine and not any(look.on for look in figure.looks):
            notes.append(Note(figure.name, "looks", "has no look, so nothing of it is drawn; add Surface", "look.none"))
        try:
            matrix = world.figure_matrix(figure)
            run = Run(world, memo, lambda: None, figure, matrix)
            notes.extend(_on_steps(run, scene))
        except ProblemError as error:
            notes.extend(Note(figure.name, p.path, p.message, p.code) for p in error.problems)
    used = {step.only_where for figure in scene.figures for step in figure.routine}
    notes.extend(
        Note(field.name, "field", "limits nothing; choose it after “only where” in a step", "field.unused")
        for field in scene.fields
        if field.id not in used
    )
    if not any(light.on for light in scene.lights) and _needs_light(scene):
        notes.append(
            Note("Scene", "lights", "no light is on, so surfaces without glow are black; add Sky", "light.none")
        )
    return notes


def _needs_light(scene):
    return any(
        look.on and look.kind.id == "surface" and not _may_glow(look.settings)
        for figure in scene.figures
        for look in figure.looks
    )


def _may_glow(settings) -> bool:
    return settings.glow.moves or settings.resolve().glow > 0


def _on_steps(run, scene):
    shape = None
    for index, step in enumerate(run.figure.routine):
        if not step.on:
            continue
        where = f"{step.kind.id}, line {index + 1}"
        before, part = shape, replace(run.figure, routine=run.figure.routine[: index + 1])
        shape = run_routine(replace(run, figure=part))
        name = run.figure.name
        if step.kind.group == "modulate" and before is not None and not isinstance(before, Copies):
            yield Note(name, where, "there is only one copy to vary; add a repeat before it", "step.one-copy")
        if step.kind.advice and before is not None:
            mesh = before.leaf if isinstance(before, Copies) else before
            message = step.kind.advice(mesh, step.settings.resolve(run.world.around))
            if message:
                yield Note(name, where, message, "step.too-few-points")
        if step.only_where and before is not None:
            yield from _on_field(run, scene, step, before, where)


def _on_field(run, scene, step, shape, where):
    field = scene.fields_by_id[step.only_where]
    points = shape.position if isinstance(shape, Copies) else shape.points
    matrix = run.matrix.astype(np.float32)
    points = points @ matrix[:3, :3].T + matrix[:3, 3]
    if not len(points):
        return
    # A field may pass by at another time, so the whole scene is looked through.
    for frame in [run.world.moment.frame, *np.linspace(0, scene.frame_count - 1, FRAMES_LOOKED_AT)]:
        if field_weights(World(scene, scene.moment(float(frame))), field, points).any():
            return
    yield Note(run.figure.name, where, f"“{field.name}” never reaches any of it", "field.misses")
