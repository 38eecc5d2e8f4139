"""Files against independent readers."""

import json
import weakref

import av
import numpy as np
import pytest
from PIL import Image

from pirouette.data import ProblemError
from pirouette.evaluate import Memo, evaluate
from pirouette.formats.exr import CHANNELS
from pirouette.formats.movie import over_black
from pirouette.formats.obj import obj_text
from pirouette.formats.packet import decode_packet, encode_packet, encoded, with_header
from pirouette.formats.png import write_png
from pirouette.formats.table import BY_ID, FORMATS, options_of
from pirouette.render import render_scene
from tests.files import read_png, read_png16
from tests.scenes import clause, field, figure, look, scene, step


def frames(count=12, size=(64, 48), dtype=np.uint16):
    """A white square that walks to the right over a coloured ground."""
    one = np.iinfo(dtype).max // 255
    for k in range(count):
        picture = np.zeros((size[1], size[0], 4), dtype)
        picture[...] = np.array((226, 85, 58, 255)) * one
        picture[20:28, 4 * k : 4 * k + 8] = 255 * one
        yield picture


def clear_frames(count=6, size=(64, 48), dtype=np.uint16):
    """A half-transparent red square on nothing."""
    full = np.iinfo(dtype).max
    for _ in range(count):
        picture = np.zeros((size[1], size[0], 4), dtype)
        picture[8:40, 8:56] = (full, 0, 0, full // 2)
        yield picture


def write(name, path, made, fps=24, **options):
    one = BY_ID[name]
    one.write(path, made, fps, options_of(one, options))


def test_a_packet_tells_the_mean_speed_of_points_that_come_and_go():
    swarm = step("swarm", count=40, life=12, speed=30, speed_chance=0)
    header, _ = decode_packet(
        encode_packet(evaluate(scene(figure(step("sphere"), swarm), figure(step("box"), name="Still")), 5))
    )
    assert [one.get("speed") for one in header["drawables"]] == [30, None]


def test_an_8_bit_png_comes_back_unchanged(tmp_path):
    pixels = np.random.default_rng(1).integers(0, 256, (7, 9, 4), np.uint8)
    write_png(tmp_path / "a.png", pixels)
    np.testing.assert_array_equal(read_png(tmp_path / "a.png"), pixels)
    assert [path.name for path in tmp_path.iterdir()] == ["a.png"]


def test_a_16_bit_png_comes_back_unchanged(tmp_path):
    pixels = np.random.default_rng(1).integers(0, 65536, (8, 12, 4), np.uint16)
    write("png16", tmp_path / "a.png", [pixels])
    np.testing.assert_array_equal(read_png16((tmp_path / "a.png").read_bytes()), pixels)


def test_an_mp4_has_its_frames_size_rate_and_colours(tmp_path):
    write("mp4", tmp_path / "a.mp4", frames())
    with av.open(str(tmp_path / "a.mp4")) as movie:
        stream = movie.streams.video[0]
        decoded = [frame.to_ndarray(format="rgb24") for frame in movie.decode(stream)]
        assert stream.codec_context.name == "h264"
        assert stream.average_rate == 24
    assert len(decoded) == 12
    assert decoded[0].shape == (48, 64, 3)
    np.testing.assert_allclose(decoded[0][5, 40], (226, 85, 58), atol=8)
    assert decoded[5][24, 4 * 5 + 4].min() > 230


def test_odd_sizes_are_made_even(tmp_path):
    write("mp4", tmp_path / "a.mp4", frames(3, (33, 35)), 25)
    with av.open(str(tmp_path / "a.mp4")) as movie:
        assert next(movie.decode(video=0)).to_ndarray(format="rgb24").shape == (36, 34, 3)


def test_better_quality_is_nearer_to_the_frames(tmp_path):
    noise = [np.random.default_rng(k).integers(0, 65536, (48, 64, 4), np.uint16) | 255 for k in range(3)]
    for one in noise:
        one[..., 3] = 65535
    errors = []
    for quality in ("small", "fine", "finest"):
        write("mp4", tmp_path / "a.mp4", noise, quality=quality)
        with av.open(str(tmp_path / "a.mp4")) as movie:
            first = next(movie.decode(video=0)).to_ndarray(format="rgb24")
        errors.append(np.abs(first.mean(axis=2) - noise[0][..., :3].mean(axis=2) / 257).mean())
    assert errors[0] > errors[1] > errors[2]


def test_movies_take_what_lies_between_the_steps_of_8_bits(tmp_path):
    """A ramp over two steps of 8 bits has more than three greys in a format of 10 bits."""
    ramp = np.linspace(30_000, 30_000 + 2 * 257, 64).astype(np.uint16)
    picture = np.full((48, 64, 4), 65535, np.uint16)
    picture[..., :3] = ramp[None, :, None]
    write("prores", tmp_path / "a.mov", [picture])
    with av.open(str(tmp_path / "a.mov")) as movie:
        plane = next(movie.decode(video=0)).planes[0]
    rows = np.frombuffer(plane, "<u2").reshape(plane.height, plane.line_size // 2)
    assert len(np.unique(rows[20, :64])) > 3


@pytest.mark.parametrize("one", [one for one in FORMATS if one.is_movie], ids=lambda one: one.id)
def test_the_same_frames_make_the_same_bytes(tmp_path, one):
    dtype, made = np.uint8 if one.takes == "pixels8" else np.uint16, set()
    for number in range(3):
        path = tmp_path / f"{number}{one.suffix}"
        one.write(path, frames(dtype=dtype), 24, options_of(one, None))
        made.add(path.read_bytes())
    assert len(made) == 1


def decoded_with(path, codec) -> list[np.ndarray]:
    """(H, W, 4) uint8 of all frames, by a decoder that is not the one of the encoder's makers."""
    found = []
    with av.open(str(path)) as movie:
        stream = movie.streams.video[0]
        context = av.CodecContext.create(codec, "r")
        context.extradata = stream.codec_context.extradata
        for packet in movie.demux(stream):
            found += [frame.to_ndarray(format="rgba") for frame in context.decode(packet)]
    return found


@pytest.mark.parametrize(
    ("name", "suffix", "codec", "tolerance"), [("webm", "webm", "libvpx-vp9", 14), ("prores", "mov", "prores", 3)]
)
def test_movies_with_transparency_keep_it(tmp_path, name, suffix, codec, tolerance):
    path = tmp_path / f"a.{suffix}"
    write(name, path, clear_frames())
    found = decoded_with(path, codec)
    assert len(found) == 6
    np.testing.assert_allclose(found[2][24, 30], (255, 0, 0, 127), atol=tolerance)
    assert found[2][2, 2, 3] <= tolerance


def test_an_animated_png_keeps_every_pixel_and_goes_on_for_ever(tmp_path):
    made = list(clear_frames(2, dtype=np.uint8)) + list(frames(3, dtype=np.uint8))
    write("apng", tmp_path / "a.apng", made, 25)
    picture = Image.open(tmp_path / "a.apng", formats=["PNG"])
    assert (picture.n_frames, picture.info["loop"]) == (5, 0)
    for number, pixels in enumerate(made):
        picture.seek(number)
        assert picture.info["duration"] == pytest.approx(40)
        np.testing.assert_array_equal(np.asarray(picture.convert("RGBA")), pixels)


@pytest.mark.parametrize("name", ["gif", "apng"])
def test_frames_are_written_as_they_come(name, tmp_path):
    """What is written already is not held any more."""
    sizes, chance = [], np.random.default_rng(3)

    def noise():
        for _ in range(24):
            sizes.append(sum(path.stat().st_size for path in tmp_path.iterdir()))
            yield np.dstack([chance.integers(0, 256, (96, 96, 3), np.uint8), np.full((96, 96), 255, np.uint8)])

    write(name, tmp_path / f"a.{name}", noise())
    assert sizes[-1] > (tmp_path / f"a.{name}").stat().st_size / 2


def test_a_gif_shows_each_frame_in_colours_of_its_own(tmp_path):
    """A ramp of a few colours comes out as it went in, in whatever place of the palette they are."""
    made = [np.full((6, 8, 4), 255, np.uint8) for _ in range(5)]
    for number, pixels in enumerate(made):
        pixels[..., 0] = np.arange(8) * 30 + number
        pixels[2:4, number : number + 2, 1] = 7
    write("gif", tmp_path / "a.gif", made)
    gif = Image.open(tmp_path / "a.gif")
    for number, pixels in enumerate(made):
        gif.seek(number)
        np.testing.assert_array_equal(np.asarray(gif.convert("RGB")), pixels[..., :3])


def test_a_gif_lasts_as_long_as_it_should_and_goes_on_for_ever(tmp_path):
    write("gif", tmp_path / "a.gif", frames(13, dtype=np.uint8))
    gif = Image.open(tmp_path / "a.gif")
    durations = []
    for k in range(gif.n_frames):
        gif.seek(k)
        durations.append(gif.info["duration"])
    assert gif.n_frames == 13
    assert sum(durations) == round(13 * 100 / 24) * 10
    assert gif.info["loop"] == 0


def test_an_exr_holds_linear_light_beyond_white_and_layers_by_name(tmp_path):
    glowing = figure(
        step("sphere", radius=60), looks=[look("surface", colour="#000000", glow=4, glow_colour="#ffffff")]
    )
    opened = scene(glowing, lights=[], frame={"width": 64, "height": 36, "background": "transparent"})
    rendered = render_scene(opened, 0, (64, 36), 4, layers=("depth", "ids", "normal", "motion", "position"))
    layers = ["depth", "ids", "normal", "motion", "position"]
    write("exr", tmp_path / "a.exr", [rendered], layers=layers)
    with av.open(str(tmp_path / "a.exr")) as file:
        planes = next(file.decode(video=0)).to_ndarray(format="gbrapf32le")
    np.testing.assert_array_equal(planes[..., 0], rendered.light[..., 0])
    assert planes[18, 32].tolist() == pytest.approx([4, 4, 4, 1])
    assert planes[0, 0].tolist() == [0, 0, 0, 0]
    with av.open(str(tmp_path / "a.exr"), options={"layer": "normal"}) as file:
        assert next(file.decode(video=0)).width == 64
    import OpenEXR

    with OpenEXR.File(str(tmp_path / "a.exr"), separate_channels=True) as file:
        channels = file.channels()
        assert set(channels) == {"R", "G", "B", "A", *(name for layer in layers for name in CHANNELS[layer])}
        np.testing.assert_array_equal(channels["depth.Z"].pixels, rendered.layers["depth"])
        assert channels["ids.number"].pixels[18, 32] == 1


@pytest.mark.parametrize("one", FORMATS, ids=lambda one: one.id)
def test_every_format_is_whole_or_not_there_at_all(tmp_path, one):
    if not one.is_movie:
        pytest.skip("it has one frame")

    def broken():
        yield from (picture for picture in frames(2, dtype=np.uint8 if one.takes == "pixels8" else np.uint16))
        raise OSError("the disk is full")

    with pytest.raises(OSError, match="full"):
        one.write(tmp_path / f"a{one.suffix}", broken(), 24, options_of(one, None))
    assert list(tmp_path.iterdir()) == []


def test_an_option_that_is_not_there_is_told_of():
    with pytest.raises(ProblemError, match="options/quality: “best” is not one of small, fine, finest"):
        options_of(BY_ID["mp4"], {"quality": "best"})


def test_transparent_pixels_are_laid_over_black():
    pixels = np.array([[[200, 100, 50, 128], [200, 100, 50, 0]]], np.uint8)
    assert over_black(pixels).tolist() == [[[100, 50, 25], [0, 0, 0]]]


def test_an_obj_keeps_polygons_and_places():
    text = obj_text(evaluate(scene(figure(step("box", parts=1), step("wheel", count=2, radius=100))), 0))
    lines = text.splitlines()
    points = np.array([line.split()[1:] for line in lines if line.startswith("v ")], float)
    faces = [list(map(int, line.split()[1:])) for line in lines if line.startswith("f ")]
    assert len(points) == 16
    assert len(faces) == 12
    assert all(len(face) == 4 for face in faces)
    assert sorted({index for face in faces for index in face}) == list(range(1, 17))
    assert points[:8, 0].mean() == pytest.approx(100)
    assert points[8:, 0].mean() == pytest.approx(-100)


MOVING = figure(
    step("sphere", radius=70), step("displace", churn=1), looks=[look("surface"), look("wire"), look("dots")]
)


def test_a_packet_holds_points_to_sixteen_bits():
    picture = evaluate(scene(MOVING), 3)
    header, buffers = decode_packet(encode_packet(picture))
    (one,) = header["drawables"]
    count = one["pointCount"]
    packed = buffers[one["points"]]
    assert packed.nbytes == 12 * count
    low, high = np.array(one["low"]), np.array(one["high"])
    points = low + packed[: count * 4].reshape(-1, 4)[:, :3] / 65535 * (high - low)
    np.testing.assert_allclose(points, picture.drawables[0].mesh.points, atol=(high - low).max() / 65535)


def test_normals_survive_the_folding():
    mesh = evaluate(scene(MOVING), 3).drawables[0].mesh
    header, buffers = decode_packet(encode_packet(evaluate(scene(MOVING), 3)))
    count = len(mesh.points)
    u, v = (buffers[header["drawables"][0]["points"]][count * 4 :].reshape(-1, 2) / 65535 * 2 - 1).T
    z = 1 - abs(u) - abs(v)
    x = np.where(z < 0, (1 - abs(v)) * np.where(u >= 0, 1, -1), u)
    y = np.where(z < 0, (1 - abs(u)) * np.where(v >= 0, 1, -1), v)
    normals = np.stack([x, y, z], axis=1)
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    np.testing.assert_allclose(normals, mesh.normals, atol=2e-4)


def test_what_the_page_holds_is_not_sent_again():
    opened = scene(MOVING)
    header, buffers = decode_packet(encode_packet(evaluate(opened, 0)))
    again, none = decode_packet(encode_packet(evaluate(opened, 0), have=buffers))
    assert none == {}
    assert again["drawables"] == header["drawables"]
    _, next_frame = decode_packet(encode_packet(evaluate(opened, 1), have=buffers))
    assert [key[0] for key in next_frame] == ["p"]


def test_buffers_begin_where_the_page_can_read_them():
    header, _ = decode_packet(encode_packet(evaluate(scene(MOVING), 0)))
    assert all(entry["offset"] % 8 == 0 for entry in header["buffers"])


def test_reach_and_colours_travel_with_the_copies():
    gust = field("Gust", clause("between", start=-10, end=10, fade=0))
    opened = scene(figure(step("box"), step("grid", columns=3, rows=1), step("tint")), fields=[gust])
    header, buffers = decode_packet(encode_packet(evaluate(opened, 0, reach="gust")))
    (one,) = header["drawables"]
    assert buffers[one["reach"]].tolist() == [0, 255, 0]
    assert buffers[one["looks"][0]["tints"]].shape == (3, 5)
    assert buffers[one["matrices"]].shape == (3, 12)


def test_curves_and_bare_points_travel_without_faces():
    opened = scene(figure(step("circle", points=9), looks=[look("surface"), look("wire")]))
    header, buffers = decode_packet(encode_packet(evaluate(opened, 0)))
    (one,) = header["drawables"]
    assert buffers[one["triangles"]].shape == (0, 3)
    assert buffers[one["edges"]].shape == (9, 2)


def test_a_packet_says_more_when_asked_to():
    header, _ = decode_packet(with_header(encode_packet(evaluate(scene(), 0)), revision=7, patch=[{"path": "/é"}]))
    assert header["revision"] == 7
    json.dumps(header)


def test_what_is_no_packet_is_refused():
    with pytest.raises(ValueError, match="a packet begins with"):
        decode_packet(b"no packet at all")


def test_what_was_told_of_a_drawable_is_told_again_and_not_kept_beyond_it():
    memo = Memo()
    picture = evaluate(scene(MOVING), 3, memo=memo)
    first, sent = encoded(picture)
    header, buffers = decode_packet(first)
    assert sent == tuple(one["key"] for one in header["buffers"]) == tuple(buffers)
    assert encoded(picture) == (first, sent)
    # What the page holds is named, and not sent.
    again, none = encoded(picture, have=sent)
    assert none == ()
    assert decode_packet(again)[0]["drawables"] == header["drawables"]
    gone = [weakref.ref(drawable) for drawable in picture.drawables]
    del picture
    memo.clear()
    assert [one() for one in gone] == [None] * len(gone)
