"""Small pictures of assets, drawn by the renderer itself."""

from pathlib import Path

import numpy as np
from django.conf import settings
from PIL import Image

from pirouette.data import ProblemError, TooMuch
from pirouette.document import read_scene
from pirouette.document.read import new_scene
from pirouette.formats.png import png_bytes
from pirouette.render import render_scene
from studio.made import made_once
from studio.work import SMALL_SECONDS, work

from . import library

SIZE = (320, 200)
SAMPLES = 6
STEPS = {
    "font": {"kind": "lettering", "settings": {"text": "Kite", "size": 100}},
    "artwork": {"kind": "artwork", "settings": {"size": 150}},
    "model": {"kind": "model", "settings": {"size": 150}},
}
SETTING = {"font": "typeface", "artwork": "file", "model": "file"}


def preview_path(digest: str) -> Path:
    return Path(settings.DATA) / "previews" / f"{digest}.png"


def preview(slug: str, digest: str) -> bytes:
    """Return the PNG of an asset's preview, made if it is not there yet; raises ProblemError if it cannot be drawn."""
    return made_once(preview_path(digest), lambda: _made(slug))


def _made(slug) -> bytes:
    with work("previews", SMALL_SECONDS) as question:
        assets = library.current()
        sort = assets.ids()[slug]
        pixels = _shrunk(assets.find(slug).content) if sort == "picture" else _drawn(assets, slug, sort, question)
        return png_bytes(pixels)


def _shrunk(content) -> np.ndarray:
    picture = Image.fromarray(content)
    picture.thumbnail(SIZE)
    return np.asarray(picture)


def _drawn(assets, slug, sort, question) -> np.ndarray:
    raw = new_scene("Preview")
    raw["frame"] = {"width": SIZE[0], "height": SIZE[1], "background": "transparent"}
    step = STEPS[sort]
    settings_ = {**step["settings"], SETTING[sort]: slug}
    tilt = [-18, 32, 0] if sort == "model" else [0, 0, 0]
    raw["figures"] = [
        {
            "id": "a",
            "name": "A",
            "place": {"rotation": [-tilt[0], tilt[1], 0]},
            "routine": [{"id": "form", "kind": step["kind"], "settings": settings_}],
            "looks": [{"id": "surface", "kind": "surface", "settings": {}}],
        }
    ]
    raw["cameras"][0]["settings"] = {"position": [0, 0, 420], "lens": 60}
    try:
        return render_scene(read_scene(raw, assets), 0, SIZE, SAMPLES, is_cancelled=question).pixels()
    except ProblemError as error:
        if sort != "artwork" or isinstance(error, TooMuch):
            raise
        # Paths without fill or stroke are shown by their outlines.
        raw["figures"][0]["routine"][0]["settings"]["drawn"] = "outlines"
        raw["figures"][0]["looks"] = [{"id": "wire", "kind": "wire", "settings": {"width": 6}}]
        return render_scene(read_scene(raw, assets), 0, SIZE, SAMPLES, is_cancelled=question).pixels()
