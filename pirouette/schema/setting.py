"""One setting of a kind: its sort, default, ranges, unit. Everything that shows or checks it reads this."""

from dataclasses import asdict, dataclass, field, replace
from functools import cached_property

import numpy as np

from ..values.read import (
    check_colour,
    check_number,
    fail,
    limits,
    read_colour,
    read_nodes,
    read_number,
    read_vector,
    shown,
)
from ..values.response import read_response
from ..values.value import Value

MAX_TEXT = 2000
PERIODS = {"deg": 360.0, "rounds": 1.0, "widths": 1.0, "heights": 1.0}
MAX_STOPS = 32
MAX_REFERENCES = 64
MAX_NODES = 500


@dataclass(frozen=True)
class Setting:
    """The declaration of one setting.

    default   as it stands in a scene file
    soft      where a slider ends; typing goes past it
    hard      where the mathematics ends; beyond is an error
    headline  shown in the routine's sentence
    per_copy  a formula may give each copy (or point) its own value
    winds     of an angle: every turn more is another form, as in a twist; otherwise whole turns look alike
    only_if   it means something only if other settings have one of some values: name -> values
    none      of a reference: what it stands for while it leads nowhere
    zero      of a number: what 0 stands for, in words, where that is something else than none at all
    picked    of a number: what of a point that is picked in the view it can be, "distance", or nothing
    rounds    of a response curve: whether it runs smoothly through points without handles, too
    """

    sort: str
    default: object
    soft: tuple = (None, None)
    hard: tuple = (None, None)
    unit: str = ""
    choices: tuple[str, ...] = ()
    headline: bool = False
    per_copy: bool = False
    only_if: dict[str, tuple] = field(default_factory=dict)
    winds: bool = False
    none: str = "nothing"
    zero: str = ""
    picked: str = ""
    rounds: bool = False

    @property
    def can_move(self) -> bool:
        return self.sort in ("number", "integer", "vector", "colour")

    @property
    def period(self) -> float | None:
        """After how much a value looks alike again, or None."""
        return None if self.winds else PERIODS.get(self.unit)

    @cached_property
    def parsed_default(self):
        return self.parse(self.default)

    def parse(self, raw):
        """Return what a scene file's value stands for; raises ProblemError with paths inside the value."""
        value = _PARSERS[self.sort](self, raw)
        if isinstance(value, Value) and value.per_copy and not self.per_copy:
            fail(
                "",
                "this setting has one value for all copies; index, share, x, y, z and weight mean nothing here",
                "formula.copies",
            )
        return value

    def fit(self, resolved):
        """Bring a computed number into the hard range; whole numbers are rounded."""
        if not self.can_move or self.sort == "colour":
            return resolved
        low, high = limits(self.hard)
        if np.ndim(resolved) == 0:
            resolved = min(max(resolved, low), high)
            return round(resolved) if self.sort == "integer" else resolved
        resolved = np.clip(resolved, low, high)
        return np.round(resolved) if self.sort == "integer" else resolved

    def describe(self) -> dict:
        return {**asdict(self), "can_move": self.can_move}


def _parse_switch(setting, raw):
    if not isinstance(raw, bool):
        fail("", f"{shown(raw)} is neither true nor false", "value.switch")
    return raw


def _parse_choice(setting, raw):
    if raw not in setting.choices:
        fail("", f"{shown(raw)} is not one of {', '.join(setting.choices)}", "value.choice")
    return raw


def _parse_text(setting, raw):
    if not isinstance(raw, str) or len(raw) > MAX_TEXT:
        fail("", f"{shown(raw)} is not text of up to {MAX_TEXT} characters", "value.text")
    return raw


def _parse_reference(setting, raw):
    if raw is not None and not isinstance(raw, str):
        fail("", f"{shown(raw)} is not the id of a thing in the scene, or null", "value.reference")
    return raw


def _parse_references(setting, raw):
    if not isinstance(raw, list) or len(raw) > MAX_REFERENCES or not all(isinstance(name, str) for name in raw):
        fail("", f"{shown(raw)} is not a list of up to {MAX_REFERENCES} ids of things in the scene", "value.references")
    return tuple(raw)


def _parse_asset(setting, raw):
    if raw is not None and not isinstance(raw, str):
        fail("", f"{shown(raw)} is not the id of an asset, or null", "value.asset")
    return raw


def _parse_flags(setting, raw):
    if not isinstance(raw, list) or not all(member in setting.choices for member in raw):
        fail("", f"{shown(raw)} is not a list of some of {', '.join(setting.choices)}", "value.flags")
    return tuple(choice for choice in setting.choices if choice in raw)


