"""What glows lights what is near it, against closed forms: a wall at z = 0 seen from the front, and lamps before it."""

import numpy as np
import pytest

from pirouette.evaluate import Memo, evaluate
from pirouette.evaluate.lamps import MOST_PARTS
from pirouette.formats.packet import decode_packet, encode_packet
from pirouette.kernels.threads import use_threads
from pirouette.render import render_light
from tests.scenes import clause, field, figure, look, scene, step, swing

SIZE = (320, 180)
CAMERA = {"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 36}}
# A lens of 36 mm on 36 mm: at distance 400 the picture is 400 wide, so a pixel is 1.25 units.
X = (np.arange(SIZE[0]) + 0.5) * 1.25 - 200
Y = 112.5 - (np.arange(SIZE[1]) + 0.5) * 1.25
LIGHT, HEIGHT = 4.0, 80
WALL = figure(step("plane", width=600, height=400), name="Wall", looks=[look("surface", colour="#ffffff", roughness=1)])


def glowing(*steps, name="Lamp", **settings):
    plain = {"colour": "#000000", "glow": LIGHT, "spill": 1}
    return figure(*steps, name=name, looks=[look("surface", **{**plain, **settings})], place=AT)


AT = {"position": [0, 0, HEIGHT]}
BALL = step("sphere", radius=10, rings=32, segments=48)
BAR = step("box", width=300, height=6, depth=6, parts=24)


def picture(*figures, frame=0, **more):
    return evaluate(scene(*figures, lights=[], cameras=[CAMERA], **more), frame)


def lit(*figures, samples=4, **more) -> np.ndarray:
    """(H, W) how bright the wall is."""
    return render_light(picture(*figures, **more), SIZE, samples)[..., 0]


def lamps(*figures, **more):
    return [light for light in picture(*figures, **more).lights if light.kind == "key"]


def test_a_ball_lights_a_wall_by_its_size_its_distance_and_the_angle():
    away = np.sqrt(X**2 + HEIGHT**2)
    expected = LIGHT * 10**2 * HEIGHT / away**3
    row = lit(WALL, glowing(BALL))[SIZE[1] // 2]
    # Beside the ball itself, and where it is not seen too slantingly.
    seen = (np.abs(X) > 20) & (np.abs(X) < 90)
    assert np.abs(row / expected - 1)[seen].max() < 0.04


@pytest.mark.parametrize("count", [8, 16, 32])
def test_a_bar_lights_as_evenly_as_it_is_long(count):
    row = lit(WALL, glowing(BAR, spill=count))[np.abs(Y - 30).argmin()]
    places = np.linspace(-150, 150, 601)
    square = (X[:, None] - places) ** 2 + 30**2 + HEIGHT**2
    # A quarter of its area is seen from anywhere.
    power = LIGHT * (4 * 6 * 300 + 2 * 6 * 6) / 4 / np.pi
    expected = (power * HEIGHT / square**1.5).mean(axis=1)
    assert np.abs(row / expected - 1)[np.abs(X) < 150].max() < 0.05


def lines(*steps, kind="wire", **settings):
    plain = {"colour": "#ffffff", "brightness": LIGHT, "unit": "units", "spill": 16}
    return figure(*steps, name="Lamp", looks=[look(kind, **{**plain, **settings})], place=AT)


LINE = step("line", points=31, start=[-150, 0, 0], end=[150, 0, 0])


def test_a_line_lights_as_a_round_rod_does():
    row = lit(WALL, lines(LINE, width=6))[np.abs(Y - 30).argmin()]
    square = (X[:, None] - np.linspace(-150, 150, 601)) ** 2 + 30**2 + HEIGHT**2
    power = LIGHT * 6 * 300 / 4
    expected = (power * HEIGHT / square**1.5).mean(axis=1)
    assert np.abs(row / expected - 1)[np.abs(X) < 150].max() < 0.05


def test_dots_light_as_balls_and_those_in_picture_points_as_large_as_they_are_seen():
    pair, three = (step("line", points=count, start=[-60, 0, 0], end=[60, 0, 0]) for count in (2, 3))
    expected = 2 * LIGHT * 10**2
    of_units = lamps(lines(pair, kind="dots", size=20))
    # The picture is 180 high where they are, and has 1080 lines.
    of_points = lamps(lines(pair, kind="dots", size=120, unit="px"))
    for found in (of_units, of_points):
        assert sum(map(power, found))[0] == pytest.approx(expected, rel=1e-3)
    assert len(lamps(lines(three, kind="dots", size=20))) == 3
    assert sum(map(power, lamps(lines(three, kind="dots", size=20))))[0] == pytest.approx(1.5 * expected, rel=1e-3)
    # Copies that are larger are longer lines, and dots of the same size.
    larger = {"place": {**AT, "scale": [2, 2, 2]}}
    for kind, times in (("wire", 2), ("dots", 1)):
        plain = lines(LINE, kind=kind)
        before, after = (sum(map(power, lamps(one)))[0] for one in (plain, {**plain, **larger}))
        assert after == pytest.approx(times * before, rel=1e-3)


def test_no_spot_of_a_lamp_is_seen_where_a_bar_lies_close_to_a_wall():
    near = {**glowing(BAR, spill=32), "place": {"position": [0, 0, 5]}}
    row = lit(WALL, near)[np.abs(Y - 8).argmin()]
    middle = row[np.abs(X) < 100]
    assert middle.max() / middle.min() < 1.2
    assert middle.max() < LIGHT


def test_what_stands_between_throws_a_shadow_unless_it_is_said_not_to():
    plate = {**figure(step("plane", width=30, height=400), name="Plate"), "place": {"position": [60, 0, 40]}}
    without = lit(WALL, glowing(BALL))
    # From the ball's middle the plate hides the wall from 90 to 150 units on.
    hidden = (X > 106) & (X < 134)
    row = SIZE[1] // 2
    assert (lit(WALL, glowing(BALL), plate)[row, hidden] < 0.02 * without[row, hidden]).all()
    open_row = lit(WALL, glowing(BALL, spill_shadows=False), plate)[row, hidden]
    assert np.abs(open_row / without[row, hidden] - 1).max() < 0.01


def test_what_has_lamps_is_lit_by_none_of_them():
    white = glowing(step("plane", width=30, height=30), colour="#ffffff", glow=1, name="White")
    other = {**glowing(BALL, name="Other"), "place": {"position": [0, 60, HEIGHT]}}
    middle = SIZE[1] // 2, SIZE[0] // 2
    alone, beside = lit(white, samples=1)[middle], lit(white, other, samples=1)[middle]
    assert alone == beside == pytest.approx(1)
    dark = glowing(step("plane", width=30, height=30), colour="#ffffff", glow=1, spill=0, name="White")
    assert lit(dark, other, samples=1)[middle] > 1.001


def test_without_lamps_nothing_is_lit():
    assert not lamps(WALL, glowing(BALL, spill=0))
    assert not lamps(WALL, glowing(BALL, glow=0))
    assert not lamps(WALL, glowing(BALL, spill_strength=0))
    assert not lamps(WALL, {**glowing(BALL), "visible": "hidden"})
    assert not lit(WALL, glowing(BALL, spill=0))[:20].any()


def power(light):
    settings = light.settings
    return settings.brightness * np.asarray(settings.colour, float) * settings.reach**2


@pytest.mark.parametrize("count", [1, 5, 32])
@pytest.mark.parametrize("copies", [1, 7, 300])
def test_all_light_is_there_in_any_number_of_lamps(count, copies):
    ring = step("wheel", count=copies, radius=100)
    found = lamps(glowing(BALL, ring, spill=count, glow_colour="#ff8000"))
    assert len(found) == count
    linear = np.array([1, 0.21586, 0])
    expected = LIGHT * linear * copies * 10**2
    # The ball of 32 rings is a little smaller than a round one.
    np.testing.assert_allclose(sum(map(power, found)), expected, rtol=0.01, atol=1e-6)


def test_a_field_and_the_size_of_copies_count():
    band = field("Band", clause("between", start=0, end=100, axis="x"))
    whole = sum(map(power, lamps(glowing(BALL))))[0]
    larger = {**glowing(BALL), "place": {"scale": [2, 2, 2]}}
    assert sum(map(power, lamps(larger)))[0] == pytest.approx(4 * whole, rel=1e-3)
    assert sum(map(power, lamps(glowing(BALL, spill_strength=3))))[0] == pytest.approx(3 * whole)
    limited = glowing(BALL, glow_where="band", spill=4)
    assert 0 < sum(map(power, lamps(limited, fields=[band])))[0] < 0.9 * whole


def test_lamps_go_smoothly_with_what_glows():
    moving = glowing(BAR, step("bend", angle=swing(0, 90)), step("row", count=3, apart=[0, 40, 0]), spill=12)
    at = np.array([[one.settings.position for one in lamps(moving, frame=frame)] for frame in np.arange(0, 24, 0.5)])
    assert np.linalg.norm(np.diff(at, axis=0), axis=2).max() < 8
    assert np.ptp(at, axis=0).max() > 20


def test_the_same_bytes_on_any_number_of_threads_and_with_what_is_remembered():
    figures = WALL, glowing(BAR, spill=9)
    memo = Memo()
    opened = scene(*figures, lights=[], cameras=[CAMERA])
    before = encode_packet(evaluate(opened, 0, memo=memo))
    assert encode_packet(evaluate(opened, 0, memo=memo)) == encode_packet(evaluate(opened, 0)) == before
    pictures = []
    for threads in (1, 3):
        with use_threads(threads):
            pictures.append(lit(*figures).tobytes())
    assert pictures[0] == pictures[1]


def test_the_page_is_told_of_them():
    header, _ = decode_packet(encode_packet(picture(WALL, glowing(BAR, spill=3))))
    assert [(one["kind"], one["id"], one["figures"]) for one in header["lights"]] == [("key", "", ["lamp"])] * 3
    # A third of the bar is 100 long.
    assert all(30 < one["soft"] < 35 for one in header["lights"])
    ball, _ = decode_packet(encode_packet(picture(WALL, glowing(BALL))))
    assert ball["lights"][0].get("soft", 0) < 1


def test_of_many_faces_some_stand_for_all():
    fine = step("sphere", radius=10, rings=128, segments=160)
    found = lamps(glowing(fine, spill=5))
    assert len(picture(glowing(fine)).drawables[0].mesh.topology.triangles) > 2 * MOST_PARTS
    assert sum(map(power, found))[0] == pytest.approx(LIGHT * 10**2, rel=0.01)
