"""Springs, solved exactly from one moment to the next: neither the rate of frames nor stiffness changes them."""

from typing import NamedTuple

import numpy as np


def sprung(at, velocity, goal, goal_after, swings: float, damping: float, seconds: float):
    """Return places and velocities of points on damped springs after some seconds.

    at, velocity      (N, 3), in units and units per second
    goal, goal_after  (N, 3) what they hang on, which goes evenly from one to the other
    swings            to and fro in each second, undamped; above 0
    damping           of the critical one: 0 swings for ever, 1 comes to rest without overshooting
    Source            the closed solution of the damped harmonic oscillator whose rest moves evenly
    """
    factors = spring_factors(swings, damping, seconds)
    pace = (goal_after - goal) / seconds
    behind = pace * factors.behind
    offset, speed = at - goal + behind, velocity - pace
    return (
        offset * factors.place + speed * factors.place_by_speed + goal_after - behind,
        offset * factors.speed_by_place + speed * factors.speed + pace,
    )


class Factors(NamedTuple):
    """What the place and speed of a damped spring are multiplied with for those a while later; 0 is where it rests.

    `behind` is how far it settles behind what moves evenly, in seconds of its way.
    """

    place: float
    place_by_speed: float
    speed_by_place: float
    speed: float
    behind: float


def spring_factors(swings: float, damping: float, seconds: float) -> Factors:
    """Return the factors of a spring over so many seconds; see `sprung`."""
    omega = 2 * np.pi * swings
    slowed, decay = damping * omega, np.exp(-damping * omega * seconds)
    if damping < 1 - 1e-6:
        ring = omega * np.sqrt(1 - damping * damping)
        cosine, sine = np.cos(ring * seconds), np.sin(ring * seconds)
        place, by_speed = decay * (cosine + slowed * sine / ring), decay * sine / ring
        by_place = decay * (slowed * cosine - ring * sine) - place * slowed
        speed = decay * cosine - by_speed * slowed
    elif damping < 1 + 1e-6:
        place, by_speed = decay * (1 + omega * seconds), decay * seconds
        by_place, speed = (decay - place) * omega, decay - by_speed * omega
    else:
        root = omega * np.sqrt(damping * damping - 1)
        slow, fast = -slowed + root, -slowed - root
        late, soon = np.exp(slow * seconds), np.exp(fast * seconds)
        by_speed, speed = (late - soon) / (slow - fast), (slow * late - fast * soon) / (slow - fast)
        place, by_place = soon - fast * by_speed, fast * soon - fast * speed
    return Factors(place, by_speed, by_place, speed, 2 * damping / omega)
