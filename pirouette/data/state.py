"""What a simulation remembers from one whole frame to the next."""

from types import MappingProxyType

import numpy as np


class State:
    """Named arrays, read-only, of any shapes: places, speeds, ages."""

    __slots__ = ("arrays",)

    def __init__(self, **arrays):
        found = {}
        for name, array in arrays.items():
            found[name] = np.ascontiguousarray(array).view()
            found[name].flags.writeable = False
        self.arrays = MappingProxyType(found)

    def __getattr__(self, name):
        try:
            return self.arrays[name]
        except KeyError:
            raise AttributeError(name) from None

    @property
    def own_bytes(self) -> int:
        return sum(array.nbytes for array in self.arrays.values())

    def mixed(self, other: "State", share: float) -> "State":
        """Return the state between this one and the next; where arrays have other shapes, this one.

        What is no floating-point number stays as it is.
        """
        if any(array.shape != other.arrays[name].shape for name, array in self.arrays.items()):
            return self
        return State(**{name: _mixed(array, other.arrays[name], share) for name, array in self.arrays.items()})


def _mixed(one, two, share):
    if one.dtype.kind != "f":
        return one
    return one * one.dtype.type(1 - share) + two * one.dtype.type(share)
