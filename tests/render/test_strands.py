"""Lines and dots in mirrors and behind what is clear: against their own mirror images, and what lies behind them."""

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.evaluate import evaluate
from pirouette.kernels.threads import use_threads
from pirouette.render import render_light, strands
from tests.render.test_mirrors import CAMERA, drawn, mirror, plate
from tests.scenes import figure, look, scene, step

FLOOR = mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000))


def drawn_by(kind, position, rotation=(0, 0, 0), steps=(), name="Lines", mirrored=True, **settings):
    """A line, or a lattice of dots, seen in mirrors."""
    form = (
        step("line", start=[-30, 0, 0], end=[30, 0, 0], points=2)
        if kind == "wire"
        else step("plane", width=50, height=50, across=3, up=3)
    )
    size = {"width": 4} if kind == "wire" else {"size": 9, "softness": 0}
    looks = [look(kind, **{"unit": "units", "colour": "#ff8000", "mirrored": mirrored, **size, **settings})]
    return figure(form, *steps, name=name, looks=looks, place={"position": list(position), "rotation": list(rotation)})


@pytest.mark.parametrize("blend", ["normal", "additive"])
@pytest.mark.parametrize("kind", ["wire", "dots"])
def test_a_flat_mirror_shows_them_turned_over(kind, blend):
    above = drawn_by(kind, (30, 20, 0), (10, 20, 30), blend=blend)
    below = drawn_by(kind, (30, -100, 0), (-10, 20, -30), blend=blend, name="Below")
    seen, expected = drawn(FLOOR, above)[110:, :, 0], drawn(above, below)[110:, :, 0]
    assert expected.sum() > 50
    # Ends of lines are round on the screen and flat to rays: half a width at each end.
    assert seen.sum() == pytest.approx(expected.sum(), rel=0.08)
    assert np.abs(seen - expected).sum() < 0.3 * expected.sum()
    without = drawn(FLOOR, drawn_by(kind, (30, 20, 0), (10, 20, 30), blend=blend, mirrored=False))[110:, :, 0]
    assert without.sum() < 0.02 * expected.sum()


def test_what_is_thinner_than_a_pixel_is_fainter_in_mirrors_too():

    def line(width, up):
        looks = [look("wire", width=width, unit="units", colour="#ff8000", mirrored=True)]
        return figure(step("line", start=[-50, up, 0], end=[60, up + 10, 0], points=2), name="Line", looks=looks)

    sums = {width: drawn(FLOOR, line(width, 10))[100:, :, 0].sum() for width in (0.2, 0.8)}
    assert sums[0.8] == pytest.approx(4 * sums[0.2], rel=0.1)
    direct = drawn(line(0.8, -90))[100:, :, 0].sum()
    assert sums[0.8] == pytest.approx(direct, rel=0.1)


def test_they_cover_what_is_mirrored_behind_them_or_add_to_it():
    """A thick line before a plate, on the way of the mirrored rays: red is the line, blue the plate."""
    wall = plate("Wall", (0, 30, -200), "#0000ff", size=(600, 60))
    bar = {"width": 30, "colour": "#ff0000", "unit": "units", "mirrored": True}

    def made(**settings):
        line = figure(
            step("line", start=[-300, 30, -150], end=[300, 30, -150]),
            name="Line",
            looks=[look("wire", **{**bar, **settings})],
        )
        return drawn(FLOOR, wall, line)[100:, 150:170]

    plain, covered, added = drawn(FLOOR, wall)[100:, 150:170], made(), made(blend="additive")
    behind = (plain[..., 2] > 0.9) & (covered[..., 0] > 0.9)
    assert behind.sum() > 20
    assert covered[behind][:, 2].max() < 0.1
    np.testing.assert_allclose(added[behind][:, 2], plain[behind][:, 2], atol=0.05)
    np.testing.assert_allclose(added[behind][:, 0], covered[behind][:, 0], atol=0.05)
    half = drawn(FLOOR, wall, _half_open(bar))[100:, 150:170]
    np.testing.assert_allclose(half[behind].mean(axis=0)[[0, 2]], [0.5, 0.5], atol=0.05)


def _half_open(bar):
    return figure(
        step("line", start=[-300, 30, -150], end=[300, 30, -150]), step("shift", opacity=0.5), name="Line",
        looks=[look("wire", **bar)],
    )  # fmt: skip


