"""What is asked between the steps of a long work, and is told meanwhile how far it has come."""

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a simulation has come on its way to a frame.

    figure, kind  names of the figure, and of the step that has a past
    done, of      steps that are done, and all that it takes
    settles       true while it runs in, before the first frame
    """

    figure: str
    kind: str
    done: int
    of: int
    settles: bool


def never() -> bool:
    return False


def to_nobody(progress: Progress) -> None:
    """Tell nobody."""


@dataclass(frozen=True, slots=True)
class Question:
    """Asked between the steps of a work: true, or raising, ends it."""

    ask: Callable[[], bool] = never
    tell: Callable[[Progress], None] = to_nobody

    def __call__(self) -> bool:
        return self.ask()

    @classmethod
    def of(cls, asked: Callable[[], bool]) -> "Question":
        """Return a question that tells nobody if it is not one that tells."""
        return asked if isinstance(asked, cls) else cls(asked)
