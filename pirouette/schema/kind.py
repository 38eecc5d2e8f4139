"""A kind: settings, one pure function on arrays, and a sentence that reads aloud what it does."""

import inspect
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

from .settings import Settings

GROUPS = ("form", "repeat", "modulate", "deform", "build", "clause", "finish", "look", "light")


@dataclass(frozen=True)
class Kind:
    """The declaration of one kind.

    sentence    words with **{setting}** where a headline value stands
    function    takes the arguments it names, out of those its group offers (see architecture)
    estimate    settings -> how many points (forms) or copies (repeats) will come out; or, for builders,
                (settings, point_count) -> points. Asked before anything is allocated
    advice      (shape, settings, links) -> why the step can have no effect as it is, or ""
    ways        for clauses: (points, settings, moment, links) -> two (N, 3) unit vectors, away from and along it
    times       settings -> the delays (D,) whose places a kind asks for as `past`, or how many frames of `trail`
    """

    id: str
    group: str
    settings: type[Settings]
    function: Callable | None
    sentence: str
    version: int = 1
    estimate: Callable | None = None
    advice: Callable | None = None
    ways: Callable | None = None
    times: Callable | None = None

    def __post_init__(self):
        if self.group not in GROUPS:
            raise ValueError(f"group is {self.group!r}; allowed {', '.join(GROUPS)}")
        unknown = set(self.placeholders) - set(self.settings.declared())
        if unknown:
            raise ValueError(f"the sentence of {self.id} names unknown settings: {', '.join(sorted(unknown))}")

    @property
    def placeholders(self) -> list[str]:
        return re.findall(r"\{(\w+)(?:\.\w)?\}", self.sentence)

    @cached_property
    def arguments(self) -> tuple[str, ...]:
        return tuple(inspect.signature(self.function).parameters) if self.function else ()

    @property
    def summary(self) -> str:
        """The first sentence of the function's docstring."""
        source = self.function or self.settings
        return inspect.getdoc(source).split("\n\n")[0].replace("\n", " ")

    def call(self, **offered):
        """Call the function with those of the offered arguments that it names; links and directions may be missing."""
        offered = {"links": {}, "directions": None, **offered}
        return self.function(**{name: offered[name] for name in self.arguments})

    def describe(self) -> dict:
        return {
            "id": self.id,
            "group": self.group,
            "sentence": self.sentence,
            "summary": self.summary,
            "version": self.version,
            "settings": self.settings.describe(),
        }
