"""PNG pictures with 8 bits for each channel."""

import io

import numpy as np
from PIL import Image

from .format import Format
from .whole import whole


def png_bytes(pixels: np.ndarray) -> bytes:
    """Return the PNG file of (H, W, 4) uint8 pixels with straight alpha."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=4)
    return out.getvalue()


def write_png(path, pixels: np.ndarray) -> None:
    """Write a PNG file, whole or not at all."""
    with whole(path) as draft:
        draft.write_bytes(png_bytes(pixels))


def write(path, frames, fps, options) -> None:
    (pixels,) = frames
    write_png(path, pixels)


FORMAT = Format("png", ".png", "image/png", "PNG", "pixels8", False, write)
