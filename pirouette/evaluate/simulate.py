"""Simulations: what follows from the frame before. Here is their time; what they do stands with their kinds.

States are made at whole frames, each from the one before, and kept in the memo under (signature, frame); now and then
on disk, too. So a frame costs the steps from the nearest state that is known, and an edit that the signature does not
see costs none. A looping scene runs in before its first frame, at the times that come round again, until its beginning
is forgotten; one that plays once begins at rest. Between two whole frames lies the blend of their states.
"""

import math
import threading
import time
from functools import cached_property, lru_cache
from weakref import WeakValueDictionary

import numpy as np

from ..data.key import content_key
from ..data.question import Progress
from ..data.state import State
from ..schema.kind import BY_BLENDING
from .offers import Offers
from .routines import Run

# A state is kept on disk when so much work has gone into those since the last one.
SECONDS_BETWEEN = 0.25
# What settles repeats when no number differs by more than this share of the greatest, at most after so many loops.
TOLERANCE = 1e-4
MOST_LOOPS = 4
WAIT_SECONDS = 0.02
# And so often it is told how far it has come.
SECONDS_UNTOLD = 0.1

_locks = WeakValueDictionary()
_locks_lock = threading.Lock()


class _Lock:
    """One that can be kept weakly."""

    def __init__(self):
        self.held = threading.RLock()


def state_at(ev, figure, index: int):
    """Return the State of the simulation that is a figure's step at an index, at a moment of the figure's own time."""
    return _Chain(ev, figure, index).at(ev.moment)


def frames_known(ev) -> list[tuple[int, int]] | None:
    """See `pirouette.evaluate.frames_known`."""
    chains = [
        _Chain(ev, figure, index)
        for figure in ev.scene.figures
        for index, step in enumerate(figure.routine)
        if step.on and step.kind.simulation is not None
    ]
    if not chains:
        return None
    return _stretches(sorted(set.intersection(*(chain.known_frames() for chain in chains))))


def _stretches(frames):
    """Sorted whole numbers as stretches (first, end) of those that follow each other."""
    found = []
    for frame in frames:
        first = found.pop()[0] if found and found[-1][1] == frame else frame
        found.append((first, frame + 1))
    return found


