"""Pictures that lie on surfaces: their levels of size, and how they are sampled away from the renderer."""

from dataclasses import dataclass

import numpy as np

from ..kernels.compile import frozen
from ..kernels.noise.layers import Layers
from ..kernels.render.picture import encode
from .bytes import arrays_in
from .light import LIGHT_OF_BYTE

# Larger pictures are drawn as if they were so large, as graphics cards allow.
MAX_SIDE = 4096
BEYOND = ("repeat", "mirror", "its edge")


@dataclass(frozen=True, eq=False)
class Texture:
    """A picture in all its sizes, each half as wide and high as the one before, down to one pixel.

    key     names the contents
    levels  (H, W, 4) uint8 each: sRGB, opaque, the first row at the top
    """

    key: str
    levels: tuple[np.ndarray, ...]

    @classmethod
    def of(cls, light: np.ndarray, key: str) -> "Texture":
        """Make the levels of (H, W, 3) float32 linear light."""
        levels = []
        while True:
            whole = np.concatenate([light, np.ones((*light.shape[:2], 1), np.float32)], axis=-1)
            levels.append(frozen(encode(whole), np.uint8))
            height, width = light.shape[:2]
            if height == width == 1:
                return cls(key, tuple(levels))
            light = shrunk(light, min(2, height), min(2, width))

    @property
    def own_bytes(self) -> int:
        return arrays_in(self)


@dataclass(frozen=True, eq=False)
class Paint:
    """A texture as it lies on a mesh.

    uvs      (C, 2) float32, places 0..1 for each corner of each face; of a pattern (C, 3), as its layers are told them
    matrix   (2, 3) float32, from those places to the texture's own
    beyond   one of BEYOND
    pattern  what decides at each place where in the texture's middle row its colour is taken, -0.5..0.5; or None
    """

    texture: Texture
    uvs: np.ndarray
    matrix: np.ndarray
    beyond: str
    pattern: Layers | None = None

    @property
    def own_bytes(self) -> int:
        return arrays_in(self)

    @property
    def parts(self) -> tuple:
        return (self.texture,)


def shrunk(light, down: int, across: int) -> np.ndarray:
    """Return a picture with so many rows and columns made into one; a rest that fills none is left out."""
    height, width = light.shape[0] // down, light.shape[1] // across
    blocks = light[: height * down, : width * across].reshape(height, down, width, across, -1)
    return np.ascontiguousarray(blocks.mean(axis=(1, 3), dtype=np.float32))


def covering(picture: np.ndarray) -> np.ndarray:
    """Return (H, W, 3) linear light of a (H, W, 4) uint8 picture: white where nothing of it is to be seen.

    A colour times that is the colour itself where the picture is transparent. Pictures over MAX_SIDE are shrunk.
    """
    step = -(-max(picture.shape[:2]) // MAX_SIDE)
    rows = max(step, 256 // step * step)
    parts = []
    for top in range(0, max(picture.shape[0] // step * step, step), rows):
        part = picture[top : top + rows]
        opacity = part[..., 3:].astype(np.float32) / 255
        light = LIGHT_OF_BYTE[part[..., :3]] * opacity + (1 - opacity)
        parts.append(shrunk(light, min(step, len(part)), min(step, part.shape[1])) if step > 1 else light)
    return np.concatenate(parts)


def _within(at, size, beyond):
    """The pixel, left one and right one, that a place in pixels falls on."""
    if beyond == "repeat":
        return at % size
    if beyond == "mirror":
        at = at % (2 * size)
        return np.where(at < size, at, 2 * size - 1 - at)
    return np.clip(at, 0, size - 1)


def sample_pixels(pixels: np.ndarray, u, v, beyond: str = "its edge") -> np.ndarray:
    """Return (N, C) float32 of (H, W, C) uint8 pixels at places 0..1 from the lower left corner, smooth between them.

    The first three channels become linear light, a fourth is opacity 0..1.
    """
    height, width = pixels.shape[:2]
    x, y = np.asarray(u) * width - 0.5, (1 - np.asarray(v)) * height - 0.5
    left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    s, t = (x - left)[:, None], (y - top)[:, None]
    columns = _within(left, width, beyond), _within(left + 1, width, beyond)
    rows = _within(top, height, beyond), _within(top + 1, height, beyond)

    def light(row, column):
        texels = pixels[row, column]
        return np.concatenate([LIGHT_OF_BYTE[texels[:, :3]], texels[:, 3:].astype(np.float32) / 255], axis=1)

    upper = light(rows[0], columns[0]) * (1 - s) + light(rows[0], columns[1]) * s
    lower = light(rows[1], columns[0]) * (1 - s) + light(rows[1], columns[1]) * s
    return (upper * (1 - t) + lower * t).astype(np.float32)
