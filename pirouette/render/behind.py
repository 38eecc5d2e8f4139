"""What is behind everything in a picture, and the haze before it."""

import numpy as np

from ..kernels.compile import frozen
from ..kernels.render.tables import Haze


def background_rows(background, height) -> np.ndarray:
    """Return (H, 4) float32: what is behind everything, for each row of the picture; no rows where it is the skies."""
    if background.background == "its sky":
        return frozen(np.zeros((0, 4)))
    rows = np.zeros((height, 4), np.float32)
    if background.background == "transparent":
        return frozen(rows)
    share = (np.arange(height) + 0.5)[:, None] / height if background.background == "gradient" else 0.0
    top, bottom = np.asarray(background.colour), np.asarray(background.bottom)
    rows[:, :3] = top + (bottom - top) * share
    rows[:, 3] = 1
    return frozen(rows)


def haze_of(background, rows, is_flat) -> Haze:
    """Return what kernels need to know of a picture's haze; rows: see background_rows."""
    share, f32 = background.haze, np.float32
    return Haze(
        bool(share > 0 and not is_flat),
        f32(-np.log1p(-share) / background.haze_distance),
        f32(background.haze_base),
        f32(background.haze_height),
        frozen(background.haze_colour),
        background.haze_shows == "the background" and background.background != "transparent",
        rows,
    )