class _Chain:
    """The states of one simulation, one after the other."""

    def __init__(self, ev, figure, index):
        self.ev, self.figure, self.index = ev, figure, index
        step = figure.routine[index]
        self.simulation = step.kind.simulation
        self.signature = ev.signatures.step(figure, index)
        first = ev.at(ev.moment.at(0.0))
        self.settings = first.resolve(step.settings, f"figures/{figure.name}/routine/{index} ({step.kind.id})")
        self.closing = self.simulation.closing(self.settings) if ev.moment.loops else None

    def at(self, moment):
        frame = moment.frame
        if moment.loops and not 0 <= frame <= moment.frame_count:
            frame = moment.wrapped.frame
        if self.closing != BY_BLENDING:
            return self._between(frame)
        # Both ends of the loop are the end of the stretch before it.
        share = frame / moment.frame_count
        weight = share * share * (3 - 2 * share)
        return self._between(frame).mixed(self._between(frame - moment.frame_count), weight)

    def _between(self, frame):
        first = self.first
        whole = math.floor(frame)
        if whole < first:
            # Before a scene that plays once begins, all is at rest.
            return self._started(frame)
        state = self._whole(whole)
        if frame == whole:
            return state
        after, share = self._whole(whole + 1), frame - whole
        between = self.simulation.between
        return state.mixed(after, share) if between is None else between(state, after, share, self.ev.moment)

    @cached_property
    def first(self) -> int:
        """The frame at which the states begin: as far before the first one as the kind needs, and as the clock says."""
        moment = self.ev.moment
        if not moment.loops:
            return -int(self.needed)
        if self.settles:
            return self._settled()
        least = self.loops_before * moment.frame_count
        if self.needed is None:
            return -least
        return -max(int(self.needed), least) - (moment.frame_count if self.closing == BY_BLENDING else 0)

    @cached_property
    def needed(self) -> int | None:
        """So many frames it runs in at least; None if it is for the states to tell."""
        return self.simulation.run_in(self.settings, self.ev.moment)

    @cached_property
    def loops_before(self) -> int:
        """So many loops all simulations of the scene run in at least."""
        return int(self.ev.scene.clock.resolve().settle)

    @property
    def settles(self) -> bool:
        """True if it runs on until it repeats."""
        return self.ev.moment.loops and self.needed is None and self.loops_before == 0

    @property
    def _settled_name(self):
        return content_key("settled", self.signature)

    def _settled(self) -> int:
        """The same for what is looked at after each loop, and runs on until it repeats."""
        name = self._settled_name
        known = self._known(name)
        if known is None:
            with _Held(self.ev, name):
                count, loops = self.ev.moment.frame_count, 1
                # Counted from where all of them begin.
                start = -MOST_LOOPS * count
                while loops < MOST_LOOPS:
                    ends = [self._whole(start + number * count, start) for number in (loops - 1, loops)]
                    if _repeats(*ends):
                        break
                    loops += 1
                known = self._keep(name, State(loops=np.array([loops])))
        # The states of all loops are counted from the same start, wherever the first frame will be.
        return -int(known.loops[0]) * self.ev.moment.frame_count

    def _whole(self, frame, first=None):
        """The state at a whole frame, from the nearest one before it that is known."""
        first = self.first if first is None else first
        known = self._known(self._name(frame, first))
        if known is not None:
            return known
        with _Held(self.ev, self.signature, lambda: self._known(self._name(frame, first))) as known:
            return self._stepped(frame, first) if known is None else known

    def _stepped(self, frame, first):
        number, state = frame, None
        while state is None and number > first:
            number -= 1
            state = self._known(self._name(number, first))
        if state is None:
            state, number = self._keep(self._name(first, first), self._started(first), False), first
        began = told = time.perf_counter()
        for following in range(number + 1, frame + 1):
            self.ev.check_wanted()
            if time.perf_counter() - told > SECONDS_UNTOLD:
                self._tell(following - 1 - first, frame - first, following <= 0)
                told = time.perf_counter()
            stepped = self._offers(following).call(self.simulation.advance, state=state)
            is_dear = time.perf_counter() - began > SECONDS_BETWEEN
            state = self._keep(self._name(following, first), stepped, is_dear)
            if is_dear:
                began = time.perf_counter()
        return state

    def _tell(self, done, of, settles):
        self.ev.tell(Progress(self.figure.name, self.figure.routine[self.index].kind.id, done, of, settles))

    def known_frames(self) -> set[int]:
        """The frames of the scene whose states are known by now, so that nothing is to be computed for them."""
        first = self._known_first()
        if first is None:
            return set()
        count = self.ev.moment.frame_count
        # What is blended needs the frame a loop earlier, too.
        back = count if self.closing == BY_BLENDING else 0
        names = _state_names(self.signature, -back - first, count + back)
        known = [self._is_known(name) for name in names]
        return {frame for frame in range(count) if known[frame] and known[frame + back]}

    def _known_first(self):
        """The frame at which the states begin; None if that is not known before they are computed."""
        if not self.settles or self._known(self._settled_name) is not None:
            return self.first
        return None

    def _is_known(self, name):
        store = self.ev.memo.checkpoints
        return name in self.ev.memo or (store is not None and name in store)

    def _name(self, frame, first):
        # Where it begins matters to what it is; how the first frame is called does not.
        return _state_name(self.signature, frame - first)

    def _known(self, name):
        state = self.ev.memo.peek(name)
        store = self.ev.memo.checkpoints
        if state is None and store is not None:
            state = store.load(name)
            if state is not None:
                state = self.ev.memo.put(name, state)
        return state

    def _keep(self, name, state, on_disk=True):
        if on_disk and self.ev.memo.checkpoints is not None:
            self.ev.memo.checkpoints.save(name, state)
        return self.ev.memo.put(name, state)

    def _started(self, frame):
        return self._offers(frame).call(self.simulation.start)

    def _offers(self, frame) -> Offers:
        """What is on offer to a step at a frame, which in a loop may lie before the first one."""
        then = self.ev.at(self.ev.moment.at(float(frame)).wrapped)
        run = Run.of(then, self.figure)
        return Offers(run, self.index, run.shape_before(self.index))


def _state_name(signature, number) -> str:
    """The name of the state so many steps after the first one."""
    return content_key("state", signature, number)


@lru_cache(64)
def _state_names(signature, number, count) -> tuple[str, ...]:
    """The names of so many states that follow each other."""
    return tuple(_state_name(signature, number + step) for step in range(count))


class _Held:
    """Hold what only one may compute at a time; gives what was found meanwhile, if anything."""

    def __init__(self, ev, name, found=lambda: None):
        self.ev, self.found = ev, found
        with _locks_lock:
            self.lock = _locks.setdefault(name, _Lock())

    def __enter__(self):
        while not self.lock.held.acquire(timeout=WAIT_SECONDS):
            self.ev.check_wanted()
        return self.found()

    def __exit__(self, *_):
        self.lock.held.release()


def _repeats(before, after) -> bool:
    """True if no number of two states differs by more than a share of the greatest."""
    for name, array in before.arrays.items():
        other = after.arrays[name]
        if array.shape != other.shape:
            return False
        scale = max(float(np.abs(array).max(initial=0)), float(np.abs(other).max(initial=0)))
        if array.dtype.kind == "f" and np.abs(array - other).max(initial=0) > TOLERANCE * scale:
            return False
    return True
