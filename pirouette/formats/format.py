"""How a format of files is declared. Each stands in a file of its own; table.py lists them."""

from collections.abc import Callable
from dataclasses import dataclass

from ..schema import Settings

TAKES = ("geometry", "light", "pixels16", "pixels8")


class NoOptions(Settings):
    """A format without choices."""


@dataclass(frozen=True)
class Format:
    """The declaration of one format.

    takes    what each frame is given as: "geometry", the picture list; "light", a render.Rendered with its layers;
             "pixels16" and "pixels8", (H, W, 4) uint16 or uint8, sRGB with straight alpha
    is_movie one file holds all frames; else each frame is a file
    write    (path, frames, fps, options) writes a file, whole or not at all; `frames` is any iterable, of one frame
             for stills; `options` are resolved
    options  the settings a person may choose
    layers   options -> the names of the layers that a frame must have
    """

    id: str
    suffix: str
    media_type: str
    words: str
    takes: str
    is_movie: bool
    write: Callable
    options: type[Settings] = NoOptions
    layers: Callable = lambda options: ()

    def __post_init__(self):
        if self.takes not in TAKES:
            raise ValueError(f"takes is {self.takes!r}; allowed {', '.join(TAKES)}")

    @property
    def is_pictures(self) -> bool:
        return self.takes != "geometry"

    def describe(self) -> dict:
        return {
            "id": self.id,
            "suffix": self.suffix,
            "words": self.words,
            "takes": self.takes,
            "is_movie": self.is_movie,
            "is_pictures": self.is_pictures,
            "options": self.options.describe(),
        }
