"""What requests share: parsed scenes, evaluated results, and tickets that let a newer request stop an older one."""

import threading
from collections import OrderedDict

from pirouette.document import read_scene
from pirouette.evaluate import Memo, evaluate
from pirouette.formats.packet import encode_packet
from studio.assets import library

PARSED_KEPT = 64

memo = Memo()
_parsed = OrderedDict()
_parsed_lock = threading.Lock()
_tickets: dict[str, int] = {}
_tickets_lock = threading.Lock()
_TICKETS_KEPT = 1000


def parsed(scene_id: int, revision: int, document: dict):
    """Return the checked scene of a stored revision, remembered until any asset changes."""
    stamp = library.stamp()
    key = (scene_id, revision, stamp)
    with _parsed_lock:
        known = _parsed.get(key)
        if known is not None and known.raw == document:
            _parsed.move_to_end(key)
            return known
    scene = read_scene(document, library.current())
    remember(scene_id, revision, scene, stamp)
    return scene


def remember(scene_id: int, revision: int, scene, stamp=None) -> None:
    """Keep a scene that was read, with the state of the assets that it was read with."""
    with _parsed_lock:
        _parsed[(scene_id, revision, stamp or library.stamp())] = scene
        while len(_parsed) > PARSED_KEPT:
            _parsed.popitem(last=False)


def take_ticket(view: str):
    """Return a function that is true once a newer ticket was taken for the same view; no name never ends."""
    if not view:
        return lambda: False
    with _tickets_lock:
        mine = _tickets[view] = _tickets.pop(view, 0) + 1
        while len(_tickets) > _TICKETS_KEPT:
            del _tickets[next(iter(_tickets))]
    return lambda: _tickets.get(view, mine) != mine


def frame_packet(scene, frame: float, *, have=(), reach=None, is_cancelled=lambda: False, **more) -> bytes:
    """Return the packet of one frame of a scene as the view shows it."""
    picture = evaluate(scene, frame, purpose="view", memo=memo, is_cancelled=is_cancelled, reach=reach)
    return encode_packet(picture, have, **more)
