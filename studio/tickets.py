"""Tickets: a newer request of a page lets an older one of the same view end."""

import threading

from cachetools import LRUCache

from pirouette.data.question import never

_tickets: LRUCache = LRUCache(1000)
_lock = threading.Lock()


def take_ticket(view: str, has_left=never):
    """Return a function that is true once a newer ticket was taken for the same view, or its client has left.

    view  no name never gets a newer ticket
    """
    if not view:
        return has_left
    with _lock:
        mine = _tickets[view] = _tickets.get(view, 0) + 1

    def is_cancelled():
        with _lock:
            return _tickets.get(view, mine) != mine or has_left()

    return is_cancelled
