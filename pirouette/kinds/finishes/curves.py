"""Curves from dark to bright, for all channels and for each."""

from functools import lru_cache

import numpy as np
import scipy

from ...craft import ActingSettings
from ...kernels.compile import frozen
from ...kernels.render.grade import curves as bend
from ...schema import Kind, curve

EVEN = [[0, 0], [1, 1]]
# What curves are told by: so many places from black to white. The view has as many.
KNOTS = 65


class CurvesSettings(ActingSettings):
    all: list = curve([[0, 0], [0.25, 0.2], [0.75, 0.8], [1, 1]], headline=True, rounds=True)
    """How bright it becomes, above how bright it is as a screen shows it, from black to white."""
    red: list = curve(EVEN, headline=True, rounds=True)
    """The same for red alone, after that."""
    green: list = curve(EVEN, headline=True, rounds=True)
    """The same for green alone."""
    blue: list = curve(EVEN, headline=True, rounds=True)
    """The same for blue alone."""


def smooth(points, places) -> np.ndarray:
    """Return a curve's values at places 0..1: smooth through its points, and never beyond them between two.

    Source  F. N. Fritsch and J. Butland, "A method for constructing local monotone piecewise cubic interpolants",
            SIAM Journal on Scientific and Statistical Computing 5 (1984)
    """
    at, value = points.T
    # Of points at one place the last one counts, a little later: a step.
    at = np.maximum.accumulate(at + np.arange(len(at)) * 1e-9)
    return scipy.interpolate.PchipInterpolator(at, value)(np.clip(places, at[0], at[-1]))


def knots(settings) -> np.ndarray:
    """Return (KNOTS, 3): what red, green and blue become, evenly apart from black to white."""
    written = settings.all, settings.red, settings.green, settings.blue
    return _knots(*(tuple(map(tuple, one.tolist())) for one in written))


@lru_cache(64)
def _knots(everything, *channels):
    all_channels = smooth(np.array(everything), np.linspace(0, 1, KNOTS))
    return frozen(np.stack([smooth(np.array(one), all_channels) for one in channels], axis=1))


def curves(picture, settings) -> np.ndarray:
    """Bend the brightness of a picture's channels.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    Returns  (H, W, 4) float32
    """
    return bend(picture, knots(settings))


KIND = Kind(
    "curves",
    "finish",
    CurvesSettings,
    curves,
    "Bend brightness by **{all}**, red by **{red}**, green by **{green}**, blue by **{blue}**",
    icon="curves",
    words="levels contrast tone channels rgb",
)
