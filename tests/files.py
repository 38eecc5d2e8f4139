"""Independent readers of the files that are written."""

import struct
import zlib

import numpy as np
from PIL import Image


def read_png(path) -> np.ndarray:
    """Return (H, W, 4) uint8 of an 8-bit PNG file."""
    return np.asarray(Image.open(path).convert("RGBA"))


def read_png16(data: bytes) -> np.ndarray:
    """Return (H, W, 4) uint16 of a PNG with 16 bits for each of four channels, read as its standard says."""
    assert data[:8] == b"\x89PNG\r\n\x1a\n"
    at, packed = 8, b""
    while at < len(data):
        (length,) = struct.unpack_from(">I", data, at)
        name, body = data[at + 4 : at + 8], data[at + 8 : at + 8 + length]
        assert zlib.crc32(name + body) == struct.unpack_from(">I", data, at + 8 + length)[0]
        if name == b"IHDR":
            width, height, depth, colour, *_, interlaced = struct.unpack(">IIBBBBB", body)
            assert (depth, colour, interlaced) == (16, 6, 0)
        if name == b"IDAT":
            packed += body
        at += length + 12
    rows = np.frombuffer(zlib.decompress(packed), np.uint8).reshape(height, 1 + width * 8)
    out = np.zeros((height + 1, width * 8 + 8), np.int64)
    for y, row in enumerate(rows, start=1):
        for x in range(8, width * 8 + 8):
            left, above, corner = out[y, x - 8], out[y - 1, x], out[y - 1, x - 8]
            guess = left + above - corner
            nearest = min((left, above, corner), key=lambda one: abs(guess - one))
            before = {0: 0, 1: left, 2: above, 3: (left + above) // 2, 4: nearest}[int(row[0])]
            out[y, x] = (int(row[x - 7]) + before) % 256
    return out[1:, 8:].astype(np.uint8).view(">u2").reshape(height, width, 4).astype(np.uint16)
