"""Storing, replacing and removing assets. Each is read before it is kept; what cannot be read is refused in words."""

import os

from django.db import transaction

from pirouette.assets.library import MAX_BYTES, SORTS, id_of, shipped, sort_of
from pirouette.assets.library import Asset as Held
from pirouette.data import Problem, ProblemError
from pirouette.document.used import used_assets
from studio.renders.models import ASSEMBLING, RUNNING, WAITING, RenderJob
from studio.scenes.models import Scene

from .models import Asset, file_path

CHUNK = 1 << 20


def _fail(message, code):
    raise ProblemError(Problem("file", message, code))


def read_upload(name: str, chunks) -> Held:
    """Return an uploaded file, read and found good; raises ProblemError if its name, size or content is not.

    chunks  the file's bytes in parts; reading stops once there are too many
    """
    sort = sort_of(name)
    if sort is None:
        allowed = ", ".join(suffix for suffixes in SORTS.values() for suffix in suffixes)
        _fail(f"“{name[:80]}” is of no sort that can be used; allowed {allowed}", "asset.sort")
    parts, size = [], 0
    for chunk in chunks:
        size += len(chunk)
        if size > MAX_BYTES[sort]:
            _fail(f"larger than {MAX_BYTES[sort] >> 20} MB, the most for a {sort}", "asset.size")
        parts.append(chunk)
    held = Held(id_of(name), sort, b"".join(parts))
    summary_of(held)
    return held


def summary_of(held: Held) -> str:
    """Say what is in a file, in few words; raises ProblemError if it cannot be read."""
    content = held.content
    if held.sort == "font":
        return content.name
    if held.sort == "artwork":
        return f"{len(content.shapes):,} {'path' if len(content.shapes) == 1 else 'paths'}"
    if held.sort == "model":
        points = sum(len(part.mesh.points) for part in content)
        return f"{len(content):,} {'part' if len(content) == 1 else 'parts'}, {points:,} points"
    height, width = content.shape[:2]
    return f"{width:,} × {height:,}"


def _notes(held):
    return list(held.content.notes) if held.sort == "artwork" else []


def _keep(held) -> None:
    """Write a file under its digest, whole or not at all."""
    path = file_path(held.digest)
    path.parent.mkdir(parents=True, exist_ok=True)
    if not path.exists():
        draft = path.with_name(f"{path.name}.{os.getpid()}.part")
        draft.write_bytes(held.data)
        draft.replace(path)


def free_slug(wanted: str) -> str:
    """Return a slug that neither a stored asset nor a shipped one has."""
    taken = {*Asset.objects.values_list("slug", flat=True), *shipped().ids()}
    stem, dot, suffix = wanted.rpartition(".")
    slug, number = wanted, 2
    while slug in taken:
        slug, number = f"{stem}-{number}{dot}{suffix}", number + 1
    return slug


def store(held: Held, name: str, is_demo: bool = False, slug: str | None = None) -> Asset:
    """Keep a file that was read; the same file again is the asset that is there already."""
    known = Asset.objects.filter(digest=held.digest, sort=held.sort).first()
    if known is not None and slug is None:
        return known
    _keep(held)
    with transaction.atomic():
        return Asset.objects.create(
            slug=slug or free_slug(held.id),
            name=name[:120],
            sort=held.sort,
            digest=held.digest,
            size=len(held.data),
            summary=summary_of(held)[:120],
            notes=_notes(held),
            is_demo=is_demo,
        )


def replace(asset: Asset, held: Held) -> Asset:
    """Put another file in an asset's place; scenes that use it use that one from now on."""
    if held.sort != asset.sort:
        _fail(f"{asset.slug} can only be replaced by another {asset.sort}; this is a {held.sort}", "asset.sort")
    _keep(held)
    asset.digest, asset.size = held.digest, len(held.data)
    asset.summary, asset.notes = summary_of(held)[:120], _notes(held)
    asset.save()
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
    """Remove an asset; raises ProblemError while a scene uses it."""
    using = users([asset.slug])[asset.slug]
    if using:
        names = ", ".join(f"“{scene.name}”" for scene in using[:3]) + (" and others" if len(using) > 3 else "")
        _fail(f"{asset.slug} is used by {names}; take it out there first", "asset.used")
    asset.delete()
    sweep()


def sweep() -> None:
    """Remove the files that no asset and no open render job needs."""
    needed = set(Asset.objects.values_list("digest", flat=True))
    for known in RenderJob.objects.filter(state__in=(WAITING, RUNNING, ASSEMBLING)).values_list("assets", flat=True):
        needed |= {digest for _, digest in known.values()}
    folder = file_path("x").parent
    for path in folder.iterdir() if folder.is_dir() else ():
        if path.name not in needed and path.suffix != ".part":
            path.unlink(missing_ok=True)
