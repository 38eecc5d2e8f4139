"""Light as numbers, and colours as they are written."""

import numpy as np

from pirouette.data.light import hex_colour, linear_light


def test_every_byte_of_a_colour_is_read_and_written_as_it_is():
    for byte in range(256):
        colour = f"#{byte:02x}{255 - byte:02x}7f"
        assert hex_colour(linear_light(colour)) == colour


def test_half_the_light_is_far_more_than_half_the_number_and_nothing_is_brighter_than_white():
    assert hex_colour(np.array([0.5, 0.0, 1.0])) == "#bc00ff"
    assert hex_colour(np.array([7.0, -1.0, 1.0])) == "#ff00ff"
