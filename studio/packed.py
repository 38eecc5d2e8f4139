"""The files that pages are made of, packed once for each state they are in, and kept by browsers for good.

They are served from a copy: who edits them while a server runs breaks none of its pages.
"""

import gzip
import os
import re
import shutil
import tempfile
import time
from functools import lru_cache
from pathlib import Path

import brotli
from django.conf import settings
from django.templatetags.static import static
from whitenoise.middleware import WhiteNoiseMiddleware

TEXT = {".js", ".css", ".svg"}
# Nearly as small as the best, in a hundredth of its time.
BROTLI_QUALITY = 9
# Those of the state before may still be asked of another server.
STATES_KEPT = 2
DRAFT, DRAFT_SECONDS = ".draft-", 600
IMPORTED = re.compile(r"""^(?:import|export)\b[^"';]*["'](\.[^"']+)["'];""", re.MULTILINE)


class PackedFiles(WhiteNoiseMiddleware):
    """Serves them, as small as the browser can take them."""

    def __init__(self, get_response=None, settings=settings):
        pack(settings.STATICFILES_DIRS[0], Path(settings.STATIC_ROOT))
        super().__init__(get_response, settings)


def pack(source: Path, packed: Path) -> None:
    """Copy a folder, each text in it also as gzip and brotli; nothing is done if that is there already."""
    if packed.is_dir():
        return
    packed.parent.mkdir(parents=True, exist_ok=True)
    draft = Path(tempfile.mkdtemp(dir=packed.parent, prefix=DRAFT))
    shutil.copytree(source, draft, dirs_exist_ok=True)
    # How old the copy is counts, not how old what was copied.
    os.utime(draft)
    for path in [path for path in draft.rglob("*") if path.suffix in TEXT]:
        data = path.read_bytes()
        path.with_name(path.name + ".gz").write_bytes(gzip.compress(data, mtime=0))
        path.with_name(path.name + ".br").write_bytes(
            brotli.compress(data, mode=brotli.MODE_TEXT, quality=BROTLI_QUALITY)
        )
    try:
        draft.rename(packed)
    except OSError:
        # Another process has made it meanwhile.
        shutil.rmtree(draft, ignore_errors=True)
    _tidy(packed.parent)


def _tidy(folder):
    """Remove copies of earlier states, and what was not brought to its end."""
    ages = {one: time.time() - one.stat().st_mtime for one in folder.iterdir()}
    drafts = [one for one in ages if one.name.startswith(DRAFT) and ages[one] > DRAFT_SECONDS]
    states = sorted((one for one in ages if not one.name.startswith(DRAFT)), key=ages.get)
    for old in (*drafts, *states[STATES_KEPT:]):
        shutil.rmtree(old, ignore_errors=True)


@lru_cache
def modules_of(name: str) -> tuple[str, ...]:
    """Return the addresses of all scripts that one of them imports, itself first: they are fetched side by side."""
    folder, found, waiting = settings.STATICFILES_DIRS[0], {}, [(settings.STATICFILES_DIRS[0] / name).resolve()]
    while waiting:
        path = waiting.pop(0)
        if path not in found:
            found[path] = static(path.relative_to(folder).as_posix())
            waiting += [(path.parent / one).resolve() for one in IMPORTED.findall(path.read_text("utf-8"))]
    return tuple(found.values())
