"""What flows through a routine: frozen records of read-only arrays."""

from .copies import Copies, Placed, sources_of
from .mesh import Lines, Mesh, Topology
from .problem import Cancelled, Problem, ProblemError

__all__ = ["Cancelled", "Copies", "Lines", "Mesh", "Placed", "Problem", "ProblemError", "Topology", "sources_of"]
