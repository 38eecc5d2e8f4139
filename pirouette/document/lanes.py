"""Lanes: every value of a scene that moves or has keys, with its place in the document and the words for it."""

from dataclasses import dataclass

from ..schema import Settings
from ..values.value import Keyed, Parts, Value


@dataclass(frozen=True)
class Lane:
    """One moving value.

    pointer  JSON Pointer to it in the scene's document
    name     the thing it belongs to
    where    the step, clause or part of that thing
    setting  the setting's name, with its axis for a part of a vector
    owner    the settings it is one of, under the name `field`
    """

    pointer: str
    name: str
    where: str
    setting: str
    value: Value
    owner: Settings
    field: str


def _is_shown(value) -> bool:
    """A single key does not move yet, but its owner wants to see it."""
    return value.moves or isinstance(value, Keyed) or (isinstance(value, Parts) and any(map(_is_shown, value.parts)))


def _of(settings, pointer, name, where):
    if settings is None:
        return
    for setting in settings.declared():
        value = getattr(settings, setting)
        if not isinstance(value, Value) or not _is_shown(value):
            continue
        words = setting.replace("_", " ")
        if isinstance(value, Parts):
            for path, part_words, part in value.placed:
                if _is_shown(part):
                    yield Lane(
                        f"{pointer}/{setting}/{path}", name, where, f"{words} {part_words}", part, settings, setting
                    )
        else:
            yield Lane(f"{pointer}/{setting}", name, where, words, value, settings, setting)


def lanes_of(scene) -> list[Lane]:
    """Return the lanes of a scene in the order of its document."""
    return list(_walk(scene))


def _walk(scene):
    for i, figure in enumerate(scene.figures):
        yield from _of(figure.place, f"/figures/{i}/place", figure.name, "")
        yield from _of(figure.own_time, f"/figures/{i}/own_time", figure.name, "own time")
        for place, _, line in (*figure.made_by, *figure.drawn_by):
            yield from _of(line.settings, f"/figures/{i}/{place}/settings", figure.name, line.kind.id)
    for i, field in enumerate(scene.fields):
        for k, clause in enumerate(field.clauses):
            yield from _of(clause.settings, f"/fields/{i}/clauses/{k}/settings", field.name, clause.kind.id)
            yield from _of(clause.joining, f"/fields/{i}/clauses/{k}/joining", field.name, clause.kind.id)
    for i, guide in enumerate(scene.guides):
        yield from _of(guide.place, f"/guides/{i}/place", guide.name, "")
    for i, light in enumerate(scene.lights):
        yield from _of(light.settings, f"/lights/{i}/settings", light.name, "")
    for i, camera in enumerate(scene.cameras):
        yield from _of(camera.settings, f"/cameras/{i}/settings", camera.name, "")
    for i, effect in enumerate(scene.finish):
        yield from _of(effect.settings, f"/finish/{i}/settings", "Finish", effect.kind.id)
    yield from _of(scene.frame, "/frame", "Frame", "")
