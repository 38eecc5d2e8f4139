"""Frames of a render that wait for their file: each kept as what its format takes, so that nothing is rounded twice."""

import zipfile
from pathlib import Path

import numpy as np

from .format import Format
from .whole import whole


def taken(format_: Format, rendered):
    """Return a Rendered frame as a format takes it."""
    if format_.takes == "light":
        return rendered
    return rendered.pixels(16 if format_.takes == "pixels16" else 8)


def stored_suffix(format_: Format) -> str:
    return ".npy" if format_.is_movie else format_.suffix


def store(format_: Format, path, rendered, fps, options) -> None:
    """Keep a frame: of a movie its pixels as they are, else its file itself."""
    if not format_.is_movie:
        format_.write(path, [taken(format_, rendered)], fps, options)
        return
    with whole(path) as draft, draft.open("wb") as file:
        np.save(file, taken(format_, rendered))


def stored_bytes(format_: Format, width: int, height: int) -> int:
    """Return about how many bytes a stored frame takes, at most."""
    return width * height * {"light": 60, "pixels16": 8, "pixels8": 4}.get(format_.takes, 0)


def assemble(format_: Format, path, stored: list[tuple[int, Path]], fps, options, check=lambda: None) -> None:
    """Make the file of all stored frames (number, path): the movie, the one picture, or a zip of pictures.

    check  called between frames; may raise to end it
    """
    if format_.is_movie:
        format_.write(path, _read(stored, check), fps, options)
    elif len(stored) == 1:
        with whole(path) as draft:
            draft.write_bytes(stored[0][1].read_bytes())
    else:
        with whole(path) as draft, zipfile.ZipFile(draft, "w") as archive:
            for number, frame in stored:
                check()
                archive.write(frame, f"frame_{number:04d}{format_.suffix}")


def result_suffix(format_: Format, frame_count: int) -> str:
    return format_.suffix if format_.is_movie or frame_count == 1 else ".zip"


def _read(stored, check):
    for _, frame in stored:
        check()
        yield np.load(frame)
