"""ProRes 4444 in a MOV file: nearly without loss, with transparency, for cutting rooms."""

from .format import Format
from .movie import write_movie


def write(path, frames, fps, options) -> None:
    """Write (H, W, 4) uint16 frames: ten bits of colour, sixteen of alpha."""
    write_movie(
        path, frames, fps, "mov", "prores_ks", "yuva444p10le",
        {"profile": "4", "alpha_bits": "16", "vendor": "apl0", "threads": "1"}, is_even=True,
    )  # fmt: skip


FORMAT = Format("prores", ".mov", "video/quicktime", "ProRes 4444 movie with transparency", "pixels16", True, write)
