"""A choice of figures: all, only some, or all but some."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Chosen:
    """The figures that a light shines on, or a finish changes."""

    which: str
    figures: frozenset[str] = frozenset()

    @classmethod
    def of(cls, which: str, figures) -> "Chosen":
        """The choice that settings name: "on all", "on only" or "on all but" these figures."""
        return cls(which, frozenset() if which == "on all" else frozenset(figures))

    def __contains__(self, figure_id: str) -> bool:
        return self.which == "on all" or (figure_id in self.figures) == (self.which == "on only")
