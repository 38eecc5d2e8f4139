"""Each kind has a picture that shows something, and the page of kinds names those that are there."""

import json
import re
from pathlib import Path

import numpy as np
from PIL import Image

from pirouette import catalogue, kind_pictures, sheets
from pirouette.docs import picture_name
from tests.scenes import ROOT, document


def test_every_picture_of_the_page_is_there_and_shows_something():
    named = re.findall(r"\]\((kinds/[\w-]+\.png)\)", (ROOT / "docs" / "kinds.md").read_text("utf-8"))
    assert len(named) == len(catalogue.every_kind())
    for name in named:
        pixels = np.asarray(Image.open(ROOT / "docs" / name).convert("RGB")).astype(int)
        assert (np.abs(pixels - pixels[0, 0]).max(axis=-1) > 40).mean() > 0.004, name
    assert {f"kinds/{path.name}" for path in (ROOT / "docs" / "kinds").glob("*.png")} == set(named)


def test_every_kind_has_a_strip_for_the_finder_in_which_most_move():
    folder = ROOT / "studio" / "static" / "studio" / "kinds"
    count, (width, height) = kind_pictures.STRIP_FRAMES, kind_pictures.STRIP_SIZE
    assert {path.stem for path in folder.iterdir()} == {
        Path(picture_name(kind)).stem for kind in catalogue.every_kind()
    }
    moving = 0
    for path in folder.iterdir():
        strip = np.asarray(Image.open(path).convert("RGB")).astype(int)
        assert strip.shape == (height, count * width, 3), path.name
        frames = strip.reshape(height, count, width, 3)
        assert (np.abs(frames[:, 0] - frames[0, 0, 0]).max(axis=-1) > 40).mean() > 0.01, path.name
        moving += np.abs(frames - frames[:, :1]).mean(axis=(0, 2, 3)).max() > 1
    assert moving > 0.75 * len(catalogue.every_kind())


def test_a_sheet_shows_each_scene_in_its_place(tmp_path):
    (tmp_path / "scenes").mkdir()
    for name, colour in (("a", "#ff0000"), ("b", "#00ff00"), ("c", "#0000ff"), ("d", "#ffff00")):
        raw = document(frame={"width": 320, "height": 180, "background": "solid", "colour": colour})
        (tmp_path / "scenes" / f"{name}.json").write_text(json.dumps(raw), "utf-8")
    sheets.main(str(tmp_path / "scenes"), str(tmp_path))
    width, height = sheets.SIZE
    sheet = np.asarray(Image.open(tmp_path / "demo-1.png").convert("RGB")).astype(int)
    assert sheet.shape == (2 * height, 3 * width, 3)
    middles = [sheet[height // 2 + y * height, width // 2 + x * width].argmax() for y, x in ((0, 0), (0, 1), (0, 2))]
    assert middles == [0, 1, 2]
    assert sheet[height + height // 2, width // 2, 2] < 100 < sheet[height + height // 2, width // 2, 0]
