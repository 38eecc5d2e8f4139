"""What requests share: parsed scenes, evaluated results, and tickets that let a newer request stop an older one."""

import threading

from cachetools import LRUCache

from pirouette.document import read_scene
from pirouette.evaluate import Memo, evaluate
from pirouette.formats.packet import encode_packet
from studio.assets import library

memo = Memo()
_parsed = LRUCache(64)
_parsed_lock = threading.Lock()
_tickets: LRUCache = LRUCache(1000)
_tickets_lock = threading.Lock()


def parsed(scene_id: int, revision: int, document: dict):
    """Return the checked scene of a stored revision, remembered until any asset changes."""
    stamp = library.stamp()
    key = (scene_id, revision, stamp)
    with _parsed_lock:
        known = _parsed.get(key)
        if known is not None and known.raw == document:
            return known
    scene = read_scene(document, library.current())
    remember(scene_id, revision, scene, stamp)
    return scene


def remember(scene_id: int, revision: int, scene, stamp=None) -> None:
    """Keep a scene that was read, with the state of the assets that it was read with."""
    with _parsed_lock:
        _parsed[(scene_id, revision, stamp or library.stamp())] = scene


def take_ticket(view: str):
    """Return a function that is true once a newer ticket was taken for the same view; no name never ends."""
    if not view:
        return lambda: False
    with _tickets_lock:
        mine = _tickets[view] = _tickets.get(view, 0) + 1

    def is_cancelled():
        with _tickets_lock:
            return _tickets.get(view, mine) != mine

    return is_cancelled


def frame_packet(scene, frame: float, *, have=(), reach=None, is_cancelled=lambda: False, **more) -> bytes:
    """Return the packet of one frame of a scene as the view shows it."""
    picture = evaluate(scene, frame, purpose="view", memo=memo, is_cancelled=is_cancelled, reach=reach)
    return encode_packet(picture, have, **more)
