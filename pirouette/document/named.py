"""What formulas call the values of a scene: "Hub.position", "Ribbons.twist.angle", "Gust.region.size"."""

from ..values.value import NODE

AXES = ("x", "y", "z")


def named_values(scene) -> dict[str, tuple]:
    """Return settings and the setting's name by what formulas call them, without an axis.

    Of several lines of one kind in a thing, the second is called "twist 2", and so on.
    """
    names = {}

    def add(name, settings):
        for setting in settings.declared():
            names.setdefault(f"{name}.{setting}", (settings, setting))

    def add_lines(name, lines):
        counts = {}
        for line in lines:
            counts[line.kind.id] = counts.get(line.kind.id, 0) + 1
            number = f" {counts[line.kind.id]}" if counts[line.kind.id] > 1 else ""
            add(f"{name}.{line.kind.id}{number}", line.settings)

    for thing in (*scene.guides, *scene.figures):
        add(thing.name, thing.place)
    for thing in (*scene.cameras, *scene.lights):
        add(thing.name, thing.settings)
    for figure in scene.figures:
        add(figure.name, figure.own_time)
        add_lines(figure.name, [line for _, _, line in (*figure.made_by, *figure.drawn_by)])
    for field in scene.fields:
        add(field.name, field.after)
        add_lines(field.name, field.clauses)
    add_lines("Finish", scene.finish)
    return names


def split_part(reference: str, known) -> tuple[str, tuple[str, ...]]:
    """Return the known name that a reference begins with, and what follows it, such as ("x",) or ("2", "arrive", "y").

    Raises KeyError if nothing known begins it
    """
    whole, part = reference, ()
    while whole not in known:
        whole, dot, last = whole.rpartition(".")
        if not dot:
            raise KeyError(reference)
        part = (last, *part)
    return whole, part


def place_of_part(part: tuple[str, ...]) -> tuple[int, ...]:
    """Return where in a value's array a part of it stands: an axis of a vector, or of a point of a curve or its handle.

    Raises KeyError if there is no such part
    """
    *way, axis = part
    number, name = [*way, "at"][:2] if way else (None, "at")
    if axis not in AXES or name not in NODE or len(way) > 2 or not (number is None or number.isdecimal()):
        raise KeyError(".".join(part))
    return (AXES.index(axis),) if number is None else (int(number) - 1, 3 * NODE.index(name) + AXES.index(axis))
