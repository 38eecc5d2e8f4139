"""Puts phrases into scenes, under ids and names that are free there."""

import copy
import re
from dataclasses import dataclass

from .ids import free_id
from .phrases import CARRIED, LEFT, Phrase, by_id, fail, needed
from .shared import use_shared
from .used import with_things_named

REFERENCE = re.compile(r"\{([^{}]*)\}")


@dataclass(frozen=True)
class Placed:
    """What puts a phrase into a scene: a JSON Patch, and the figure and the id of the phrase in it."""

    patch: list[dict]
    figure: str
    phrase: str


def placed(raw: dict, phrase: Phrase, figure_id: str | None = None, at: int | None = None) -> Placed:
    """Return what puts a phrase into a scene's JSON, under names and ids that are free there.

    figure_id, at  for steps: the figure that gets them, and after how many of its steps; at its end if not given
    Raises         ProblemError if steps have no figure to be put into
    """
    source = copy.deepcopy(use_shared(phrase.scene.raw))
    host = next((one for one in raw["figures"] if one["id"] == figure_id), None)
    if not phrase.is_whole and host is None:
        fail("figure", "steps are put into a figure; choose one first", "phrase.figure")
    own = by_id(source["figures"], phrase.figure)
    own["phrases"][0]["name"] = phrase.name
    wanted = _wanted(phrase)
    ids, names = _free_names(raw, source, wanted)
    if not phrase.is_whole:
        ids["figures", phrase.figure], names[own["name"]] = host["id"], host["name"]
    source = with_things_named(source, ids)
    source = _with_formulas(source, names)
    scale = _stretched_by(raw, source)
    patch = []
    for family in ("guides", "fields", "figures"):
        items = [one for one in source.get(family, ()) if (family, one["id"]) in wanted]
        items.sort(key=lambda one: one["id"] == phrase.figure)
        if raw.get(family) is None and items:
            patch.append({"op": "add", "path": f"/{family}", "value": []})
        count = len(raw.get(family) or ())
        for item in items:
            if item["id"] == phrase.figure and family == "figures" and not phrase.is_whole:
                continue
            made = {**item, "id": ids[family, item["id"]], "name": names[item["name"]]}
            if "phrases" in made:
                made["phrases"] = [_shown_from(one, ids, {}) for one in made["phrases"]]
            patch.append({"op": "add", "path": f"/{family}/{count}", "value": _keys_stretched(made, scale)})
            count += 1
    if phrase.is_whole:
        return Placed(patch, ids["figures", phrase.figure], phrase.record["id"])
    index = raw["figures"].index(host)
    own = by_id(source["figures"], phrase.figure)
    more, record = _steps_in(host, own, ids, at, f"/figures/{index}", scale)
    return Placed([*patch, *more], host["id"], record)


def _steps_in(host, own, ids, at, base, scale) -> tuple[list[dict], str]:
    """Return the operations that put a figure's marked steps into another one, and the id of their phrase there."""
    record, routine = own["phrases"][0], host.get("routine", [])
    taken = {step["id"] for step in routine}
    renamed, steps = {}, []
    identity = free_id({one["id"] for one in host.get("phrases", ())}, record["id"])
    for step in own["routine"]:
        if step.get("phrase") == record["id"]:
            renamed[step["id"]] = free_id(taken, step["id"])
            taken.add(renamed[step["id"]])
            steps.append({**step, "id": renamed[step["id"]], "phrase": identity})
    number = len(routine) if at is None else max(min(at, len(routine)), 0)
    # No phrase is put into the middle of another.
    while 0 < number < len(routine) and routine[number].get("phrase") not in (None, ""):
        if routine[number - 1].get("phrase") != routine[number].get("phrase"):
            break
        number += 1
    told = {**_shown_from(record, ids, renamed), "id": identity}
    patch = [] if "phrases" in host else [{"op": "add", "path": f"{base}/phrases", "value": []}]
    if "routine" not in host:
        patch.append({"op": "add", "path": f"{base}/routine", "value": []})
    patch.append({"op": "add", "path": f"{base}/phrases/{len(host.get('phrases', ()))}", "value": told})
    for k, step in enumerate(steps):
        patch.append({"op": "add", "path": f"{base}/routine/{number + k}", "value": _keys_stretched(step, scale)})
    return patch, identity


def _wanted(phrase) -> set[tuple[str, str]]:
    """Return (family, id) of all of a phrase's scene that goes into another one; of steps, only what they lead to."""
    if phrase.is_whole:
        return {(family, one.id) for family in CARRIED for one in getattr(phrase.scene, family)}
    return needed(phrase.scene, phrase.figure, {step["id"] for step in phrase.steps}, is_alone=True)


def _free_names(raw, source, wanted):
    """Return {(family, id): free id} and {name: free name} of all that goes from one scene into another."""
    taken_names = {one.get("name") for family in (*CARRIED, *LEFT) for one in raw.get(family, ())}
    ids, names = {}, {}
    for family in CARRIED:
        taken = {one["id"] for one in raw.get(family, ())}
        for one in source.get(family, ()):
            if (family, one["id"]) not in wanted:
                continue
            ids[family, one["id"]] = free_id(taken, one["id"])
            taken.add(ids[family, one["id"]])
            name, number = one["name"], 2
            while name in taken_names:
                name = f"{one['name'][:70]} {number}"
                number += 1
            names[one["name"]] = name
            taken_names.add(name)
    return ids, names


def _with_formulas(value, names):
    """Return JSON in whose formulas things are called by other names, {before: after}."""
    if isinstance(value, list):
        return [_with_formulas(one, names) for one in value]
    if not isinstance(value, dict):
        return value
    made = {name: _with_formulas(part, names) for name, part in value.items()}
    if value.get("sort") == "formula" and isinstance(value.get("text"), str):
        made["text"] = REFERENCE.sub(lambda found: f"{{{_renamed(found[1], names)}}}", value["text"])
    return made


def _renamed(reference, names):
    owners = [name for name in names if reference.strip().startswith(f"{name}.")]
    if not owners:
        return reference
    name = max(owners, key=len)
    return names[name] + reference.strip()[len(name) :]


def _shown_from(record, ids, steps):
    """Return a figure's phrase whose values are found under other ids of things and steps."""
    shows = []
    for shown in record.get("shows", ()):
        way = shown["value"].split("/")
        if not way[0] and len(way) > 2:
            way[2] = ids.get((way[1], way[2]), way[2])
        elif way[0] == "routine" and len(way) > 1:
            way[1] = steps.get(way[1], way[1])
        shows.append({**shown, "value": "/".join(way)})
    return {**record, "shows": shows}


def _stretched_by(raw, source) -> float:
    """By how much keys are drawn out in time, so that a loop of another length closes as well."""
    clocks = [one.get("clock", {}) for one in (raw, source)]
    if not all(clock.get("loops", True) for clock in clocks):
        return 1.0
    return clocks[0].get("frames", 96) / clocks[1].get("frames", 96)


def _keys_stretched(value, scale):
    if scale == 1.0:
        return value
    if isinstance(value, list):
        return [_keys_stretched(one, scale) for one in value]
    if not isinstance(value, dict):
        return value
    made = {name: _keys_stretched(part, scale) for name, part in value.items()}
    if value.get("sort") == "keyed":
        made["keys"] = [{**key, "frame": round(key["frame"] * scale, 6)} for key in value["keys"]]
    return made
