"""Small pictures of assets, drawn by the renderer itself."""

from pathlib import Path

import numpy as np
from django.conf import settings
from PIL import Image

from pirouette.data import ProblemError
from pirouette.document import read_scene
from pirouette.document.read import new_scene
from pirouette.formats.png import png_bytes, write_png
from pirouette.render import render_scene

from . import library

SIZE = (320, 200)
SAMPLES = 6
STEPS = {
    "font": {"kind": "lettering", "settings": {"text": "Kite", "size": 100}},
    "artwork": {"kind": "artwork", "settings": {"size": 150}},
    "model": {"kind": "model", "settings": {"size": 150}},
}
SETTING = {"font": "typeface", "artwork": "file", "model": "file"}


def preview_path(slug: str, digest: str) -> Path:
    """Return the PNG of an asset's preview, made if it is not there yet; raises ProblemError if it cannot be drawn."""
    path = Path(settings.DATA) / "previews" / f"{digest}.png"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        found = library.current()
        sort = found.ids()[slug]
        if sort == "picture":
            _shrink(found.find(slug).content, path)
        else:
            write_png(path, _drawn(found, slug, sort))
    return path


def _shrink(content, path):
    picture = Image.fromarray(content)
    picture.thumbnail(SIZE)
    draft = path.with_suffix(".part")
    draft.write_bytes(png_bytes(np.asarray(picture)))
    draft.replace(path)


def _drawn(found, slug, sort) -> np.ndarray:
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
        return render_scene(read_scene(raw, found), 0, SIZE, SAMPLES).pixels()
    except ProblemError:
        if sort != "artwork":
            raise
        # Paths without fill or stroke are shown by their outlines.
        raw["figures"][0]["routine"][0]["settings"]["drawn"] = "outlines"
        raw["figures"][0]["looks"] = [{"id": "wire", "kind": "wire", "settings": {"width": 6}}]
        return render_scene(read_scene(raw, found), 0, SIZE, SAMPLES).pixels()
