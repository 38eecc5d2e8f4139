"""Pictures brighter than white: Radiance HDR and OpenEXR, read to the numbers that were written."""

import io

import numpy as np
import OpenEXR
import pytest
from PIL import Image

from pirouette.assets.bright import BRIGHTEST, MAX_PIXELS, read_exr, read_radiance
from pirouette.assets.library import Asset
from pirouette.assets.picture import read_light
from pirouette.data import ProblemError

HEAD = b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n"


def light(height=5, width=12, seed=1) -> np.ndarray:
    return np.exp(np.random.default_rng(seed).uniform(-7, 10, (height, width, 3))).astype(np.float32)


def rgbe(picture) -> np.ndarray:
    """(H, W, 4) uint8 of light: what stands in a file."""
    _, exponent = np.frexp(picture.max(axis=-1))
    mantissa = np.ldexp(picture, 8 - exponent[..., None]).astype(np.uint8)
    return np.concatenate([mantissa, (exponent + 128)[..., None].astype(np.uint8)], axis=-1)


def packed(rows) -> bytes:
    """Rows as Radiance packs them: here runs of like bytes, and up to 100 others as they are."""
    out = bytearray()
    for row in rows:
        out += bytes([2, 2, len(row) >> 8, len(row) & 255])
        for part in range(4):
            line, at = row[:, part], 0
            while at < len(line):
                run = 1
                while at + run < len(line) and run < 127 and line[at + run] == line[at]:
                    run += 1
                if run > 2:
                    out += bytes([128 + run, line[at]])
                    at += run
                else:
                    count = min(100, len(line) - at)
                    out += bytes([count]) + line[at : at + count].tobytes()
                    at += count
    return bytes(out)


def radiance(picture, is_packed=True, head=HEAD, size=b"-Y %d +X %d"):
    rows = rgbe(picture)
    body = packed(rows) if is_packed else rows.tobytes()
    return head + b"\n" + size % picture.shape[:2] + b"\n" + body


def exr(channels, **header) -> bytes:
    out = io.BytesIO()
    whole = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **header}
    OpenEXR.File(whole, {name: np.ascontiguousarray(rows) for name, rows in channels.items()}).write(out)
    return out.getvalue()


@pytest.mark.parametrize("is_packed", [True, False], ids=["packed", "plain"])
@pytest.mark.parametrize("width", [5, 12, 700])
def test_radiance_is_read_to_what_it_holds(is_packed, width):
    """Of eight bits each number is told to one in 256 of the brightest of the three."""
    picture = light(width=width)
    if is_packed:
        picture[2] = picture[2, 0]
    found = read_radiance(radiance(picture, is_packed and width >= 8))
    assert found.dtype == np.float32 and found.shape == picture.shape
    assert (np.abs(found - picture) <= picture.max(axis=-1, keepdims=True) / 128).all()


def test_radiance_may_stand_on_its_head_and_be_told_darker():
    picture = light()
    plain = read_radiance(radiance(picture))
    assert np.array_equal(read_radiance(radiance(picture, size=b"+Y %d +X %d")), plain[::-1])
    assert np.array_equal(read_radiance(radiance(picture, size=b"-Y %d -X %d")), plain[:, ::-1])
    twice = read_radiance(radiance(picture, head=HEAD + b"EXPOSURE=2\nSOFTWARE= x\nEXPOSURE=4\n"))
    np.testing.assert_allclose(twice * 8, plain, rtol=1e-6)


def test_black_is_black():
    rows = np.zeros((2, 9, 4), np.uint8)
    assert not read_radiance(HEAD + b"\n-Y 2 +X 9\n" + rows.tobytes()).any()