@pytest.mark.parametrize("kind", ["wire", "dots"])
def test_through_a_clear_skin_they_are_seen_where_they_are(kind):
    """A pane of the index of air bends and mirrors nothing."""
    pane = {"clear": 1, "index": 1, "filled": False, "metal": 0, "tint": "#ffffff"}
    glass = mirror("Glass", (0, 0, 100), size=(300, 300), **pane)
    behind = drawn_by(kind, (10, 5, 0), (0, 30, 0))
    seen, expected = drawn(glass, behind)[..., 0], drawn(behind)[..., 0]
    assert seen.sum() == pytest.approx(expected.sum(), rel=0.08)
    assert np.abs(seen - expected).sum() < 0.3 * expected.sum()
    tinted = drawn(mirror("Glass", (0, 0, 100), size=(300, 300), **{**pane, "tint": "#bc0000"}), behind)[..., 0]
    assert tinted.sum() == pytest.approx(0.5029 * seen.sum(), rel=0.05)


def test_within_a_clear_body_their_light_is_lost_with_depth():
    """Dots 60 deep in a block that bends nothing: the tint's share is left, as often as its depth goes into that."""

    def made(**settings):
        looks = [look("surface", **{"colour": "#ffffff", "roughness": 0.02, "clear": 1, "index": 1, **settings})]
        block = figure(step("box", width=200, height=200, depth=120), name="Block", looks=looks)
        return drawn(block, drawn_by("dots", (0, 0, 0)), camera=CAMERA)[..., 0].sum()

    left = made(tint="#bc0000", tint_depth=30) / made()
    # Seen from the middle, ways are a little longer than 60.
    assert left == pytest.approx(0.5029 ** (60 / 30), rel=0.05)


def test_light_is_added_once_where_lines_of_a_curve_meet():
    """A straight line of many parts is as bright as one of two points."""
    sums = []
    for points in (2, 41):
        line = figure(
            step("line", start=[-60, 20, 0], end=[60, 20, 0], points=points), name="Line",
            looks=[look("wire", width=6, unit="units", mirrored=True, blend="additive", brightness=0.4)],
        )  # fmt: skip
        sums.append(drawn(FLOOR, line)[100:, :, 0])
    np.testing.assert_allclose(sums[1].sum(), sums[0].sum(), rtol=0.01)
    assert sums[1].max() < 1.02 * sums[0].max()


def test_what_is_cut_out_by_another_figure_is_not_among_them():
    ring = drawn_by("wire", (30, 20, 0))
    hole = plate("Hole", (0, 0, 100), size=(500, 500))
    cut = {**ring, "cut": {"seen": "only through", "mask": "hole"}}
    counts = [
        len(strands.strands_of(evaluate(scene(FLOOR, one, hole, cameras=[CAMERA]), 0), 320, 180)[0].rows)
        for one in (ring, cut)
    ]
    assert counts == [1, 0]


@pytest.mark.parametrize("of", [24, 60, 100])
def test_many_pictures_that_are_added_up_show_as_much_as_one(of):
    """Of many, each pixel asks in some only; all together it sees the same."""
    above = plate("Above", (30, 20, 0), rotation=(10, 20, 30))
    picture = evaluate(scene(FLOOR, above, drawn_by("wire", (-40, 20, 0)), lights=[], cameras=[CAMERA]), 0)
    one = render_light(picture, (160, 90), 16)[50:, :, 0]
    many = np.mean([render_light(picture, (160, 90), 1, turn=(turn, of)) for turn in range(of)], axis=0)[50:, :, 0]
    assert many.sum() == pytest.approx(one.sum(), rel=0.02)
    assert np.abs(many - one).mean() < 0.1 * one.mean()


def test_the_same_bytes_on_any_number_of_threads():
    figures = [FLOOR, drawn_by("wire", (30, 20, 0)), drawn_by("dots", (-40, 30, 0), name="Dots", blend="additive")]
    results = []
    for threads in (1, 2, 3):
        with use_threads(threads):
            results.append(drawn(*figures, samples=4).tobytes())
    assert results[0] == results[1] == results[2]


def test_too_many_are_refused_in_words(monkeypatch):
    monkeypatch.setattr(strands, "MOST_BYTES", 100)
    with pytest.raises(ProblemError, match=r"lines and dots in mirrors .* switch off \*mirrored\*"):
        drawn(FLOOR, drawn_by("wire", (0, 0, 100)))
