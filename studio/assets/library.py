"""The stored assets as a library for the core: a snapshot of which file each slug stands for."""

import threading
from collections import OrderedDict

from django.db.models import Count, Max

from pirouette.assets.library import Asset as Held
from pirouette.assets.library import Libraries, Library, shipped
from pirouette.data import Problem, ProblemError

from .models import Asset, file_path

BYTES_KEPT = 256 << 20
_held = OrderedDict()
_lock = threading.Lock()


class StoredLibrary(Library):
    """Assets by slug as they were at one moment.

    entries  slug -> (sort, digest)
    """

    def __init__(self, entries: dict):
        self.entries = {slug: tuple(entry) for slug, entry in entries.items()}

    def ids(self):
        return {slug: sort for slug, (sort, _) in self.entries.items()}

    def find(self, asset_id):
        sort, digest = self.entries[asset_id]
        with _lock:
            _make_room()
            if (asset_id, digest) in _held:
                _held.move_to_end((asset_id, digest))
                return _held[(asset_id, digest)]
        try:
            held = Held(asset_id, sort, file_path(digest).read_bytes())
        except OSError:
            message = "its file is not there; upload it again"
            raise ProblemError(Problem(f"assets/{asset_id}", message, "asset.missing")) from None
        with _lock:
            _held[(asset_id, digest)] = held
        return held


def forget(digest: str) -> None:
    """Let go of what was read from a file that is not wanted any more."""
    with _lock:
        for key in [key for key in _held if key[1] == digest]:
            del _held[key]


def _make_room():
    """What was read from files is known only once it was read: so the sizes are looked at again and again."""
    while sum(held.own_bytes for held in _held.values()) > BYTES_KEPT and len(_held) > 1:
        _held.popitem(last=False)


def stamp() -> tuple:
    """Return something that changes whenever any asset does."""
    return tuple(Asset.objects.aggregate(Count("id"), Max("id"), Max("changed")).values())


def entries() -> dict:
    return {slug: (sort, digest) for slug, sort, digest in Asset.objects.values_list("slug", "sort", "digest")}


def current() -> Library:
    """Return the library of all stored assets and those that are shipped."""
    return of(entries())


def of(known: dict) -> Library:
    return Libraries(StoredLibrary(known), shipped())
