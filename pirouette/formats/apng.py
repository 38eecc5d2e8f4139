"""Animated PNG: without loss, with transparency, endless; every browser shows it."""

from fractions import Fraction

import av
import numpy as np

from .format import Format
from .whole import whole


def write(path, frames, fps, options) -> None:
    """Write (H, W, 4) uint8 frames."""
    with whole(path) as draft, av.open(str(draft), "w", format="apng", options={"plays": "0"}) as movie:
        stream = None
        for pixels in frames:
            if stream is None:
                stream = movie.add_stream("apng", rate=Fraction(fps).limit_denominator(1001))
                stream.height, stream.width = pixels.shape[:2]
                stream.pix_fmt = "rgba"
            movie.mux(stream.encode(av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), "rgba")))
        if stream is not None:
            movie.mux(stream.encode(None))


FORMAT = Format("apng", ".apng", "image/apng", "Animated PNG", "pixels8", True, write)
