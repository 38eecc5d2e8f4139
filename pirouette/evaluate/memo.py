"""Remembers results under their keys, up to a number of bytes; shared by threads.

Results share what they are made of: copies their sources, meshes their topology. Each such record is counted once, for
as long as any remembered result keeps it alive. Records derive arrays later (normals, edges), so they are counted anew
when a result is asked for the first time, the second, the fourth and so on. That is why this is not one of the stores
of `cachetools`, which count each entry once and by itself.
"""

import threading
from collections import OrderedDict
from dataclasses import dataclass

from ..data.bytes import held

DEFAULT_BYTES = 768 * 1024 * 1024


@dataclass(slots=True)
class _Entry:
    """A result, the identities of the records that it keeps alive, and how often it was asked for."""

    result: object
    records: tuple[int, ...]
    hits: int = 0


class Memo:
    """A store of results that forgets those not asked for longest."""

    def __init__(self, limit: int = DEFAULT_BYTES):
        self.limit = limit
        self.bytes = 0
        self.hits = 0
        self.misses = 0
        self._results = OrderedDict()
        # Of each record that a result keeps alive, by identity: how many results do, and its bytes as last counted.
        self._records: dict[int, list[int]] = {}
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

    def put(self, key: str, result):
        """Remember a result and return it, or what was remembered under its key meanwhile; None cannot be one."""
        with self._lock:
            self.misses += 1
            if key in self._results:
                return self._results[key].result
            records = {id(record): size for record, size in held(result)}
            if sum(records.values()) > self.limit:
                return result
            self._results[key] = _Entry(result, tuple(records))
            self._count(records)
            self._forget()
        return result

    def _known(self, key):
        entry = self._results.get(key)
        if entry is None:
            return None
        self._results.move_to_end(key)
        self.hits += 1
        entry.hits += 1
        if entry.hits & (entry.hits - 1) == 0:
            records = {id(record): size for record, size in held(entry.result)}
            self._count(records)
            self._drop(entry.records)
            entry.records = tuple(records)
            self._forget()
        return entry.result

    def _count(self, records):
        for name, size in records.items():
            entry = self._records.setdefault(name, [0, 0])
            self.bytes += size - entry[1]
            entry[0] += 1
            entry[1] = size

    def _drop(self, names):
        for name in names:
            entry = self._records[name]
            entry[0] -= 1
            if not entry[0]:
                self.bytes -= entry[1]
                del self._records[name]

    def _forget(self):
        while self.bytes > self.limit and self._results:
            self._drop(self._results.popitem(last=False)[1].records)
