"""MP4: H.264, which plays everywhere. No transparency."""

from ..schema import Settings, choice
from .format import Format
from .movie import write_movie

# Constant rate factors; at 16 a loss is not seen.
QUALITIES = {"small": "23", "fine": "16", "finest": "8"}


class Mp4Options(Settings):
    quality: str = choice("fine", tuple(QUALITIES))
    """How much of the picture is kept: in a small file, without visible loss, or for further work."""


def write(path, frames, fps, options) -> None:
    """Write (H, W, 4) uint16 frames; odd sizes gain a last row or column."""
    # Without the last of these x264 now and then decides otherwise on a busy machine.
    same = "cpu-independent=1"
    rate = {"crf": QUALITIES[options.quality], "preset": "medium", "threads": "1", "x264-params": same}
    write_movie(path, frames, fps, "mp4", "libx264", "yuv420p", rate, is_even=True)


FORMAT = Format("mp4", ".mp4", "video/mp4", "MP4 movie", "pixels16", True, write, Mp4Options)
