"""Bright light rolled off before means are made of it, and back: edges of what is far beyond white are then smooth.

The mean of a lamp of 30 and of darkness is 15: as white as the lamp. Where a pixel is half covered it would be shown as
if it was whole, and edges as stairs.
"""

from ..compile import bare_kernel
from ..types import ONE, F

# Light above white is brought into so much more than white, and back from no nearer to its end than the least.
ROOM, LEAST_ROOM = F(0.3), F(1e-5)


@bare_kernel
def rolled_off(peak, white):
    """The factor that brings light whose brightest channel is `peak` to below white and a little; 1 up to white."""
    t = peak / white
    return (ONE + ROOM - ROOM * ROOM / (t - ONE + ROOM)) / t if t > ONE else ONE


@bare_kernel
def rolled_on(peak, white):
    """The factor that undoes `rolled_off` for what it has made: `peak` is the brightest channel of that."""
    t = peak / white
    return (ONE - ROOM + ROOM * ROOM / max(ONE + ROOM - t, LEAST_ROOM)) / t if t > ONE else ONE
