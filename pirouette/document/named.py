"""What formulas call the values of a scene: "Hub.position", "Ribbons.twist.angle", "Gust.region.size"."""

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
        add_lines(figure.name, (*figure.routine, *figure.looks))
    for field in scene.fields:
        add(field.name, field.after)
        add_lines(field.name, field.clauses)
    add_lines("Finish", scene.finish)
    return names


def split_axis(reference: str) -> tuple[str, str]:
    """Return a reference without its last part if that is an axis, and the axis or ""."""
    head, _, last = reference.rpartition(".")
    return (head, last) if last in AXES and "." in head else (reference, "")