def _parse_gradient(setting, raw):
    if not isinstance(raw, list) or not 1 <= len(raw) <= MAX_STOPS:
        fail("", f"allowed a list of 1 to {MAX_STOPS} stops, each with at and colour", "value.gradient")
    stops = []
    for index, stop in enumerate(raw):
        if not isinstance(stop, dict) or set(stop) != {"at", "colour"}:
            fail(str(index), f"{shown(stop)} is not a stop; allowed at and colour", "value.gradient")
        at = check_number(stop["at"], f"{index}/at", (0, 1))
        stops.append((at, *check_colour(stop["colour"], f"{index}/colour")))
    return np.array(sorted(stops), np.float64)


def _parse_integer(setting, raw):
    if isinstance(raw, float) and np.isfinite(raw) and raw != round(raw):
        fail("", f"{raw:g} is not a whole number", "value.whole")
    return read_number(raw, setting.hard)


_PARSERS = {
    "number": lambda setting, raw: read_number(raw, setting.hard),
    "integer": _parse_integer,
    "vector": lambda setting, raw: read_vector(raw, setting.hard),
    "colour": lambda setting, raw: read_colour(raw),
    "switch": _parse_switch,
    "choice": _parse_choice,
    "text": _parse_text,
    "reference": _parse_reference,
    "references": _parse_references,
    "asset": _parse_asset,
    "flags": _parse_flags,
    "nodes": lambda setting, raw: read_nodes(raw, MAX_NODES),
    "gradient": _parse_gradient,
    "curve": lambda setting, raw: read_response(raw, MAX_STOPS),
}


def only_if(declared: Setting, **conditions: tuple) -> Setting:
    """Return a setting that means something only while others have one of these values; else it is not shown.

    A reference has the value "chosen" while it leads to anything.
    """
    return replace(declared, only_if=conditions)


def number(default, *, soft=(0, 100), hard=(None, None), unit="", **more) -> Setting:
    """A number of any sort of value; `more` as in Setting."""
    return Setting("number", default, soft, hard, unit, **more)


def integer(default, *, soft=(0, 10), hard=(None, None), unit="", headline=False, per_copy=False, zero="") -> Setting:
    """A whole number of any sort of value."""
    return Setting("integer", default, soft, hard, unit, headline=headline, per_copy=per_copy, zero=zero)


def vector(
    default, *, soft=(-100, 100), hard=(None, None), unit="", headline=False, per_copy=False, winds=False
) -> Setting:
    """Three numbers, each of any sort of value."""
    return Setting("vector", list(default), soft, hard, unit, headline=headline, per_copy=per_copy, winds=winds)


def colour(default, *, headline=False, per_copy=False) -> Setting:
    """A colour of any sort of value, written "#rrggbb", used as linear light."""
    return Setting("colour", default, headline=headline, per_copy=per_copy)


def choice(default, choices, *, headline=False) -> Setting:
    return Setting("choice", default, choices=tuple(choices), headline=headline)


def switch(default, *, headline=False) -> Setting:
    return Setting("switch", default, headline=headline)


def text(default, *, headline=False) -> Setting:
    return Setting("text", default, headline=headline)


def reference(*families: str, headline=False, none="nothing") -> Setting:
    """The id of another thing in the scene, or none; `families` of a scene that may be named, such as "guides"."""
    return Setting("reference", None, choices=families, headline=headline, none=none)


def references(*families: str, headline=False) -> Setting:
    """The ids of other things in the scene, in their order."""
    return Setting("references", [], choices=families, headline=headline)


def asset(sort: str, default=None, *, headline=False) -> Setting:
    """The id of an asset of a sort: "font", "artwork", "model" or "picture"; or none."""
    return Setting("asset", default, choices=(sort,), headline=headline)


def flags(default, choices, *, headline=False) -> Setting:
    """Any number of some words."""
    return Setting("flags", list(default), choices=tuple(choices), headline=headline)


def nodes(default, *, headline=False) -> Setting:
    """Points of a curve with handles, resolved to (N, 9) rows: place, handle that arrives, handle that leaves."""
    return Setting("nodes", default, headline=headline)


def gradient(default, *, headline=False) -> Setting:
    """Colours at places 0..1, resolved to (S, 4) rows of place and linear rgb."""
    return Setting("gradient", default, headline=headline)


def curve(default, *, headline=False, rounds=False) -> Setting:
    """A response curve through points [in, out], which may have handles, resolved to (P, 2) rows."""
    return Setting("curve", default, headline=headline, rounds=rounds)
