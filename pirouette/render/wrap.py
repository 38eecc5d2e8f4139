"""Does a loop look closed? Compares the pictures on both sides of the seam with ordinary neighbours."""

from dataclasses import dataclass

import numpy as np

from ..document import Scene
from ..evaluate import Memo
from .frame import render_scene

WIDTH = 320
SAMPLES = 4
NEIGHBOURS = 6
CLOSED = 1.5
# Differences of pictures below this, of 255, are what anti-aliasing leaves.
SLACK = 0.05


@dataclass(frozen=True)
class Wrap:
    """How much the picture changes where the loop wraps, and from one ordinary frame to the next.

    across, ordinary  mean differences of the pixels, 0..255; ordinary is the largest of several
    ratio             one over the other
    """

    across: float
    ordinary: float

    @property
    def ratio(self) -> float:
        return self.across / max(self.ordinary, SLACK)

    @property
    def is_closed(self) -> bool:
        return self.across <= SLACK or self.ratio <= CLOSED


def measure_wrap(scene: Scene, memo: Memo | None = None) -> Wrap:
    """Render the last frame and the first, and pairs of neighbours spread over the loop, small."""
    memo = memo or Memo()
    count = scene.frame_count
    known = {}
    width, height = scene.picture_size
    size = WIDTH, max(1, round(WIDTH * height / width))

    def picture(frame):
        if frame not in known:
            known[frame] = render_scene(scene, frame, size, SAMPLES, memo=memo).pixels().astype(np.float32)
        return known[frame]

    def change(frame):
        return float(np.abs(picture((frame + 1) % count) - picture(frame)).mean())

    # The neighbours right beside the seam, and others: a loop may rest there.
    beside = [0, count - 2] if count > 2 else []
    spread = [int(x) for x in np.linspace(0, max(count - 2, 0), NEIGHBOURS)]
    return Wrap(change(count - 1), max(change(frame) for frame in sorted({*beside, *spread})))
