"""Pictures that are made when they are first asked for, and kept as files: each by one request, while others wait."""

import threading
from collections.abc import Callable
from pathlib import Path
from weakref import WeakValueDictionary

from pirouette.formats.whole import whole

_locks: WeakValueDictionary = WeakValueDictionary()
_guard = threading.Lock()


class _Lock:
    """A lock that can be held weakly."""

    def __init__(self):
        self.lock = threading.Lock()


def made_once(path: Path, make: Callable[[], bytes]) -> bytes:
    """Return the bytes of a file, made if it is not there yet; what `make` raises is raised, and nothing is kept."""
    with _guard:
        mine = _locks.setdefault(path, _Lock())
    with mine.lock:
        try:
            return path.read_bytes()
        except FileNotFoundError:
            data = make()
        path.parent.mkdir(parents=True, exist_ok=True)
        with whole(path) as draft:
            draft.write_bytes(data)
        return data
