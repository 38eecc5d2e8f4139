"""Copies of a shape: places, not points. They stay unexpanded until a step needs their points."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..kernels.compile import frozen
from ..kernels.place import chain, compose
from .mesh import Mesh, Topology


@dataclass(frozen=True, eq=False)
class Copies:
    """A source drawn at many places; the source may be copies again.

    position  (N, 3) float32, scene units
    rotation  (N, 4) float32 quaternions x, y, z, w
    scale     (N, 3) float32
    colours   (N, 3) float32 linear, multiplied with what they colour
    cells     (N, 3) float32 in 0..1: where each copy stands in its repeat, for orders along an axis
    """

    source: "Mesh | Copies"
    position: np.ndarray
    rotation: np.ndarray
    scale: np.ndarray
    colours: np.ndarray
    cells: np.ndarray
    key: str = ""

    def __post_init__(self):
        for name in ("position", "rotation", "scale", "colours", "cells"):
            object.__setattr__(self, name, frozen(getattr(self, name)))

    @classmethod
    def at(cls, source, position, rotation=None, cells=None) -> "Copies":
        """Make copies at (N, 3) positions, unturned and unscaled where not said otherwise."""
        count = len(position)
        if rotation is None:
            rotation = np.tile(np.array([0, 0, 0, 1], np.float32), (count, 1))
        if cells is None:
            cells = np.zeros((count, 3), np.float32)
        ones = np.ones((count, 3), np.float32)
        return cls(source, position, rotation, ones, ones, cells)

    @property
    def count(self) -> int:
        return len(self.position)

    @cached_property
    def matrices(self) -> np.ndarray:
        """(N, 3, 4) float32 places of the copies."""
        return frozen(compose(self.position, self.rotation, self.scale))

    @cached_property
    def flat(self) -> tuple[Mesh, np.ndarray, np.ndarray]:
        """The innermost mesh, all its (K, 3, 4) places and its (K, 3) colours, the outer copies slowest."""
        if isinstance(self.source, Mesh):
            return self.source, self.matrices, self.colours
        mesh, matrices, colours = self.source.flat
        mixed = (self.colours[:, None, :] * colours[None, :, :]).reshape(-1, 3)
        return mesh, frozen(chain(self.matrices, matrices)), frozen(mixed)

    @property
    def drawn_count(self) -> int:
        """How many meshes are drawn in all."""
        inner = 1 if isinstance(self.source, Mesh) else self.source.drawn_count
        return self.count * inner

    @property
    def leaf(self) -> Mesh:
        return self.source if isinstance(self.source, Mesh) else self.source.leaf

    def moved(self, **arrays) -> "Copies":
        """Return the copies with some arrays replaced."""
        return replace(self, **arrays, key="")

    def expanded(self) -> Mesh:
        """Return one mesh that holds the points of every copy."""
        mesh, matrices, colours = self.flat
        count, per_copy = len(matrices), len(mesh.points)
        points = np.einsum("kij,vj->kvi", matrices[:, :, :3], mesh.points) + matrices[:, None, :, 3]
        old = mesh.topology
        shifts = np.arange(count, dtype=np.int64)[:, None]
        starts = (old.offsets[:-1] + shifts * len(old.corners)).ravel()
        topology = Topology(
            np.append(starts, count * len(old.corners)),
            (old.corners + shifts * per_copy).ravel(),
            count * per_copy,
        )
        own = np.ones((per_copy, 3), np.float32) if mesh.colours is None else mesh.colours
        mixed = None
        if mesh.colours is not None or (colours != 1).any():
            mixed = (colours[:, None, :] * own[None]).reshape(-1, 3)
        uvs = None if mesh.uvs is None else np.tile(mesh.uvs, (count, 1))
        return Mesh(points.reshape(-1, 3), topology, colours=mixed, uvs=uvs, is_flat=mesh.is_flat)
