"""Remembers results under their keys, up to a number of bytes; shared by threads.

Results share what they are made of: copies their sources, meshes their topology. Each such record is counted once, for
as long as any remembered result or other record keeps it alive. Records derive arrays later (normals, edges), so those
of a result are counted anew when it is asked for the first time, the second, the fourth and so on. That is why this is
not one of the stores of `cachetools`, which count each entry once and by itself.
"""

import threading
from collections import OrderedDict
from dataclasses import dataclass

from ..data.bytes import parts_of, records_in, size_of
from .checkpoints import Checkpoints

DEFAULT_BYTES = 768 * 1024 * 1024


@dataclass(slots=True)
class _Entry:
    """A result, the records that it holds itself, and how often it was asked for."""

    result: object
    records: tuple
    hits: int = 0


@dataclass(slots=True)
class _Counted:
    """A record: how many results and other records hold it, its bytes as last counted, and what it keeps alive."""

    uses: int
    size: int
    parts: tuple


class Memo:
    """A store of results that forgets those not asked for longest.

    checkpoints  where states of simulations are kept beyond it, on disk; nowhere if not given
    """

    def __init__(self, limit: int = DEFAULT_BYTES, checkpoints: Checkpoints | None = None):
        self.limit = limit
        self.checkpoints = checkpoints
        self.bytes = 0
        self.hits = 0
        self.misses = 0
        self._results = OrderedDict()
        # Every record that a result keeps alive, by identity, which none else can have meanwhile.
        self._records: dict[int, _Counted] = {}
        self._lock = threading.Lock()

    def get(self, key: str, make):
        """Return the result under a key, making it first if it is not there."""
        with self._lock:
            known = self._known(key)
        if known is not None:
            return known
        return self.put(key, make())

    def peek(self, key: str):
        """Return the result under a key, or None if it is not there."""
        with self._lock:
            return self._known(key)

    def __contains__(self, key: str) -> bool:
        """True if a result is remembered; unlike asking for it, this keeps it no longer."""
        with self._lock:
            return key in self._results

    def put(self, key: str, result):
        """Remember a result and return it, or what was remembered under its key meanwhile; None cannot be one."""
        with self._lock:
            self.misses += 1
            if key in self._results:
                return self._results[key].result
            records, before = records_in(result), self.bytes
            self._hold(records)
            if self.bytes - before > self.limit:
                self._drop(records)
                return result
            self._results[key] = _Entry(result, records)
            self._forget()
        return result

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._results.clear()
            self._records.clear()
            self.bytes = 0

    def _known(self, key):
        entry = self._results.get(key)
        if entry is None:
            return None
        self._results.move_to_end(key)
        self.hits += 1
        entry.hits += 1
        if entry.hits & (entry.hits - 1) == 0:
            self._count_anew(entry.records, set())
            self._forget()
        return entry.result

    def _hold(self, records):
        for record in records:
            counted = self._records.get(id(record))
            if counted is None:
                counted = self._records[id(record)] = _Counted(0, size_of(record), parts_of(record))
                self.bytes += counted.size
                self._hold(counted.parts)
            counted.uses += 1

    def _drop(self, records):
        for record in records:
            counted = self._records[id(record)]
            counted.uses -= 1
            if not counted.uses:
                del self._records[id(record)]
                self.bytes -= counted.size
                self._drop(counted.parts)

    def _count_anew(self, records, done):
        for record in records:
            if id(record) in done:
                continue
            done.add(id(record))
            counted, size, parts = self._records[id(record)], size_of(record), parts_of(record)
            self.bytes += size - counted.size
            before, counted.size, counted.parts = counted.parts, size, parts
            self._hold(parts)
            self._drop(before)
            self._count_anew(parts, done)

    def _forget(self):
        while self.bytes > self.limit and self._results:
            self._drop(self._results.popitem(last=False)[1].records)
