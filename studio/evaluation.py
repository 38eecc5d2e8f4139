"""What requests share: parsed scenes, evaluated results, and tickets that let a newer request stop an older one."""

import threading
from contextlib import contextmanager

from cachetools import LRUCache

from pirouette.data import TooMuch
from pirouette.document import read_scene
from pirouette.evaluate import Memo
from studio.assets import library

from . import work as turns
from .work import never

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


def take_ticket(view: str, has_left=never):
    """Return a function that is true once a newer ticket was taken for the same view, or its client has left.

    view  no name never gets a newer ticket
    """
    if not view:
        return has_left
    with _tickets_lock:
        mine = _tickets[view] = _tickets.get(view, 0) + 1

    def is_cancelled():
        with _tickets_lock:
            return _tickets.get(view, mine) != mine or has_left()

    return is_cancelled


@contextmanager
def work(name, seconds: float, is_cancelled=never):
    """As in work.py; what was remembered makes room where the memory has run out."""
    try:
        with turns.work(name, seconds, is_cancelled) as question:
            yield question
    except TooMuch as error:
        if any(problem.code.endswith(".memory") for problem in error.problems):
            memo.clear()
        raise
