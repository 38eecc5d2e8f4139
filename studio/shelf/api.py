"""The API of assets: list, upload, replace, remove, download, preview."""

from django.http import FileResponse, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Router, UploadedFile

from pirouette.assets.library import shipped
from pirouette.data import ProblemError
from studio.assets.describe import describe, describe_all
from studio.assets.models import Asset
from studio.assets.preview import preview as preview_of
from studio.assets.services import read_upload, store

from . import services

router = Router(tags=["assets"])
UPLOAD = File(...)


@router.get("/assets")
def list_assets(request):
    """List all assets with their previews."""
    return describe_all()


@router.post("/assets", response={201: dict})
def upload(request, file: UploadedFile = UPLOAD):
    """Keep a file; answers with the asset, or with why it was refused."""
    held = read_upload(file.name, file.chunks())
    return 201, describe(store(held, file.name))


@router.post("/assets/{slug}/replace")
def replace(request, slug: str, file: UploadedFile = UPLOAD):
    """Put another file in an asset's place."""
    asset = get_object_or_404(Asset, slug=slug)
    return describe(services.replace(asset, read_upload(file.name, file.chunks())))


@router.delete("/assets/{slug}", response={204: None})
def remove(request, slug: str):
    """Remove an asset that no scene uses."""
    services.remove(get_object_or_404(Asset, slug=slug))
    return 204, None


@router.get("/assets/{slug}/file")
def download(request, slug: str):
    """Download an asset's file; browsers are told not to show it, whatever it holds."""
    asset = get_object_or_404(Asset, slug=slug)
    return FileResponse(
        asset.path.open("rb"), as_attachment=True, filename=asset.slug, content_type="application/octet-stream"
    )


@router.get("/assets/{slug}/preview")
def preview(request, slug: str):
    """Return a small picture of an asset."""
    known = {**{s: shipped().find(s).digest for s in shipped().ids()}}
    known.update(Asset.objects.filter(slug=slug).values_list("slug", "digest"))
    if slug not in known:
        return HttpResponse(status=404)
    try:
        data = preview_of(slug, known[slug])
    except (ProblemError, KeyError):
        return HttpResponse(status=404)
    return HttpResponse(data, content_type="image/png", headers={"Cache-Control": "max-age=86400"})
