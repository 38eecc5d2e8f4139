"""Settings: the frozen model that every kind and every thing in a scene declares its settings with."""

import ast
import copy
import inspect
import json
import textwrap
import threading
from functools import cache, cached_property
from itertools import pairwise

from cachetools import LRUCache

from ..data.key import content_key
from ..data.problem import Problem, ProblemError
from ..values.moment import Surroundings
from ..values.value import Fixed, Value
from .called import CALLED
from .setting import Setting

_reading_source = threading.Lock()


@cache
def _texts_under(cls) -> dict[str, str]:
    """The text under each setting of a class. Read when it is asked for: no command that computes needs it.

    By one thread at a time: CPython 3.11 counts the depth of its syntax trees for all threads in one place, and two
    that read at different depths of their stacks end in a SystemError.
    """
    with _reading_source:
        body = ast.parse(textwrap.dedent(inspect.getsource(cls))).body[0].body
    return {
        statement.target.id: " ".join(text.value.value.split())
        for statement, text in pairwise(body)
        if isinstance(statement, ast.AnnAssign) and isinstance(text, ast.Expr) and isinstance(text.value, ast.Constant)
    }


class Resolved:
    """Settings at a moment: plain numbers and arrays under the settings' names."""

    def __init__(self, values: dict):
        self.__dict__.update(values)

    def changed(self, **values) -> "Resolved":
        """Return the same settings but for some values."""
        return Resolved({**self.__dict__, **values})

    def __repr__(self):
        return f"Resolved({self.__dict__})"


