"""Keeping phrases, putting them into scenes, and their pictures."""

from hashlib import blake2b
from pathlib import Path

from django.conf import settings
from django.db import transaction

from pirouette.data import Problem, ProblemError
from pirouette.data.question import never
from pirouette.document import read_scene
from pirouette.document.phrases import phrase_of, read_phrase
from pirouette.document.placing import Placed, placed
from pirouette.document.used import used_assets, with_assets_named
from studio.assets import library
from studio.assets import services as assets
from studio.assets.bundle import packed, unpacked
from studio.computing import tasks
from studio.computing.office import run
from studio.computing.tasks import Subject
from studio.made import made_once
from studio.scenes.models import Scene
from studio.work import SMALL_SECONDS

from .models import Phrase

PHRASE = "phrase.json"
MOST = 1000


def told(phrase: Phrase) -> dict:
    """Return what pages are told of a phrase."""
    return {
        "id": phrase.id,
        "name": phrase.name,
        "says": phrase.says,
        "whole": phrase.is_whole,
        "strip": f"/api/phrases/{phrase.id}/strip?{_digest(phrase)}",
    }


def all_told() -> list[dict]:
    """Return what pages are told of all phrases."""
    return [told(phrase) for phrase in Phrase.objects.all()]


def keep(scene: Scene, figure: str, steps: list[str] | None, name: str, says: str, shows: list[dict]) -> Phrase:
    """Keep a figure of a scene, or some of its steps, as a phrase; raises ProblemError with what is wrong."""
    known = library.current()
    return store(phrase_of(read_scene(scene.document, known), figure, steps, name, says, shows))


def store(document, is_demo: bool = False) -> Phrase:
    """Check and store a phrase's document; raises ProblemError with what is wrong."""
    read = read_phrase(document, library.current())
    if Phrase.objects.count() >= MOST:
        raise ProblemError(Problem("", f"there are {MOST} phrases already; remove some first", "phrase.count"))
    values = {"name": read.name, "says": read.says, "is_whole": read.is_whole, "document": read.raw}
    return Phrase.objects.create(**values, is_demo=is_demo)


def rename(phrase: Phrase, name: str, says: str) -> Phrase:
    """Give a phrase another name and sentence; raises ProblemError if they cannot be such."""
    raw = phrase.document
    document = {**raw, "says": says, "scene": {**raw["scene"], "name": name}}
    read = read_phrase(document, library.current())
    phrase.name, phrase.says, phrase.document = read.name, read.says, read.raw
    phrase.save()
    return phrase


def remove(phrase: Phrase) -> None:
    """Remove a phrase; scenes that it was put into keep what it gave them."""
    phrase.delete()
    sweep_strips()


def place(phrase: Phrase, scene: Scene, figure: str | None, at: int | None) -> Placed:
    """Return what puts a phrase into a scene; raises ProblemError if it has no place there."""
    return placed(scene.document, read_phrase(phrase.document, library.current()), figure, at)


def give_out(phrase: Phrase) -> tuple[bytes, str]:
    """Return a phrase's file and its suffix, "json" or "zip"."""
    return packed(phrase.document, used_assets(phrase.document["scene"]), PHRASE)


def take_in(data: bytes) -> Phrase:
    """Keep a phrase from a file; raises ProblemError if the file or the phrase is wrong."""
    document, held = unpacked(data, PHRASE)
    scene = document.get("scene") if isinstance(document, dict) else None
    if not held or not isinstance(scene, dict):
        return store(document)
    with transaction.atomic():
        names = {slug: assets.store(asset, slug).slug for slug, asset in held.items()}
        # Of a scene that is wrong in its form nothing can be renamed; it is told what is wrong.
        return store({**document, "scene": with_assets_named(_well_formed(scene), names)})


def _well_formed(scene):
    """Return a scene whose lines can be gone through; raises ProblemError with what is wrong, but for assets."""
    try:
        read_scene(scene, library.current())
    except ProblemError as error:
        wrong = [problem for problem in error.problems if problem.code != "value.asset"]
        if wrong:
            raise ProblemError(Problem(f"scene/{one.path}", one.message, one.code) for one in wrong) from None
    return scene


# Pictures


def strip(phrase: Phrase, is_cancelled=never) -> bytes:
    """Return the moving picture of a phrase, pictures beside each other as WebP; made if it is missing.

    Raises ProblemError if its scene cannot be computed, Cancelled once is_cancelled() is true
    """
    subject = Subject(("phrase", phrase.id), phrase.document["scene"], library.entries())
    options = {"name": ("phrase", phrase.id), "seconds": SMALL_SECONDS, "is_cancelled": is_cancelled}
    return made_once(strip_path(phrase), lambda: run(tasks.phrase_strip, subject, phrase.document["figure"], **options))


def strip_path(phrase: Phrase) -> Path:
    return _folder() / f"{_digest(phrase)}.webp"


def _folder() -> Path:
    return Path(settings.DATA) / "phrases"


def _digest(phrase) -> str:
    """Return another name for each state of a phrase and of the files that it shows."""
    entries = library.entries()
    used = sorted(used_assets(phrase.document["scene"]))
    files = [entries.get(slug) for slug in used]
    return blake2b(f"{phrase.id} {phrase.document} {files}".encode(), digest_size=10).hexdigest()


def sweep_strips() -> None:
    """Remove the pictures of phrases, or of states of theirs, that are not there any more."""
    owned = {strip_path(phrase).name for phrase in Phrase.objects.all()}
    for path in _folder().glob("*"):
        if path.name not in owned:
            path.unlink(missing_ok=True)


def users(slugs) -> dict[str, list[Phrase]]:
    """Return the phrases that use each of some assets."""
    found = {slug: [] for slug in slugs}
    for phrase in Phrase.objects.all():
        for slug in used_assets(phrase.document["scene"]) & found.keys():
            found[slug].append(phrase)
    return found
