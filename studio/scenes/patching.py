"""JSON Patches: applied with the patch that takes them back, and moves of one gesture made into one."""

import copy
import json

import jsonpatch
import jsonpointer

from pirouette.data import Problem, ProblemError
from pirouette.document.read import MAX_FILE
from pirouette.values.read import shown

WRONG = (jsonpatch.JsonPatchException, jsonpointer.JsonPointerException, TypeError, KeyError, AttributeError)


def applied(document: dict, patch: list) -> tuple[dict, list]:
    """Return the changed document and the patch that leads back; the given one is left as it is.

    What a patch does not reach, both documents share.
    Raises ProblemError if the patch does not fit the document
    """
    changed, own, inverse = document, _Own(), []
    copied = 0
    for index, operation in enumerate(patch):
        try:
            if operation["op"] == "copy":
                copied += len(json.dumps(_at(changed, operation["from"])))
                if copied > MAX_FILE:
                    _refuse(f"copies more than {MAX_FILE >> 20} MB", index, "patch.size")
            back = _inverse(changed, operation)
            # Where a move puts something is told after it is taken away: that is done in a copy of all.
            is_move = operation["op"] == "move"
            changed = changed if is_move else own.along(changed, operation["path"])
            changed = jsonpatch.apply_patch(changed, [operation], in_place=not is_move)
        except WRONG:
            # The libraries' own words repeat the whole document.
            told = " ".join(shown(operation.get(name, "nothing")) for name in ("op", "path"))
            _refuse(f"the change does not fit the scene: {told}", index, "patch.wrong")
        inverse.append(back)
    return changed, copy.deepcopy([operation for back in reversed(inverse) for operation in back])


class _Own:
    """What of a document is a copy that may be changed: all else is somebody's."""

    def __init__(self):
        # By identity, which none else can have while they are kept.
        self.copies = {}

    def along(self, document, path):
        """Return a document with copies of all that leads to a path."""
        pointer = jsonpointer.JsonPointer(path)
        document = parent = self._copy(document)
        for part in pointer.parts[:-1]:
            child = self._copy(pointer.walk(parent, part))
            parent[pointer.get_part(parent, part)] = child
            parent = child
        return document

    def _copy(self, value):
        if isinstance(value, (dict, list)) and id(value) not in self.copies:
            value = copy.copy(value)
            self.copies[id(value)] = value
        return value


def _refuse(message, index, code):
    raise ProblemError(Problem(f"patch/{index}", message, code)) from None


def _inverse(document, operation) -> list:
    """The operations that take one back, told before it is carried out."""
    sort, path = operation["op"], operation.get("path")
    if sort == "test":
        return []
    if sort == "remove":
        return [{"op": "add", "path": path, "value": _at(document, path)}]
    if sort == "replace":
        return [{"op": "replace", "path": path, "value": _at(document, path)}]
    if sort == "move":
        value = _at(document, operation["from"])
        without = jsonpatch.apply_patch(document, [{"op": "remove", "path": operation["from"]}])
        return [*_taken_out(without, path), {"op": "add", "path": operation["from"], "value": value}]
    return _taken_out(document, path)


def _taken_out(document, path) -> list:
    """What undoes that something is added: it goes again, or makes room for what stood there."""
    if path == "":
        return [{"op": "replace", "path": "", "value": document}]
    pointer = jsonpointer.JsonPointer(path)
    parent, name = pointer.to_last(document)
    if isinstance(parent, list):
        place = len(parent) if name == "-" else name
        return [{"op": "remove", "path": jsonpointer.JsonPointer.from_parts([*pointer.parts[:-1], place]).path}]
    if name in parent:
        return [{"op": "replace", "path": path, "value": parent[name]}]
    return [{"op": "remove", "path": path}]


def _at(document, path):
    return jsonpointer.resolve_pointer(document, path)


def joined(patch, inverse, more, more_inverse) -> tuple[list, list]:
    """Return two steps as one: patch and inverse. A value that only moves on keeps its last and its first number."""
    same_places = [operation.get("path") for operation in patch] == [operation.get("path") for operation in more]
    if (
        same_places
        and all(operation["op"] == "replace" for operation in more)
        and all(o["op"] in ("add", "replace") for o in patch)
    ):
        return [{**one, "value": other["value"]} for one, other in zip(patch, more, strict=True)], inverse
    return [*patch, *more], [*more_inverse, *inverse]
