"""Compiles kernels: the renderer's by drawing a very small picture, all others by using every kind once."""

import multiprocessing
import os
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numba

from . import catalogue
from .assets.bright import read_radiance
from .data import ProblemError
from .data.panorama import Panorama
from .document import read_scene
from .document.read import new_scene
from .evaluate import evaluate
from .kind_pictures import picture_scene
from .render import render_scene

# Looks, their blends and opacities, whose kernels have little in common and take about as long: processes compile them
# side by side.
PARTS = (
    (("surface", "normal", 1.0),),
    (("surface", "normal", 0.5), ("surface", "additive", 1.0), ("wire", "normal", 0.5), ("dots", "additive", 1.0)),
)
# Only what is glossy mirrors by rays.
GLOSSY = {"surface": {"roughness": 0.2}}


# Kinds are used in so many groups, each in a process of its own.
GROUPS = 4


def is_cold() -> bool:
    """True if no kernel was compiled on this machine for the sources as they are."""
    return not any(Path(numba.config.CACHE_DIR).glob("*/*.nbi"))


def warm_renderer(looks):
    """Draw rows of balls with looks, each a kind, a blend and an opacity; fit to run in a process of its own."""
    raw = new_scene("Warm")
    raw["figures"] = [
        {
            "id": f"balls{number}",
            "name": f"Balls {number}",
            "routine": [
                {"id": "ball", "kind": "sphere", "settings": {}},
                {"id": "row", "kind": "row", "settings": {}},
                {"id": "faint", "kind": "shift", "settings": {"opacity": opacity}},
            ],
            "looks": [{"id": "look", "kind": kind, "settings": {"blend": blend, **GLOSSY.get(kind, {})}}],
        }
        for number, (kind, blend, opacity) in enumerate(looks)
    ]
    render_scene(read_scene(raw), 0, (64, 36), 1)


def warm_kinds(group: int):
    """Evaluate scenes that show each kind of a group; those that show files are left out."""
    for kind in catalogue.every_kind()[group::GROUPS]:
        try:
            scene = read_scene(picture_scene(kind))
        except ProblemError:
            continue
        evaluate(scene, 1)


def warm_files():
    """Read what kinds are shown with files for: a picture all around."""
    row = bytes([2, 2, 0, 8]) + bytes([136, 128]) * 4
    picture = read_radiance(b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 4 +X 8\n" + row * 4)
    Panorama.of(picture, "warm", 1)


def warm_all():
    """Compile all kernels that are not compiled yet, on all processors."""
    # The compiler works on one kernel of a process at a time.
    spawn = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(max(os.cpu_count() or 1, 1), mp_context=spawn) as processes:
        waiting = [processes.submit(warm_renderer, looks) for looks in PARTS]
        waiting += [processes.submit(warm_kinds, group) for group in range(GROUPS)]
        waiting.append(processes.submit(warm_files))
        for one in waiting:
            one.result()
