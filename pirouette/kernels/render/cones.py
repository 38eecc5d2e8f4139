"""What the eye's cones take in of linear sRGB light, as cube roots: there a hue is a straight line to white.

Source  B. Ottosson, "A perceptual color space for image processing" (2020)
"""

from ..compile import bare_kernel
from ..types import F, I

THIRD = F(1 / 3)


@bare_kernel
def cube_root(value):
    """The cube root of a number of at least 0, within 2e-6 of itself: a guess from its bits, then Newton's steps."""
    guess = I(I(F(value).view(I) // I(3)) + I(0x2A5119F2)).view(F)
    for _ in range(3):
        guess = (guess + guess + value / (guess * guess)) * THIRD
    return guess


@bare_kernel
def taken_in(red, green, blue):
    """The cube roots of what cones for long, middle and short waves take in of light without negative channels."""
    return (
        cube_root(F(0.4122214708) * red + F(0.5363325363) * green + F(0.0514459929) * blue),
        cube_root(F(0.2119034982) * red + F(0.6806995451) * green + F(0.1073969566) * blue),
        cube_root(F(0.0883024619) * red + F(0.2817188376) * green + F(0.6299787005) * blue),
    )


@bare_kernel
def light_of(long, middle, short):
    """The light (red, green, blue) of such cube roots; channels may be negative beyond what a screen can show."""
    long *= long * long
    middle *= middle * middle
    short *= short * short
    return (
        F(4.0767416621) * long - F(3.3077115913) * middle + F(0.2309699292) * short,
        F(-1.2684380046) * long + F(2.6097574011) * middle - F(0.3413193965) * short,
        F(-0.0041960863) * long - F(0.7034186147) * middle + F(1.7076147010) * short,
    )
