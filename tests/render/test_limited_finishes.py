"""Finishes that change only what shows some figures."""

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.render import render_scene
from tests.scenes import figure, look, scene, step

SIZE = (160, 90)
GREY = {"width": 160, "height": 90, "background": "solid", "colour": "#303030"}
TURNED = {"hue": 180, "saturation": 1.4}


def ball(name, x, colour="#ff8040", z=0.0, **more):
    # A glow alone, so that every pixel of it is alike.
    looks = [look("surface", colour="#000000", glow=1, glow_colour=colour, **more)]
    return {**figure(step("sphere", radius=40), looks=looks, name=name), "place": {"position": [x, 0, z]}}


def shown(effects, *figures, samples=16, **more):
    effects = [{"id": f"effect{number}", "kind": kind, "settings": s} for number, (kind, s) in enumerate(effects)]
    return render_scene(
        scene(*(figures or (ball("Left", -120), ball("Right", 120))), finish=effects, lights=[], frame=GREY, **more),
        0, SIZE, samples,
    )  # fmt: skip


LEFT, RIGHT = (45, 56), (45, 103)


def test_only_what_shows_the_chosen_figures_is_changed():
    plain, all_changed = shown([]).finished, shown([("colour", TURNED)]).finished
    for acts, chosen, changed, kept in (
        ("on only", ["left"], LEFT, RIGHT),
        ("on all but", ["left"], RIGHT, LEFT),
    ):
        found = shown([("colour", {**TURNED, "acts": acts, "figures": chosen})]).finished
        np.testing.assert_allclose(found[changed], all_changed[changed], atol=1e-6)
        np.testing.assert_array_equal(found[kept], plain[kept])
        assert np.abs(found[changed] - plain[changed]).max() > 0.2
    # The ground belongs to no figure.
    found = shown([("colour", {**TURNED, "acts": "on all but", "figures": ["left", "right"]})]).finished
    np.testing.assert_allclose(found, plain, atol=1e-6)


def test_at_edges_it_is_mixed_by_how_much_of_a_pixel_shows_them():
    plain, full = shown([]).finished, shown([("colour", TURNED)]).finished
    rendered = shown([("colour", {**TURNED, "acts": "on only", "figures": ["left"]})])
    (cover,) = rendered.covers.values()
    edge = (cover > 0.1) & (cover < 0.9)
    assert edge.sum() > 20
    share = cover[..., None]
    np.testing.assert_allclose(rendered.finished, plain * (1 - share) + full * share, atol=1e-6)
    assert cover[:, 80:].max() == 0


def test_what_stands_before_a_figure_hides_its_cover_as_much_as_it_is_opaque():
    whole = shown([("fade", {"acts": "on only", "figures": ["left"]})])
    front = ball("Front", -96, z=200)
    half = {**front, "routine": [*front["routine"], step("row", count=1), step("shift", opacity=0.25)]}
    glow = ball("Front", -96, z=200, blend="additive")
    found = []
    for before in (front, half, glow):
        rendered = shown([("fade", {"acts": "on only", "figures": ["left"]})], ball("Left", -120), before)
        (cover,) = rendered.covers.values()
        found.append(cover[LEFT])
    (cover,) = whole.covers.values()
    assert cover[LEFT] == 1
    # Of a ball that is seen through, the near and the far side each hide a quarter.
    assert found == pytest.approx([0, 0.75**2, 1], abs=1e-5)


def test_only_some_figures_glow_and_their_halo_lies_on_all():
    settings = {"strength": 1, "above": 0.2, "size": 0.4}
    plain = shown([]).finished
    some = shown([("glow", {**settings, "acts": "on only", "figures": ["left"]})]).finished - plain
    assert some[45, 30, 0] > 0.01  # beside the left one
    assert some[45, 125, 0] < some[45, 30, 0] / 20  # beside the right one, which would have as much
    alone = shown([("glow", settings)], ball("Left", -120)).finished - shown([], ball("Left", -120)).finished
    assert some[45, 30, 0] == pytest.approx(alone[45, 30, 0], rel=0.12)


def test_only_some_figures_are_blurred_as_softly_as_they_spread():
    plain, every = shown([]).finished, shown([("blur", {"width": 12})]).finished
    some = shown([("blur", {"width": 12, "acts": "on only", "figures": ["left"]})]).finished
    np.testing.assert_allclose(some[:, 90:], plain[:, 90:], atol=2e-3)
    np.testing.assert_allclose(some[45, 43:54], every[45, 43:54], atol=0.02)
    # Its edge is no step any more.
    steps = [np.abs(np.diff(one[45, 25:56, 0])).max() for one in (plain, some)]
    assert steps[1] < steps[0] / 2.5


def test_the_cover_moves_with_what_the_shutter_sees():
    keys = {"sort": "keyed", "keys": [{"frame": 0, "value": -160}, {"frame": 10, "value": 160}]}
    moving = ball("Left", 0)
    moving["place"]["position"][0] = keys
    cameras = [{"id": "camera", "name": "Camera", "settings": {"shutter": 4, "opens": "after the frame"}}]
    rendered = shown([("fade", {"acts": "on only", "figures": ["left"]})], moving, cameras=cameras)
    (cover,) = rendered.covers.values()
    # What is lighter than the ground shows the ball as long as it was there.
    light = (rendered.light[..., 0] - rendered.light[..., 0].min()) / np.ptp(rendered.light[..., 0])
    np.testing.assert_allclose(cover / cover.max(), light, atol=2e-3)
    assert ((cover > 0.1) & (cover < 0.9)).sum() > 500


def test_a_choice_of_a_figure_that_is_gone_is_refused():
    with pytest.raises(ProblemError, match="no figure “gone”"):
        shown([("fade", {"acts": "on only", "figures": ["gone"]})])
