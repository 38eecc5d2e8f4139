"""What is found once of the things of a scene, and holds in every scene that has the same things.

Whatever is found of a thing follows from that thing and from those that it reaches. These are noted while it is found,
so that another scene (an edit of the same one, most of the time) takes it over where it has them all.
"""

from collections.abc import Callable
from threading import RLock
from typing import NamedTuple
from weakref import WeakKeyDictionary, ref

# What stands for the scene as a whole, which no other scene has.
_WHOLE = object()
_NOTHING = None, None, ()


class _Found(NamedTuple):
    """A result, and the ids, assets or `_WHOLE` that it follows from."""

    result: object
    reached: set


def _gone():
    return None


class Known:
    """What has been found of one scene's things so far.

    scene   a proxy of it, as what is known of a scene must not hold it
    beside  what all that is found follows from beside its things
    """

    # What was found last in any scene, by the guide, figure or field that it is about, with what must be the same for
    # it. They hold each other weakly: a thing that no scene has any more is forgotten with all that is known of it.
    _of_things: WeakKeyDictionary = WeakKeyDictionary()
    _lock = RLock()

    def __init__(self, scene, beside: str = ""):
        self.scene, self.beside = scene, beside
        self._families = scene.guides_by_id, scene.figures_by_id, scene.fields_by_id
        self._known: dict[tuple, _Found] = {}
        self._pins: dict[object, tuple] = {}
        # What is being found now reaches these, from the outermost to the innermost.
        self._reaching: list[set] = []

    def _once(self, name: tuple, thing_id: str | None, find: Callable, before=None, about=None):
        """Return what is called by a name, found once.

        name      a tuple that says what it is, and of whom
        thing_id  of the guide, figure or field that it is about; None for anything else
        before    what it is taken to be while it is found, for who leads back to it
        about     what else it is about; what is about nothing is not taken over
        """
        with self._lock:
            found = self._known.get(name)
            if found is None:
                about = about or self._thing(thing_id)
                found = self._taken_over(name, about) or self._find(name, thing_id, about, find, before)
                self._known[name] = found
            if self._reaching:
                self._reaching[-1] |= found.reached
            return found.result

    def _reach_asset(self, slug) -> str:
        """Return an asset's digest, and note that what is being found follows from it."""
        digest = self.scene.library.find(slug).digest
        if self._reaching:
            self._reaching[-1].add((slug, digest))
        return digest

    def _reach_names(self) -> None:
        """Note that what is being found follows from what things are called."""
        if self._reaching:
            self._reaching[-1].add(_WHOLE)

    def _find(self, name, thing_id, about, find, before):
        reached = set() if thing_id is None else {thing_id}
        self._reaching.append(reached)
        try:
            if before is not None:
                self._known[name] = _Found(before, reached)
            found = _Found(find(), reached)
        finally:
            self._reaching.pop()
        if about is not None and _WHOLE not in reached:
            pins = [self._pins.get(one) or self._pinned(one) for one in reached]
            self._of_things.setdefault(about, {})[type(self), name] = found, self.beside, pins
        return found

    def _taken_over(self, name, about):
        known = self._of_things.get(about) if about is not None else None
        found, beside, pins = (known or {}).get((type(self), name), _NOTHING)
        if beside != self.beside:
            return None
        guides, figures, fields = self._families
        for one, guide, figure, field in pins:
            if guide is None:
                slug, digest = one
                if self.scene.library.find(slug).digest != digest:
                    return None
            elif guides.get(one) is not guide() or figures.get(one) is not figure() or fields.get(one) is not field():
                return None
        return found

    def _called(self, thing_id) -> tuple:
        """The guide, the figure and the field of an id, each None if there is none."""
        return tuple(things.get(thing_id) for things in self._families)

    def _thing(self, thing_id):
        guides, figures, fields = self._families
        return guides.get(thing_id) or figures.get(thing_id) or fields.get(thing_id)

    def _pinned(self, reached) -> tuple:
        """What was reached, and what must be called so elsewhere; an asset is known by its digest alone."""
        things = (None,) * 3
        if not isinstance(reached, tuple):
            things = [_gone if thing is None else ref(thing) for thing in self._called(reached)]
        self._pins[reached] = pinned = (reached, *things)
        return pinned
