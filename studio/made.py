"""Pictures that are made when they are first asked for, and kept as files: each by one request, while others wait."""

from collections.abc import Callable
from pathlib import Path

from pirouette.formats.whole import whole

from .work import Turns

_turns = Turns(1)


def made_once(path: Path, make: Callable[[], bytes]) -> bytes:
    """Return the bytes of a file, made if it is not there yet; what `make` raises is raised, and nothing is kept."""
    with _turns.of(path):
        try:
            return path.read_bytes()
        except FileNotFoundError:
            data = make()
        path.parent.mkdir(parents=True, exist_ok=True)
        with whole(path) as draft:
            draft.write_bytes(data)
        return data