WRONG = {
    "no Radiance picture": b"\x89PNG",
    "its size is told as “-X 4": HEAD + b"\n-X 4 +Y 4\n",
    "its format is 32-bit_rle_xyze": b"#?RADIANCE\nFORMAT=32-bit_rle_xyze\n\n-Y 1 +X 1\n\0\0\0\0",
    "its exposure is 0": HEAD + b"EXPOSURE=0\n\n-Y 1 +X 1\n\0\0\0\0",
    "its exposure is nan": HEAD + b"EXPOSURE=nan\n\n-Y 1 +X 1\n\0\0\0\0",
    "row 1 of 9 is not whole": HEAD + b"\n-Y 9 +X 20\n\2\2\0\x14\x90",
    "row 2 of 2 is not whole": HEAD + b"\n-Y 2 +X 8\n" + b"\2\2\0\x08" + b"\x88\1" * 4 + b"\2\2\0\x08\x89\1",
    "row 1 of 1 is not whole": HEAD + b"\n-Y 1 +X 8\n\2\2\0\x08\0\0\0\0",
    "there is no pixel in it": HEAD + b"\n-Y 0 +X 8\n",
    "99,999 × 99,999 pixels": HEAD + b"\n-Y 99999 +X 99999\n",
}


@pytest.mark.parametrize("words", WRONG)
def test_what_is_wrong_with_a_radiance_file_is_said(words):
    with pytest.raises(ProblemError) as caught:
        read_radiance(WRONG[words])
    assert words in caught.value.problems[0].message


@pytest.mark.parametrize("kind", [np.float16, np.float32])
def test_exr_is_read_to_what_it_holds(kind):
    picture = light().astype(kind)
    found = read_exr(exr({name: picture[..., k] for k, name in enumerate("RGB")}))
    np.testing.assert_array_equal(found, np.minimum(picture, BRIGHTEST).astype(np.float32))


def test_exr_of_brightness_alone_is_grey_and_other_channels_are_left():
    rows = light()[..., 0]
    found = read_exr(exr({"Y": rows}))
    assert all(np.array_equal(found[..., k], rows) for k in range(3))
    more = {name: rows * k for k, name in enumerate(("R", "G", "B", "A", "depth.Z"))}
    np.testing.assert_array_equal(read_exr(exr(more))[..., 2], rows * 2)


def test_numbers_that_are_none_are_bounded():
    rows = np.array([[np.nan, np.inf, -np.inf, -3, 1e9, 2]], np.float32)
    assert read_exr(exr({"Y": rows}))[0, :, 0].tolist() == [0, BRIGHTEST, 0, 0, BRIGHTEST, 2]


def test_exr_that_cannot_be_used_is_refused_in_words():
    rows = light()[..., 0]

    def words(data):
        with pytest.raises(ProblemError) as caught:
            read_exr(data)
        return caught.value.problems[0].message

    assert "allowed R, G and B, or Y" in words(exr({"U": rows, "V": rows}))
    assert "no OpenEXR picture" in words(b"\x76\x2f\x31\x01" + b"\0" * 50)
    whole = exr({name: light(200, 300)[..., 0] for name in "RGB"})
    assert "no OpenEXR picture" in words(whole[: len(whole) // 2])
    few = int(np.sqrt(MAX_PIXELS)) + 100
    assert "pixels; of a picture brighter than white" in words(exr({"Y": np.zeros((few, few), np.float16)}))


def test_they_are_pictures_like_others_too():
    """What is brighter than white is white there; what is transparent lights nothing."""
    picture = np.zeros((2, 8, 3), np.float32)
    picture[0], picture[1, :, 1] = 7, 0.2140
    channels = {name: picture[..., k] for k, name in enumerate("RGB")}
    for suffix, data in ((".hdr", radiance(picture, False)), (".exr", exr(channels))):
        asset = Asset(f"a{suffix}", "picture", data)
        assert asset.content[0, 0].tolist() == [255, 255, 255, 255]
        assert asset.content[1, 0].tolist() == pytest.approx([0, 127, 0, 255], abs=3)
        assert asset.light()[0, 0] == pytest.approx([7, 7, 7], rel=0.01)
    out = io.BytesIO()
    Image.fromarray(np.array([[[255, 255, 255, 255], [255, 255, 255, 0]]], np.uint8)).save(out, "PNG")
    assert read_light(out.getvalue(), ".png")[0, :, 0].tolist() == [1, 0]
    with pytest.raises(ProblemError, match="a.hdr"):
        Asset("a.hdr", "picture", b"nothing").light()
