"""Scenes as files: JSON alone, or a zip that holds `scene.json` and the assets it names in `assets/`."""

import io
import json
import zipfile
import zlib

from django.db import transaction

from pirouette.assets.library import MAX_BYTES, shipped
from pirouette.data import Problem, ProblemError
from pirouette.document.read import parse_json, read_scene
from pirouette.document.used import used_assets, with_assets_named
from studio.assets import library
from studio.assets import services as assets
from studio.work import FILE_SECONDS, work

from . import services

SCENE = "scene.json"
FOLDER = "assets/"
MAX_SCENE = 8 << 20
MAX_FILES = 200


def _fail(message, code):
    raise ProblemError(Problem("", message, code))


def give_out(document: dict) -> tuple[bytes, str]:
    """Return a scene's file and its suffix, "json" or "zip"."""
    text = json.dumps(document, ensure_ascii=False, indent=1).encode()
    own = sorted(used_assets(document) - shipped().ids().keys())
    found = library.current()
    held = [found.find(slug) for slug in own if slug in found.ids()]
    if not held:
        return text, "json"
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(SCENE, text)
        for asset in held:
            archive.writestr(FOLDER + asset.id, asset.data)
    return out.getvalue(), "zip"


def take_in(data: bytes):
    """Store a scene from a file and return it; raises ProblemError if the file or the scene is wrong.

    An asset whose id stands for another file here already gets a new one, and the scene is told.
    """
    if data[:2] != b"PK":
        if len(data) > MAX_SCENE:
            _fail(
                f"{len(data) / 2**20:.1f} MB; a scene without assets may have up to {MAX_SCENE >> 20} MB", "scene.size"
            )
        try:
            return services.create_scene(parse_json(data.decode("utf-8")))
        except UnicodeDecodeError:
            _fail("this is not a text file", "scene.file")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive, work("a bundle", FILE_SECONDS) as question:
            document = parse_json(_member(archive, SCENE, MAX_SCENE).decode("utf-8"))
            held = _assets(archive, question)
    except (zipfile.BadZipFile, zlib.error, EOFError, UnicodeDecodeError, NotImplementedError, RuntimeError) as error:
        _fail(f"this zip file cannot be read: {error}", "scene.zip")
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


def _member(archive, name, most) -> bytes:
    """Read one member, by its stated size and by what really comes out of it."""
    try:
        info = archive.getinfo(name)
    except KeyError:
        _fail(f"there is no {name} in this zip file", "scene.zip")
    if info.file_size > most:
        _fail(f"{name} is larger than {most >> 20} MB", "scene.zip")
    with archive.open(info) as member:
        data = member.read(most + 1)
    if len(data) > most:
        _fail(f"{name} is larger than {most >> 20} MB", "scene.zip")
    return data


def _assets(archive, question) -> dict:
    """Read the assets of a bundle, by the ids that its scene names them by, as long as the question lets it."""
    names = [name for name in archive.namelist() if name.startswith(FOLDER) and not name.endswith("/")]
    if len(names) > MAX_FILES:
        _fail(f"{len(names)} assets; allowed up to {MAX_FILES}", "scene.zip")
    held = {}
    for name in names:
        question()
        slug = name.removeprefix(FOLDER)
        held[slug] = assets.read_upload(slug, [_member(archive, name, max(MAX_BYTES.values()))])
    return held
