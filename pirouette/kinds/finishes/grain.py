"""Specks as of film, others in each frame."""

import numpy as np

from ...craft import ActingSettings
from ...data.picture import REFERENCE_LINES
from ...kernels.render.grade import grain as specks
from ...schema import Kind, integer, number, switch


class GrainSettings(ActingSettings):
    amount: float = number(0.08, soft=(0, 0.4), hard=(0, 4), headline=True)
    """How strong it is."""
    size: float = number(1.6, soft=(0.5, 8), hard=(0.1, 100), headline=True)
    """How large specks are, in pixels of a picture of 1080 lines."""
    coloured: float = number(0.3, soft=(0, 1), hard=(0, 1))
    """How unlike the specks of red, green and blue are."""
    moves: bool = switch(True)
    """Other specks in each frame."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Which specks, by chance."""


def salt(settings, frame: float) -> int:
    """Return the number of 32 bits that tells the specks of a frame from those of others."""
    number = int(np.floor(frame)) if settings.moves else 0
    return (number * 0x6C8E9CF5 + int(settings.seed) * 0x94D049BB + 0x2545F491) & 0xFFFFFFFF


def grain(picture, settings, frame) -> np.ndarray:
    """Add specks to a picture; the same on every machine.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    frame    its number
    Returns  (H, W, 4) float32
    """
    cell = settings.size * picture.shape[0] / REFERENCE_LINES
    return specks(picture, settings.amount, settings.coloured, cell, salt(settings, frame))


KIND = Kind(
    "grain",
    "finish",
    GrainSettings,
    grain,
    "Grain **{amount}**, specks of **{size}**",
    icon="grain",
    words="noise film specks texture",
)
