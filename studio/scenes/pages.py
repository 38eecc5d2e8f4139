"""Server-rendered pages: the list of scenes and the editor."""

import json
from pathlib import Path

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from pirouette.data import Cancelled, ProblemError
from pirouette.document.read import new_scene as empty_scene
from pirouette.formats import table as formats
from studio.assets.bundle import received
from studio.assets.describe import describe_all
from studio.packed import modules_of
from studio.work import has_left

from . import bundle, pictures, services
from .models import Scene
from .told import catalogue_told

STARTS = Path(__file__).resolve().parent.parent / "demo" / "starts"
PLAIN = "plain"
# What the starting phrases are, each in a sentence.
SAYS = {
    "1-tiles": "A wall of tiles in a wave: one box, repeated on a grid, shifted by a formula.",
    "2-ball": "A ball that swells and sinks: noise pushes its points, and closes with the loop.",
    "3-net": "A net of glowing lines: a sheet displaced by noise, drawn as wires and dots.",
}
PLAIN_SAYS = "One form and nothing else: give it steps, and each changes it."


def starts() -> list[dict]:
    """Return the starting phrases and the plain ball: id, name, a sentence, and where the moving picture is."""
    found = []
    for path in sorted(STARTS.glob("*.json")):
        document = json.loads(path.read_text("utf-8"))
        found.append(_start(path.stem, document["name"], SAYS[path.stem]))
    return [*found, _start(PLAIN, "A plain ball", PLAIN_SAYS)]


def _start(identity, name, says) -> dict:
    return {"id": identity, "name": name, "says": says, "strip": f"studio/starts/{identity}.webp"}


def start_document(start: str) -> dict:
    """Return the document of a new scene: that of a starting phrase, or a plain ball for whatever else."""
    if start in SAYS:
        return json.loads((STARTS / f"{start}.json").read_text("utf-8"))
    return {**empty_scene("Untitled"), "figures": [plain_figure()]}


@require_GET
@never_cache
@ensure_csrf_cookie
def scene_list(request, problems=(), status=200):
    scenes = [
        {
            "scene": scene,
            **_clock(scene.document),
        }
        for scene in Scene.objects.all()
    ]
    return render(
        request, "studio/scenes.html", {"scenes": scenes, "starts": starts(), "problems": problems}, status=status
    )


def _clock(document) -> dict:
    """How long a stored scene is, for the list; one that is broken in any way never takes the others along."""
    clock = document.get("clock") if isinstance(document, dict) else None
    clock = clock if isinstance(clock, dict) else {}
    return {"frames": clock.get("frames", 96), "fps": clock.get("fps", 24)}


@require_GET
@never_cache
@ensure_csrf_cookie
def editor(request, scene_id):
    scene = get_object_or_404(Scene, id=scene_id)
    data = {
        "scene": {"id": scene.id, "document": scene.document, **services.history(scene)},
        "assets": describe_all(),
        "formats": [one for one in formats.describe() if one["is_pictures"]],
    }
    told = {"scene": scene, "data": data, "version": catalogue_told()[1], "modules": modules_of("studio/js/editor.js")}
    return render(request, "studio/editor.html", told)


@require_POST
def new_scene(request):
    document = start_document(request.POST.get("start", ""))
    document["name"] = free_name(document["name"])
    return redirect("editor", services.create_scene(document).id)


def plain_figure() -> dict:
    """Return the figure that an empty scene begins with: a plain ball."""
    return {
        "id": "ball",
        "name": "Ball",
        "routine": [{"id": "form", "kind": "sphere", "settings": {"radius": 100}}],
        "looks": [{"id": "surface", "kind": "surface", "settings": {}}],
    }


def free_name(name: str) -> str:
    """Return a name that no stored scene has yet."""
    taken = set(Scene.objects.values_list("name", flat=True))
    number, free = 2, name
    while free in taken:
        free = f"{name[:70]} {number}"
        number += 1
    return free


@require_POST
def import_scene(request):
    try:
        return redirect("editor", bundle.take_in(received(request.FILES.get("scene"))).id)
    except ProblemError as error:
        return _refused(request, [str(problem) for problem in error.problems])


def _refused(request, problems):
    request.method = "GET"
    return scene_list(request, problems=problems, status=422)


@require_POST
def duplicate_scene(request, scene_id):
    scene = get_object_or_404(Scene, id=scene_id)
    document = {**scene.document, "name": free_name(scene.name)}
    return redirect("editor", services.create_scene(document).id)


@require_POST
def delete_scene(request, scene_id):
    get_object_or_404(Scene, id=scene_id).delete()
    pictures.sweep_pictures()
    return redirect("scenes")


@require_GET
def export_scene(request, scene_id):
    """The scene as JSON, or zipped with the assets that it uses."""
    scene = get_object_or_404(Scene, id=scene_id)
    data, suffix = bundle.give_out(scene.document)
    response = HttpResponse(data, content_type="application/json" if suffix == "json" else "application/zip")
    response["Content-Disposition"] = f'attachment; filename="{_file_name(scene.name)}.{suffix}"'
    return response


def _file_name(name: str) -> str:
    return "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in name).strip("-") or "scene"


@require_GET
def thumbnail(request, scene_id):
    """A small picture of the scene a third into its loop."""
    try:
        data = pictures.thumbnail(get_object_or_404(Scene, id=scene_id), has_left(request))
    except (ProblemError, Cancelled):
        return HttpResponse(status=404)
    return HttpResponse(data, content_type="image/png")


@require_GET
@never_cache
def first_picture(request, scene_id):
    """What the view shows first, for as long as it takes until it does; made quickly."""
    try:
        data = pictures.first_picture(get_object_or_404(Scene, id=scene_id), has_left(request))
    except (ProblemError, Cancelled):
        return HttpResponse(status=404)
    return HttpResponse(data, content_type="image/webp" if data.startswith(b"RIFF") else "image/jpeg")
