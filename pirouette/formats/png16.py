"""PNG pictures with 16 bits for each channel, for further work."""

from fractions import Fraction

import av
import numpy as np

from .format import Format
from .whole import whole


def png16_bytes(pixels: np.ndarray) -> bytes:
    """Return the PNG file of (H, W, 4) uint16 pixels with straight alpha."""
    codec = av.CodecContext.create("png", "w")
    codec.height, codec.width = pixels.shape[:2]
    codec.pix_fmt = "rgba64be"
    codec.time_base = Fraction(1)
    frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), "rgba64be")
    frame.pts = 0
    return b"".join(bytes(packet) for packet in [*codec.encode(frame), *codec.encode(None)])


def write(path, frames, fps, options) -> None:
    (pixels,) = frames
    with whole(path) as draft:
        draft.write_bytes(png16_bytes(pixels))


FORMAT = Format("png16", ".png", "image/png", "PNG, 16 bits", "pixels16", False, write)
