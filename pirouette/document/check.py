"""Checks what one thing alone cannot know: that what is referred to is there, and that nothing is made of itself."""

from graphlib import TopologicalSorter

MAX_CHAIN = 64
WORDS = {"guides": "guide", "fields": "field", "figures": "figure", "cameras": "camera", "lights": "light"}


def parts_of(family, thing):
    """Yield (path within it, settings, the field that limits them) of all of a thing that may refer to others."""
    if family == "figures":
        yield "place", thing.place, None
        yield "own_time", thing.own_time, None
        yield "cut", thing.cut, None
        for _, path, line in (*thing.made_by, *thing.drawn_by):
            yield path, line.settings, line.only_where
    elif family == "fields":
        for index, clause in enumerate(thing.clauses):
            where = f"clauses/{index} ({clause.kind.id})"
            yield where, clause.settings, None
            yield f"{where}/joining", clause.joining, None
    elif family == "guides":
        yield "place", thing.place, None
    else:
        yield "", thing.settings, None


def _parts(scene):
    """Yield (path, settings, the field that limits them) of everything in a scene that may refer to other things."""
    figures = [figure for figure in scene.figures if not figure.is_alone]
    for family in ("figures", "fields", "lights", "cameras", "guides"):
        for thing in figures if family == "figures" else getattr(scene, family):
            for path, settings, only_where in parts_of(family, thing):
                yield f"{family}/{thing.name}/{path}".rstrip("/"), settings, only_where
    for index, effect in enumerate(scene.finish):
        yield f"finish/{index} ({effect.kind.id})", effect.settings, None


def check_references(scene, add) -> None:
    """Report every reference that leads nowhere, or round in a circle; `add` takes path, message and code."""
    ids = {family: {thing.id for thing in getattr(scene, family)} for family in WORDS}
    assets = scene.library.ids()
    for path, settings, only_where in _parts(scene):
        if only_where is not None and only_where not in ids["fields"]:
            add(f"{path}/only_where", f"there is no field “{only_where}”", "value.reference")
        for name, families, value in settings.references:
            if not any(value in ids[family] for family in families):
                words = " or ".join(WORDS[family] for family in families)
                add(f"{path}/{name}", f"there is no {words} “{value}”", "value.reference")
        for name, sort, value in settings.assets:
            if assets.get(value) != sort:
                known = ", ".join(thing_id for thing_id, its in sorted(assets.items()) if its == sort) or "none yet"
                add(f"{path}/{name}", f"there is no {sort} “{value}”; there are {known}", "value.asset")
    needs = _needs(scene)
    things = {**scene.guides_by_id, **scene.figures_by_id}
    circles = list(_circles(needs))
    for circle in circles:
        names = [things[thing_id].name for _, thing_id in circle]
        # A thing's place and its shape may both be on the way; its name is said once.
        names = [name for name, before in zip(names, ["", *names], strict=False) if name != before]
        names = names if len(names) > 1 else names * 2
        add(
            f"figures/{names[0]}/routine",
            f"things are made of each other in a circle: {' → '.join(names)}",
            "figure.circle",
        )
    if not circles:
        first, length = _longest_chain(needs)
        if length > MAX_CHAIN:
            family = "guides" if first in scene.guides_by_id else "figures"
            add(
                f"{family}/{things[first].name}",
                f"it follows others, or is made of them, in a chain of {length} things; allowed up to {MAX_CHAIN}",
                "figure.chain",
            )


def _longest_chain(needs):
    """Return the id of the thing at whose end the longest chain of things hangs, and how many are in it."""
    lengths = {}
    for name in TopologicalSorter(needs).static_order():
        behind = (lengths[other] + (other[1] != name[1]) for other in needs.get(name, ()))
        lengths[name] = max(behind, default=1)
    if not lengths:
        return None, 0
    last = max(lengths, key=lengths.get)
    return last[1], lengths[last]


def _circles(needs):
    """Yield each circle of places and shapes that need each other, its first one again at its end."""
    done, told = set(), set()
    for start in needs:
        way, open_ends = [start], [iter(needs[start])]
        while way:
            following = next(open_ends[-1], None)
            if following is None:
                done.add(way.pop())
                open_ends.pop()
            elif following in way:
                circle = [*way[way.index(following) :], following]
                if not told & set(circle):
                    told |= set(circle)
                    yield circle
            elif following not in done and following in needs:
                way.append(following)
                open_ends.append(iter(needs[following]))


def _needs(scene) -> dict[tuple, list[tuple]]:
    """What ("place", id) and ("shape", id) of guides and figures are made with."""
    needs = {}
    figures = [figure for figure in scene.figures if not figure.is_alone]
    for thing in (*scene.guides, *figures):
        needs["place", thing.id] = [*_carriers(thing.place), *_places_in_formulas(scene, thing.place)]
    for figure in figures:
        # What stands where matters to fields and references, which live in the world.
        needs["shape", figure.id] = [("place", figure.id), *_needed(scene, figure)]
    return needs


def _places_in_formulas(scene, settings):
    """The places in the world that formulas ask for, by themselves or through the values that they name."""
    found, waiting, known = [], list(settings.named), set()
    while waiting:
        name = waiting.pop()
        if name in known:
            continue
        known.add(name)
        try:
            thing_id = scene.place_named(name)
            if thing_id is not None:
                found.append(("place", thing_id))
            else:
                waiting.extend(scene.named_value(name)[0].references)
        except KeyError:
            # There is nothing of that name; it is told where it is computed.
            continue
    return found


def _carriers(settings):
    """What carries something with follow settings: a place, and a shape too where it rides along a curve."""
    if settings.follows is None:
        return []
    shape = [("shape", settings.follows)] if settings.rides == "its curve" else []
    return [("place", settings.follows), *shape]


def _needed(scene, figure):
    """The places and shapes that a figure's steps refer to, by themselves or through fields."""
    found, fields = [], set()

    def follow(settings):
        found.extend(_places_in_formulas(scene, settings))
        for _, families, value in settings.references:
            if "fields" in families and value in scene.fields_by_id:
                follow_field(value)
            elif value in scene.figures_by_id and "figures" in families:
                found.extend((("place", value), ("shape", value)))
            elif value in scene.guides_by_id:
                found.append(("place", value))

    def follow_field(field_id):
        if field_id in scene.fields_by_id and field_id not in fields:
            fields.add(field_id)
            for clause in scene.fields_by_id[field_id].clauses:
                follow(clause.settings)
                found.extend(_carriers(clause.joining))
                found.extend(_places_in_formulas(scene, clause.joining))

    follow(figure.own_time)
    for _, _, line in figure.made_by:
        follow(line.settings)
        if line.only_where:
            follow_field(line.only_where)
    return found
