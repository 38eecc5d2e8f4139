"""Files that ask as much of the readers as is allowed, or more; and how much memory reading them takes.

python -m tests.assets.heavy FILE    prints what came of it and the memory it took, in bytes
"""

import io
import json
import struct
import subprocess
import sys
import zlib
from pathlib import Path

import numpy as np

from tests.scenes import ROOT


def obj_of_many_points(count=400_000) -> bytes:
    """A strip of triangles, about as long as an OBJ may be."""
    x = np.arange(count)
    points = "".join(f"v {k} {k % 7} 0\n" for k in x)
    return (points + "".join(f"f {k + 1} {k + 2} {k + 3}\n" for k in range(count - 2))).encode()[: 64 << 20]


def obj_of_one_long_face() -> bytes:
    return b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf" + b" 1 2 3" * 10_000_000


def ply_of_many_points(count=600_000) -> bytes:
    head = (
        f"ply\nformat binary_little_endian 1.0\nelement vertex {count}\nproperty float x\nproperty float y\n"
        f"property float z\nelement face {count}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    points = np.random.default_rng(1).random((count, 3), np.float32)
    faces = np.zeros(count, [("n", "u1"), ("c", "<i4", 3)])
    faces["n"] = 3
    faces["c"] = np.arange(count)[:, None] % (count - 3) + [0, 1, 2]
    return head.encode() + points.tobytes() + faces.tobytes()


def stl_of_many_faces(count=660_000) -> bytes:
    faces = np.zeros(count, [("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
    faces["corners"] = np.random.default_rng(2).random((count, 3, 3), np.float32)
    return b"\0" * 80 + struct.pack("<I", count) + faces.tobytes()


def glb_of_many_points(count=1_900_000, corner_count=5_700_000) -> bytes:
    points = np.random.default_rng(3).random((count, 3), np.float32).tobytes()
    corners = (np.arange(corner_count, dtype=np.uint32) % count).tobytes()
    document = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "buffers": [{"byteLength": len(points) + len(corners)}],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": len(points)},
            {"buffer": 0, "byteOffset": len(points), "byteLength": len(corners)},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": count, "type": "VEC3", "min": [0] * 3, "max": [1] * 3},
            {"bufferView": 1, "componentType": 5125, "count": corner_count, "type": "SCALAR"},
        ],
    }
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    body = points + corners
    whole = 12 + 8 + len(text) + 8 + len(body)
    return (
        struct.pack("<4sII", b"glTF", 2, whole)
        + struct.pack("<II", len(text), 0x4E4F534A) + text
        + struct.pack("<II", len(body), 0x004E4942) + body
    )  # fmt: skip


def svg_of_one_long_path() -> bytes:
    return b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0' + b"h1v1" * 1_000_000 + b'"/></svg>'


def svg_of_all_segments() -> bytes:
    """As many segments as are allowed, and as costly ones."""
    arcs = b"".join(b"a%d 9 30 0 1 %d 7" % (k % 9 + 4, k % 5 + 1) for k in range(24_000))
    return b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0' + arcs + b'"/></svg>'


def svg_of_many_elements() -> bytes:
    rows = b"".join(b'<rect x="%d" y="0" width="3" height="4" rx="1" fill="#123456"/>' % k for k in range(6_000))
    return b'<svg xmlns="http://www.w3.org/2000/svg">' + rows + b"</svg>"


def svg_of_a_path_used_often() -> bytes:
    path = b'<path id="p" d="M0 0' + b"l1 2 3 1" * 50_000 + b'"/>'
    uses = b'<use href="#p"/>' * 9_000
    return b'<svg xmlns="http://www.w3.org/2000/svg">' + path + uses + b"</svg>"


def svg_of_attributes() -> bytes:
    return b'<svg xmlns="http://www.w3.org/2000/svg" ' + b" ".join(b'a%d="1"' % k for k in range(300_000)) + b"/>"


def svg_of_one_style() -> bytes:
    return (
        b'<svg xmlns="http://www.w3.org/2000/svg"><style>' + b".a{fill:red}" * 300_000
        + b'</style><path class="a" d="M0 0h9v9z"/></svg>'
    )  # fmt: skip


def woff2_that_unpacks_to_much() -> bytes:
    import brotli

    body = brotli.compress(b"\0" * (1 << 29), quality=3)
    # One table that is said to be half a gigabyte long, and is.
    size = 1 << 29
    length = b"".join(bytes([(size >> shift) & 127 | (128 if shift else 0)]) for shift in (28, 21, 14, 7, 0))
    table = bytes([0]) + length
    head = struct.pack(
        ">4sIIHHIIHHIIIII",
        b"wOF2",
        0x00010000,
        48 + len(table) + len(body),
        1,
        0,
        size + 28,
        len(body),
        1,
        0,
        0,
        0,
        0,
        0,
        0,
    )
    return head + table + body


def png_of_most_pixels(side=7_000) -> bytes:
    def chunk(name, data):
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    rows = zlib.compressobj(9)
    body = b"".join(rows.compress(b"\0" + bytes(4) * side) for _ in range(side)) + rows.flush()
    head = struct.pack(">IIBBBBB", side, side, 8, 6, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


def jpeg_of_most_pixels(side=7_000) -> bytes:
    from PIL import Image

    out = io.BytesIO()
    Image.new("RGB", (side, side), (9, 120, 200)).save(out, "JPEG", progressive=True)
    return out.getvalue()


def hdr_of_most_pixels(runs=47, height=3_350) -> bytes:
    width = 127 * runs
    row = bytes([2, 2, width >> 8, width & 255]) + b"\xff\x7b" * (4 * runs)
    return b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y %d +X %d\n" % (height, width) + row * height


def exr_of_most_pixels(side=4_472) -> bytes:
    import OpenEXR

    out = io.BytesIO()
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    OpenEXR.File(header, dict.fromkeys("RGBAZ", np.ones((side, side), np.float32))).write(out)
    return out.getvalue()


FILES = {
    "points.obj": obj_of_many_points,
    "face.obj": obj_of_one_long_face,
    "points.ply": ply_of_many_points,
    "faces.stl": stl_of_many_faces,
    "points.glb": glb_of_many_points,
    "path.svg": svg_of_one_long_path,
    "segments.svg": svg_of_all_segments,
    "elements.svg": svg_of_many_elements,
    "uses.svg": svg_of_a_path_used_often,
    "attributes.svg": svg_of_attributes,
    "style.svg": svg_of_one_style,
    "bomb.woff2": woff2_that_unpacks_to_much,
    "pixels.png": png_of_most_pixels,
    "pixels.jpg": jpeg_of_most_pixels,
    "pixels.hdr": hdr_of_most_pixels,
    "pixels.exr": exr_of_most_pixels,
}


def memory_of_reading(path: Path) -> tuple[int, str]:
    """Read an asset in a process of its own; return how many bytes that took at its peak, and what came of it."""
    done = subprocess.run(
        [sys.executable, "-m", "tests.assets.heavy", str(path)], cwd=ROOT, capture_output=True, text=True, timeout=300
    )
    assert done.returncode == 0, done.stderr
    took, words = done.stdout.split(" ", 1)
    return int(took), words.strip()


def _peak() -> int:
    """The most memory that this process ever held at once, without what its parent held."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) * 1024


def main(path):
    from pirouette.assets.library import Asset, sort_of
    from pirouette.data import ProblemError

    data = Path(path).read_bytes()
    before = _peak()
    try:
        content = Asset(Path(path).name, sort_of(path), data).content
        words = f"read {type(content).__name__}"
    except ProblemError as error:
        words = f"refused: {error}"
    print(_peak() - before, words[:300])


if __name__ == "__main__":
    main(sys.argv[1])