class Settings:
    """A declared set of settings: its classes' attributes say what there is, an object holds what was read of each.

    Nothing of it changes once it is read.
    """

    _declared: dict[str, Setting] = {}

    def __init_subclass__(cls):
        found = {}
        for base in reversed(cls.__mro__):
            found.update({name: one for name, one in vars(base).items() if isinstance(one, Setting)})
        cls._declared = {name: found[name] for name in sorted(found, key=lambda name: name not in vars(cls))}

    def __init__(self, raw: dict | None = None):
        """Read settings as they stand in a scene file; raises ProblemError with all that is wrong in them."""
        raw, problems, values = raw or {}, [], self.__dict__
        for name, setting in self._declared.items():
            try:
                values[name] = setting.parse(raw[name]) if name in raw else setting.parsed_default
            except ProblemError as error:
                problems += [problem.within(name) for problem in error.problems]
        allowed = ", ".join(self._declared)
        for name in raw:
            if name not in self._declared:
                problems.append(Problem(str(name), f"there is no such setting; allowed {allowed}", "setting.unknown"))
        if problems:
            raise ProblemError(problems)

    def __setattr__(self, name, value):
        raise AttributeError(f"{name} cannot be set: settings do not change")

    def changed(self, **raw) -> "Settings":
        """Return the same settings but for some values, as they stand in a scene file; raises ProblemError."""
        values = {name: getattr(self, name) for name in self._declared}
        other = type(self)(raw)
        other.__dict__.update({name: value for name, value in values.items() if name not in raw})
        return other

    @classmethod
    def declared(cls) -> dict[str, Setting]:
        """The settings by name, in the order in which they are shown: the kind's own before those it shares."""
        return cls._declared

    @classmethod
    def describe(cls) -> list[dict]:
        """All settings as plain data, with other words for them and their help: the text under each in its class."""
        helps = {}
        for base in reversed(cls.__mro__[: cls.__mro__.index(Settings)]):
            helps.update(_texts_under(base))
        titles = cls._titles()
        places = list(titles)
        # Those that stand in no group come first, in their order.
        names = sorted(cls._declared, key=lambda name: places.index(name) if name in titles else -1)
        return [
            {
                "name": name,
                "help": helps.get(name, ""),
                "words": CALLED.get(name, ""),
                "group": titles.get(name, ""),
                **cls._declared[name].describe(),
            }
            for name in names
        ]

    @classmethod
    def _titles(cls) -> dict[str, str]:
        """The titles of the groups that settings stand in, by the names of these, as they are shown."""
        groups = [group for base in cls.__mro__ for group in vars(base).get("groups", {}).items()]
        return {name: title for title, names in groups for name in names if name in cls._declared}

    @classmethod
    def depends_on_time(cls, resolved) -> bool:
        """True if a kind that asks for the moment makes another result at another one, with these settings."""
        return True

    def values(self) -> list[Value]:
        """All values that are numbers, vectors or colours of some sort."""
        return [value for value in (getattr(self, name) for name in self.declared()) if isinstance(value, Value)]

    @cached_property
    def references(self) -> tuple[tuple[str, tuple, str], ...]:
        """(name, families, id) of every reference to another thing in the scene."""
        references = []
        for name, setting in self.declared().items():
            value = getattr(self, name)
            if setting.sort == "reference" and value is not None:
                references.append((name, setting.choices, value))
            elif setting.sort == "references":
                references += [(f"{name}/{number}", setting.choices, choice) for number, choice in enumerate(value)]
        return tuple(references)

    @cached_property
    def assets(self) -> tuple[tuple[str, str, str], ...]:
        """(name, sort of asset, id) of every asset that is used."""
        return tuple(
            (name, setting.choices[0], getattr(self, name))
            for name, setting in self.declared().items()
            if setting.sort == "asset" and getattr(self, name) is not None
        )

    def moving(self) -> dict[str, Value]:
        """The values that may differ from frame to frame."""
        return self._moving

    @cached_property
    def _moving(self) -> dict[str, Value]:
        return {
            name: value
            for name, value in ((name, getattr(self, name)) for name in self.declared())
            if isinstance(value, Value) and value.moves
        }

    def resolve(self, around: Surroundings | None = None) -> Resolved:
        """Return all settings as plain numbers at a moment.

        Raises ProblemError, with the setting's name as its path, if a formula has no finite value there.
        """
        still, computed = self._parts
        if not computed:
            return self._resolved
        around = around or Surroundings()
        resolved = dict(still)
        for name, (setting, value) in computed.items():
            try:
                resolved[name] = setting.fit(value.at(around))
            except ProblemError as error:
                raise error.within(name) from None
        return Resolved(resolved)

    @cached_property
    def has_per_copy(self) -> bool:
        """True if any value may differ from copy to copy."""
        return any(value.per_copy for value in self.values())

    @cached_property
    def _parts(self) -> tuple[dict, dict]:
        """What is the same at every moment, and the settings and values of what has to be computed, by name."""
        still, computed = {}, {}
        for name, setting in self.declared().items():
            value = getattr(self, name)
            if not isinstance(value, Value):
                still[name] = value
            elif isinstance(value, Fixed):
                # What is written was checked when it was read; whole numbers are rounded all the same.
                still[name] = setting.fit(value.value) if setting.sort == "integer" else value.value
            else:
                computed[name] = setting, value
        return still, computed

    @cached_property
    def _resolved(self) -> "Resolved":
        """The settings as plain numbers at every moment, if none of them has to be computed."""
        return Resolved(self._parts[0])

    def sign(self, around: Surroundings, resolved: Resolved) -> tuple:
        """Return parts of a key that are equal whenever `resolve` gives the same; `resolved` is what it gave here."""
        moving = self._parts[1]
        return self._still_sign, tuple(
            (n, value.sign(around, getattr(resolved, n))) for n, (_, value) in moving.items()
        )

    @cached_property
    def _still_sign(self) -> str:
        return content_key(self._parts[0])

    @cached_property
    def timeless_key(self) -> str:
        """A key of all that the settings follow from at any time, but what they refer to."""
        return content_key(tuple(getattr(self, name) for name in self.declared()))

    @cached_property
    def named(self) -> tuple[str, ...]:
        """What the formulas of all values refer to in braces."""
        return tuple(name for value in self.values() for name in value.references)


def read_settings(model: type[Settings], raw, path: str) -> Settings:
    """Read settings from JSON; raises ProblemError with all mistakes, their paths below `path`."""
    if not isinstance(raw, dict):
        raise ProblemError(Problem(path, "allowed an object of settings", "setting.object"))
    try:
        key = model, json.dumps(raw)
    except (TypeError, ValueError):
        # It is no JSON, and that will be told.
        return _read(model, raw, path)
    with _known_lock:
        known = _known.get(key)
    if known is None:
        known = _read(model, raw, path)
        # What follows from the settings alone is found once for all copies.
        known._still_sign, known.timeless_key, known.has_per_copy, known.named  # noqa: B018
        known.references, known.assets, known._moving, known._parts[1] or known._resolved  # noqa: B018
        with _known_lock:
            _known[key] = known
    # Each of two things with equal settings has its own.
    return copy.copy(known)


# Settings that were read, by what was written: of a scene that is edited all but one are the same again.
_known = LRUCache(8192)
_known_lock = threading.Lock()


def _read(model, raw, path):
    try:
        return model(raw)
    except ProblemError as error:
        raise error.within(path) from None
