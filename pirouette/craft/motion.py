"""What simulations share: how points move under forces from frame to frame, and what they do where they meet."""

import numpy as np

from ..kernels.geometry.place import unit_rows
from ..schema.kind import BY_BLENDING, BY_SETTLING, OPEN
from ..schema.setting import choice, integer, number, only_if, references
from ..schema.settings import Settings

# The longest time, in seconds, over which forces are taken to stay as they are.
LONGEST_PART = 1 / 96
BOUNCE, SLIDE, STICK = MEETINGS = ("bounce", "slide", "stick")
# Points that meet a skin are set so far outside it, in scene units.
OUTSIDE = 1e-3


class ObstacleSettings(Settings):
    """Settings of what may meet figures on its way."""

    meets: list = references("figures")
    """The closed figures that it cannot enter."""


class MeetingSettings(ObstacleSettings):
    """Settings of what may do one thing or another there."""

    meeting: str = only_if(choice(BOUNCE, MEETINGS), meets=("chosen",))
    """What it does there."""
    bounce: float = only_if(number(0.5, soft=(0, 1), hard=(0, 1)), meets=("chosen",), meeting=(BOUNCE,))
    """How much of its speed is left after it has bounced off."""


class EarlySettings(Settings):
    """Settings of what may have moved before a scene that plays once begins."""

    early: int = integer(0, soft=(0, 96), hard=(0, 2000), unit="frames")
    """In a scene that plays once: how many frames it has been going when the scene begins."""


class SwaySettings(EarlySettings):
    """Settings of what swings back to where it is to be."""

    closes_by: str = choice(BY_SETTLING, (BY_SETTLING, BY_BLENDING, OPEN))
    """How a loop closes: it runs until it repeats, or is blended between two turns; or it does not."""


def sway_run_in(settings, moment) -> int | None:
    """Return how many frames before the first one what sways has to run; None is until a loop repeats."""
    if not moment.loops:
        return int(settings.early)
    return None if settings.closes_by == BY_SETTLING else 0


def sway_closing(settings) -> str:
    return settings.closes_by


def moved(places, velocity, attributes, forces, links, settings, fps):
    """Return the places and velocities of points a frame later, and which of them are stuck to what they met.

    places, velocity  (N, 3) float32, in units and units per second
    attributes        what points carry, by name, for forces that ask for it
    links             those of `meets`; `settings` are MeetingSettings
    Source            semi-implicit Euler steps of at most 1/96 of a second; what slows down decays exactly
    """
    count = parts_of(fps)
    seconds = np.float32(1.0 / (fps * count))
    places = forces.carry(places, velocity, attributes)
    stuck = np.zeros(len(places), bool)
    for part in range(count):
        velocity = velocity + forces.push(places, velocity, attributes) * seconds
        velocity = velocity * np.exp(-forces.slow(places, velocity, attributes) * seconds)[:, None]
        velocity[stuck] = 0
        places = places + velocity * seconds
        if part == count - 1:
            # Once a frame: what holds looks for the nearest place of each point, which is what takes longest.
            places, velocity = forces.hold(places, velocity, attributes)
        met, places, velocity = meet(places, velocity, links, settings.meeting, settings.bounce)
        if settings.meeting == STICK:
            stuck |= met
    return places, velocity, stuck


def parts_of(fps) -> int:
    """Return into how many parts a frame is divided, so that every rate of frames gives the same motion."""
    return max(1, int(np.ceil(1 / (fps * LONGEST_PART) - 1e-9)))


def meet(places, velocity, links, meeting=STICK, bounce=0.0):
    """Return which points have come into a figure, and all places and velocities with these set outside again."""
    met = np.zeros(len(places), bool)
    for name, link in links.items():
        if not name.startswith("meets/") or not link.mesh.topology.face_count or not len(places):
            continue
        low, high = link.mesh.bounds
        near = np.flatnonzero(((places > low) & (places < high)).all(axis=1))
        inside = near[link.tree.inside(places[near])]
        if not len(inside):
            continue
        met[inside] = True
        item, barys, _ = link.tree.closest(places[inside])
        skin = link.tree.places(item, barys)
        a, b, c = link.tree.points[link.tree.items[item]].transpose(1, 0, 2)
        normals = unit_rows(np.cross(b - a, c - a)).astype(np.float32)
        places, velocity = places.copy(), velocity.copy()
        places[inside] = skin + normals * np.float32(OUTSIDE)
        into = np.minimum((velocity[inside] * normals).sum(axis=1), 0)[:, None]
        if meeting == BOUNCE:
            velocity[inside] -= normals * into * np.float32(1 + bounce)
        elif meeting == SLIDE:
            velocity[inside] -= normals * into
        else:
            velocity[inside] = 0
    return met, places, velocity
