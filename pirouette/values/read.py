"""Reads values from their JSON form; every mistake becomes a problem with its path inside the value."""

import math
import re

import numpy as np

from ..data.light import linear_light
from ..data.problem import Problem, ProblemError
from .formula import parse_formula
from .keys import EASES, OUTSIDE, Key
from .value import NODE, SHAPES, Blend, Computed, Fixed, Keyed, Nodes, Parts, Swing, Value

SORTS = ("keyed", "swing", "formula")
COLOUR = re.compile(r"#[0-9a-fA-F]{6}")
MAX_KEYS = 10_000
# Beyond this, geometry in 32 bits means nothing any more.
LARGEST = 1e9


def fail(path: str, message: str, code: str):
    raise ProblemError(Problem(path, message, code))


def shown(raw) -> str:
    """A value as it can be read back to a person, cut short."""
    text = f"“{raw}”" if isinstance(raw, str) else repr(raw)
    return text if len(text) <= 60 else text[:57] + "…"


def check_number(raw, path: str, hard=(None, None)) -> float:
    """Return a finite float within the hard range, or raise a ProblemError."""
    low, high = limits(hard)
    allowed = describe_range(*hard)
    if isinstance(raw, bool) or not isinstance(raw, (int, float)):
        fail(path, f"{shown(raw)} is not a number; allowed {allowed}", "value.number")
    if raw != raw or raw in (math.inf, -math.inf):
        fail(path, f"{raw} is not a finite number; allowed {allowed}", "value.finite")
    if raw < low:
        fail(path, f"{_short(raw)} is below {low:g}; allowed {allowed}", "value.below")
    if raw > high:
        fail(path, f"{_short(raw)} is above {high:g}; allowed {allowed}", "value.above")
    return float(raw)


def limits(hard) -> tuple[float, float]:
    """Return the hard range of a number with both its ends."""
    low, high = hard
    return -LARGEST if low is None else low, LARGEST if high is None else high


def _short(number) -> str:
    # A whole number may have more digits than a float can hold.
    return f"{number:g}" if abs(number) < 1e300 else "a number of more than 300 digits"


def describe_range(low, high) -> str:
    if low is None and high is None:
        return f"any number up to {LARGEST:g}"
    low, high = limits((low, high))
    return f"{low:g} to {high:g}"


def check_colour(raw, path: str):
    if not isinstance(raw, str) or not COLOUR.fullmatch(raw):
        fail(path, f"{shown(raw)} is not a colour; allowed “#rrggbb”", "value.colour")
    return linear_light(raw)


def read_number(raw, hard=(None, None)) -> Value:
    """Read a number of any sort. The hard range holds for what is written and, by clamping, for what is computed."""
    if not isinstance(raw, dict):
        return Fixed(check_number(raw, "", hard))
    return _read_sort(raw, lambda item, path: check_number(item, path, hard), _swing_number, _computed_number)


def read_vector(raw, hard=(None, None)) -> Value:
    """Read a vector: a list of three numbers, each of any sort."""
    if not isinstance(raw, list) or len(raw) != 3:
        fail("", f"{shown(raw)} is not a vector; allowed a list of three numbers", "value.vector")
    problems, parts = [], []
    for index, item in enumerate(raw):
        try:
            parts.append(read_number(item, hard))
        except ProblemError as error:
            problems.extend(error.within(str(index)).problems)
    if problems:
        raise ProblemError(problems)
    if all(isinstance(part, Fixed) for part in parts):
        return Fixed(np.array([part.value for part in parts], np.float64))
    return Parts(tuple(parts))


def read_nodes(raw, most: int) -> Value:
    """Read 1 to `most` points of a curve: each has a place, and handles relative to it, of numbers of any sort.

    A point without handles is a corner.
    """
    if not isinstance(raw, list) or not 1 <= len(raw) <= most:
        fail("", f"allowed a list of 1 to {most} points of a curve", "value.nodes")
    problems, parts = [], []
    for index, node in enumerate(raw):
        if not isinstance(node, dict) or not {"at"} <= set(node) <= set(NODE):
            fail(
                str(index),
                f"{shown(node)} is not a point; allowed {', '.join(NODE[:-1])} and {NODE[-1]}",
                "value.nodes",
            )
        for name in NODE:
            part = node.get(name, [0, 0, 0])
            if not isinstance(part, list) or len(part) != 3:
                fail(f"{index}/{name}", f"{shown(part)} is not a place; allowed [x, y, z]", "value.nodes")
            for axis, number in enumerate(part):
                try:
                    parts.append(read_number(number))
                except ProblemError as error:
                    problems.extend(error.within(f"{index}/{name}/{axis}").problems)
    if problems:
        raise ProblemError(problems)
    if all(isinstance(part, Fixed) for part in parts):
        return Fixed(np.array([part.value for part in parts], np.float64).reshape(-1, 9))
    return Nodes(tuple(parts))


