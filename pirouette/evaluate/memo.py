"""Remembers results under their content keys, up to a number of bytes; shared by threads."""

import hashlib
import threading
from collections import OrderedDict

from ..data import Copies, Mesh

DEFAULT_BYTES = 768 * 1024 * 1024


def content_key(*parts) -> str:
    """Return a key made of keys and settings, never of array contents."""
    return hashlib.blake2b(repr(parts).encode(), digest_size=12).hexdigest()


def byte_size(result) -> int:
    """Return about how many bytes a result keeps alive by itself."""
    if isinstance(result, Mesh):
        # Normals and what the topology derives are made later: three times covers them.
        uvs = 0 if result.uvs is None else result.uvs.nbytes
        return uvs + 3 * (result.points.nbytes + result.topology.corners.nbytes + result.topology.offsets.nbytes)
    if isinstance(result, Copies):
        return 3 * (result.position.nbytes + result.rotation.nbytes + result.scale.nbytes + result.colours.nbytes)
    if isinstance(result, tuple):
        return sum(map(byte_size, result))
    return getattr(result, "nbytes", 256)


class Memo:
    """A store of results that forgets those not asked for longest."""

    def __init__(self, limit: int = DEFAULT_BYTES):
        self.limit = limit
        self.bytes = 0
        self.hits = 0
        self.misses = 0
        self._results = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: str, make):
        """Return the result under a key, making it first if it is not there."""
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
                self.hits += 1
                return self._results[key][0]
            self.misses += 1
        result = make()
        size = byte_size(result)
        with self._lock:
            if key not in self._results and size <= self.limit:
                self._results[key] = (result, size)
                self.bytes += size
                while self.bytes > self.limit:
                    self.bytes -= self._results.popitem(last=False)[1][1]
        return result
