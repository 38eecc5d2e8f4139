"""Animated GIF: endless, with a palette of each frame's own. No half transparency."""

from PIL import Image

from .format import Format
from .movie import over_black
from .whole import whole


def write(path, frames, fps, options) -> None:
    """Write (H, W, 4) uint8 frames, laid over black."""
    pictures = [
        Image.fromarray(over_black(pixels)).quantize(256, dither=Image.Dither.FLOYDSTEINBERG) for pixels in frames
    ]
    # GIF counts hundredths of a second: the rounding is spread, so that the whole lasts as long as it should.
    ends = [round((index + 1) * 100 / fps) for index in range(len(pictures))]
    durations = [(end - begin) * 10 for begin, end in zip([0, *ends], ends, strict=False)]
    with whole(path) as draft:
        first, *others = pictures
        first.save(draft, "GIF", save_all=True, append_images=others, duration=durations, loop=0, disposal=1)


FORMAT = Format("gif", ".gif", "image/gif", "GIF", "pixels8", True, write)
