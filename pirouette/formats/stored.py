"""Frames of a render that wait for their file: each kept as what its format takes, so that nothing is rounded twice."""

import zipfile
from pathlib import Path

import numpy as np

from .format import Format
from .whole import whole


def taken(one: Format, rendered):
    """Return a Rendered frame as a format takes it."""
    if one.takes == "light":
        return rendered
    return rendered.pixels(16 if one.takes == "pixels16" else 8)


def stored_suffix(one: Format) -> str:
    return ".npy" if one.is_movie else one.suffix


def store(one: Format, path, rendered, fps, options) -> None:
    """Keep a frame: of a movie its pixels as they are, else its file itself."""
    if not one.is_movie:
        one.write(path, [taken(one, rendered)], fps, options)
        return
    with whole(path) as draft, draft.open("wb") as file:
        np.save(file, taken(one, rendered))


def stored_bytes(one: Format, width: int, height: int) -> int:
    """Return about how many bytes a stored frame takes, at most."""
    return width * height * {"light": 60, "pixels16": 8, "pixels8": 4}.get(one.takes, 0)


def assemble(one: Format, path, stored: list[tuple[int, Path]], fps, options, check=lambda: None) -> None:
    """Make the file of all stored frames (number, path): the movie, the one picture, or a zip of pictures.

    check  called between frames; may raise to end it
    """
    if one.is_movie:
        one.write(path, _read(stored, check), fps, options)
    elif len(stored) == 1:
        with whole(path) as draft:
            draft.write_bytes(stored[0][1].read_bytes())
    else:
        with whole(path) as draft, zipfile.ZipFile(draft, "w") as archive:
            for number, frame in stored:
                check()
                archive.write(frame, f"frame_{number:04d}{one.suffix}")


def result_suffix(one: Format, frame_count: int) -> str:
    return one.suffix if one.is_movie or frame_count == 1 else ".zip"


def _read(stored, check):
    for _, frame in stored:
        check()
        yield np.load(frame)
