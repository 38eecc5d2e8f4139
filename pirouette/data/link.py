"""Another thing of the scene, as a step or clause that refers to it sees it."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ..kernels.geometry.nearest import Tree
from .copies import Copies
from .mesh import Mesh


def _nothing():
    raise TypeError("this link has no shape")


def tree_over(mesh: Mesh) -> Tree:
    """Return a tree over the faces of a mesh, or over its curves if it has no faces."""
    faces = mesh.topology.triangles
    return Tree(mesh.points, faces if len(faces) else mesh.topology.edges)


@dataclass(frozen=True, eq=False)
class Link:
    """What a reference leads to.

    key        equal whenever everything here is
    matrix     (4, 4) float64, from the thing's space to the space of who refers to it
    world      (4, 4) float64, from the thing's space to the world
    shape      a figure's shape in its own space, or None
    make_mesh  returns that shape's points, faces and curves in the space of who refers to it
    make_rest  the same as it is at the scene's first frame
    make_tree  returns the tree over that mesh, if it may be known already
    weigh      for a field: (N, 3) points -> (N,) weights, both in the space of who refers to it
    direct     for a field: (N, 3) points -> (N, 3) unit directions, both in that space
    asset      for an asset: what was read from it
    first      (4, 4), for kinds that ask for the `rest`: the matrix of the first frame, to where who refers was then
    first_here the same to where it is now
    """

    key: str
    matrix: np.ndarray
    world: np.ndarray = field(default_factory=lambda: np.eye(4))
    shape: Mesh | Copies | None = None
    make_mesh: Callable[[], Mesh] = field(default=_nothing)
    make_rest: Callable[[], Mesh] = field(default=_nothing)
    make_tree: Callable[[], Tree] | None = None
    weigh: Callable[[np.ndarray], np.ndarray] | None = None
    direct: Callable[[np.ndarray], np.ndarray] | None = None
    asset: object = None
    first: np.ndarray | None = None
    first_here: np.ndarray | None = None

    @cached_property
    def mesh(self) -> Mesh:
        return self.make_mesh()

    @cached_property
    def rest(self) -> Mesh:
        return self.make_rest()

    @property
    def place(self) -> np.ndarray:
        """(3,) where the thing's origin is."""
        return self.matrix[:3, 3]

    @cached_property
    def tree(self) -> Tree:
        return self.make_tree() if self.make_tree else tree_over(self.mesh)

    def closest(self, places) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Return what `tree.closest` does, faster for as many places as were asked for before and are near to those."""
        before = self._before.get(len(places))
        found = self.tree.closest(places, before)
        self._before[len(places)] = found[0]
        return found

    def kept(self, places) -> tuple[np.ndarray, np.ndarray]:
        """Return items (N,) and barycentrics (N, 3) of places that are nearest, or nearly so.

        Of as many places as were asked for before each keeps the item that it had then: for the small ways that points
        go within a frame.
        """
        items = self._before.get(len(places))
        if items is None:
            return self.closest(places)[:2]
        return items, self.tree.on_items(places, items)[0]

    @cached_property
    def _before(self) -> dict:
        return {}
