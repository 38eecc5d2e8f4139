"""Values that change: fixed, keyed, swing and formula, for numbers, vectors and colours."""

from .moment import Moment, Surroundings
from .read import read_colour, read_number, read_vector
from .value import Value

__all__ = ["Moment", "Surroundings", "Value", "read_colour", "read_number", "read_vector"]
