"""The pictures and gradients on surfaces, as the flat arrays that the renderer's kernels read."""

import numpy as np

from ..data.light import LIGHT_OF_BYTE
from ..data.texture import BEYOND
from ..kernels.compile import frozen
from ..kernels.noise.layers import LAYER_SIZE, Layers
from ..kernels.render import texture
from ..kernels.render.cluster import pick_places


def together(arrays, dtype, shape=()) -> np.ndarray:
    """Join arrays into one frozen array without copying where there is only one."""
    arrays = list(arrays)
    if not arrays:
        return frozen(np.zeros((0, *shape)), dtype)
    return frozen(arrays[0] if len(arrays) == 1 else np.concatenate(arrays), dtype)


def painting(members) -> dict[str, np.ndarray]:
    """Return what Surfaces say of pictures, by name.

    members  (part, its clusters) of all parts
    """
    parts = [part for part, _ in members]
    painted = [part.look.paint for part in parts if part.look.paint is not None]
    textures = list({paint.texture.key: paint.texture for paint in painted}.values())
    number = {texture_.key: index for index, texture_ in enumerate(textures)}
    all_levels = [level for texture_ in textures for level in texture_.levels]
    starts = np.cumsum([0, *(level.shape[0] * level.shape[1] for level in all_levels)])
    levels = [(level.shape[1], level.shape[0], start) for level, start in zip(all_levels, starts, strict=False)]
    first_levels = np.cumsum([0, *(len(texture_.levels) for texture_ in textures)])
    patterns = [paint.pattern for paint in painted if paint.pattern is not None]
    wide = 9 if patterns else 6
    rows = np.zeros((len(parts) if painted else 0, texture.PAINT_SIZE), np.float32)
    sizes = np.ones((len(rows), 2), np.int64)
    uvs, last_layer = [], 0
    for row, size, (part, clusters) in zip(rows, sizes, members, strict=False):
        paint, topology = part.look.paint, part.drawable.mesh.topology
        if paint is None:
            uvs.append(np.zeros((len(topology.triangles), wide), np.float32))
            continue
        row[texture.TEXTURE] = number[paint.texture.key]
        row[texture.PLACE : texture.PLACE + 6] = paint.matrix.ravel()
        row[texture.BEYOND] = BEYOND.index(paint.beyond)
        row[texture.ON_COLOUR] = "colour" in part.look.settings.painted
        row[texture.ON_GLOW] = "glow" in part.look.settings.painted
        row[texture.ON_OPACITY] = "opacity" in part.look.settings.painted
        if paint.pattern is not None:
            row[texture.FIRST_LAYER], last_layer = last_layer, last_layer + len(paint.pattern.salts)
            row[texture.LAST_LAYER] = last_layer
        size[:] = levels[first_levels[number[paint.texture.key]]][:2]
        uvs.append(pick_places(paint.uvs, topology.triangle_corners, clusters.order, wide))
    return {
        "paints": frozen(rows),
        "sizes": frozen(sizes, np.int64),
        "uvs": together(uvs, np.float32, (wide,)),
        "layers": Layers(
            together((pattern.rows for pattern in patterns), np.float32, (LAYER_SIZE,)),
            together((pattern.salts for pattern in patterns), np.uint32),
        ),
        "texels": together((level.reshape(-1, 4) for level in all_levels), np.uint8, (4,)),
        "light_of": LIGHT_OF_BYTE,
        "levels": frozen(np.array(levels).reshape(-1, 3), np.int64),
        "first_levels": frozen(first_levels, np.int64),
    }
