"""Replacing and removing assets, with regard to who uses them: scenes, phrases, and renders that began before."""

from django.db import transaction

from pirouette.assets.library import Asset as Held
from pirouette.assets.library import shipped
from pirouette.document.used import used_assets
from studio.assets import library
from studio.assets.models import Asset, file_path
from studio.assets.preview import preview_path
from studio.assets.services import fail, put
from studio.phrases import services as phrases
from studio.renders.models import RenderJob
from studio.renders.services import OPEN
from studio.scenes import pictures
from studio.scenes.models import Scene


def replace(asset: Asset, held: Held) -> Asset:
    """Put another file in an asset's place; scenes that use it use that one from now on."""
    if held.sort != asset.sort:
        fail(f"{asset.slug} can only be replaced by another {asset.sort}; this is a {held.sort}", "asset.sort")
    put(asset, held)
    for scene in users([asset.slug])[asset.slug]:
        pictures.forget(scene)
    sweep()
    return asset


def users(slugs) -> dict[str, list[Scene]]:
    """Return the scenes that use each of some assets."""
    found = {slug: [] for slug in slugs}
    for scene in Scene.objects.all():
        for slug in used_assets(scene.document) & found.keys():
            found[slug].append(scene)
    return found


def remove(asset: Asset) -> None:
    """Remove an asset; raises ProblemError while a scene or a phrase uses it."""
    with transaction.atomic():
        using = [*users([asset.slug])[asset.slug], *phrases.users([asset.slug])[asset.slug]]
        if using:
            names = ", ".join(f"“{one.name}”" for one in using[:3]) + (" and others" if len(using) > 3 else "")
            fail(f"{asset.slug} is used by {names}; take it out there first", "asset.used")
        asset.delete()
        _sweep()


def sweep() -> None:
    """Remove the files that no asset and no open render job needs.

    Files are written in the transactions that store their rows, and only one transaction writes at a time: so each
    file that is there has its row, or never gets one.
    """
    with transaction.atomic():
        _sweep()


def _sweep():
    needed = set(Asset.objects.values_list("digest", flat=True))
    for known in RenderJob.objects.filter(state__in=OPEN).values_list("assets", flat=True):
        needed |= {digest for _, digest in known.values()}
    for path in file_path("x").parent.glob("*"):
        if path.name not in needed:
            path.unlink(missing_ok=True)
            library.forget(path.name)
    previewed = needed | {shipped().find(slug).digest for slug in shipped().ids()}
    for path in preview_path("x").parent.glob("*"):
        if path.stem not in previewed:
            path.unlink(missing_ok=True)
