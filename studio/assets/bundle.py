"""Files of documents with the assets that they name: JSON alone, or a zip of the document and the folder `assets/`."""

import io
import json
import zipfile
import zlib
from pathlib import PurePath

from pirouette.assets.library import MAX_BYTES, shipped
from pirouette.data import Problem, ProblemError
from pirouette.document.read import parse_json
from studio.work import FILE_SECONDS, work

from . import library
from .services import read_upload

FOLDER = "assets/"
MAX_DOCUMENT = 8 << 20
MAX_FILES = 200
MAX_IMPORT = 128 << 20


def _fail(message, code):
    raise ProblemError(Problem("", message, code))


def received(upload) -> bytes:
    """Return the bytes of an uploaded file; raises ProblemError if there is none, or more than is taken."""
    if upload is None or upload.size > MAX_IMPORT:
        _fail(f"choose a file of up to {MAX_IMPORT >> 20} MB", "import.size")
    return upload.read()


def packed(document: dict, names, member: str) -> tuple[bytes, str]:
    """Return a document's file and its suffix, "json" or "zip".

    names   the ids of the assets that it names
    member  what the document is called in a zip, such as scene.json
    """
    text = json.dumps(document, ensure_ascii=False, indent=1).encode()
    found = library.current()
    held = [found.find(slug) for slug in sorted(names - shipped().ids().keys()) if slug in found.ids()]
    if not held:
        return text, "json"
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(member, text)
        for asset in held:
            archive.writestr(FOLDER + asset.id, asset.data)
    return out.getvalue(), "zip"


def unpacked(data: bytes, member: str) -> tuple[object, dict]:
    """Return the document of a file and the assets that come with it, by the ids that it names them by.

    Raises ProblemError if the file is wrong; what is wrong in the document is not looked at
    """
    what = PurePath(member).stem
    if data[:2] != b"PK":
        if len(data) > MAX_DOCUMENT:
            size = f"{len(data) / 2**20:.1f} MB"
            _fail(f"{size}; a {what} without assets may have up to {MAX_DOCUMENT >> 20} MB", f"{what}.size")
        try:
            return parse_json(data.decode("utf-8")), {}
        except UnicodeDecodeError:
            _fail("this is not a text file", f"{what}.file")
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive, work("a bundle", FILE_SECONDS) as question:
            document = parse_json(_member(archive, member, MAX_DOCUMENT, what).decode("utf-8"))
            return document, _assets(archive, question, what)
    except (zipfile.BadZipFile, zlib.error, EOFError, UnicodeDecodeError, NotImplementedError, RuntimeError) as error:
        _fail(f"this zip file cannot be read: {error}", f"{what}.zip")


def _member(archive, name, most, what) -> bytes:
    """Read one member, by its stated size and by what really comes out of it."""
    try:
        info = archive.getinfo(name)
    except KeyError:
        _fail(f"there is no {name} in this zip file", f"{what}.zip")
    if info.file_size > most:
        _fail(f"{name} is larger than {most >> 20} MB", f"{what}.zip")
    with archive.open(info) as member:
        data = member.read(most + 1)
    if len(data) > most:
        _fail(f"{name} is larger than {most >> 20} MB", f"{what}.zip")
    return data


def _assets(archive, question, what) -> dict:
    """Read the assets of a bundle, by the ids that its document names them by, as long as the question lets it."""
    names = [name for name in archive.namelist() if name.startswith(FOLDER) and not name.endswith("/")]
    if len(names) > MAX_FILES:
        _fail(f"{len(names)} assets; allowed up to {MAX_FILES}", f"{what}.zip")
    held = {}
    for name in names:
        question()
        slug = name.removeprefix(FOLDER)
        held[slug] = read_upload(slug, [_member(archive, name, max(MAX_BYTES.values()), what)])
    return held
