"""Points that are born and die, followed back through time by their names."""

import numpy as np

from ..compile import exact_kernel, frozen
from ..threads import in_slices
from ..types import D

# A point was not there yet at a time that is farther back than its age by more than this, in frames.
BEFORE_BIRTH = -1e-3
# One of the same seed whose age is nearer than this is the same point, and not a later one in its place.
SAME_AGE = 0.5


@exact_kernel
def _same(seed, age, seeds, ages, first, last, near):
    """Which of the points from first to last has a seed and about an age, sought from one of them on; -1 for none."""
    near = min(max(near, first), last - 1)
    for away in range(max(near - first, last - 1 - near) + 1):
        for at in (near - away, near + away):
            if first <= at < last and seeds[at] == seed and abs(ages[at] - age) < SAME_AGE:
                return at
    return -1


@exact_kernel
def _follow(now, then, starts, frames, fps, start, stop, out):
    places, seed, age, velocity = now
    at, seeds, ages, velocities = then
    for i in range(start, stop):
        x, y, z = D(places[i, 0]), D(places[i, 1]), D(places[i, 2])
        vx, vy, vz = D(velocity[i, 0]), D(velocity[i, 1]), D(velocity[i, 2])
        # Those beside a point in the list are mostly the same from time to time.
        beside, since, is_known = i, 0.0, True
        for t in range(len(frames)):
            left = age[i] - frames[t]
            found = -1
            if left > BEFORE_BIRTH:
                found = _same(seed[i], left, seeds, ages, starts[t], starts[t + 1], starts[t] + beside)
            if found >= 0:
                x, y, z = D(at[found, 0]), D(at[found, 1]), D(at[found, 2])
                vx, vy, vz = D(velocities[found, 0]), D(velocities[found, 1]), D(velocities[found, 2])
                beside, is_known = found - starts[t], True
            else:
                # Born between two times: from the later one its speed then leads back to the place of its birth.
                seconds = (age[i] - since) / fps
                is_known = is_known and seconds > 0
                x, y, z = x - vx * seconds, y - vy * seconds, z - vz * seconds
            since = frames[t]
            out[t, i, 0] = x if is_known else np.nan
            out[t, i, 1] = y if is_known else np.nan
            out[t, i, 2] = z if is_known else np.nan


def followed(now, then, starts, frames, fps: float) -> np.ndarray:
    """Return where N points were at T earlier times, (T, N, 3) float64; nan where they were not there.

    now     of the points: (N, 3) places, (N,) seeds, (N,) ages in frames, (N, 3) velocities in units a second
    then    the same of the points of all times, (M, …), one time after the other: those of t from starts[t] on
    frames  (T,) how many frames ago each time was, the later ones farther back
    """
    now, then = (tuple(frozen(column) for column in point) for point in (now, then))
    out = np.empty((len(frames), len(now[0]), 3))
    starts, frames = frozen(starts, np.int64), frozen(frames, D)
    in_slices(lambda a, b: _follow(now, then, starts, frames, float(fps), a, b, out), len(now[0]), 256)
    return out
