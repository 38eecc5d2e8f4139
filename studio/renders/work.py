"""A render worker: claims frames, renders them, puts finished jobs together."""

import threading
import time
import zipfile
from contextlib import contextmanager

from django.db import close_old_connections

from pirouette.data import Cancelled, ProblemError
from pirouette.document import read_scene
from pirouette.evaluate import Memo, evaluate
from pirouette.formats.movie import write_gif, write_mp4
from pirouette.formats.png import read_png, write_png
from pirouette.render import render_frame
from studio.assets import library

from . import services

HEARTBEAT_SECONDS = 8.0
CANCEL_CHECK_SECONDS = 0.5


class Worker:
    """Renders what is asked for until told to stop."""

    def __init__(self, name: str | None = None):
        self.name = name or services.worker_name()
        self.memo = Memo()
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
                picture = evaluate(self._scene(job), frame.number, memo=self.memo, is_cancelled=is_cancelled)
                size = (job.width, job.height)
                pixels = render_frame(picture, size, job.samples, job.bits, is_cancelled)
                services.folder(job).mkdir(parents=True, exist_ok=True)
                write_png(services.frame_path(job, frame.number), pixels)
        except Cancelled:
            return
        except (ProblemError, MemoryError, OSError) as error:
            services.fail_job(job, f"frame {frame.number}: {error}")
            return
        services.finish_frame(frame, time.monotonic() - began)

    @contextmanager
    def _lease(self, row, job):
        """Keep a lease alive while its work runs; yields a question whether the job was cancelled."""
        ended, cancelled = threading.Event(), threading.Event()

        def beat():
            renewed = time.monotonic()
            while not ended.wait(CANCEL_CHECK_SECONDS):
                if services.is_cancelled(job):
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
        numbers = range(job.first, job.last + 1)
        fps = self._scene(job).first_moment.fps
        target = services.result_path(job)
        try:
            with self._lease(job, job):
                frames = (read_png(services.frame_path(job, number)) for number in numbers)
                if job.format == "mp4":
                    write_mp4(target, frames, fps)
                elif job.format == "gif":
                    write_gif(target, frames, fps)
                elif job.format == "png":
                    target.write_bytes(services.frame_path(job, job.first).read_bytes())
                else:
                    with zipfile.ZipFile(target, "w") as archive:
                        for number in numbers:
                            archive.write(services.frame_path(job, number), f"frame_{number:04d}.png")
        except OSError as error:
            if not services.is_cancelled(job):
                services.fail_job(job, f"the file could not be written: {error}")
            return
        services.finish_job(job)
