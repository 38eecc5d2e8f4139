"""Where assets are kept: by id, each with its bytes and what was read from them."""

import hashlib
import re
from dataclasses import dataclass
from functools import cached_property, lru_cache
from importlib import import_module
from pathlib import Path

import numpy as np

from ..data.problem import Problem, ProblemError

ID = re.compile(r"[a-z0-9][a-z0-9._-]{0,79}")
SORTS = {
    "font": (".ttf", ".otf", ".woff2"),
    "artwork": (".svg",),
    "model": (".obj", ".ply", ".stl", ".glb", ".gltf"),
    "picture": (".png", ".jpg", ".jpeg", ".webp", ".hdr", ".exr"),
}
# sort: the module beside this one that reads it, and its function. Their libraries take long to load, so each is
# imported when the first file of its sort is read.
READERS = {
    "font": ("font", "read_font"),
    "artwork": ("svg", "read_svg"),
    "model": ("model", "read_model"),
    "picture": ("picture", "read_picture"),
}
MAX_BYTES = {"font": 16 << 20, "artwork": 4 << 20, "model": 64 << 20, "picture": 64 << 20}
# Reading any one file takes less memory than this, or it is refused; tests hold the readers to it.
READER_MEMORY = 1 << 30
# Letters and paths that were read take about so many times the bytes of their file.
READ_SHARE = 8
SHIPPED = Path(__file__).parent / "shipped"


def sort_of(name: str) -> str | None:
    """Return which sort of asset a file is by its name, or None."""
    suffix = Path(name.lower()).suffix
    return next((sort for sort, suffixes in SORTS.items() if suffix in suffixes), None)


def id_of(name: str) -> str:
    """Return the id that a file's name gives: small letters, digits, dots and hyphens."""
    path = Path(name.lower())
    stem = re.sub(r"[^a-z0-9]+", "-", path.stem).strip("-") or "file"
    return f"{stem[:60]}{path.suffix}"


@dataclass(frozen=True, eq=False)
class Asset:
    """A file, and what it holds.

    id    its name within scenes, such as "kite-mark.svg"
    sort  "font", "artwork", "model" or "picture"
    """

    id: str
    sort: str
    data: bytes

    @property
    def own_bytes(self) -> int:
        """About how many bytes it holds, with what was read from it so far."""
        content = vars(self).get("content")
        if isinstance(content, np.ndarray):
            return len(self.data) + content.nbytes
        if isinstance(content, list):
            return len(self.data) + sum(part.mesh.own_bytes + part.mesh.topology.own_bytes for part in content)
        return len(self.data) * (1 if content is None else READ_SHARE)

    @cached_property
    def digest(self) -> str:
        return hashlib.blake2b(self.data, digest_size=12).hexdigest()

    @cached_property
    def content(self):
        """What was read: a Font, Drawing, list of Parts or picture; raises ProblemError if it cannot be read."""
        if len(self.data) > MAX_BYTES[self.sort]:
            limit = MAX_BYTES[self.sort] >> 20
            raise ProblemError(
                Problem(
                    self.id, f"{len(self.data) / 2**20:.1f} MB; a {self.sort} may have up to {limit} MB", "asset.size"
                )
            )
        try:
            module, name = READERS[self.sort]
            read = getattr(import_module(f".{module}", __package__), name)
            return read(self.data, Path(self.id).suffix)
        except ProblemError as error:
            raise error.within(self.id) from None

    def light(self) -> np.ndarray:
        """Return (H, W, 3) float32: the linear light of a picture, beyond white where its file tells it.

        It is read anew each time: that much is not kept beside what is made of it.
        """
        try:
            return import_module(".picture", __package__).read_light(self.data, Path(self.id).suffix)
        except ProblemError as error:
            raise error.within(self.id) from None


class Library:
    """Assets by id; `find` raises KeyError for one that is not there."""

    def find(self, asset_id: str) -> Asset:
        raise KeyError(asset_id)

    def ids(self) -> dict[str, str]:
        """Return the sort of every asset by its id."""
        return {}


class FolderLibrary(Library):
    """The files of a folder."""

    def __init__(self, folder):
        self.folder = Path(folder)
        self._known = {}

    def ids(self):
        if not self.folder.is_dir():
            return {}
        files = sorted(path for path in self.folder.iterdir() if path.is_file())
        return {id_of(path.name): sort_of(path.name) for path in files if sort_of(path.name)}

    def find(self, asset_id):
        if asset_id not in self._known:
            for path in sorted(self.folder.iterdir()) if self.folder.is_dir() else ():
                if path.is_file() and id_of(path.name) == asset_id and sort_of(path.name):
                    self._known[asset_id] = Asset(asset_id, sort_of(path.name), path.read_bytes())
        return self._known[asset_id]


class HeldLibrary(Library):
    """Assets at hand, by id."""

    def __init__(self, held: dict[str, Asset]):
        self.held = held

    def ids(self):
        return {asset_id: asset.sort for asset_id, asset in self.held.items()}

    def find(self, asset_id):
        return self.held[asset_id]


class Libraries(Library):
    """Several libraries; the first that has an asset gives it."""

    def __init__(self, *libraries):
        self.libraries = libraries

    def ids(self):
        assets = {}
        for library in reversed(self.libraries):
            assets.update(library.ids())
        return assets

    def find(self, asset_id):
        for library in self.libraries:
            try:
                return library.find(asset_id)
            except KeyError:
                continue
        raise KeyError(asset_id)


@lru_cache(maxsize=1)
def shipped() -> Library:
    """Return the fonts that come with the application."""
    return FolderLibrary(SHIPPED)


def beside(path) -> Library:
    """Return the library of a scene file: the folder `assets` beside it, and what is shipped."""
    return Libraries(FolderLibrary(Path(path).parent / "assets"), shipped())
