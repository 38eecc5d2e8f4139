"""Scenes as files: JSON alone, or a zip that holds `scene.json` and the assets it names in `assets/`."""

from django.db import transaction

from pirouette.document.read import read_scene
from pirouette.document.used import used_assets, with_assets_named
from studio.assets import library
from studio.assets import services as assets
from studio.assets.bundle import packed, unpacked

from . import services

SCENE = "scene.json"


def give_out(document: dict) -> tuple[bytes, str]:
    """Return a scene's file and its suffix, "json" or "zip"."""
    return packed(document, used_assets(document), SCENE)


def take_in(data: bytes):
    """Store a scene from a file and return it; raises ProblemError if the file or the scene is wrong.

    An asset whose id stands for another file here already gets a new one, and the scene is told.
    """
    document, held = unpacked(data, SCENE)
    if not held:
        return services.create_scene(document)
    return _stored(document, held)


def _stored(document, held):
    """Store a scene and the assets that come with it: all of it or nothing.

    held  id in the file -> what was read
    """
    document = services.whole(document)
    # What takes long is done before the database is held.
    services.checked_scene(document, held)
    with transaction.atomic():
        names = {slug: assets.store(asset, slug).slug for slug, asset in held.items()}
        return services.store_scene(read_scene(with_assets_named(document, names), library.current()))
