"""What flows through a routine: frozen records of read-only arrays."""

from .chosen import Chosen
from .copies import Copies, Placed, sources_of
from .mesh import Lines, Mesh, Topology
from .problem import Cancelled, Problem, ProblemError, TooMuch

__all__ = [
    "Cancelled",
    "Chosen",
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
