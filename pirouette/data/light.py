"""Light as numbers: the sRGB curve of files and screens, and the linear light that everything is computed with."""

import numpy as np


def to_linear(encoded) -> np.ndarray:
    """Return the linear light of sRGB numbers 0..1."""
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


# Linear light of each number that a file of 8 bits may hold.
LIGHT_OF_BYTE = to_linear(np.arange(256) / 255.0).astype(np.float32)
LIGHT_OF_BYTE.setflags(write=False)


def to_encoded(light) -> np.ndarray:
    """Return the sRGB numbers of linear light 0..1."""
    return np.where(light <= 0.0031308, light * 12.92, 1.055 * np.maximum(light, 0.0031308) ** (1 / 2.4) - 0.055)


def hex_colour(light) -> str:
    """Return the colour of (3,) linear light as it is written, "#rrggbb"; what is brighter than white is white."""
    return "#" + "".join(f"{round(float(one) * 255):02x}" for one in to_encoded(np.clip(light, 0.0, 1.0)))


def linear_light(hex_colour: str) -> np.ndarray:
    """Return the (3,) linear light of a colour written "#rrggbb"."""
    return to_linear(np.array([int(hex_colour[i : i + 2], 16) for i in (1, 3, 5)]) / 255.0)
