"""Making, claiming and finishing render jobs. Nothing here renders."""

import os
import shutil
import socket
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from pirouette.data import Problem, ProblemError
from pirouette.document import read_scene
from pirouette.document.used import used_assets
from pirouette.formats.stored import result_suffix, stored_bytes, stored_suffix
from pirouette.formats.table import BY_ID, format_of, options_of
from studio.assets import library
from studio.scenes.models import Scene

from .models import ASSEMBLING, CANCELLED, DONE, FAILED, RUNNING, WAITING, RenderFrame, RenderJob

OPEN = (WAITING, RUNNING, ASSEMBLING)
LEASE = timedelta(seconds=30)
MAX_FRAMES = 20_000
# A frame that went wrong is tried again, by another worker if there is one.
TRIES = 2
OTHERS_FIRST = timedelta(seconds=3)
# A frame may take its worker with it; but workers are also ended for other reasons.
DEATHS = 4
# So much of the disk stays free, whatever is rendered.
SPARE_BYTES = 256 * 2**20


def folder(job: RenderJob) -> Path:
    return Path(settings.DATA) / "renders" / str(job.id)


def frame_path(job: RenderJob, number: int) -> Path:
    return folder(job) / f"frame_{number:06d}{stored_suffix(BY_ID[job.format])}"


def result_path(job: RenderJob) -> Path:
    return folder(job) / f"result{result_suffix(BY_ID[job.format], job.last - job.first + 1)}"


def worker_name() -> str:
    return f"{socket.gethostname()}:{os.getpid()}"


def create_job(scene: Scene, *, format, first, last, width, height, samples, options=None) -> RenderJob:
    """Store a job with a row for each frame; raises ProblemError if what is asked for is out of range."""
    wanted = format_of(format, "render/format")
    options_of(wanted, options, "render/options")
    needed = stored_bytes(wanted, width, height) * (last - first + 1) + SPARE_BYTES
    checks = [
        ("format", wanted.is_pictures, f"{format!r} holds no pictures"),
        ("last", last >= first and last - first < MAX_FRAMES, f"allowed {first} to {first + MAX_FRAMES - 1}"),
        (
            "size",
            needed <= _free_bytes(),
            f"this needs up to {needed / 1e9:.1f} GB on the disk, which has not so much left",
        ),
    ]
    problems = [Problem(f"render/{path}", message, "render.range") for path, ok, message in checks if not ok]
    if problems:
        raise ProblemError(problems)
    known = library.entries()
    assets = {slug: known[slug] for slug in used_assets(scene.document) if slug in known}
    read_scene(scene.document, library.of(assets))
    with transaction.atomic():
        job = RenderJob.objects.create(
            # It may be gone by now.
            scene=Scene.objects.get(id=scene.id),
            name=scene.name,
            document=scene.document,
            assets=assets,
            format=format,
            first=first,
            last=last,
            width=width,
            height=height,
            samples=samples,
            options=options or {},
        )
        RenderFrame.objects.bulk_create(RenderFrame(job=job, number=number) for number in range(first, last + 1))
    return job


def _free_bytes() -> int:
    return shutil.disk_usage(settings.DATA).free


def _is_dead(worker: str) -> bool:
    """True if a worker of this machine is gone, so that its lease need not run out."""
    host, _, pid = worker.rpartition(":")
    if host != socket.gethostname() or not pid.isdigit():
        return False
    try:
        os.kill(int(pid), 0)
    except ProcessLookupError:
        return True
    except PermissionError:
        return False
    return _is_zombie(pid)


def _is_zombie(pid) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] == "Z"
    except (OSError, IndexError):
        return False


def _free(rows):
    """Return those rows whose lease has run out or whose worker has died."""
    now = timezone.now()
    return [row for row in rows if row.lease_until is None or row.lease_until < now or _is_dead(row.worker)]


def claim_frame(worker: str) -> RenderFrame | None:
    """Give the next free frame of the oldest open job to a worker."""
    with transaction.atomic():
        open_frames = RenderFrame.objects.filter(job__state__in=(WAITING, RUNNING)).order_by("job_id", "number")
        mine_that_failed = Q(failures__gt=0, worker=worker, lease_until__gt=timezone.now())
        frame = open_frames.filter(state=WAITING).exclude(mine_that_failed).first()
        if frame is None:
            frame = next(iter(_free(open_frames.filter(state=RUNNING))), None)
            if frame is None:
                return None
            frame.deaths += 1
            if frame.deaths >= DEATHS:
                fail_job(frame.job, f"frame {frame.number}: the worker ended {DEATHS} times while it rendered this")
                return None
        frame.state, frame.worker, frame.lease_until = RUNNING, worker, timezone.now() + LEASE
        frame.save()
        RenderJob.objects.filter(id=frame.job_id, state=WAITING).update(state=RUNNING)
    return frame


