"""WebM: VP9 with transparency, for pages and overlays."""

from ..schema import Settings, choice
from .format import Format
from .movie import write_movie

QUALITIES = {"small": "34", "fine": "20", "finest": "8"}


class WebmOptions(Settings):
    quality: str = choice("fine", tuple(QUALITIES))
    """How much of the picture is kept."""


def write(path, frames, fps, options) -> None:
    """Write (H, W, 4) uint16 frames with their alpha; odd sizes gain a last row or column."""
    rate = {
        "crf": QUALITIES[options.quality], "b": "0", "deadline": "good", "cpu-used": "4", "auto-alt-ref": "0",
        "threads": "1",
    }  # fmt: skip
    write_movie(path, frames, fps, "webm", "libvpx-vp9", "yuva420p", rate, is_even=True)


FORMAT = Format("webm", ".webm", "video/webm", "WebM movie with transparency", "pixels16", True, write, WebmOptions)
