"""All formats, as one explicit table: the command line, the jobs, the dialog and the docs are made from it."""

from ..data import Problem, ProblemError
from ..schema import read_settings
from . import apng, exr, gif, mp4, obj, png, png16, prores, webm
from .format import Format

FORMATS = (
    mp4.FORMAT,
    webm.FORMAT,
    prores.FORMAT,
    gif.FORMAT,
    apng.FORMAT,
    png.FORMAT,
    png16.FORMAT,
    exr.FORMAT,
    obj.FORMAT,
)
BY_ID = {format_.id: format_ for format_ in FORMATS}


def format_of(identity: str, path: str = "format") -> Format:
    """Return the format of an id; raises ProblemError if there is none."""
    if identity not in BY_ID:
        raise ProblemError(Problem(path, f"{identity!r} is not one of {', '.join(BY_ID)}", "format.unknown"))
    return BY_ID[identity]


def options_of(format_: Format, raw: dict | None, path: str = "options"):
    """Return the resolved options of a format; raises ProblemError with all that is wrong in them."""
    return read_settings(format_.options, raw or {}, path).resolve()


def describe() -> list[dict]:
    return [format_.describe() for format_ in FORMATS]
