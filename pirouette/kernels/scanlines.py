"""Rows of RGBE pixels as Radiance packs them: G. Ward, "Real pixels", Graphics Gems II, 1991.

In a packed row the four parts of its pixels come one after the other, each in runs: a number over 128 tells how often
the byte after it stands there (128 more than that), any other how many bytes as they are come next.
"""

from .compile import kernel

# Rows of so few pixels, or of more, are never packed.
LEAST, MOST = 8, 0x7FFF


@kernel
def unpack(data, width, rows):
    """Unpack bytes into (height, width, 4) uint8 rows.

    Returns  how many rows were whole
    """
    at, size = 0, len(data)
    for y in range(len(rows)):
        row = rows[y]
        is_packed = (
            LEAST <= width <= MOST
            and at + 4 <= size
            and data[at] == 2
            and data[at + 1] == 2
            and (data[at + 2] << 8 | data[at + 3]) == width
        )
        if not is_packed:
            if at + 4 * width > size:
                return y
            for x in range(width):
                for part in range(4):
                    row[x, part] = data[at + 4 * x + part]
            at += 4 * width
            continue
        at += 4
        for part in range(4):
            x = 0
            while x < width:
                if at >= size:
                    return y
                count = int(data[at])
                at += 1
                is_run = count > 128
                if is_run:
                    count -= 128
                if count == 0 or x + count > width or at + (1 if is_run else count) > size:
                    return y
                for k in range(count):
                    row[x + k, part] = data[at if is_run else at + k]
                at += 1 if is_run else count
                x += count
    return len(rows)
