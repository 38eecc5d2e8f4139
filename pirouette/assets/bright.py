"""Pictures whose light goes beyond white: Radiance HDR and OpenEXR."""

import io
import re

import numpy as np

from ..data.problem import Problem, ProblemError
from ..kernels.compile import frozen
from ..kernels.render.picture import encode
from ..kernels.scanlines import unpack

# Three floats for each, and as much again while they are read.
MAX_PIXELS = 20_000_000
SIZE_LINE = re.compile(rb"([-+])Y (\d{1,5}) ([-+])X (\d{1,5})")
MAX_HEAD = 1 << 16
# Brighter numbers are kept as this: the view's graphics card can hold no more.
BRIGHTEST = 60_000.0


def _fail(text, code="picture.wrong"):
    raise ProblemError(Problem("", text, code))


def check_size(width: int, height: int) -> None:
    """Refuse a picture of more pixels than may be brighter than white, or of none."""
    if width * height > MAX_PIXELS:
        _fail(
            f"{width:,} × {height:,} pixels; of a picture brighter than white allowed up to {MAX_PIXELS:,} in all",
            "picture.size",
        )
    if not width * height:
        _fail("there is no pixel in it")


def read_radiance(data: bytes) -> np.ndarray:
    """Return (H, W, 3) float32 linear light, the first row at the top; raises ProblemError."""
    head, blank, _ = data[:MAX_HEAD].partition(b"\n\n")
    if not data.startswith(b"#?") or not blank:
        _fail("this is no Radiance picture: it does not begin as one")
    size, _, _ = data[len(head) + 2 : len(head) + 2 + MAX_HEAD].partition(b"\n")
    found = SIZE_LINE.fullmatch(size)
    if found is None:
        _fail(f"its size is told as “{size[:40].decode('ascii', 'replace')}”; allowed such as “-Y 512 +X 1024”")
    height, width = int(found[2]), int(found[4])
    check_size(width, height)
    exposure = 1.0
    for line in head.split(b"\n")[1:]:
        name, _, value = line.partition(b"=")
        if name == b"FORMAT" and value.strip() != b"32-bit_rle_rgbe":
            _fail(f"its format is {value[:40].decode('ascii', 'replace').strip()}; allowed 32-bit_rle_rgbe")
        if name == b"EXPOSURE":
            exposure *= _exposure(value)
    rows = np.zeros((height, width, 4), np.uint8)
    whole = unpack(frozen(np.frombuffer(data, np.uint8)[len(head) + 2 + len(size) + 1 :], np.uint8), width, rows)
    if whole < height:
        _fail(f"row {whole + 1} of {height} is not whole")
    rows = rows[:: 1 if found[1] == b"-" else -1, :: 1 if found[3] == b"+" else -1]
    light = rows[..., :3].astype(np.float32)
    light += np.float32(0.5)
    light *= np.ldexp(np.float32(1 / exposure), rows[..., 3:].astype(np.int32) - 136).astype(np.float32)
    light[rows[..., 3] == 0] = 0
    return _bounded(light)


def _exposure(value) -> float:
    """What all numbers were multiplied with before they were written."""
    try:
        exposure = float(value)
    except ValueError:
        exposure = 0.0
    if not 1e-6 <= exposure <= 1e6:
        _fail(f"its exposure is {value[:40].decode('ascii', 'replace').strip()}; allowed 0.000001 to 1,000,000")
    return exposure


def read_exr(data: bytes) -> np.ndarray:
    """Return (H, W, 3) float32 linear light of the first part's R, G and B, or Y; raises ProblemError."""
    # Made of code that takes long to load, and only here.
    import OpenEXR

    try:
        with OpenEXR.File(io.BytesIO(data), separate_channels=True, header_only=True) as file:
            header = dict(file.header())
        low, high = header["dataWindow"]
        width, height = (int(high[k]) - int(low[k]) + 1 for k in range(2))
        check_size(width, height)
        names = [channel.name for channel in header["channels"]]
        if len(names) * width * height > 5 * MAX_PIXELS:
            _fail(f"{len(names)} channels of {width:,} × {height:,} pixels; allowed {5 * MAX_PIXELS:,} numbers in all",
                  "picture.size")  # fmt: skip
        if "deep" in str(header.get("type", "")).lower():
            _fail("it is a deep picture; allowed flat ones")
        wanted = ["R", "G", "B"] if {"R", "G", "B"} <= set(names) else ["Y"]
        if not set(wanted) <= set(names):
            _fail(f"its channels are {', '.join(names[:8])}; allowed R, G and B, or Y")
        with OpenEXR.File(io.BytesIO(data), separate_channels=True) as file:
            channels = file.channels()
            light = np.empty((height, width, 3), np.float32)
            for k, name in enumerate(wanted * (3 // len(wanted))):
                light[..., k] = channels[name].pixels
    except ProblemError:
        raise
    except Exception as error:  # OpenEXR raises many kinds for broken files
        _fail(f"this is no OpenEXR picture that can be read: {error}")
    return _bounded(light)


def _bounded(light):
    """Light without what is no number, below nothing, or too bright to be held."""
    np.nan_to_num(light, copy=False, nan=0.0, posinf=BRIGHTEST, neginf=0.0)
    return frozen(np.clip(light, 0, BRIGHTEST, out=light))


READERS = {".hdr": read_radiance, ".exr": read_exr}


def pixels_of(light: np.ndarray) -> np.ndarray:
    """Return (H, W, 4) uint8 of (H, W, 3) linear light: sRGB, what is brighter than white as white."""
    pixels = np.empty((*light.shape[:2], 4), np.uint8)
    for top in range(0, len(light), 256):
        part = light[top : top + 256]
        whole = np.concatenate([np.minimum(part, 1), np.ones((*part.shape[:2], 1), np.float32)], axis=-1)
        pixels[top : top + 256] = encode(whole, 8)
    return frozen(pixels, np.uint8)
