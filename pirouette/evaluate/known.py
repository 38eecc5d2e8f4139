"""What is found once of the things of a scene, and holds in every scene that has the same things.

Whatever is found of a thing follows from that thing and from those that it reaches. These are noted while it is found,
so that another scene (an edit of the same one, most of the time) takes it over where it has them all.
"""

from collections.abc import Callable
from dataclasses import dataclass
from threading import RLock
from weakref import WeakKeyDictionary, ref

# What stands for the scene as a whole, which no other scene has.
_WHOLE = object()


@dataclass(frozen=True, slots=True)
class _Found:
    """A result, and the ids, assets or `_WHOLE` that it follows from."""

    result: object
    reached: frozenset


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
        # What is being found now reaches these, from the outermost to the innermost.
        self._reaching: list[set] = []

    def _once(self, name: tuple, thing_id: str, find: Callable, before=None):
        """Return what is called by a name, found once.

        name      a tuple that says what it is, and of whom
        thing_id  of the guide, figure or field that it is about
        before    what it is taken to be while it is found, for who leads back to it
        """
        with self._lock:
            found = self._known.get(name)
            if found is None:
                found = self._known[name] = self._taken_over(name, thing_id) or self._find(name, thing_id, find, before)
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

    def _find(self, name, thing_id, find, before):
        self._reaching.append({thing_id})
        try:
            if before is not None:
                self._known[name] = _Found(before, frozenset((thing_id,)))
            found = _Found(find(), frozenset(self._reaching[-1]))
        finally:
            self._reaching.pop()
        thing = self._thing(thing_id)
        if _WHOLE not in found.reached and thing is not None:
            pins = [(one, self._pinned(one)) for one in found.reached]
            self._of_things.setdefault(thing, {})[type(self), name] = found, self.beside, pins
        return found

    def _taken_over(self, name, thing_id):
        thing = self._thing(thing_id)
        known = self._of_things.get(thing) if thing is not None else None
        found, beside, pins = (known or {}).get((type(self), name), (None, None, ()))
        is_same = beside == self.beside and all(self._is_here(*pin) for pin in pins)
        return found if is_same else None

    def _called(self, thing_id) -> tuple:
        """The guide, the figure and the field of an id, each None if there is none."""
        return tuple(things.get(thing_id) for things in self._families)

    def _thing(self, thing_id):
        return next((thing for thing in self._called(thing_id) if thing is not None), None)

    def _pinned(self, reached) -> tuple | None:
        """What must be the same where something was reached; None for an asset, which is known by its digest."""
        if isinstance(reached, tuple):
            return None
        return tuple(_gone if thing is None else ref(thing) for thing in self._called(reached))

    def _is_here(self, reached, pinned) -> bool:
        if pinned is None:
            slug, digest = reached
            return self.scene.library.find(slug).digest == digest
        return all(thing is was() for thing, was in zip(self._called(reached), pinned, strict=True))
