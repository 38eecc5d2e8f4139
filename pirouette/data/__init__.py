"""What flows through a routine: frozen records of read-only arrays."""

from .copies import Copies
from .mesh import Mesh, Topology
from .problem import Cancelled, Problem, ProblemError

__all__ = ["Cancelled", "Copies", "Mesh", "Problem", "ProblemError", "Topology"]
