"""Addresses: pointers into a scene's JSON that name items of lists by their ids, so that they survive reordering."""


def pointer_of(raw, address: str) -> str | None:
    """Return the JSON Pointer of an address such as "/fields/gust/clauses/near/settings/fade"; None if it is nowhere.

    What a line's settings do not say yet has a pointer too: there it may be written.
    """
    container, parts = raw, []
    for part in address.strip("/").split("/"):
        if isinstance(container, list) and any(isinstance(item, dict) and "id" in item for item in container):
            number = next((k for k, item in enumerate(container) if item.get("id") == part), None)
            if number is None:
                return None
            part = str(number)
        parts.append(part)
        container = _part(container, part)
    return "/" + "/".join(parts)


def at_pointer(raw, pointer: str):
    """Return what stands at a pointer; None where there is nothing."""
    for part in pointer.strip("/").split("/"):
        raw = _part(raw, part)
    return raw


def _part(container, part):
    if isinstance(container, dict):
        return container.get(part)
    if isinstance(container, list) and part.isdecimal() and int(part) < len(container):
        return container[int(part)]
    return None


def free_id(taken, base: str) -> str:
    """Return an id that is not taken: the base, or that with a number."""
    identity, number = base, 2
    while identity in taken:
        end = f"-{number}"
        identity = base[: 40 - len(end)] + end
        number += 1
    return identity
