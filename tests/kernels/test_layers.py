"""Patterns of one place after the other against the noises that are sampled for many."""

import numpy as np
import pytest

from pirouette.craft import NoiseSettings, sample_noise
from pirouette.craft.noise import PATTERNS, in_cells, layers_of
from pirouette.kernels.noise.layers import sample_layers
from pirouette.values.moment import Moment

MADE = {
    "plain": {},
    "stretched, with finer layers": {"detail": 4, "roughness": 0.7, "stretch": [1, 3, 0.4]},
    "changing": {"churn": 3, "detail": 2},
    "travelling": {"slide": [40, -30, 70]},
    "all of it": {"churn": 1.5, "slide": [0, 90, 0], "detail": 3, "stretch": [2, 1, 1], "seed": 44},
}


def places(count=400):
    return (np.random.default_rng(8).normal(size=(count, 3)) * 130).astype(np.float32)


@pytest.mark.parametrize("made", MADE)
@pytest.mark.parametrize("pattern", PATTERNS)
@pytest.mark.parametrize("loops", [True, False])
def test_layers_are_the_noise_they_are_made_of(pattern, made, loops):
    settings = NoiseSettings({"pattern": pattern, "size": 45, **MADE[made]}).resolve()
    for frame in (0.0, 13.0):
        moment = Moment(frame, 48, loops=loops)
        expected = sample_noise(places(), settings, moment)
        found = sample_layers(in_cells(places(), settings), layers_of(settings, moment))
        unlike = np.abs(found - expected)
        # A place is told in other steps: at the very edge of a block it may fall to the other side.
        assert np.sort(unlike)[-3] < 2e-4 * settings.detail and np.std(expected) > 0.1


def test_layers_count_as_much_as_they_are_told_to():
    settings, moment = NoiseSettings({"size": 45, "detail": 3}).resolve(), Moment(0.0, 48)
    once = sample_layers(in_cells(places(), settings), layers_of(settings, moment))
    half = sample_layers(in_cells(places(), settings), layers_of(settings, moment, -0.5))
    np.testing.assert_allclose(half, -0.5 * once, atol=1e-6)
