"""Where the samples of a pixel lie."""

from dataclasses import dataclass

import numpy as np

from ..kernels.compile import frozen

MAX_SAMPLES = 64


@dataclass(frozen=True)
class Sample:
    """Where the samples lie within a pixel: (S, 2) int32 in 1/256, those nearest to its middle first.

    What a triangle shows in a pixel is lit at the first of them that it covers.
    """

    offsets: np.ndarray

    @classmethod
    def pattern(cls, count: int) -> "Sample":
        """Spread samples evenly, the first at the middle when there is only one; raises ValueError beyond 1 to 64."""
        if not 1 <= count <= MAX_SAMPLES:
            raise ValueError(f"samples is {count}; allowed 1 to {MAX_SAMPLES}")
        return cls.of(cls.spread(count)) if count > 1 else cls(frozen([[128, 128]], np.int32))

    @classmethod
    def of(cls, offsets) -> "Sample":
        """Order (S, 2) places within a pixel."""
        return cls(frozen(offsets[np.argsort(np.hypot(*(offsets - 128).T), kind="stable")], np.int32))

    @staticmethod
    def spread(count: int) -> np.ndarray:
        """Return (N, 2) places within a pixel, in 1/256: the R2 sequence, even at any length."""
        golden = 1.32471795724474602596
        steps = np.arange(1, count + 1)[:, None] * np.array([1 / golden, 1 / golden**2]) + 0.5
        return np.floor((steps % 1.0) * 256)
