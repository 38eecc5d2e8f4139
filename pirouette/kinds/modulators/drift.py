"""A noise in space and time that carries the copies about."""

import numpy as np

from ...craft import ChannelSettings, NoiseSettings, change_of, in_its_space, sample_noise, sample_noise_vectors
from ...craft.vary import changed
from ...data import Copies
from ...schema import Kind, Resolved, number, vector

# Channels are sampled at other places, or moving and turning would go in step.
ELSEWHERE = {"place": 0.0, "turn": 7.3}
CHANNEL_NUMBERS = {"size": 9, "colour": 10, "opacity": 11, "time": 12}


class DriftSettings(ChannelSettings, NoiseSettings):
    place: list = vector((20, 20, 20), headline=True, per_copy=True)
    """Furthest change of the position."""
    size: float = number(60, soft=(1, 400), hard=(1e-3, None), headline=True)
    """Size of the noise's largest features."""
    grow: float = number(0, soft=(0, 1), per_copy=True)
    """Furthest change of the copies' size, as a share of it."""


def drift(copies, weights, settings, moment, links) -> Copies:
    """Move, turn, resize, colour, fade and delay copies by noise at their places.

    weights  (N,) 0..1, how much of the change each copy gets
    Returns  the copies, changed
    """

    places = in_its_space(copies.position, links)

    def vectors(name):
        away = np.float32(settings.size * ELSEWHERE[name])
        return sample_noise_vectors(places + away if away else places, settings, moment)

    def scalars(name):
        return sample_noise(places, settings, moment, CHANNEL_NUMBERS[name])

    channels = Resolved({**vars(settings), "size": 1 + settings.grow})
    return changed(copies, change_of(channels, weights, vectors, scalars))


KIND = Kind(
    "drift",
    "modulate",
    DriftSettings,
    drift,
    "Drift by **{place}**, turn **{turn}**, noise **{size}** wide",
    version=2,
    icon="wind",
    words="random noise float wander turbulence sway",
)
