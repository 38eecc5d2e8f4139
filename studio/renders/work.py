"""A render worker: claims frames, renders them, puts finished jobs together."""

import logging
import threading
import time
from contextlib import contextmanager

from django.conf import settings
from django.db import close_old_connections

from pirouette.data import Cancelled, ProblemError
from pirouette.document import read_scene
from pirouette.evaluate import Checkpoints, Memo
from pirouette.formats.stored import assemble, store
from pirouette.formats.table import BY_ID, options_of
from pirouette.render import render_scene
from studio.assets import library

from . import services

log = logging.getLogger(__name__)
HEARTBEAT_SECONDS = 8.0
CANCEL_CHECK_SECONDS = 0.5


class Worker:
    """Renders what is asked for until told to stop."""

    def __init__(self, name: str | None = None):
        self.name = name or services.worker_name()
        self.memo = Memo(checkpoints=Checkpoints(settings.DATA / "states"))
        self.scenes = {}
        self.stopping = threading.Event()

    def run(self, idle_seconds: float = 0.4) -> None:
        """Work until `stopping` is set."""
        while not self.stopping.is_set():
            if not self.work_once():
                self.stopping.wait(idle_seconds)
                close_old_connections()

    def work_once(self) -> bool:
        """Render one frame or assemble one job; returns whether there was anything to do."""
        services.end_orphans()
        frame = services.claim_frame(self.name)
        if frame is not None:
            self._render(frame)
            return True
        job = services.claim_assembly(self.name)
        if job is not None:
            self._assemble(job)
            return True
        return False

    def _scene(self, job):
        if job.id not in self.scenes:
            self.scenes = {job.id: read_scene(job.document, library.of(job.assets))}
        return self.scenes[job.id]

    def _render(self, frame):
        job = frame.job
        began = time.monotonic()
        try:
            with self._lease(frame, job) as is_cancelled:
                scene, wanted, options = self._scene(job), BY_ID[job.format], _options(job)
                rendered = render_scene(
                    scene,
                    frame.number,
                    (job.width, job.height),
                    job.samples,
                    memo=self.memo,
                    layers=wanted.layers(options),
                    is_cancelled=is_cancelled,
                )
                services.folder(job).mkdir(parents=True, exist_ok=True)
                path = services.frame_path(job, frame.number)
                store(wanted, path, rendered, scene.first_moment.fps, options)
        except Cancelled:
            if self.stopping.is_set():
                services.give_back(frame)
            return
        except ProblemError as error:
            # It would go wrong again.
            services.fail_job(job, f"frame {frame.number}: {error}")
            return
        except Exception as error:
            log.exception("frame %s of job %s", frame.number, job.id)
            services.fail_frame(frame, f"frame {frame.number}: {_in_words(error)}")
            return
        services.finish_frame(frame, time.monotonic() - began)

    @contextmanager
    def _lease(self, row, job):
        """Keep a lease alive while its work runs; yields a question whether the job was cancelled."""
        ended, cancelled = threading.Event(), threading.Event()

        def beat():
            renewed = time.monotonic()
            while not ended.wait(CANCEL_CHECK_SECONDS):
                if self.stopping.is_set() or not services.is_wanted(job):
                    cancelled.set()
                if time.monotonic() - renewed > HEARTBEAT_SECONDS:
                    services.renew(row)
                    renewed = time.monotonic()
            close_old_connections()

        thread = threading.Thread(target=beat, daemon=True)
        thread.start()
        try:
            yield cancelled.is_set
        finally:
            ended.set()
            thread.join()

    def _assemble(self, job):
        stored = [(number, services.frame_path(job, number)) for number in range(job.first, job.last + 1)]
        try:
            fps = self._scene(job).first_moment.fps
            with self._lease(job, job) as is_cancelled:

                def check():
                    if is_cancelled():
                        raise Cancelled

                assemble(BY_ID[job.format], services.result_path(job), stored, fps, _options(job), check)
        except Cancelled:
            return
        except Exception as error:
            if services.is_wanted(job):
                log.exception("the file of job %s", job.id)
                services.fail_job(job, f"the file could not be made: {_in_words(error)}")
            return
        services.finish_job(job)
        if BY_ID[job.format].is_movie:
            # The movie holds them all.
            for _, path in stored:
                path.unlink(missing_ok=True)


def _in_words(error) -> str:
    """What went wrong, for people: no path of this machine and no address of an object."""
    if isinstance(error, OSError) and error.strerror:
        return error.strerror
    if isinstance(error, MemoryError):
        return "it needs more memory than there is"
    return f"something unexpected went wrong ({type(error).__name__})"


def _options(job):
    return options_of(BY_ID[job.format], job.options)
