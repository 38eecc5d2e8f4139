"""Each kind has a picture that shows something, and the page of kinds names those that are there."""

import re

import numpy as np
from PIL import Image

from pirouette import catalogue
from tests.scenes import ROOT


def test_every_picture_of_the_page_is_there_and_shows_something():
    named = re.findall(r"\]\((kinds/[\w-]+\.png)\)", (ROOT / "docs" / "kinds.md").read_text("utf-8"))
    assert len(named) == len(catalogue.ALL)
    for name in named:
        pixels = np.asarray(Image.open(ROOT / "docs" / name).convert("RGB")).astype(int)
        assert (np.abs(pixels - pixels[0, 0]).max(axis=-1) > 40).mean() > 0.004, name
    assert {f"kinds/{path.name}" for path in (ROOT / "docs" / "kinds").glob("*.png")} == set(named)
