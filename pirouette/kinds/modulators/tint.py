"""Colours for copies, taken from a gradient or a picture."""

import numpy as np

from ...craft.vary import ORDERS, gradient_colours, progress
from ...data import Copies
from ...data.attribute import ATTRIBUTES, shades
from ...data.copies import cells_within
from ...data.texture import sample_pixels
from ...schema import Kind, Settings, asset, choice, gradient, integer, number, only_if
from ...values.functions import chances

PAPER = [{"at": 0, "colour": "#e2553a"}, {"at": 0.5, "colour": "#f4ead7"}, {"at": 1, "colour": "#2f8f9d"}]


class TintSettings(Settings):
    by: str = choice("index", (*ORDERS, "chance", "field", "picture", "attribute"), headline=True)
    """What decides where in the gradient a copy's colour is taken; or the picture at its place."""
    attribute: str = only_if(choice("speed", tuple(ATTRIBUTES)), by=("attribute",))
    """The attribute of the copies that decides it."""
    gradient: list = gradient(PAPER, headline=True)
    """The colours."""
    strength: float = number(1, soft=(0, 1), hard=(0, 1), headline=True, per_copy=True)
    """How much of the colour is given."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another chance."""
    picture: str = asset("picture")
    """The picture that is laid over the copies, seen from the front."""


def tint(copies, weights, settings, links) -> Copies:
    """Colour copies from a gradient along an order, by chance or by a field, or from a picture.

    weights  (N,) 0..1, how much of the colour each copy gets; by field they are the places in the gradient
    Returns  the copies with (N, 3) linear colours
    """
    amount = np.asarray(settings.strength * weights, np.float32)
    if settings.by == "picture" and "picture" in links:
        u, v = cells_within(copies.position)[:, :2].T
        pixels = sample_pixels(links["picture"].asset.content, u, v)
        wanted, amount = pixels[:, :3], amount * pixels[:, 3]
    else:
        if settings.by == "chance":
            at = chances(copies.count, settings.seed)
        elif settings.by == "field":
            at, amount = weights, np.full(copies.count, settings.strength, np.float32) * (weights > 0)
        elif settings.by == "attribute":
            if settings.attribute not in copies.at_copies:
                return copies
            at = shades(copies.at_copies[settings.attribute], settings.attribute)
        else:
            at = progress(copies, "index" if settings.by == "picture" else settings.by)
        wanted = gradient_colours(settings.gradient, at)
    colours = copies.colours + (wanted.astype(np.float32) - copies.colours) * amount[:, None]
    return copies.moved(colours=colours)


def advice(shape, settings, links) -> str:
    if settings.by == "picture" and "picture" not in links:
        return "no picture is chosen, so it colours by index; choose one in its settings"
    if settings.by == "attribute" and settings.attribute not in getattr(shape, "at_copies", ()):
        return f"no copy carries “{settings.attribute}”, so nothing is coloured"
    return ""


KIND = Kind(
    "tint", "modulate", TintSettings, tint, "Tint by **{by}** from **{gradient}**, strength **{strength}**",
    advice=advice, icon="palette",
    words="colour color gradient ramp hue palette random",
)  # fmt: skip
