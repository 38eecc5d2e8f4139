"""Sheets of demo scenes: a frame of each, three in a row, for the README."""

import json
import sys
from pathlib import Path

import numpy as np

from .assets.library import beside
from .document import read_scene
from .formats.png import write_png
from .render import render_scene

SIZE, SAMPLES, COLUMNS, ROWS = (480, 270), 12, 3, 3
# Frames that show more of a scene than a quarter of its length does.
SHOWN = {"mark-reveal": 80, "programme-titles": 130, "static-on-the-string": 49, "frame-scan": 52, "paper-burst": 26}


def _picture(path: Path) -> np.ndarray:
    scene = read_scene(json.loads(path.read_text("utf-8")), beside(path))
    frame = SHOWN.get(path.stem, scene.first_moment.frame_count // 4)
    pixels = render_scene(scene, frame, SIZE, SAMPLES).pixels().astype(np.float32)
    # Transparent backgrounds are seen over a dark grey.
    share = pixels[..., 3:] / 255
    return (pixels[..., :3] * share + 24 * (1 - share)).round().astype(np.uint8)


def main(scenes: str, folder: str):
    """Write sheets of all scenes in a folder."""
    paths = sorted(Path(scenes).glob("*.json"))
    each = COLUMNS * ROWS
    for number, start in enumerate(range(0, len(paths), each), 1):
        pictures = [_picture(path) for path in paths[start : start + each]]
        pictures += [np.full_like(pictures[0], 24)] * (-len(pictures) % COLUMNS)
        rows = [np.concatenate(pictures[at : at + COLUMNS], axis=1) for at in range(0, len(pictures), COLUMNS)]
        sheet = np.concatenate(rows)
        write_png(Path(folder) / f"demo-{number}.png", np.dstack([sheet, np.full(sheet.shape[:2], 255, np.uint8)]))


if __name__ == "__main__":
    main(*sys.argv[1:])
