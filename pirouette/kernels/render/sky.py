"""What is seen of a sky along a way."""

from ..compile import called_kernel
from ..types import HALF, ONE, TWO, ZERO, F, I
from .around import seen_around
from .tables import SKY_AROUND, SKY_BRIGHT, SKY_COS, SKY_SIN


@called_kernel
def seen_sky(lights, sky, x, y, z, rough):
    """What is seen of a sky along a way in a mirror that is so rough: as light.py has it."""
    if sky[SKY_AROUND] >= ZERO:
        bright, cos, sin = sky[SKY_BRIGHT], sky[SKY_COS], sky[SKY_SIN]
        red, green, blue = seen_around(
            lights.around, I(sky[SKY_AROUND]), cos * x - sin * z, y, sin * x + cos * z, rough
        )
        return bright * red, bright * green, bright * blue
    up = HALF + HALF * y
    rise = min(abs(y), ONE)
    rise = rise * (TWO - rise)
    first = 0 if y > ZERO else 6
    red = sky[3] + (sky[first] - sky[3]) * rise
    green = sky[4] + (sky[first + 1] - sky[4]) * rise
    blue = sky[5] + (sky[first + 2] - sky[5]) * rise
    red += ((sky[6] + (sky[0] - sky[6]) * up) * F(0.6) + sky[3] * F(0.4) - red) * rough
    green += ((sky[7] + (sky[1] - sky[7]) * up) * F(0.6) + sky[4] * F(0.4) - green) * rough
    blue += ((sky[8] + (sky[2] - sky[8]) * up) * F(0.6) + sky[5] * F(0.4) - blue) * rough
    return red, green, blue
