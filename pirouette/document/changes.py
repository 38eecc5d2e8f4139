"""What differs between two states of a scene's document, in words."""

from .named import AXES

FAMILIES = {"figures", "fields", "guides", "lights", "cameras"}
# Parts whose name says nothing that the setting's own name does not.
SILENT = {"settings", "place", "joining", "routine", "forces", "looks", "clauses", *FAMILIES}
MISSING = object()
MOST_LETTERS = 60


def differences(before: dict, after: dict) -> list[str]:
    """Return a line of words for each difference between two documents, in the order of the later one.

    Things and lines are known by their ids, so that one that is put in before others is told as one addition.
    """
    return list(_of_object(before, after, ()))


def _of_object(before, after, trail):
    for name in [*after, *(name for name in before if name not in after)]:
        old, new = before.get(name, MISSING), after.get(name, MISSING)
        if old != new:
            yield from _of_value(name, old, new, trail)


def _of_value(name, old, new, trail):
    here = trail if name in SILENT else (*trail, name.replace("_", " "))
    if _has_ids(old) or _has_ids(new):
        yield from _of_list(name, [] if old is MISSING else old, [] if new is MISSING else new, here)
    elif all(value is MISSING or _is_plain_object(value) for value in (old, new)):
        yield from _of_object({} if old is MISSING else old, {} if new is MISSING else new, here)
    elif _is_vector(old) and _is_vector(new):
        parts = zip(AXES, old, new, strict=True)
        yield from (_told((*here, axis), before, other) for axis, before, other in parts if before != other)
    else:
        yield _told(here, old, new)


def _of_list(name, old, new, trail):
    known = {item["id"]: item for item in old}
    for item in new:
        if item["id"] not in known:
            yield f"{_joined((*trail, _title(name, item)))}: added"
        elif known[item["id"]] != item:
            yield from _of_object(known[item["id"]], item, (*trail, _title(name, item)))
    kept = {item["id"] for item in new}
    yield from (f"{_joined((*trail, _title(name, item)))}: removed" for item in old if item["id"] not in kept)
    if [item["id"] for item in old if item["id"] in kept] != [item["id"] for item in new if item["id"] in known]:
        yield f"{_joined(trail) or name.capitalize()}: in another order"


def _has_ids(value):
    return isinstance(value, list) and bool(value) and all(isinstance(item, dict) and "id" in item for item in value)


def _is_plain_object(value):
    return isinstance(value, dict) and "sort" not in value


def _is_vector(value):
    return isinstance(value, list) and len(value) == 3 and not any(isinstance(part, list) for part in value)


def _title(name, item):
    return item.get("name", item["id"]) if name in FAMILIES else item.get("kind", item["id"])


def _told(trail, old, new):
    words = _joined(trail)
    if old is MISSING or isinstance(old, dict) or isinstance(new, dict):
        return f"{words}: {_value(new)}"
    return f"{words}: {_value(old)} → {_value(new)}"


def _joined(trail):
    words = " · ".join(trail)
    return words[:1].upper() + words[1:]


def _value(value):
    if value is MISSING:
        return "as at first"
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        return _moving(value)
    if isinstance(value, list):
        return "changed" if any(isinstance(part, (dict, list)) for part in value) else ", ".join(map(_value, value))
    text = f"{value:g}" if isinstance(value, float) else str(value)
    return text if len(text) <= MOST_LETTERS else f"{text[: MOST_LETTERS - 1]}…"


def _moving(value):
    if value.get("sort") == "keyed":
        count = len(value.get("keys", ()))
        return f"{count} key" if count == 1 else f"{count} keys"
    if value.get("sort") == "formula":
        return f"= {value.get('text', '')}"
    return f"a {value.get('sort', 'value')}"
