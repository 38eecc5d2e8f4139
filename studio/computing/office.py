"""Where tasks are done: by whom asks for them, unless the server has said otherwise."""

from functools import partial

from pirouette.data import TooMuch
from pirouette.data.question import Progress, never
from studio.work import out_of_memory, question, turn

from . import tasks


class AtOnce:
    """Does each task right here."""

    def do(self, task, arguments, name, seconds, is_cancelled, tell):
        return perform(task, arguments, question(seconds, is_cancelled, tell))


_office = AtOnce()
# What is told of the works that are being done, by whose turn it is.
_told: dict[object, Progress] = {}


def use(office):
    """Let another office do all tasks from now on."""
    global _office
    _office = office


def run(task, *arguments, name, seconds: float, is_cancelled=never):
    """Return what a task makes of its arguments.

    name    whose turn it is: a scene's id, for one
    Raises  Cancelled once is_cancelled() is true, TooMuch once the time or the memory is used up, and what the task
            raises
    """
    with turn(name, is_cancelled):
        try:
            return _office.do(task, arguments, name, seconds, is_cancelled, partial(_told.__setitem__, name))
        finally:
            _told.pop(name, None)


def progress(name) -> Progress | None:
    """Return how far a simulation has come that is being computed for someone right now, if one is."""
    return _told.get(name)


def perform(task, arguments, ask):
    """Do a task here; what was remembered makes room where the memory has run out."""
    try:
        return task(*arguments, ask)
    except MemoryError:
        tasks.memo.clear()
        raise out_of_memory() from None
    except TooMuch as error:
        if error.is_memory:
            tasks.memo.clear()
        raise
