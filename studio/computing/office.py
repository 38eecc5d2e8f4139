"""Where tasks are done: by whom asks for them, unless the server has said otherwise."""

from pirouette.data import TooMuch
from studio.work import never, out_of_memory, question, turn

from . import tasks


class AtOnce:
    """Does each task right here."""

    def do(self, task, arguments, name, seconds, is_cancelled):
        return perform(task, arguments, question(seconds, is_cancelled))


_office = AtOnce()


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
        return _office.do(task, arguments, name, seconds, is_cancelled)


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
