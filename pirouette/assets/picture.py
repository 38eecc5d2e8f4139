"""Pictures: PNG, JPEG and WebP as linear light."""

import io
import warnings

import numpy as np
from PIL import Image

from ..data.problem import Problem, ProblemError
from ..values.keys import to_linear

MAX_PIXELS = 50_000_000


def read_picture(data: bytes, suffix: str = ".png") -> np.ndarray:
    """Return (H, W, 4) float32 linear light with straight alpha, the first row at the top; raises ProblemError."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            picture = Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "WEBP"))
            if picture.width * picture.height > MAX_PIXELS:
                size = f"{picture.width:,} × {picture.height:,} pixels"
                raise ProblemError(Problem("", f"{size}; allowed up to {MAX_PIXELS:,} in all", "picture.size"))
            pixels = np.asarray(picture.convert("RGBA"), np.float32) / 255
    except ProblemError:
        raise
    except Exception as error:  # Pillow raises many kinds for broken files
        raise ProblemError(
            Problem("", f"this is no picture: {error}; allowed PNG, JPEG and WebP", "picture.wrong")
        ) from None
    return np.concatenate([to_linear(pixels[..., :3]).astype(np.float32), pixels[..., 3:]], axis=-1)


def sample_picture(picture: np.ndarray, u, v) -> np.ndarray:
    """Return (N, 4) float32 of a picture at places 0..1 from its lower left corner, smooth between pixels."""
    height, width = picture.shape[:2]
    x = np.clip(np.asarray(u) * width - 0.5, 0, width - 1)
    y = np.clip((1 - np.asarray(v)) * height - 0.5, 0, height - 1)
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    right, foot = np.minimum(left + 1, width - 1), np.minimum(top + 1, height - 1)
    s, t = (x - left)[:, None], (y - top)[:, None]
    upper = picture[top, left] * (1 - s) + picture[top, right] * s
    lower = picture[foot, left] * (1 - s) + picture[foot, right] * s
    return (upper * (1 - t) + lower * t).astype(np.float32)
