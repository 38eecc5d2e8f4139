"""The page of phrases."""

from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from pirouette.data import ProblemError
from studio.assets.bundle import received
from studio.scenes.pages import free_name
from studio.scenes.services import create_scene

from . import services
from .models import Phrase


@require_GET
@never_cache
@ensure_csrf_cookie
def phrase_list(request, problems=(), status=200):
    phrases = [
        {**services.told(phrase), "shows": _shown(phrase), "file": f"/api/phrases/{phrase.id}/file"}
        for phrase in Phrase.objects.all()
    ]
    groups = [
        {"title": "Figures", "items": [one for one in phrases if one["whole"]]},
        {"title": "Steps", "items": [one for one in phrases if not one["whole"]]},
    ]
    return render(request, "studio/phrases.html", {"groups": groups, "problems": problems}, status=status)


def _shown(phrase) -> str:
    """The words of the values that a phrase shows."""
    raw = phrase.document
    figure = next(one for one in raw["scene"]["figures"] if one["id"] == raw["figure"])
    return ", ".join(shown["words"] for shown in figure["phrases"][0].get("shows", ()))


def _refused(request, error):
    request.method = "GET"
    return phrase_list(request, problems=[str(problem) for problem in error.problems], status=422)


@require_POST
def import_phrase(request):
    try:
        services.take_in(received(request.FILES.get("file")))
    except ProblemError as error:
        return _refused(request, error)
    return redirect("phrases")


@require_POST
def rename_phrase(request, phrase_id):
    phrase = get_object_or_404(Phrase, id=phrase_id)
    try:
        services.rename(phrase, request.POST.get("name", ""), request.POST.get("says", ""))
    except ProblemError as error:
        return _refused(request, error)
    return redirect("phrases")


@require_POST
def remove_phrase(request, phrase_id):
    services.remove(get_object_or_404(Phrase, id=phrase_id))
    return redirect("phrases")


@require_POST
def begin_with(request, phrase_id):
    """Begin a scene with what a phrase holds."""
    scene = get_object_or_404(Phrase, id=phrase_id).document["scene"]
    return redirect("editor", create_scene({**scene, "name": free_name(scene["name"])}).id)
