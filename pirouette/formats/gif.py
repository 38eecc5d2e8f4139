"""Animated GIF: endless, with a palette of each frame's own. No half transparency."""

from fractions import Fraction

import av
import numpy as np
from PIL import Image

from .format import Format
from .movie import over_black
from .whole import whole

# GIF counts hundredths of a second.
HUNDREDTHS = Fraction(1, 100)


def write(path, frames, fps, options) -> None:
    """Write (H, W, 4) uint8 frames, laid over black, as they come: no more than one of them is held."""
    last = {"final_delay": str(round(100 / fps))}
    with whole(path) as draft, av.open(str(draft), "w", format="gif", options=last) as file:
        stream = None
        for number, pixels in enumerate(frames):
            if stream is None:
                stream = _stream(file, pixels.shape[1::-1], fps)
            frame = _frame(pixels)
            # The rounding is spread, so that the whole lasts as long as it should, to a hundredth of a second.
            frame.pts, frame.time_base = round(number * 100 / fps), HUNDREDTHS
            file.mux(stream.encode(frame))
        file.mux(stream.encode(None))


def _stream(file, size, fps):
    stream = file.add_stream("gif", rate=100, options={"gifflags": "0", "global_palette": "0"})
    stream.width, stream.height = size
    stream.pix_fmt, stream.time_base = "pal8", HUNDREDTHS
    return stream


def _frame(pixels):
    """A frame of 256 colours."""
    picture = Image.fromarray(over_black(pixels)).quantize(256, dither=Image.Dither.FLOYDSTEINBERG)
    palette = np.zeros((256, 4), np.uint8)
    colours = np.array(picture.getpalette("RGB"), np.uint8).reshape(-1, 3)
    palette[:, 0] = 255
    palette[: len(colours), 1:] = colours
    return av.VideoFrame.from_ndarray((np.asarray(picture), palette), format="pal8")


FORMAT = Format("gif", ".gif", "image/gif", "GIF", "pixels8", True, write)
