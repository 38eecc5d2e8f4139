"""Checks what one thing alone cannot know: that what is referred to is there, and that nothing is made of itself."""

WORDS = {"guides": "guide", "fields": "field", "figures": "figure", "cameras": "camera"}


def _parts(scene):
    """Yield (path, settings, the field that limits them) of everything in a scene that may refer to other things."""
    for figure in scene.figures:
        where = f"figures/{figure.name}"
        yield f"{where}/place", figure.place, None
        for part, items in (("routine", figure.routine), ("looks", figure.looks)):
            for index, item in enumerate(items):
                yield f"{where}/{part}/{index} ({item.kind.id})", item.settings, item.only_where
    for thing in scene.fields:
        for index, clause in enumerate(thing.clauses):
            where = f"fields/{thing.name}/clauses/{index} ({clause.kind.id})"
            yield where, clause.settings, None
            yield f"{where}/joining", clause.joining, None
    for camera in scene.cameras:
        yield f"cameras/{camera.name}", camera.settings, None
    for guide in scene.guides:
        yield f"guides/{guide.name}/place", guide.place, None


def check_references(scene, add) -> None:
    """Report every reference that leads nowhere, or round in a circle; `add` takes path, message and code."""
    ids = {family: {thing.id for thing in getattr(scene, family)} for family in WORDS}
    assets = scene.library.ids()
    for path, settings, only_where in _parts(scene):
        if only_where is not None and only_where not in ids["fields"]:
            add(f"{path}/only_where", f"there is no field “{only_where}”", "value.reference")
        for name, families, value in settings.references():
            if not any(value in ids[family] for family in families):
                words = " or ".join(WORDS[family] for family in families)
                add(f"{path}/{name}", f"there is no {words} “{value}”", "value.reference")
        for name, sort, value in settings.assets():
            if assets.get(value) != sort:
                known = ", ".join(one for one, its in sorted(assets.items()) if its == sort) or "none yet"
                add(f"{path}/{name}", f"there is no {sort} “{value}”; there are {known}", "value.asset")
    for circle in _circles(scene):
        names = " → ".join(scene.figures_by_id[one].name for one in circle)
        first = scene.figures_by_id[circle[0]].name
        add(f"figures/{first}/routine", f"figures are made of each other in a circle: {names}", "figure.circle")


def _circles(scene):
    """Yield each circle of figures once, its first figure again at its end."""
    needs = {figure.id: _needed(scene, figure) for figure in scene.figures}
    told = set()
    for start in needs:
        path, seen = [start], set()

        def search(at, path=path, seen=seen, start=start):
            for one in needs.get(at, ()):
                if one == start:
                    return [*path, start]
                if one not in seen:
                    seen.add(one)
                    path.append(one)
                    found = search(one)
                    if found:
                        return found
                    path.pop()
            return None

        circle = search(start)
        if circle and not told & set(circle):
            told |= set(circle)
            yield circle


def _needed(scene, figure):
    """The ids of the figures that a figure's steps refer to, by themselves or through fields."""
    found, fields = [], set()

    def follow(settings):
        for _, families, value in settings.references():
            if "fields" in families:
                follow_field(value)
            if "figures" in families and value in scene.figures_by_id:
                found.append(value)

    def follow_field(field_id):
        if field_id in scene.fields_by_id and field_id not in fields:
            fields.add(field_id)
            for clause in scene.fields_by_id[field_id].clauses:
                follow(clause.settings)

    for step in figure.routine:
        follow(step.settings)
        if step.only_where:
            follow_field(step.only_where)
    return found
