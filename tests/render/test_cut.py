"""Figures that are seen only through, or only outside, another one."""

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.evaluate import evaluate
from pirouette.render import render_light, render_scene
from tests.scenes import figure, look, scene, step

SIZE = (160, 90)
CAMERA = {"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 36}}
GLOW = {"colour": "#000000", "roughness": 1, "glow": 1}


def sheet(name, colour="#ff0000", steps=(), looks=None, cut=None, **place):
    made = figure(
        step("plane", width=300, height=160), *steps, name=name,
        looks=looks or [look("surface", **GLOW, glow_colour=colour)], place=place,
    )  # fmt: skip
    return made if cut is None else {**made, "cut": cut}


def hole(visible="hidden", **place):
    looks = [look("surface", **GLOW, glow_colour="#0000ff")]
    return {**figure(step("disc", radius=50), name="Hole", looks=looks, place=place), "visible": visible}


def drawn(*figures, samples=8, size=SIZE, **more):
    return render_light(evaluate(scene(*figures, lights=[], cameras=[CAMERA], **more), 0), size, samples)


LOOKS = {
    "surface": [look("surface", **GLOW, glow_colour="#ff0000")],
    "additive": [look("surface", **GLOW, glow_colour="#ff0000", blend="additive")],
    "wire": [look("wire", colour="#ff0000", width=3)],
    "light": [look("wire", colour="#ff0000", width=3, blend="additive")],
    "dots": [look("dots", colour="#ff0000", size=9)],
}


@pytest.mark.parametrize("opacity", [1, 0.5])
@pytest.mark.parametrize("name", LOOKS)
def test_through_and_outside_are_two_parts_of_the_whole(name, opacity):
    steps = (step("shift", opacity=opacity),) if opacity < 1 else ()
    parts = [
        drawn(sheet("Sheet", steps=steps, looks=LOOKS[name], cut=cut), hole())
        for cut in (None, {"seen": "only through", "mask": "hole"}, {"seen": "only outside", "mask": "hole"})
    ]
    whole, through, outside = (part[..., 0] for part in parts)
    assert np.abs(through + outside - whole).max() < 0.02
    rows, columns = np.mgrid[:90, :160] + 0.5
    distance = np.hypot(columns - 80, rows - 45)
    # A disc of 50 at 400 is seen 20 pixels wide to each side.
    assert through[distance > 21.5].max() == 0
    assert outside[distance < 18.5].max() == 0
    assert through.max() > 0.15
    assert outside.max() > 0.15


@pytest.mark.parametrize("depth", [-200, 0, 200])
def test_the_other_figure_cuts_wherever_it_stands(depth):
    """As the camera sees it: a disc twice as near and half as large cuts the same."""
    at = 400 / (400 - depth)
    scaled = hole(position=[0, 0, depth], scale=[1 / at] * 3)
    apart, flat = (drawn(sheet("Sheet", cut={"seen": "only through", "mask": "hole"}), one) for one in (scaled, hole()))
    assert np.abs(apart - flat).mean() < 1e-3


def test_edges_of_cuts_are_as_smooth_as_those_of_the_figure():
    cut = drawn(sheet("Sheet", cut={"seen": "only through", "mask": "hole"}), hole())[..., 0]
    disc = {**hole("shown"), "looks": LOOKS["surface"]}
    assert np.abs(cut - drawn(disc)[..., 0]).max() < 1e-6
    assert ((cut > 0.05) & (cut < 0.95)).sum() > 60


def test_only_the_figure_that_says_so_is_cut():
    back = sheet("Back", "#00ff00", position=[0, 0, -100])
    seen = drawn(back, sheet("Sheet", cut={"seen": "only outside", "mask": "hole"}), hole())
    middle, beside = seen[45, 80], seen[45, 45]
    assert middle[:3] == pytest.approx([0, 1, 0], abs=1e-5)
    assert beside[:3] == pytest.approx([1, 0, 0], abs=1e-5)


def test_a_shown_mask_is_drawn_where_it_stands():
    seen = drawn(sheet("Sheet", cut={"seen": "only outside", "mask": "hole"}), hole("shown", position=[0, 0, -50]))
    assert seen[45, 80, :3] == pytest.approx([0, 0, 1], abs=1e-5)


def test_figures_cut_by_several_others_keep_apart():
    left, right = ({**hole(position=[x, 0, 0]), "id": name, "name": name} for x, name in ((-80, "left"), (80, "right")))
    seen = drawn(
        sheet("One", "#ff0000", cut={"seen": "only through", "mask": "left"}),
        sheet("Two", "#00ff00", cut={"seen": "only through", "mask": "right"}, position=[0, 0, 10]), left, right,
    )  # fmt: skip
    assert seen[45, 48, :3] == pytest.approx([1, 0, 0], abs=1e-5)
    assert seen[45, 112, :3] == pytest.approx([0, 1, 0], abs=1e-5)
    assert seen[45, 80, :3].max() == 0


def test_finishes_layers_and_motion_know_of_cuts():
    through = {"seen": "only through", "mask": "hole"}
    figures = (sheet("Sheet", cut=through), hole())
    rendered = render_scene(scene(*figures, lights=[], cameras=[CAMERA]), 0, SIZE, 1, layers=["depth", "ids"])
    is_in = rendered.light[..., 0] > 0
    assert is_in.any()
    assert not is_in.all()
    assert ((rendered.layers["ids"] > 0) == is_in).all()
    # While the shutter is open, the mask moves and the sheet does not.
    gliding = hole(position=[{"sort": "swing", "middle": 0, "amount": 60, "times": 4}, 0, 0])
    camera = {**CAMERA, "settings": {**CAMERA["settings"], "shutter": 6}}
    moved = render_scene(scene(figures[0], gliding, lights=[], cameras=[camera]), 0, SIZE, 4).light[45, :, 0]
    assert ((moved > 0.1) & (moved < 0.9)).sum() > 10


def test_what_is_cut_by_nothing_is_seen_everywhere():
    plain = drawn(sheet("Sheet"))
    assert drawn(sheet("Sheet", cut={"seen": "only through"})).tobytes() == plain.tobytes()
    assert drawn(sheet("Sheet", cut={}), hole()).tobytes() == plain.tobytes()


def test_a_mask_without_faces_leaves_nothing_to_be_seen_through():
    ring = {**figure(step("circle"), name="Ring", looks=[look("wire")]), "visible": "hidden"}
    assert drawn(sheet("Sheet", cut={"seen": "only through", "mask": "ring"}), ring)[..., 0].max() == 0


def test_a_mask_that_is_not_there_is_named():
    with pytest.raises(ProblemError, match="there is no figure “nowhere”"):
        scene(sheet("Sheet", cut={"seen": "only through", "mask": "nowhere"}))
    with pytest.raises(ProblemError, match="only through"):
        scene(sheet("Sheet", cut={"seen": "elsewhere", "mask": "hole"}), hole())


def test_the_memo_knows_a_cut_from_none():
    """The same figure, kept from before it was cut."""
    from pirouette.evaluate import Memo

    memo = Memo()
    for cut in (None, {"seen": "only through", "mask": "hole"}):
        picture = evaluate(scene(sheet("Sheet", cut=cut), hole()), 0, memo=memo)
        assert [drawable.cut for drawable in picture.drawables] == [cut and ("only through", "hole")]


def test_hidden_masks_count_towards_what_a_scene_may_hold(monkeypatch):
    from pirouette.evaluate import size

    monkeypatch.setattr(size, "MAX_SCENE_COPIES", 50)
    many = hole()
    many["routine"].append(step("row", count=60))
    sheet_through = sheet("Sheet", cut={"seen": "only through", "mask": "hole"})
    with pytest.raises(ProblemError, match="the scene has 61 copies"):
        drawn(sheet_through, many)
    # One that is shown, too, is counted once.
    monkeypatch.setattr(size, "MAX_SCENE_COPIES", 61)
    drawn(sheet_through, {**many, "visible": "shown"})


def test_a_mask_is_drawn_once_for_all_that_it_cuts(monkeypatch):
    from pirouette.render import bands

    drawings = []
    real = bands.raster_band
    monkeypatch.setattr(bands, "raster_band", lambda *given: (drawings.append(given[0]), real(*given)))
    looks = [*LOOKS["surface"], *LOOKS["wire"], *LOOKS["dots"], *LOOKS["additive"]]
    for number, one in enumerate(looks):
        one["id"] = f"look{number}"
    drawn(sheet("Sheet", looks=looks, cut={"seen": "only through", "mask": "hole"}), hole(), size=(64, 16))
    # In the one band that there is: the sheet, and the mask.
    assert len(drawings) == 2