def read_colour(raw) -> Value:
    """Read a colour of any sort; a swing or formula on a colour blends from one colour to another."""
    if not isinstance(raw, dict):
        return Fixed(check_colour(raw, ""))
    return _read_sort(raw, check_colour, _swing_colour, _computed_colour)


def _read_sort(raw, check_item, read_swing, read_formula):
    sort = raw.get("sort")
    if sort == "keyed":
        return _read_keyed(raw, check_item)
    if sort == "swing":
        return read_swing(raw)
    if sort == "formula":
        return read_formula(raw)
    fail("sort", f"{shown(sort)} is not a sort of value; allowed {', '.join(SORTS)}", "value.sort")


def _only(raw, path, *names):
    unknown = sorted(set(raw) - set(names))
    if unknown:
        fail(f"{path}/{unknown[0]}".strip("/"), f"unknown; allowed {', '.join(names)}", "setting.unknown")


def _choice(raw, name, choices, default, path=""):
    choice = raw.get(name, default)
    if choice not in choices:
        fail(f"{path}{name}", f"{shown(choice)} is not one of {', '.join(choices)}", "value.choice")
    return choice


def _read_keyed(raw, check_item):
    _only(raw, "", "sort", "keys", "before", "after")
    items = raw.get("keys")
    if not isinstance(items, list) or not 1 <= len(items) <= MAX_KEYS:
        fail("keys", f"allowed a list of 1 to {MAX_KEYS} keys", "value.keys")
    keys = []
    for index, item in enumerate(items):
        path = f"keys/{index}"
        if not isinstance(item, dict):
            fail(path, f"{shown(item)} is not a key; allowed an object with frame and value", "value.key")
        _only(item, path, "frame", "value", "ease", "leave", "arrive")
        ease = _choice(item, "ease", EASES, "smooth", f"{path}/")
        handles = [_handle(item, name, path) for name in ("leave", "arrive")]
        frame = check_number(item.get("frame"), f"{path}/frame")
        keys.append(Key(frame, check_item(item.get("value"), f"{path}/value"), ease, *handles))
    keys.sort(key=lambda key: key.frame)
    for before, after in zip(keys, keys[1:], strict=False):
        if before.frame == after.frame:
            fail("keys", f"two keys at frame {before.frame:g}; allowed one at each frame", "value.keys")
    return Keyed(tuple(keys), _choice(raw, "before", OUTSIDE, "hold"), _choice(raw, "after", OUTSIDE, "hold"))


def _handle(item, name, path):
    handle = item.get(name, [0, 0])
    if not isinstance(handle, list) or len(handle) != 2:
        fail(f"{path}/{name}", f"{shown(handle)} is not a handle; allowed [frames, value]", "value.handle")
    return tuple(check_number(part, f"{path}/{name}") for part in handle)


def _swing_number(raw):
    _only(raw, "", "sort", "middle", "amount", "times", "phase", "shape")
    numbers = [
        check_number(raw.get(name, default), name)
        for name, default in (("middle", 0.0), ("amount", 1.0), ("times", 1.0), ("phase", 0.0))
    ]
    return Swing(*numbers, shape=_choice(raw, "shape", SHAPES, "sine"))


def _computed_number(raw):
    _only(raw, "", "sort", "text", "base")
    return Computed(_formula(raw), check_number(raw.get("base", 0.0), "base"))


def _formula(raw):
    text = raw.get("text")
    if not isinstance(text, str) or not text.strip():
        fail("text", f"{shown(text)} is not a formula; allowed arithmetic such as 40 * wave(turn)", "formula.text")
    try:
        return parse_formula(text)
    except ProblemError as error:
        raise error.within("text") from None


def _ends(raw):
    return check_colour(raw.get("from"), "from"), check_colour(raw.get("to"), "to")


def _swing_colour(raw):
    _only(raw, "", "sort", "from", "to", "times", "phase", "shape")
    inner = {name: raw[name] for name in ("times", "phase", "shape") if name in raw}
    return Blend(_swing_number({"sort": "swing", "middle": 0.5, "amount": 0.5, **inner}), *_ends(raw))


def _computed_colour(raw):
    _only(raw, "", "sort", "text", "from", "to")
    return Blend(Computed(_formula(raw)), *_ends(raw))
