"""What a request may take of this machine: its turn, its time, and no more once nobody waits for the answer.

Requests of one scene take turns, so that none keeps all others waiting. What takes longer than it may is stopped
between two steps of the work, in words; so is what needs more memory than the process may hold.
"""

import os
import resource
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from weakref import WeakValueDictionary

from pirouette.data import Cancelled, Problem, TooMuch
from pirouette.data.question import Progress, Question, never, to_nobody

# So many requests of one scene are worked on at a time.
AT_A_TIME = 3
# The longest that one picture of the view may take, a small picture or the checks, and a proof.
VIEW_SECONDS = 20
SMALL_SECONDS = 30
PROOF_SECONDS = 180
# And the longest that anything may take that tells of its progress all the while, as what settles does.
SETTLING_SECONDS = 180
# And all files of one request; each by itself is bounded by what its reader takes.
FILE_SECONDS = 60
# How many times as long everything may take: on a slow machine, or where kernels are still to be compiled, as in tests.
PATIENCE = float(os.environ.get("PIROUETTE_PATIENCE", 1))
MOST_WAITING_SECONDS = 120
TURN_CHECK_SECONDS = 0.05
STARTED_BY = "PIROUETTE_STARTED_BY"
PARENT_CHECK_SECONDS = 1.0


class Turns:
    """Semaphores by name, each there for as long as anybody holds or awaits it."""

    def __init__(self, at_a_time: int):
        self.at_a_time = at_a_time
        self._known = WeakValueDictionary()
        self._guard = threading.Lock()

    def of(self, name) -> threading.Semaphore:
        with self._guard:
            return self._known.setdefault(name, threading.Semaphore(self.at_a_time))


_turns = Turns(AT_A_TIME)


def has_left(request) -> Callable[[], bool]:
    """Return whether the client of a request has gone away; see asgi.py."""
    left = getattr(request, "scope", {}).get("left")
    return never if left is None else left.is_set


@contextmanager
def turn(name, is_cancelled: Callable[[], bool] = never) -> Iterator[None]:
    """Wait for one's turn under a name; raises Cancelled or TooMuch while it is awaited."""
    held = _turns.of(name)
    _await(held, is_cancelled)
    try:
        yield
    finally:
        held.release()


def question(
    seconds: float,
    is_cancelled: Callable[[], bool] = never,
    tell: Callable[[Progress], None] = to_nobody,
) -> Question:
    """Return what is to be asked between the steps of a work: true once it is cancelled, TooMuch once time is up.

    A work that tells how far it has come may take longer: so many seconds from then, but never above SETTLING_SECONDS.
    """
    time_is_up = Deadline(seconds)

    def ask():
        if time_is_up():
            words = f"stopped after {time_is_up.seconds:g} seconds, the most that this may take"
            raise TooMuch(Problem("", words, "work.time"))
        return is_cancelled()

    def tell_on(progress):
        time_is_up.later()
        tell(progress)

    return Question(ask, tell_on)


class Deadline:
    """True when called after so many seconds; whenever a work tells of its progress, it is later."""

    def __init__(self, seconds: float, grace: float = 0):
        began = time.monotonic()
        self._each, self._most = seconds * PATIENCE + grace, began + SETTLING_SECONDS * PATIENCE + grace
        self._began, self._end = began, began + self._each

    def __call__(self) -> bool:
        return time.monotonic() > self._end

    def later(self) -> None:
        self._end = max(self._end, min(time.monotonic() + self._each, self._most))

    @property
    def seconds(self) -> float:
        """How long it is from its beginning, as it is by now."""
        return round(self._end - self._began, 1)


@contextmanager
def work(name, seconds: float) -> Iterator[Callable[[], bool]]:
    """Do something that takes long right here, in its turn; yields the question to be asked between its steps."""
    with turn(name):
        try:
            yield question(seconds)
        except MemoryError:
            raise out_of_memory() from None


def _await(held, is_cancelled):
    end = time.monotonic() + MOST_WAITING_SECONDS
    while not held.acquire(timeout=TURN_CHECK_SECONDS):
        if is_cancelled():
            raise Cancelled
        if time.monotonic() > end:
            raise TooMuch(Problem("", "this scene is being worked on by too many at a time", "work.turn"))


def out_of_memory() -> TooMuch:
    """Return the words for what does not fit into memory."""
    most = resource.getrlimit(resource.RLIMIT_DATA)[0]
    held = "there is" if most == resource.RLIM_INFINITY else f"the {most / 2**30:g} GB that one process may hold"
    return TooMuch(Problem("", f"this needs more memory than {held}", "work.memory"))


def around_started() -> dict[str, str]:
    """Return the environment of processes that are to end with this one."""
    return {**os.environ, STARTED_BY: str(os.getpid())}


def when_parent_ends(then: Callable[[], None]) -> None:
    """Wait until the process that started this one is gone, however it ended; then do something.

    It may have ended already while this one was starting: those that start others tell these who they are.
    """
    parent = int(os.environ.get(STARTED_BY, os.getppid()))
    while os.getppid() == parent:
        time.sleep(PARENT_CHECK_SECONDS)
    then()


def hold_memory(gigabytes: float) -> None:
    """Let this process, and those that it starts, hold no more memory than that, whatever is asked of them."""
    most, allowed = int(gigabytes * 2**30), resource.getrlimit(resource.RLIMIT_DATA)[1]
    if allowed != resource.RLIM_INFINITY:
        most = min(most, allowed)
    resource.setrlimit(resource.RLIMIT_DATA, (most, most))
