"""What is certainly hidden: the farthest sample of each tile of 8 by 8 pixels, worked out again when it is asked for.

Source: N. Greene, M. Kass and G. Miller, "Hierarchical Z-buffer visibility", SIGGRAPH 1993.
"""

from ..compile import bare_kernel
from ..types import F, I, L

TILE_SHIFT = 3
TILE = 1 << TILE_SHIFT


@bare_kernel
def _farthest(seen, stride, first_row, last_row, first, last):
    """The least key of a tile, as the bits of its 1/w."""
    least = seen[first_row * stride + first]
    for row in range(first_row, last_row):
        line = seen[row * stride + first : row * stride + last]
        for i in range(len(line)):
            least = min(least, line[i])
    return I(least >> L(32))


@bare_kernel
def is_hidden(seen, band, far, is_changed, box, nearest):
    """Whether every sample of a box shows something nearer than `nearest`.

    seen             the band's keys
    far, is_changed  for each tile the 1/w of its farthest sample and whether that must be found again; (rows, columns)
    box              left, right, top, foot in pixels of the band, within it
    nearest          the largest 1/w in the box
    """
    left, right, top, foot = box
    samples = len(band.offsets)
    bits = F(nearest).view(I)
    # Most boxes that can be seen are so in a corner or in the middle: that is a look at five pixels, not at tiles.
    upper = top * band.stride
    lower = foot * band.stride
    middle = ((top + foot) >> 1) * band.stride + ((left + right) >> 1) * samples
    least = min(seen[middle], min(seen[upper + left * samples], seen[upper + right * samples]))
    least = min(least, min(seen[lower + left * samples], seen[lower + right * samples]))
    if I(least >> L(32)) <= bits:
        return False
    for i in range(top >> TILE_SHIFT, (foot >> TILE_SHIFT) + 1):
        for j in range(left >> TILE_SHIFT, (right >> TILE_SHIFT) + 1):
            if is_changed[i, j]:
                is_changed[i, j] = False
                far[i, j] = _farthest(
                    seen,
                    band.stride,
                    i * TILE,
                    min((i + 1) * TILE, band.rows),
                    j * TILE * samples,
                    min((j + 1) * TILE, band.width) * samples,
                )
            if far[i, j] <= bits:
                return False
    return True


@bare_kernel
def mark_changed(is_changed, box):
    left, right, top, foot = box
    for i in range(top >> TILE_SHIFT, (foot >> TILE_SHIFT) + 1):
        for j in range(left >> TILE_SHIFT, (right >> TILE_SHIFT) + 1):
            is_changed[i, j] = True
