"""A kind: settings, one pure function on arrays, and a sentence that reads aloud what it does."""

import inspect
import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property

from .settings import Settings

# What a deformer that can do either moves, as its setting `moves` says.
WHOLE, EACH_POINT = MOVES = ("whole copies", "each point")
GROUPS = ("form", "repeat", "modulate", "deform", "build", "simulate", "force", "clause", "finish", "look", "light")
# What a force does: it adds to the speed, takes from it, or holds points where they may be.
PUSHES, SLOWS, HOLDS = ACTS = ("pushes", "slows", "holds")


@cache
def arguments_of(function) -> tuple[str, ...]:
    """The names of a function's arguments; none of nothing."""
    return tuple(inspect.signature(function).parameters) if function else ()


# How the states of a loop meet: what is born comes again and dies in time, what moves has forgotten its start, or
# points that go on for ever are blended between two stretches of their way; or they do not.
BY_BIRTHS, BY_SETTLING, BY_BLENDING, OPEN = CLOSINGS = ("its births", "settling", "blending", "nothing")


def _settles(settings) -> str:
    return BY_SETTLING


@dataclass(frozen=True)
class Simulation:
    """How a kind remembers: its state at each whole frame follows from the one before.

    start    makes the State at the first frame, of the offered arguments that it names
    advance  makes the State of a frame, likewise; `state` is the one of the frame before, all else is of this frame
    run_in   (settings, moment) -> how many frames before the first one it has to run; None is until a loop repeats
    closing  settings -> by which of CLOSINGS a loop meets its beginning
    between  (state, after, share, moment) -> the State between two whole frames; that of all numbers by default
    fixed    names of settings that are all along what they are at the first frame
    """

    start: Callable
    advance: Callable
    run_in: Callable
    closing: Callable = _settles
    between: Callable | None = None
    fixed: tuple[str, ...] = ()

    @cached_property
    def arguments(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*arguments_of(self.start), *arguments_of(self.advance))))


@dataclass(frozen=True)
class Kind:
    """The declaration of one kind.

    sentence    words with **{setting}** where a headline value stands
    function    takes the arguments it names, out of those that are on offer (see architecture); what its result
                depends on follows from them: on time, say, only if it asks for the `moment`
    estimate    how many points (forms, builders) or copies (repeats) will come out; takes those it names of
                `settings`, `shape`, `links` and `moment`. Asked before anything is allocated
    advice      (shape, settings, links), of forces and lights (settings) -> why it can have no effect as it is, or ""
    takes_copies_as_one  for builders that ask for a `mesh`: settings -> whether copies are one mesh to them, or else
                each source is one
    moves_copies  for deformers whose setting `moves` is one of MOVES: the function that moves copies as they are
    ways        for clauses: (points, settings, moment, links) -> two (N, 3) unit vectors, away from and along it
    simulation  for kinds with a past, whose function asks for the `state`
    acts        for forces: one of ACTS
    carries     for forces that hold: what takes points along with a figure that has moved since the frame before
    reads       for finishes: settings -> which of the layers that its arguments name it reads; all by default
    icon        the name of the small drawing that the page shows beside it
    words       what else people call it or want of it, for those who look for it
    """

    id: str
    group: str
    settings: type[Settings]
    function: Callable | None
    sentence: str
    version: int = 1
    estimate: Callable | None = None
    advice: Callable | None = None
    takes_copies_as_one: Callable | None = None
    moves_copies: Callable | None = None
    ways: Callable | None = None
    simulation: Simulation | None = None
    acts: str | None = None
    carries: Callable | None = None
    reads: Callable | None = None
    icon: str = "settings"
    words: str = ""

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
        return tuple(dict.fromkeys((*arguments_of(self.function), *arguments_of(self.moves_copies))))

    @cached_property
    def all_arguments(self) -> tuple[str, ...]:
        """Those of its simulation, too."""
        return (*self.arguments, *(self.simulation.arguments if self.simulation else ()))

    @cached_property
    def works_in_world(self) -> bool:
        """True if the result follows from where the figure is, whatever the settings are."""
        return not {"matrix", "before"}.isdisjoint(self.all_arguments)

    @cached_property
    def takes_forces(self) -> bool:
        """True if forces may stand under a step of this kind."""
        return self.simulation is not None and "forces" in self.simulation.arguments

    @cached_property
    def looks_back(self) -> bool:
        """True if the result follows from more than the input as it is now."""
        return "before" in self.arguments or self.simulation is not None

    def is_timed(self, resolved) -> bool:
        """True if another moment may make another result of the same input, with resolved settings."""
        return "moment" in self.arguments and self.settings.depends_on_time(resolved)

    @property
    def summary(self) -> str:
        """The first sentence of the function's docstring."""
        source = self.function or self.settings
        return inspect.getdoc(source).split("\n\n")[0].replace("\n", " ")

    def call(self, **offered):
        """Call the function with those of the offered arguments that it names; some may be missing."""
        offered = {"links": {}, "directions": None, "check_wanted": lambda: None, **offered}
        return self.function(**{name: offered[name] for name in arguments_of(self.function)})

    def estimated(self, **offered) -> int:
        """Return how many points or copies will come out."""
        return int(self.estimate(**{name: offered[name] for name in arguments_of(self.estimate)}))

    def describe(self) -> dict:
        return {
            "id": self.id,
            "group": self.group,
            "sentence": self.sentence,
            "summary": self.summary,
            "version": self.version,
            "icon": self.icon,
            "words": self.words,
            "takes_forces": self.takes_forces,
            "simulates": self.simulation is not None,
            "settings": self.settings.describe(),
        }
