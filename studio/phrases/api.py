"""The API of phrases: list, keep, put into a scene, rename, remove, pictures, files."""

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Field, File, Router, Schema, UploadedFile

from pirouette.data import Cancelled, ProblemError
from studio.assets.bundle import received
from studio.scenes.models import Scene
from studio.scenes.services import Conflict
from studio.work import has_left

from . import services
from .models import Phrase

router = Router(tags=["phrases"])
UPLOAD = File(...)
KEPT = "max-age=31536000, immutable"


class Shown(Schema):
    """A value that stands in the phrase's line: where it is, what it is called, and its range."""

    value: str = Field(max_length=200)
    words: str = Field(max_length=40)
    range: tuple[float, float] | None = None


class Kept(Schema):
    figure: str = Field(max_length=40)
    steps: list[str] | None = Field(None, max_length=1000)
    name: str = Field(max_length=80)
    says: str = Field("", max_length=200)
    shows: list[Shown] = Field(default_factory=list, max_length=12)


class Where(Schema):
    figure: str | None = Field(None, max_length=40)
    at: int | None = Field(None, ge=0, le=1000)
    revision: int | None = None


class Named(Schema):
    name: str = Field(max_length=80)
    says: str = Field("", max_length=200)


@router.get("/phrases")
def list_phrases(request):
    """List all phrases, each with the address of its moving picture."""
    return services.all_told()


@router.post("/phrases", response={201: dict})
def upload_phrase(request, file: UploadedFile = UPLOAD):
    """Keep a phrase from a file."""
    return 201, services.told(services.take_in(received(file)))


@router.post("/scenes/{int:scene_id}/phrases", response={201: dict})
def keep_phrase(request, scene_id: int, kept: Kept):
    """Keep a figure of a scene, or steps of it that follow each other, as a phrase."""
    scene = get_object_or_404(Scene, id=scene_id)
    shows = [shown.dict(exclude_none=True) for shown in kept.shows]
    shows = [{**shown, "range": list(shown["range"])} if "range" in shown else shown for shown in shows]
    phrase = services.keep(scene, kept.figure, kept.steps, kept.name, kept.says, shows)
    return 201, services.told(phrase)


@router.post("/scenes/{int:scene_id}/phrases/{int:phrase_id}/place")
def place_phrase(request, scene_id: int, phrase_id: int, where: Where):
    """Return the JSON Patch that puts a phrase into a scene: steps into a figure, after so many of its own.

    If a revision is given, it must be the stored one: else the answer is the stored scene.
    """
    scene, phrase = get_object_or_404(Scene, id=scene_id), get_object_or_404(Phrase, id=phrase_id)
    if where.revision not in (None, scene.revision):
        raise Conflict(scene)
    found = services.place(phrase, scene, where.figure, where.at)
    return {"patch": found.patch, "figure": found.figure, "phrase": found.phrase, "revision": scene.revision}


@router.patch("/phrases/{int:phrase_id}")
def rename_phrase(request, phrase_id: int, named: Named):
    """Give a phrase another name and sentence."""
    return services.told(services.rename(get_object_or_404(Phrase, id=phrase_id), named.name, named.says))


@router.delete("/phrases/{int:phrase_id}", response={204: None})
def remove_phrase(request, phrase_id: int):
    """Remove a phrase; scenes that it was put into stay as they are."""
    services.remove(get_object_or_404(Phrase, id=phrase_id))
    return 204, None


@router.get("/phrases/{int:phrase_id}/strip")
def phrase_strip(request, phrase_id: int):
    """Return a phrase's moving picture: twelve pictures beside each other."""
    phrase = get_object_or_404(Phrase, id=phrase_id)
    try:
        data = services.strip(phrase, has_left(request))
    except (ProblemError, Cancelled):
        return HttpResponse(status=404)
    return HttpResponse(data, content_type="image/webp", headers={"Cache-Control": KEPT})


@router.get("/phrases/{int:phrase_id}/file")
def download_phrase(request, phrase_id: int):
    """Download a phrase's file: JSON, or zipped with the assets that it uses."""
    phrase = get_object_or_404(Phrase, id=phrase_id)
    data, suffix = services.give_out(phrase)
    name = "".join(one if one.isascii() and one.isalnum() else "-" for one in phrase.name).strip("-") or "phrase"
    headers = {"Content-Disposition": f'attachment; filename="{name}.phrase.{suffix}"'}
    kind = "application/json" if suffix == "json" else "application/zip"
    return HttpResponse(data, content_type=kind, headers=headers)
