"""What flows through a routine: frozen records of read-only arrays."""

from .copies import Copies, Placed, sources_of
from .mesh import Lines, Mesh, Topology
from .problem import Cancelled, Problem, ProblemError, TooMuch

__all__ = [
    "Cancelled",
    "Copies",
    "Lines",
    "Mesh",
    "Placed",
    "Problem",
    "ProblemError",
    "TooMuch",
    "Topology",
    "sources_of",
]
