"""Reading and storing assets. Each is read before it is kept; what cannot be read is refused in words."""

from django.db import transaction

from pirouette.assets.library import MAX_BYTES, SORTS, id_of, shipped, sort_of
from pirouette.assets.library import Asset as Held
from pirouette.data import Problem, ProblemError
from pirouette.formats.whole import whole
from studio.work import FILE_SECONDS, work

from .models import Asset, file_path

CHUNK = 1 << 20


def fail(message, code):
    """Refuse a file in words."""
    raise ProblemError(Problem("file", message, code))


def read_upload(name: str, chunks) -> Held:
    """Return an uploaded file, read and found good; raises ProblemError if its name, size or content is not.

    chunks  the file's bytes in parts; reading stops once there are too many
    """
    sort = sort_of(name)
    if sort is None:
        allowed = ", ".join(suffix for suffixes in SORTS.values() for suffix in suffixes)
        fail(f"“{name[:80]}” is of no sort that can be used; allowed {allowed}", "asset.sort")
    parts, size = [], 0
    for chunk in chunks:
        size += len(chunk)
        if size > MAX_BYTES[sort]:
            fail(f"larger than {MAX_BYTES[sort] >> 20} MB, the most for a {sort}", "asset.size")
        parts.append(chunk)
    held = Held(id_of(name), sort, b"".join(parts))
    with work("files", FILE_SECONDS):
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


def notes_of(held):
    return list(held.content.notes) if held.sort == "artwork" else []


def keep(held) -> None:
    """Write a file under its digest, whole or not at all; one that is missing is written again.

    Only within the transaction that stores its row: `sweep` waits for that to end, so it never sees a file without one.
    """
    path = file_path(held.digest)
    path.parent.mkdir(parents=True, exist_ok=True)
    if not path.exists():
        with whole(path) as draft:
            draft.write_bytes(held.data)


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
    summary, notes = summary_of(held)[:120], notes_of(held)
    with transaction.atomic():
        keep(held)
        known = Asset.objects.filter(digest=held.digest, sort=held.sort).first()
        if known is not None and slug is None:
            return known
        return Asset.objects.create(
            slug=slug or free_slug(held.id),
            name=name[:120],
            sort=held.sort,
            digest=held.digest,
            size=len(held.data),
            summary=summary,
            notes=notes,
            is_demo=is_demo,
        )


def put(asset: Asset, held: Held) -> Asset:
    """Write another file in the row of an asset; the one before stays until it is swept."""
    asset.digest, asset.size = held.digest, len(held.data)
    asset.summary, asset.notes = summary_of(held)[:120], notes_of(held)
    with transaction.atomic():
        keep(held)
        # One that was removed meanwhile does not come back.
        asset.save(force_update=True)
    return asset
