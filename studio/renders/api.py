"""The API of render jobs."""

import asyncio

from django.http import StreamingHttpResponse
from django.shortcuts import get_object_or_404
from ninja import Field, Router, Schema

from pirouette.formats.table import BY_ID, describe
from studio.scenes.models import Scene

from . import services
from .models import DONE, RenderJob

router = Router(tags=["renders"])
JOBS_LISTED = 20
CHUNK_BYTES = 1 << 20


class Wanted(Schema):
    """What to render."""

    format: str = "mp4"
    first: int = Field(0, ge=0, le=1_000_000)
    last: int = Field(0, ge=0, le=1_000_000)
    width: int = Field(1920, ge=16, le=8192)
    height: int = Field(1080, ge=16, le=8192)
    samples: int = Field(8, ge=1, le=64)
    options: dict = Field(default_factory=dict)


@router.get("/formats")
def list_formats(request):
    """List all formats of files with their options."""
    return describe()


@router.post("/scenes/{scene_id}/renders", response={201: dict})
def create(request, scene_id: int, body: Wanted):
    """Ask for a render of the scene as it is now."""
    job = services.create_job(get_object_or_404(Scene, id=scene_id), **body.dict())
    return 201, services.progress(job)


@router.get("/scenes/{scene_id}/renders")
def list_jobs(request, scene_id: int):
    """List a scene's latest jobs with their progress."""
    return [services.progress(job) for job in RenderJob.objects.filter(scene_id=scene_id)[:JOBS_LISTED]]


@router.get("/renders/{job_id}")
def get_job(request, job_id: int):
    """Return how far a job is and about how long it will still take."""
    return services.progress(get_object_or_404(RenderJob, id=job_id))


@router.post("/renders/{job_id}/cancel")
def cancel(request, job_id: int):
    """Stop a job."""
    job = get_object_or_404(RenderJob, id=job_id)
    services.cancel_job(job)
    return services.progress(RenderJob.objects.get(id=job_id))


@router.get("/renders/{job_id}/file")
def download(request, job_id: int):
    """Download what a finished job made."""
    job = get_object_or_404(RenderJob, id=job_id, state=DONE)
    name = "".join(c if c.isascii() and c.isalnum() else "-" for c in job.name)
    path = services.result_path(job)
    return StreamingHttpResponse(
        _chunks(path),
        content_type="application/zip" if path.suffix == ".zip" else BY_ID[job.format].media_type,
        headers={
            "Content-Disposition": f'attachment; filename="{name}{path.suffix}"',
            "Content-Length": str(path.stat().st_size),
        },
    )


async def _chunks(path):
    """Read a file in parts, each in a thread, so that a large movie holds up nobody."""
    with path.open("rb") as file:
        while chunk := await asyncio.to_thread(file.read, CHUNK_BYTES):
            yield chunk
