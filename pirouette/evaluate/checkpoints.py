"""States of simulations on disk, shared by all processes of a machine, so that no restart costs what was computed.

A state is written beside its place and moved there whole, so that one who reads finds all of it or nothing; two who
write the same write the same bytes. What does not read well is as good as not there. All together stay within a number
of bytes: those that nobody has read for longest go first.
"""

import contextlib
import os
import tempfile
import threading
import zipfile
from pathlib import Path

import numpy as np

from ..data.state import State

DEFAULT_BYTES = 2 * 1024**3
# Down to so much of the limit is cleared, so that it is not done at every state.
LEFT = 0.8
SUFFIX = ".state"


class Checkpoints:
    """A folder of states by their keys."""

    def __init__(self, folder, limit: int = DEFAULT_BYTES):
        self.folder, self.limit = Path(folder), limit
        self.folder.mkdir(parents=True, exist_ok=True)
        self._lock = threading.Lock()
        self._since = None

    def load(self, key: str) -> State | None:
        """Return the state under a key, or None."""
        path = self._path(key)
        try:
            with np.load(path, allow_pickle=False) as arrays:
                state = State(**{name: arrays[name] for name in arrays.files})
            os.utime(path)
            return state
        except FileNotFoundError:
            return None
        except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
            with contextlib.suppress(OSError):
                path.unlink()
            return None

    def __contains__(self, key: str) -> bool:
        return self._path(key).exists()

    def save(self, key: str, state: State) -> None:
        """Keep a state; a full disk is no fault, as states can be computed again."""
        if state.own_bytes > self.limit * LEFT or key in self:
            return
        draft = None
        try:
            with tempfile.NamedTemporaryFile(dir=self.folder, prefix=f"{os.getpid()}-", delete=False) as file:
                draft = Path(file.name)
                np.savez(file, **state.arrays)
            draft.replace(self._path(key))
        except OSError:
            if draft is not None:
                draft.unlink(missing_ok=True)
            return
        self._written(state.own_bytes)

    def _path(self, key):
        return self.folder / f"{key}{SUFFIX}"

    def _written(self, size):
        with self._lock:
            # What others write is counted whenever this one has written a tenth of all.
            if self._since is not None and self._since + size < self.limit / 10:
                self._since += size
                return
            self._since = 0
            self._forget()

    def _forget(self):
        found = []
        for entry in os.scandir(self.folder):
            with contextlib.suppress(OSError):
                about = entry.stat()
                found.append((about.st_mtime, about.st_size, entry.name))
        total = sum(size for _, size, _ in found)
        if total <= self.limit:
            return
        for _, size, name in sorted(found):
            with contextlib.suppress(OSError):
                (self.folder / name).unlink()
            total -= size
            if total <= self.limit * LEFT:
                return
