"""Copies of shapes: places, not points. They stay unexpanded until a step needs their points."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..kernels.compile import frozen
from ..kernels.geometry.box import box
from ..kernels.geometry.place import chain, compose
from .attribute import NONE, Attributes
from .bytes import arrays_in
from .mesh import Mesh

COLUMNS = {"position": 3, "rotation": 4, "scale": 3, "colours": 3, "opacity": 0, "delay": 0, "cells": 3}


def cells_within(places) -> np.ndarray:
    """Where each of (N, 3) places stands between the lowest and the highest of them, (N, 3) in 0..1."""
    low, high = box(places)
    return (places - low) / np.maximum(high - low, 1e-9) if len(places) else places


_ONCE = frozen(np.eye(4)[None, :3]), frozen(np.ones((1, 3))), frozen(np.ones(1))


@dataclass(frozen=True, eq=False)
class Placed:
    """One mesh (or copies, while they are flattened) and all the places where it is drawn.

    matrices  (K, 3, 4) float32
    colours   (K, 3) float32 linear
    opacity   (K,) float32, above 0
    at_copies what else each of the K carries
    """

    mesh: Mesh
    matrices: np.ndarray
    colours: np.ndarray
    opacity: np.ndarray
    at_copies: Attributes = NONE

    @classmethod
    def once(cls, mesh: Mesh) -> "Placed":
        """A mesh where it is."""
        return cls(mesh, *_ONCE)

    @cached_property
    def is_white(self) -> bool:
        """Whether no place colours what is drawn there."""
        return bool((self.colours == 1).all())

    @cached_property
    def is_opaque(self) -> bool:
        """Whether no place makes half-transparent what is drawn there."""
        return bool((self.opacity == 1).all())

    def of(self, inner: "Placed") -> "Placed":
        """Return a mesh at all its places within each of these, these slowest."""
        return Placed(
            inner.mesh,
            frozen(chain(self.matrices, inner.matrices)),
            _products(self.colours, inner.colours, inner.is_white),
            _products(self.opacity, inner.opacity, inner.is_opaque),
            outer_and_inner(self.at_copies, inner.at_copies, len(self.matrices), len(inner.matrices)),
        )

    @property
    def own_bytes(self) -> int:
        return arrays_in(self)

    @property
    def parts(self) -> tuple:
        return (self.mesh, self.at_copies)


@dataclass(frozen=True, eq=False)
class Copies:
    """Sources drawn at many places; a source may be copies again.

    sources   meshes or copies; copy i draws sources[which[i]]
    which     (N,) int32
    position  (N, 3) float32, scene units
    rotation  (N, 4) float32 quaternions x, y, z, w
    scale     (N, 3) float32
    colours   (N, 3) float32 linear, multiplied with what they colour
    opacity   (N,) float32 in 0..1; copies at 0 are not drawn, but keep their place in the order
    delay     (N,) float32 frames by which a copy is behind the scene's time
    cells     (N, 3) float32 in 0..1: where each copy stands in its repeat, for orders along an axis
    at_copies what else copies carry; see attribute.py
    """

    sources: tuple
    which: np.ndarray
    position: np.ndarray
    rotation: np.ndarray
    scale: np.ndarray
    colours: np.ndarray
    opacity: np.ndarray
    delay: np.ndarray
    cells: np.ndarray
    key: str = ""
    at_copies: Attributes = NONE

    def __post_init__(self):
        self.at_copies.checked(len(self.position), "copies")
        object.__setattr__(self, "sources", tuple(self.sources))
        object.__setattr__(self, "which", frozen(self.which, np.int32))
        for name in COLUMNS:
            object.__setattr__(self, name, frozen(getattr(self, name)))

    @classmethod
    def at(cls, sources, position, rotation=None, cells=None, which=None) -> "Copies":
        """Make copies at (N, 3) positions, unturned and unscaled where not said otherwise.

        sources  one shape, or several with `which` (N,) to say whose copy each is
        """
        count = len(position)
        if rotation is None:
            rotation = np.zeros((count, 4), np.float32)
            rotation[:, 3] = 1
        ones, zeros = np.ones((count, 3), np.float32), np.zeros(count, np.float32)
        return cls(
            sources if isinstance(sources, (tuple, list)) else (sources,),
            np.zeros(count, np.int32) if which is None else which,
            position,
            rotation,
            ones,
            ones,
            np.ones(count, np.float32),
            zeros,
            np.zeros((count, 3), np.float32) if cells is None else cells,
        )

    @property
    def count(self) -> int:
        return len(self.position)

    @property
    def own_bytes(self) -> int:
        """The bytes of its arrays, those among them that were derived so far."""
        return arrays_in(self)

    @property
    def parts(self) -> tuple:
        """The records that it keeps alive."""
        return (*self.sources, self.at_copies)

    @cached_property
    def matrices(self) -> np.ndarray:
        """(N, 3, 4) float32 places of the copies."""
        return frozen(compose(self.position, self.rotation, self.scale))

    def flattened(self, of_inner=None) -> tuple[Placed, ...]:
        """Return all innermost meshes with all their places; the outer copies slowest, those not seen left out.

        It may be much larger than the copies themselves, so they do not keep it.

        of_inner  what returns the same of copies that are sources, if somebody keeps that
        """
        of_inner = of_inner or Copies.flattened
        if len(self.sources) == 1 and self._is_still:
            (source,) = self.sources
            return (Placed.once(source),) if isinstance(source, Mesh) else of_inner(source)
        places_of = {}
        for source, outer in self._by_source():
            for one in (outer,) if isinstance(source, Mesh) else (outer.of(inner) for inner in of_inner(source)):
                places_of.setdefault(one.mesh.key or id(one.mesh), []).append(one)
        return tuple(_together(parts) for parts in places_of.values())

    def _by_source(self):
        """Yield each source that is seen, and all its places."""
        # All are gathered at once: there may be as many sources as copies.
        order = np.flatnonzero(self.opacity > 0)
        starts = [0, len(order)]
        if len(self.sources) > 1:
            order = order[np.argsort(self.which[order], kind="stable")]
            starts = np.searchsorted(self.which[order], np.arange(len(self.sources) + 1)).tolist()
        elif len(order) == self.count:
            order = slice(None)
        matrices, colours, opacity = (frozen(one[order]) for one in (self.matrices, self.colours, self.opacity))
        carried = self.at_copies.gathered(order)
        for source, start, stop in zip(self.sources, starts, starts[1:], strict=False):
            if start < stop:
                mine = slice(start, stop)
                yield source, Placed(source, matrices[mine], colours[mine], opacity[mine], carried.gathered(mine))

    @cached_property
    def _is_still(self) -> bool:
        """True for a single copy that changes nothing."""
        return (
            self.count == 1
            and not self.position.any()
            and np.array_equal(self.rotation[0], (0, 0, 0, 1))
            and all((array == 1).all() for array in (self.scale, self.colours, self.opacity))
            and not self.at_copies
        )

    @cached_property
    def leaves(self) -> tuple[Mesh, ...]:
        """The innermost meshes, each once."""
        meshes = {}
        for source in self.sources:
            for leaf in (source,) if isinstance(source, Mesh) else source.leaves:
                meshes.setdefault(leaf.key or id(leaf), leaf)
        return tuple(meshes.values())

    @cached_property
    def drawn_count(self) -> int:
        """How many meshes are drawn in all."""
        inner = np.array([1 if isinstance(source, Mesh) else source.drawn_count for source in self.sources], np.int64)
        return int(np.bincount(self.which, minlength=len(inner))[: len(inner)] @ inner) if self.count else 0

    @cached_property
    def point_count(self) -> int:
        """How many points there would be if all copies were expanded."""
        inner = np.array(
            [len(source.points) if isinstance(source, Mesh) else source.point_count for source in self.sources],
            np.int64,
        )
        return int(np.bincount(self.which, minlength=len(inner))[: len(inner)] @ inner) if self.count else 0

    def moved(self, **arrays) -> "Copies":
        """Return the copies with some arrays replaced."""
        return replace(self, **arrays, key="")

    def picked(self, index) -> "Copies":
        """Return the copies at an index or where a mask is true."""
        columns = {name: getattr(self, name)[index] for name in COLUMNS}
        return self.moved(which=self.which[index], at_copies=self.at_copies.gathered(index), **columns)


def _products(outer, inner, is_one) -> np.ndarray:
    """Each outer row times each inner row, the outer slowest; `is_one` says that all of the inner ones are 1."""
    if is_one:
        return outer if len(inner) == 1 else frozen(np.repeat(outer, len(inner), axis=0))
    return frozen((outer[:, None] * inner[None]).reshape(-1, *outer.shape[1:]))


def outer_and_inner(outer, inner, outer_count, inner_count) -> Attributes:
    """Attributes of copies of copies, the outer slowest; those of the inner ones stand where both have them."""
    if not outer and not inner:
        return NONE
    spread = outer.gathered(np.repeat(np.arange(outer_count), inner_count))
    return spread.with_(**inner.tiled(outer_count))


def _together(parts) -> Placed:
    if len(parts) == 1:
        return parts[0]
    return Placed(
        parts[0].mesh,
        *(
            frozen(np.concatenate([getattr(part, name) for part in parts]))
            for name in ("matrices", "colours", "opacity")
        ),
        Attributes.joined((part.at_copies, len(part.matrices)) for part in parts),
    )


def sources_of(shape) -> tuple[Mesh, ...]:
    """Return the meshes that a shape is made of, each once."""
    return (shape,) if isinstance(shape, Mesh) else shape.leaves
