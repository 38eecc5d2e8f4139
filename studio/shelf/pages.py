"""The page of assets."""

from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET, require_POST

from pirouette.assets.library import SORTS
from pirouette.data import ProblemError
from studio.assets.describe import describe_shipped
from studio.assets.models import Asset
from studio.assets.services import read_upload, store
from studio.phrases import services as phrases

from . import services

TITLES = {"artwork": "Artwork", "font": "Typefaces", "model": "Models", "picture": "Pictures"}


@require_GET
@ensure_csrf_cookie
def asset_list(request, problems=(), status=200):
    stored = list(Asset.objects.all())
    using = services.users([asset.slug for asset in stored])
    kept = phrases.users([asset.slug for asset in stored])
    groups = [
        {
            "title": title,
            "shipped": [one for one in describe_shipped() if one["sort"] == sort],
            "items": [
                {
                    "asset": asset,
                    "scenes": using[asset.slug],
                    "phrases": kept[asset.slug],
                    "suffixes": ",".join(SORTS[sort]),
                    "file": f"/api/assets/{asset.slug}/file",
                }
                for asset in stored
                if asset.sort == sort
            ],
        }
        for sort, title in TITLES.items()
    ]
    accept = ",".join(suffix for suffixes in SORTS.values() for suffix in suffixes)
    data = {"groups": groups, "problems": problems, "accept": accept}
    return render(request, "studio/assets.html", data, status=status)


def _refused(request, error):
    request.method = "GET"
    return asset_list(request, problems=[str(problem) for problem in error.problems], status=422)


@require_POST
def upload(request):
    try:
        for file in request.FILES.getlist("file"):
            store(read_upload(file.name, file.chunks()), file.name)
    except ProblemError as error:
        return _refused(request, error)
    return redirect("assets")


@require_POST
def replace(request, slug):
    asset = get_object_or_404(Asset, slug=slug)
    file = request.FILES.get("file")
    try:
        if file is not None:
            services.replace(asset, read_upload(file.name, file.chunks()))
    except ProblemError as error:
        return _refused(request, error)
    return redirect("assets")


@require_POST
def remove(request, slug):
    try:
        services.remove(get_object_or_404(Asset, slug=slug))
    except ProblemError as error:
        return _refused(request, error)
    return redirect("assets")
