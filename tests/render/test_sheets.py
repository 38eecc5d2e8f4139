"""Half-transparent layers in exact order, whatever lies between them, and without grain."""

from unittest import mock

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.kernels.threads import use_threads
from pirouette.render import bands
from tests.render.test_opacity import picture, sheet
from tests.scenes import figure, look, step

SIZE = (160, 90)
WIDE = 3000


def wall(opacity, turn=0.0, z=0.0, colour="#ffffff", name="Wall"):
    """A sheet that fills the picture, turned about the upright axis."""
    steps = step("plane", width=WIDE, height=WIDE, across=3, up=2), step("row", count=1), step("shift", opacity=opacity)
    place = {"position": [0, 0, z], "rotation": [0, turn, 0]}
    return figure(*steps, looks=[look("surface", colour=colour)], name=name, place=place)


def lines(z, name="Lines", **more):
    """Level lines that are thick enough to cover pixels wholly."""
    steps = step("plane", width=WIDE, height=WIDE, across=1, up=60), step("row", count=1)
    looks = [look("wire", colour="#ffffff", width=26, **more)]
    return figure(*steps, looks=looks, name=name, place={"position": [0, 0, z]})


@pytest.mark.parametrize("count", [1, 3, 40, 90])
def test_so_many_sheets_hide_what_their_shares_say(count):
    stack = figure(
        step("plane", width=WIDE, height=WIDE, across=1, up=1), step("row", count=count, apart=[0, 0, 2]),
        step("shift", opacity=0.07), looks=[look("surface", colour="#ffffff")],
    )  # fmt: skip
    np.testing.assert_allclose(picture(stack, samples=2)[..., 0], 1 - 0.93**count, atol=1e-5)


def test_sheets_that_cross_are_told_apart_within_a_pixel():
    red, green = wall(0.5, 8, colour="#ff0000", name="Red"), wall(0.5, -8, colour="#00ff00", name="Green")
    # Where they cross, in the middle of the 80th pixel of 161, half of the samples see either of them first.
    found = picture(red, green, samples=64, size=(161, 90))[..., :3]
    front, back = [0.5, 0.25, 0], [0.25, 0.5, 0]
    sides = found[:, :79], found[:, 82:]
    if sides[0][0, 0, 0] < 0.4:
        front, back = back, front
    np.testing.assert_allclose(sides[0] - front, 0, atol=1e-5)
    np.testing.assert_allclose(sides[1] - back, 0, atol=1e-5)
    np.testing.assert_allclose(found[:, 80] - [0.375, 0.375, 0], 0, atol=0.02)


def test_what_is_opaque_before_a_sheet_has_no_rim_of_it():
    """A black bar before a white sheet: at its edges the mean of black and of the sheet, nothing brighter or darker."""
    bar = figure(step("box", width=60, height=WIDE, depth=4), looks=[look("surface", colour="#000000")], name="Bar")
    bar["place"] = {"position": [0.37, 0, 60], "rotation": [0, 0, 20]}
    ground = {"width": 160, "height": 90, "background": "solid", "colour": "#808080"}
    found = picture(sheet(0.5), bar, samples=64, frame=ground)[..., 0]
    alone = picture(bar, samples=64, frame={**ground, "colour": "#ffffff"})[..., 0]
    assert ((alone > 0.1) & (alone < 0.9)).sum() > 50
    np.testing.assert_allclose(found, alone * found.max(), atol=1e-5)


def test_lines_lie_between_sheets():
    for blend in ("normal", "additive"):
        rows = slice(44, 46)
        front = picture(sheet(0.4), lines(40, blend=blend))[rows]
        behind = picture(sheet(0.4), lines(-40, blend=blend))[rows]
        between = picture(sheet(0.4, 20, name="Front"), lines(0, blend=blend), sheet(0.4, -20, name="Back"))[rows]
        if blend == "normal":
            expected = 1, 0.4 + 0.6, 0.4 + 0.6
        else:
            expected = 1.4, 0.4 + 0.6, 0.4 + 0.6 * 1.4
        for found, value in zip((front, behind, between), expected, strict=True):
            assert found[..., 0].max() == pytest.approx(value, abs=1e-4)


def test_black_lines_behind_a_sheet_are_as_bright_as_it():
    black = figure(
        step("plane", width=WIDE, height=WIDE, across=1, up=60), step("row", count=1),
        looks=[look("wire", colour="#000000", width=26)], place={"position": [0, 0, -40]},
    )  # fmt: skip
    ground = {"width": 160, "height": 90, "background": "solid", "colour": "#ffffff"}
    found = picture(sheet(0.4), black, frame=ground)[..., 0]
    assert found.min() == pytest.approx(0.4, abs=1e-4)
    assert found.max() == pytest.approx(1.0, abs=1e-4)


def test_faces_that_add_light_are_dimmed_by_sheets_before_them():
    glowing = sheet(1, 0, "#406080", "Glow")
    glowing["looks"] = [look("surface", colour="#ffffff", blend="additive")]
    alone = picture(glowing)[45, 80]
    behind = picture(sheet(0.3, 20, "#000000"), glowing)[45, 80]
    before = picture(sheet(0.3, -20, "#000000"), glowing)[45, 80]
    np.testing.assert_allclose(behind[:3], alone[:3] * 0.7, atol=1e-5)
    np.testing.assert_allclose(before[:3], alone[:3], atol=1e-5)


def tiles():
    """A page of half-transparent tiles, turned and strewn in depth, so that they overlap and cross."""
    return figure(
        step("box", width=26, height=26, depth=3), step("grid", columns=16, rows=9, layers=3, apart=[20, 20, 20]),
        step("shuffle", turn=[70, 70, 70], place=[10, 10, 10]), step("shift", opacity=0.4),
        step("tint", gradient=[{"at": 0, "colour": "#ff4020"}, {"at": 1, "colour": "#2060ff"}]),
        looks=[look("surface")],
    )  # fmt: skip


def test_few_samples_show_half_transparent_tiles_as_many_do():
    few, many = (picture(tiles(), samples=samples, size=(640, 360)) for samples in (8, 64))
    shown = [np.clip(one[..., :3], 0, 1) ** (1 / 2.2) * 255 for one in (few, many)]
    assert shown[1].std() > 20
    assert np.sqrt(((shown[0] - shown[1]) ** 2).mean()) < 2.5


def test_a_picture_is_the_same_on_any_number_of_threads_and_in_parts(monkeypatch):
    scene = tiles(), lines(-10), sheet(0.3, -20)
    found = []
    for count in (1, 2):
        with use_threads(count):
            found.append(picture(*scene, samples=4).tobytes())
    assert found[0] == found[1]
    # With less room than even a row takes, it is made as it is needed.
    monkeypatch.setattr(bands, "MOST_SHEETS", 50)
    with mock.patch.object(bands, "_scratch", type(bands._scratch)()):
        assert picture(*scene, samples=4).tobytes() == found[0]


def test_more_sheets_than_there_is_memory_for_are_refused_in_words(monkeypatch):
    monkeypatch.setattr(bands, "MOST_SHEETS", 50)
    monkeypatch.setattr(bands, "ALLOWED_SHEETS", 200)
    with (
        mock.patch.object(bands, "_scratch", type(bands._scratch)()),
        pytest.raises(ProblemError, match="more than 200 half-transparent faces"),
    ):
        picture(tiles(), samples=4)
