"""PNG pictures with 8 or 16 bits for each channel."""

import io
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from PIL import Image


def png_bytes(pixels: np.ndarray) -> bytes:
    """Return the PNG file of (H, W, 4) uint8 or uint16 pixels with straight alpha."""
    if pixels.dtype == np.uint16:
        return _sixteen(pixels)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=4)
    return out.getvalue()


def _sixteen(pixels):
    codec = av.CodecContext.create("png", "w")
    codec.height, codec.width = pixels.shape[:2]
    codec.pix_fmt = "rgba64be"
    codec.time_base = Fraction(1)
    frame = av.VideoFrame.from_ndarray(pixels.astype(">u2").view(np.uint16), "rgba64be")
    frame.pts = 0
    return b"".join(bytes(packet) for packet in [*codec.encode(frame), *codec.encode(None)])


def write_png(path, pixels: np.ndarray) -> None:
    """Write a PNG file, whole or not at all."""
    path = Path(path)
    draft = path.with_name(path.name + ".part")
    draft.write_bytes(png_bytes(pixels))
    draft.replace(path)


def read_png(path) -> np.ndarray:
    """Return (H, W, 4) uint8 of an 8-bit PNG file."""
    return np.asarray(Image.open(path).convert("RGBA"))
