"""What is certainly hidden: the farthest sample of each tile of 8 by 8 pixels, worked out again when it is asked for.

Source: N. Greene, M. Kass and G. Miller, "Hierarchical Z-buffer visibility", SIGGRAPH 1993.
"""

import numpy as np

from .compile import inlined_kernel, kernel

F = np.float32
I = np.int32  # noqa: E741
L = np.int64
TILE_SHIFT = 3
TILE = 1 << TILE_SHIFT


@kernel
def _farthest(seen, stride, first_row, last_row, first, last):
    """The least key of a tile, as the bits of its 1/w."""
    least = seen[first_row * stride + first]
    for row in range(first_row, last_row):
        line = seen[row * stride + first : row * stride + last]
        for i in range(len(line)):
            least = min(least, line[i])
    return I(least >> L(32))


@kernel
def is_hidden(seen, stride, rows, width, sample_count, far, is_changed, box, nearest):
    """Whether every sample of a box shows something nearer than `nearest`.

    seen             a band's keys, `stride` to a row
    far, is_changed  for each tile the 1/w of its farthest sample and whether that must be found again; (rows, columns)
    box              left, right, top, foot in pixels of the band, within it
    nearest          the largest 1/w in the box
    """
    left, right, top, foot = box
    bits = F(nearest).view(I)
    for i in range(top >> TILE_SHIFT, (foot >> TILE_SHIFT) + 1):
        for j in range(left >> TILE_SHIFT, (right >> TILE_SHIFT) + 1):
            if is_changed[i, j]:
                is_changed[i, j] = False
                far[i, j] = _farthest(
                    seen,
                    stride,
                    i * TILE,
                    min((i + 1) * TILE, rows),
                    j * TILE * sample_count,
                    min((j + 1) * TILE, width) * sample_count,
                )
            if far[i, j] <= bits:
                return False
    return True


@inlined_kernel
def mark_changed(is_changed, box):
    left, right, top, foot = box
    is_changed[top >> TILE_SHIFT : (foot >> TILE_SHIFT) + 1, left >> TILE_SHIFT : (right >> TILE_SHIFT) + 1] = True
