"""One setting of a kind: its sort, default, ranges, unit. Everything that shows or checks it reads this."""

from dataclasses import asdict, dataclass
from functools import cached_property

import numpy as np
from pydantic import Field

from ..values.read import check_colour, check_number, fail, read_colour, read_number, read_vector, shown
from ..values.value import Value

MAX_TEXT = 2000
MAX_STOPS = 32


@dataclass(frozen=True)
class Setting:
    """The declaration of one setting.

    default   as it stands in a scene file
    soft      where a slider ends; typing goes past it
    hard      where the mathematics ends; beyond is an error
    headline  shown in the routine's sentence
    per_copy  a formula may give each copy (or point) its own value
    """

    sort: str
    default: object
    soft: tuple = (None, None)
    hard: tuple = (None, None)
    unit: str = ""
    choices: tuple[str, ...] = ()
    headline: bool = False
    per_copy: bool = False

    @property
    def can_move(self) -> bool:
        return self.sort in ("number", "integer", "vector", "colour")

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
        if not self.can_move:
            return resolved
        low, high = self.hard
        if np.ndim(resolved) == 0:
            resolved = resolved if low is None else max(resolved, low)
            resolved = resolved if high is None else min(resolved, high)
            return round(resolved) if self.sort == "integer" else resolved
        if low is not None or high is not None:
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


def _parse_curve(setting, raw):
    if not isinstance(raw, list) or not 2 <= len(raw) <= MAX_STOPS:
        fail("", f"allowed a list of 2 to {MAX_STOPS} points [in, out]", "value.curve")
    points = []
    for index, point in enumerate(raw):
        if not isinstance(point, list) or len(point) != 2:
            fail(str(index), f"{shown(point)} is not a point; allowed [in, out]", "value.curve")
        points.append([check_number(part, f"{index}/{k}", (0, 1)) for k, part in enumerate(point)])
    return np.array(sorted(points), np.float64)


def _parse_integer(setting, raw):
    if isinstance(raw, float) and raw != round(raw) and np.isfinite(raw):
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
    "gradient": _parse_gradient,
    "curve": _parse_curve,
}


def _field(setting: Setting):
    return Field(default_factory=lambda: setting.parsed_default, json_schema_extra={"setting": setting})


def number(default, *, soft=(0, 100), hard=(None, None), unit="", headline=False, per_copy=False):
    """A number of any sort of value."""
    return _field(Setting("number", default, soft, hard, unit, headline=headline, per_copy=per_copy))


def integer(default, *, soft=(0, 10), hard=(None, None), unit="", headline=False):
    """A whole number of any sort of value."""
    return _field(Setting("integer", default, soft, hard, unit, headline=headline))


def vector(default, *, soft=(-100, 100), hard=(None, None), unit="", headline=False, per_copy=False):
    """Three numbers, each of any sort of value."""
    return _field(Setting("vector", list(default), soft, hard, unit, headline=headline, per_copy=per_copy))


def colour(default, *, headline=False):
    """A colour of any sort of value, written "#rrggbb", used as linear light."""
    return _field(Setting("colour", default, headline=headline))


def choice(default, choices, *, headline=False):
    return _field(Setting("choice", default, choices=tuple(choices), headline=headline))


def switch(default, *, headline=False):
    return _field(Setting("switch", default, headline=headline))


def text(default, *, headline=False):
    return _field(Setting("text", default, headline=headline))


def reference(to: str, *, headline=False):
    """The id of another thing in the scene, or none. `to` says which things may be named: "guide", "field"."""
    return _field(Setting("reference", None, choices=(to,), headline=headline))


def gradient(default, *, headline=False):
    """Colours at places 0..1, resolved to (S, 4) rows of place and linear rgb."""
    return _field(Setting("gradient", default, headline=headline))


def curve(default, *, headline=False):
    """A response curve through points [in, out], resolved to (P, 2) rows."""
    return _field(Setting("curve", default, headline=headline))
