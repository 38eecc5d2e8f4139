"""What deformers that change from end to end have in common: the ends are a shape's own, or those of a region."""

from dataclasses import dataclass

import numpy as np

from ..kernels.geometry.box import box
from ..kernels.geometry.place import compose, euler_to_quaternion
from ..schema.setting import choice, only_if, vector
from ..schema.settings import Settings

AXES = ("x", "y", "z")
ENDS = ("the middle", "the low end", "the high end")
OWN, REGION = WITHIN = ("its own box", "a region")


class ExtentSettings(Settings):
    """Settings of where a deformer begins and ends."""

    within: str = choice(OWN, WITHIN)
    """Whether its ends are those of the shape's own box, or of a region; what lies beyond goes along as it is."""
    position: list = only_if(vector([0, 0, 0], soft=(-200, 200)), within=(REGION,))
    """Where the middle of the region is, in the figure's space."""
    rotation: list = only_if(vector([0, 0, 0], soft=(-180, 180), unit="deg"), within=(REGION,))
    """How the region is turned, and with it all axes."""
    extent: list = only_if(vector([0, 0, 0], soft=(0, 400), hard=(0, None)), within=(REGION,))
    """How long the region is along each axis; 0 is as long as the shape's own box."""


@dataclass(frozen=True, eq=False)
class Extent:
    """Points as a deformer sees them, and where it begins and ends.

    points  (N, 3) float32, in the region's space if there is one
    low, high  (3,) floats
    matrix  (4, 4) from the region's space to the shape's, or None
    """

    points: np.ndarray
    low: np.ndarray
    high: np.ndarray
    matrix: np.ndarray | None = None

    @classmethod
    def of(cls, points, settings) -> "Extent":
        """Return the extent of (N, 3) points, at least one, with resolved ExtentSettings."""
        low, high = (corner.astype(np.float64) for corner in box(points))
        if settings.within == OWN:
            return cls(points, low, high)
        matrix = np.eye(4)
        turn = euler_to_quaternion(np.asarray(settings.rotation, np.float64)[None])
        matrix[:3] = compose(np.asarray(settings.position)[None], turn, np.ones((1, 3)))[0]
        inward = np.linalg.inv(matrix)
        half = np.where(np.asarray(settings.extent) > 0, settings.extent, high - low) / 2
        return cls((points @ inward[:3, :3].T + inward[:3, 3]).astype(np.float32), -half, half, matrix)

    def back(self, moved) -> np.ndarray:
        """Return moved points in the shape's space."""
        if self.matrix is None:
            return moved
        return (moved @ self.matrix[:3, :3].T + self.matrix[:3, 3]).astype(np.float32)

    def along(self, axis: str, fixed: str = "the middle") -> tuple[np.ndarray, np.ndarray, float, float]:
        """Return how far points are from what stays in place, and the like but no further than the ends: (N,) float32.

        fixed    the middle along the axis, or one of the ends
        Returns  also where that lies, and the whole length
        """
        k = AXES.index(axis)
        low, high = float(self.low[k]), float(self.high[k])
        stays = {"the middle": (low + high) / 2, "the low end": low, "the high end": high}[fixed]
        distance = self.points[:, k] - np.float32(stays)
        return distance, np.clip(distance, np.float32(low - stays), np.float32(high - stays)), stays, high - low

    def widened(self, axis: str, factors) -> np.ndarray:
        """Return points moved away from the middle across an axis by factors (N,)."""
        others = [number for number in range(3) if number != AXES.index(axis)]
        middle = ((self.low + self.high) / 2)[others].astype(np.float32)
        moved = self.points.copy()
        moved[:, others] = middle + (self.points[:, others] - middle) * np.asarray(factors, np.float32)[:, None]
        return moved
