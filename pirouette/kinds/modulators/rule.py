"""Formulas for each copy."""

import numpy as np

from ...craft import ChannelSettings, change_of
from ...craft.vary import changed
from ...data import Copies
from ...kernels.geometry.place import unit_rows
from ...schema import Kind, choice, vector

WAVE = {"sort": "formula", "text": "20 * wave(turn + share)"}


class RuleSettings(ChannelSettings):
    place: list = vector((0, WAVE, 0), headline=True, per_copy=True)
    """Change of the position, or the position itself."""
    means: str = choice("changes", ("changes", "sets"), headline=True)
    """Whether place, turn and size are added to what a copy has, or stand instead of it."""


def rule(copies, weights, settings) -> Copies:
    """Set place, turn, size, colour, opacity and time of each copy by formulas on its index, share and place.

    weights  (N,) 0..1, how much of the rule each copy follows
    Returns  the copies, changed
    """
    if settings.means == "changes":
        return changed(copies, change_of(settings, weights))
    share, on = np.asarray(weights, np.float32)[:, None], set(settings.acts_on)
    bare = {}
    if "place" in on:
        bare["position"] = copies.position * (1 - share)
    if "turn" in on:
        straight = np.array([0, 0, 0, 1], np.float32)
        mixed = copies.rotation * (1 - share) + straight * share * np.sign(copies.rotation[:, 3:] + 1e-9)
        bare["rotation"] = unit_rows(mixed)
    if "size" in on:
        bare["scale"] = copies.scale * (1 - share) + share
    return changed(copies.moved(**bare), change_of(settings, weights))


KIND = Kind(
    "rule",
    "modulate",
    RuleSettings,
    rule,
    "Rule **{means}** place **{place}**, turn **{turn}**, size **{size}**",
    icon="rule",
    words="formula expression script math equation",
)
