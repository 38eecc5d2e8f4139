"""Springs, solved exactly from one moment to the next: neither the rate of frames nor stiffness changes them."""

import numpy as np


def sprung(at, velocity, goal, goal_after, swings: float, damping: float, seconds: float):
    """Return places and velocities of points on damped springs after some seconds.

    at, velocity      (N, 3), in units and units per second
    goal, goal_after  (N, 3) what they hang on, which goes evenly from one to the other
    swings            to and fro in each second, undamped; above 0
    damping           of the critical one: 0 swings for ever, 1 comes to rest without overshooting
    Source            the closed solution of the damped harmonic oscillator whose rest moves evenly
    """
    omega = 2 * np.pi * swings
    pace = (goal_after - goal) / seconds
    # Behind what moves evenly a damped spring settles by this much.
    behind = pace * (2 * damping / omega)
    offset = at - (goal - behind)
    speed = velocity - pace
    decay = np.exp(-damping * omega * seconds)
    if damping < 1 - 1e-6:
        ring = omega * np.sqrt(1 - damping * damping)
        cosine, sine = np.cos(ring * seconds), np.sin(ring * seconds)
        rate = (speed + offset * (damping * omega)) / ring
        out = decay * (offset * cosine + rate * sine)
        moved = decay * (rate * (ring * cosine) - offset * (ring * sine)) - out * (damping * omega)
    elif damping < 1 + 1e-6:
        rate = speed + offset * omega
        out = decay * (offset + rate * seconds)
        moved = decay * rate - out * omega
    else:
        root = omega * np.sqrt(damping * damping - 1)
        slow, fast = -damping * omega + root, -damping * omega - root
        share = (speed - offset * fast) / (slow - fast)
        out = share * np.exp(slow * seconds) + (offset - share) * np.exp(fast * seconds)
        moved = share * (slow * np.exp(slow * seconds)) + (offset - share) * (fast * np.exp(fast * seconds))
    return out + goal_after - behind, moved + pace
