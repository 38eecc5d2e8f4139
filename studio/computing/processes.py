"""Processes that compute of scenes, so that whatever one of them asks for, the server goes on.

Each process listens on a socket of its own and does each connection's tasks one after the other. A connection that says
anything meanwhile, or is closed, ends its task. A process that does not end a task in time is ended itself, and one
that has run out of memory ends; one that stands ready takes its place, and what others wanted of it is done there.
"""

import itertools
import logging
import os
import subprocess
import sys
import tempfile
import threading
import time
from contextlib import suppress
from multiprocessing.connection import Client, Listener
from pathlib import Path

from django.conf import settings

from pirouette.data import Cancelled, Problem, ProblemError, TooMuch
from studio.work import Deadline, around_started, out_of_memory, question

from .office import perform

log = logging.getLogger(__name__)
# So long after its time may a task still be in one step.
GRACE_SECONDS = 10
START_SECONDS = 120
ENDING_SECONDS = 2
POLL_SECONDS = 0.05
TRIES = 2


class Processes:
    """An office of a few processes; each scene has its place in one of them, and one more stands ready."""

    def __init__(self, count: int):
        self._folder = tempfile.TemporaryDirectory(prefix="pirouette-")
        self._numbers = itertools.count()
        self._lock = threading.Lock()
        self._spare = self._begun()
        self._places = [_Place(self._taken) for _ in range(count)]

    def _begun(self):
        return _Process(str(Path(self._folder.name) / str(next(self._numbers))))

    def _taken(self) -> "_Process":
        """Return the process that stands ready, and let another one get ready in its place."""
        with self._lock:
            taken, self._spare = self._spare, self._begun()
        return taken

    def do(self, task, arguments, name, seconds, is_cancelled, tell):
        place = self._places[hash(name) % len(self._places)]
        for _ in range(TRIES):
            with suppress(EOFError, OSError):
                return place.current().do(task, arguments, seconds, is_cancelled, tell)
        raise TooMuch(
            Problem("", "what computed this ended over it, twice; try again, or make it lighter", "work.ended")
        )

    def close(self):
        """End all processes."""
        for process in (self._spare, *(place.process for place in self._places)):
            process.end()
        self._folder.cleanup()


class _Place:
    """Always one process; where it has ended, another is taken."""

    def __init__(self, take):
        self._take = take
        self._lock = threading.Lock()
        self.process = take()

    def current(self) -> "_Process":
        with self._lock:
            if self.process.has_ended:
                self.process = self._take()
            return self.process


class _Process:
    """A process and the connections to it that wait for tasks."""

    def __init__(self, address):
        self._address = address
        self._idle = []
        self._lock = threading.Lock()
        self._process = subprocess.Popen(
            [sys.executable, "manage.py", "compute", address], cwd=settings.ROOT, env=around_started()
        )

    @property
    def has_ended(self) -> bool:
        return self._process.poll() is not None

    def end(self):
        self._process.kill()
        self._process.wait()

    def do(self, task, arguments, seconds, is_cancelled, tell):
        """Have a task done; raises EOFError or OSError if the process ends meanwhile."""
        connection = self._connection()
        try:
            connection.send((task, arguments, seconds))
            how, result = self._outcome(connection, seconds, is_cancelled, tell)
        except (EOFError, OSError):
            connection.close()
            # It is about to end, then.
            with suppress(subprocess.TimeoutExpired):
                self._process.wait(ENDING_SECONDS)
            raise
        except BaseException:
            # It may still be said something on; and the process sees by this that nobody waits any more.
            connection.close()
            raise
        with self._lock:
            self._idle.append(connection)
        if how == "raised":
            raise result
        return result

    def _outcome(self, connection, seconds, is_cancelled, tell):
        """Wait for what a task comes to; what is told on the way is told on."""
        time_is_up = Deadline(seconds, GRACE_SECONDS)
        while True:
            if connection.poll(POLL_SECONDS):
                how, result = connection.recv()
                if how != "told":
                    return how, result
                time_is_up.later()
                tell(result)
            if is_cancelled():
                raise Cancelled
            if time_is_up():
                log.warning("a task did not end in %s s; its process is replaced", seconds)
                self.end()
                words = f"stopped after {time_is_up.seconds:g} seconds in one step, which is the most it may take"
                raise TooMuch(Problem("", words, "work.time"))

    def _connection(self):
        with self._lock:
            if self._idle:
                return self._idle.pop()
        end = time.monotonic() + START_SECONDS
        while True:
            try:
                return Client(self._address, "AF_UNIX")
            except (FileNotFoundError, ConnectionRefusedError):
                if self.has_ended or time.monotonic() > end:
                    raise
                time.sleep(POLL_SECONDS)


def serve_tasks(address: str) -> None:
    """Do the tasks that come on a socket, each connection's one after the other, until this process ends."""
    with Listener(address, "AF_UNIX", backlog=64) as listener:
        while True:
            threading.Thread(target=_answer, args=(listener.accept(),), daemon=True).start()


def _answer(connection):
    """Do the tasks of one connection."""

    def tell(progress):
        # Who does not listen any more is noticed by the question.
        with suppress(OSError):
            connection.send(("told", progress))

    with suppress(EOFError, OSError), connection:
        while True:
            task, arguments, seconds = connection.recv()
            try:
                answer = "did", perform(task, arguments, question(seconds, connection.poll, tell))
            except (Cancelled, ProblemError) as error:
                answer = "raised", error
            except Exception as error:
                log.exception("%s", task.__name__)
                answer = "raised", RuntimeError(f"{task.__name__}: {type(error).__name__}")
            try:
                connection.send(answer)
            except MemoryError:
                answer = "raised", out_of_memory()
                connection.send(answer)
            if _is_spent(answer):
                os._exit(1)


def _is_spent(answer) -> bool:
    """True if the memory ran out over an answer: after that nothing in the process can be trusted to be whole."""
    how, result = answer
    problem = result if how == "raised" else getattr(result, "problem", None)
    return isinstance(problem, TooMuch) and problem.is_memory
