"""How much of each pixel shows some figures: the same picture of them in white, and of all others in black."""

from dataclasses import replace

import numpy as np

from ..data import Chosen
from ..data.picture import TINT_GLOW, TINT_RGB, Drawable, DrawnLook, Picture

BLACK = (0.0, 0.0, 0.0)


def chosen_by(settings) -> Chosen | None:
    """Return the figures that a finish changes, or None if it changes all of the picture."""
    return None if settings.acts == "on all" else Chosen.of(settings.acts, settings.figures)


def in_black_and_white(picture: Picture, chosen: Chosen) -> Picture:
    """Return a picture list that shows, drawn flat, how much of each pixel shows the chosen figures."""
    ground = picture.background.changed(background="solid", colour=BLACK, haze=0)
    drawables = tuple(_drawn(drawable, drawable.figure_id in chosen) for drawable in picture.drawables)
    return replace(picture, drawables=drawables, lights=(), background=ground, finish=())


def cover_of(light: np.ndarray) -> np.ndarray:
    """Return (H, W) float32 in 0..1: the cover that such a picture (H, W, 4) shows; light that is added counts too."""
    return np.clip(light[..., 0], 0, 1)


def _drawn(drawable: Drawable, is_in: bool) -> Drawable:
    return replace(drawable, looks=tuple(_plain(look, is_in) for look in drawable.looks))


def _plain(look: DrawnLook, is_in: bool) -> DrawnLook:
    """A look in plain white or black, as opaque as it is."""
    colour = (1.0, 1.0, 1.0) if is_in else BLACK
    changes = {"colour": colour, "brightness": 1.0}
    if look.kind == "surface":
        changes["glow"] = 0.0
    return replace(
        look,
        settings=look.settings.changed(**changes),
        tints=_untinted(look.tints),
        point_tints=_untinted(look.point_tints),
        paint=None,
    )


def _untinted(tints):
    if tints is None:
        return None
    plain = np.array(tints, np.float32)
    plain[:, TINT_RGB] = plain[:, TINT_GLOW, None] = 1
    return plain
