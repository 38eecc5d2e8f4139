"""Which pairs of copies and clusters of surfaces each band of a picture may show, and how they are cut out."""

from typing import NamedTuple

import numpy as np

from ..kernels.compile import frozen


class Cuts(NamedTuple):
    """Which of the pairs of surfaces are cut out, and how; `of` is empty if none are."""

    kinds: list
    of: np.ndarray

    @classmethod
    def among(cls, parts, surfaces):
        """Return those of parts, whose pairs are listed in surfaces."""
        kinds = list(dict.fromkeys(part.drawable.cut for part in parts))
        if kinds in ([], [None]):
            return cls([None], np.zeros(0, np.int32))
        numbers = np.array([kinds.index(part.drawable.cut) for part in parts])
        return cls(kinds, numbers[surfaces.part_of[surfaces.pair_instance]])

    def split(self, entries, places=None):
        """Yield (cut or None, those of the entries, or of their places, that are cut so), in their order."""
        every = entries if places is None else places
        if not len(every):
            return
        if not len(self.of):
            yield None, frozen(every, np.int32)
            return
        numbers = self.of[entries] if places is None else self.of[entries[places]]
        for number, kind in enumerate(self.kinds):
            if (numbers == number).any():
                yield kind, frozen(every[numbers == number], np.int32)


class Binned(NamedTuple):
    """Surfaces of one blend, and of each band which pairs are in it."""

    surfaces: tuple
    all: "Listed"
    opaque: "Listed"
    opened: "Listed"
    cuts: Cuts


class Listed(NamedTuple):
    """Which pairs are in which band."""

    entries: np.ndarray
    starts: np.ndarray
    nears: np.ndarray

    def of(self, number):
        """The pairs of a band: (E,) int32."""
        return frozen(self.entries[self.starts[number] : self.starts[number + 1]], np.int32)

    def nearest_first(self, number):
        """Their places in that list, sorted by how near they come: (E,) int32."""
        return frozen(np.argsort(-self.nears[self.of(number)], kind="stable"), np.int32)
