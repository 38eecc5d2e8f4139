"""Pictures: PNG, JPEG and WebP; and those brighter than white, see bright.py."""

import io
import warnings

import numpy as np
from PIL import Image

from ..data.light import LIGHT_OF_BYTE
from ..data.problem import Problem, ProblemError
from ..kernels.compile import frozen
from . import bright

MAX_PIXELS = 50_000_000
# The mark before each pass over a JPEG, and how many of them there may be; a fine one has about ten.
SCAN = b"\xff\xda"
MAX_SCANS = 64


def read_picture(data: bytes, suffix: str = ".png") -> np.ndarray:
    """Return (H, W, 4) uint8: sRGB with straight alpha, the first row at the top; raises ProblemError."""
    if suffix in bright.READERS:
        return bright.pixels_of(bright.READERS[suffix](data))
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            picture = Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "WEBP"))
            if picture.width * picture.height > MAX_PIXELS:
                size = f"{picture.width:,} × {picture.height:,} pixels"
                raise ProblemError(Problem("", f"{size}; allowed up to {MAX_PIXELS:,} in all", "picture.size"))
            if picture.format == "JPEG" and data.count(SCAN) > MAX_SCANS:
                raise ProblemError(Problem("", f"more than {MAX_SCANS} scans of one picture", "picture.size"))
            return frozen(np.asarray(picture if picture.mode == "RGBA" else picture.convert("RGBA")), np.uint8)
    except ProblemError:
        raise
    except Exception as error:  # Pillow raises many kinds for broken files
        raise ProblemError(
            Problem("", f"this is no picture: {error}; allowed PNG, JPEG and WebP", "picture.wrong")
        ) from None


def read_light(data: bytes, suffix: str) -> np.ndarray:
    """Return (H, W, 3) float32: the linear light of a picture, what is transparent black; raises ProblemError."""
    if suffix in bright.READERS:
        return bright.READERS[suffix](data)
    pixels = read_picture(data, suffix)
    bright.check_size(*pixels.shape[1::-1])
    light = LIGHT_OF_BYTE[pixels[..., :3]]
    light *= pixels[..., 3:].astype(np.float32) / 255
    return frozen(light)
