"""Attributes: what points, corners, faces, curves and copies carry beside what all of them have.

Each is declared once, in ATTRIBUTES. Whoever picks, joins or mixes points does it with whole `Attributes`, so that a
new one needs no other place.
"""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ..kernels.compile import frozen

BLENDED, NEAREST = "blended", "nearest"


@dataclass(frozen=True)
class Attribute:
    """The declaration of one attribute; its values are float32.

    size   0 for a number, 3 for a vector
    mixes  between two points it is blended, or that of the nearer one
    words  what it says, for people
    shown  the numbers that the view shades from dark to pale; None for the lowest and highest there are
    """

    name: str
    size: int
    mixes: str
    words: str
    shown: tuple[float, float] | None = None

    @property
    def shape(self) -> tuple[int, ...]:
        return (self.size,) if self.size else ()


ATTRIBUTES = {
    one.name: one
    for one in (
        Attribute("width", 0, BLENDED, "how wide a line is there, in scene units"),
        Attribute("along", 0, BLENDED, "how far along its curve a point is: 0 at the start, 1 at the end", (0, 1)),
        Attribute("piece", 0, NEAREST, "the number of the piece it belongs to, counted from 0"),
        Attribute("branch", 0, NEAREST, "how many times its curve has branched off: 0 for the trunk"),
        Attribute("age", 0, BLENDED, "frames since it came to be"),
        Attribute("life", 0, BLENDED, "how much of its life is over: 0 at birth, 1 at the end", (0, 1)),
        Attribute("velocity", 3, BLENDED, "which way and how fast it moves, in units per second"),
        Attribute("speed", 0, BLENDED, "how fast it moves, in units per second"),
        Attribute("facing", 0, BLENDED, "how much it faces away from where it moves: 1 straight backwards", (0, 1)),
        Attribute("spikes", 0, BLENDED, "how far a smear lets it stand out: 1 at the tip of a spike", (0, 1)),
        Attribute("smear", 0, BLENDED, "how much it is drawn back by its own speed: 1 wholly", (0, 1)),
        Attribute("order", 0, BLENDED, "where it stands in the order: 0 for the first, 1 for the last", (0, 1)),
        Attribute(
            "inner", 0, NEAREST, "1 on faces that were inside before the shape was cut or broken, else 0", (0, 1)
        ),
        Attribute("seed", 0, NEAREST, "a number of its own, which it keeps"),
    )
}
NUMBERS = tuple(attribute.name for attribute in ATTRIBUTES.values() if not attribute.size)


class Attributes(Mapping):
    """Named arrays (N, …) of equally many rows; read-only."""

    __slots__ = ("_arrays",)
    # Records that hold them are compared by their keys; they themselves are one only with themselves.
    __hash__ = object.__hash__
    __eq__ = object.__eq__

    def __init__(self, arrays=None, **more):
        frozen_arrays = {}
        for name, array in {**(arrays or {}), **more}.items():
            declared = ATTRIBUTES[name]
            frozen_arrays[name] = frozen(array)
            if frozen_arrays[name].shape[1:] != declared.shape:
                raise ValueError(
                    f"{name} of shape {frozen_arrays[name].shape}; allowed (N, …) with … = {declared.shape}"
                )
        counts = {name: len(array) for name, array in frozen_arrays.items()}
        if len(set(counts.values())) > 1:
            raise ValueError(f"attributes with unlike numbers of rows: {counts}")
        self._arrays = frozen_arrays

    def __getitem__(self, name) -> np.ndarray:
        return self._arrays[name]

    def __iter__(self):
        return iter(self._arrays)

    def __len__(self):
        return len(self._arrays)

    @property
    def own_bytes(self) -> int:
        return sum(array.nbytes for array in self._arrays.values())

    def checked(self, count: int, where: str) -> "Attributes":
        """Return these if they have `count` rows (or none are held); raises ValueError otherwise."""
        for name, array in self._arrays.items():
            if len(array) != count:
                raise ValueError(f"{name} has {len(array)} rows for {count} {where}")
        return self

    def with_(self, **arrays) -> "Attributes":
        """Return these and others, which stand instead of those of the same name."""
        return Attributes({**self._arrays, **arrays})

    def gathered(self, index) -> "Attributes":
        """Return the rows at an index, or where a mask is true."""
        return Attributes({name: array[index] for name, array in self._arrays.items()}) if self else self

    def tiled(self, times: int) -> "Attributes":
        """Return all rows so many times, one after the other."""
        return Attributes({n: np.tile(a, (times,) + (1,) * (a.ndim - 1)) for n, a in self._arrays.items()})

    def mapped(self, blended, nearest) -> "Attributes":
        """Return what functions (N, K) -> (M, K) make of the rows, one for those that blend, one for the others."""
        mapped = {}
        for name, array in self._arrays.items():
            change = blended if ATTRIBUTES[name].mixes == BLENDED else nearest
            made = change(array if array.ndim > 1 else array[:, None])
            mapped[name] = made if array.ndim > 1 else made[:, 0]
        return Attributes(mapped)

    @classmethod
    def joined(cls, parts) -> "Attributes":
        """Return the rows of several, one after the other; what one of them lacks is 0 there.

        parts  of (attributes, number of rows)
        """
        parts = list(parts)
        names = {name: None for attributes, _ in parts for name in attributes}
        return cls(
            {
                name: np.concatenate(
                    [
                        attributes[name] if name in attributes else np.zeros((n, *ATTRIBUTES[name].shape), np.float32)
                        for attributes, n in parts
                    ]
                )
                for name in names
            }
        )


NONE = Attributes()


def lengths(values) -> np.ndarray:
    """Return (N,) float32 numbers as they are, vectors by their lengths."""
    values = np.asarray(values, np.float32)
    return np.linalg.norm(values, axis=1) if values.ndim > 1 else values


def ends_of(arrays, name: str) -> tuple[float, float]:
    """Return the numbers of an attribute that are shaded 0 and 1: its own ends, or the least and greatest in arrays."""
    if ATTRIBUTES[name].shown:
        return ATTRIBUTES[name].shown
    found = [lengths(values) for values in arrays]
    return min((v.min(initial=np.inf) for v in found), default=0), max(
        (v.max(initial=-np.inf) for v in found), default=1
    )


def shades(values, name: str, ends: tuple[float, float] | None = None) -> np.ndarray:
    """Return (N,) float32 in 0..1 of an attribute's values, as the view shades them; a vector by its length.

    ends  what is shaded 0 and 1, see `ends_of`
    """
    low, high = ends or ends_of([values], name)
    values = lengths(values)
    return np.clip((values - low) / max(high - low, 1e-9), 0, 1).astype(np.float32) if len(values) else values
