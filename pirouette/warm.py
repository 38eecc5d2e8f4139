"""Compiles the renderer's kernels by drawing a very small picture."""

from pathlib import Path

import numba

from .document import read_scene
from .document.read import new_scene
from .render import render_scene

# Looks whose kernels have little in common, so that processes can compile them side by side.
PARTS = ((("surface", "normal"),), (("surface", "additive"), ("wire", "normal"), ("dots", "additive")))


def is_cold() -> bool:
    """True if no kernel was compiled on this machine for the sources as they are."""
    return not any(Path(numba.config.CACHE_DIR).glob("*/*.nbi"))


def warm_renderer(looks):
    """Draw a ball with looks, each a kind and a blend; fit to run in a process of its own."""
    raw = new_scene("Warm")
    raw["figures"] = [
        {
            "id": "ball",
            "name": "Ball",
            "routine": [{"id": "ball", "kind": "sphere", "settings": {}}],
            "looks": [
                {"id": f"look{number}", "kind": kind, "settings": {"blend": blend}}
                for number, (kind, blend) in enumerate(looks)
            ],
        }
    ]
    render_scene(read_scene(raw), 0, (64, 36), 1)