def claim_assembly(worker: str) -> RenderJob | None:
    """Give a job whose frames are all done to a worker, to make its file."""
    with transaction.atomic():
        ready = RenderJob.objects.filter(state=RUNNING).exclude(frames__state__in=(WAITING, RUNNING, FAILED)).first()
        if ready is None:
            ready = next(iter(_free(RenderJob.objects.filter(state=ASSEMBLING))), None)
            if ready is None:
                return None
            ready.deaths += 1
            if ready.deaths >= DEATHS:
                fail_job(ready, f"the worker ended {DEATHS} times while it made the file")
                return None
        ready.state, ready.worker, ready.lease_until = ASSEMBLING, worker, timezone.now() + LEASE
        ready.save()
    return ready


def renew(row) -> None:
    """Lengthen the lease of a frame or job."""
    type(row).objects.filter(id=row.id, worker=row.worker).update(lease_until=timezone.now() + LEASE)


def finish_frame(frame: RenderFrame, seconds: float) -> None:
    RenderFrame.objects.filter(id=frame.id).update(state=DONE, seconds=seconds, lease_until=None)


def give_back(frame: RenderFrame) -> None:
    """Let a frame wait again: its worker was told to stop."""
    RenderFrame.objects.filter(id=frame.id, worker=frame.worker, state=RUNNING).update(state=WAITING, lease_until=None)


def fail_frame(frame: RenderFrame, message: str) -> None:
    """Let a frame that went wrong be tried again; after TRIES of that its job has failed."""
    failures = frame.failures + 1
    mine = RenderFrame.objects.filter(id=frame.id, worker=frame.worker)
    if failures >= TRIES:
        mine.update(state=FAILED, failures=failures, lease_until=None)
        fail_job(frame.job, message)
    else:
        mine.update(state=WAITING, failures=failures, lease_until=timezone.now() + OTHERS_FIRST)


def finish_job(job: RenderJob) -> None:
    _end(job, DONE, file_name=result_path(job).name)


def fail_job(job: RenderJob, message: str) -> None:
    """End an open job with words; its finished frames are removed."""
    if _end(job, FAILED, message=message):
        shutil.rmtree(folder(job), ignore_errors=True)


def cancel_job(job: RenderJob) -> None:
    """Stop an open job; its finished frames are removed."""
    if _end(job, CANCELLED):
        shutil.rmtree(folder(job), ignore_errors=True)


def sweep_renders() -> None:
    """Remove the files of jobs that are not there any more, or did not come to their end."""
    kept = RenderJob.objects.filter(state__in=(*OPEN, DONE)).values_list("id", flat=True)
    owned = {str(one) for one in kept}
    for path in (Path(settings.DATA) / "renders").glob("*"):
        if path.name not in owned:
            shutil.rmtree(path, ignore_errors=True)


def end_orphans() -> None:
    """Stop the open jobs of scenes that were deleted."""
    for job in RenderJob.objects.filter(scene=None, state__in=OPEN):
        cancel_job(job)


def _end(job, state, **more) -> bool:
    """End a job that is open, and whatever of it is under way; one that has ended already stays as it is."""
    ended = {"state": state, "finished": timezone.now(), "lease_until": None, **more}
    return bool(RenderJob.objects.filter(id=job.id, state__in=OPEN).update(**ended))


def is_wanted(job: RenderJob) -> bool:
    """Whether a job is open still: not cancelled, failed or gone meanwhile, nor its scene."""
    return RenderJob.objects.filter(id=job.id, state__in=OPEN, scene__isnull=False).exists()


def progress(job: RenderJob) -> dict:
    """Return how far a job is and about how long it will still take."""
    total = job.last - job.first + 1
    done = job.frames.filter(state=DONE).count()
    recent = list(
        job.frames.filter(state=DONE, seconds__isnull=False).order_by("-id").values_list("seconds", flat=True)[:20]
    )
    workers = max(1, job.frames.filter(state=RUNNING).values("worker").distinct().count())
    left = None
    if recent and job.state == RUNNING:
        left = round(sum(recent) / len(recent) * (total - done) / workers, 1)
    return {
        "id": job.id,
        "scene": job.scene_id,
        "name": job.name,
        "state": job.state,
        "message": job.message,
        "done": done,
        "total": total,
        "secondsLeft": left,
        "format": job.format,
        "size": [job.width, job.height],
        "samples": job.samples,
        "file": f"/api/renders/{job.id}/file" if job.state == DONE else None,
    }
