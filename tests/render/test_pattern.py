"""Patterns of noise on surfaces, against the noise itself where each pixel looks."""

import numpy as np
import pytest

from pirouette.craft import NoiseSettings, sample_noise
from pirouette.craft.noise import PATTERNS
from pirouette.evaluate import evaluate
from pirouette.evaluate.paint import OTHER_SEED
from pirouette.kernels.threads import use_threads
from pirouette.render import render_light
from pirouette.values.moment import Moment
from tests.render.test_mirrors import drawn as lit
from tests.render.test_mirrors import mirror
from tests.render.test_paint import SIZE, drawn, scene_of
from tests.scenes import figure, look, step

GREY = [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]
SHEET = step("plane", across=3, up=5)


def patterned(*steps, name="Sheet", place=None, kind="surface", **settings):
    looks = [look(kind, **{"colour": "#ffffff", "paint": "pattern", "gradient": GREY, "pattern_size": 40, **settings})]
    return figure(*(steps or [SHEET]), name=name, looks=looks, place=place or {})


def pixels(size=SIZE):
    """Where the middle of each pixel lies on the sheet, (N, 3)."""
    rows, columns = (np.mgrid[: size[1], : size[0]] + 0.5) / size[0] * 100 - 50
    return np.stack([columns.ravel(), -rows.ravel(), np.zeros(rows.size)], axis=1).astype(np.float32)


def noise_at(points, pattern, frame=0, **settings):
    settings = NoiseSettings({"pattern": pattern, "size": 40, **settings}).resolve()
    return sample_noise(points, settings, Moment(frame, 96)).astype(np.float64)


def shown(values, size=SIZE):
    return np.clip(values, 0, 1).reshape(size[1], size[0])


def guide(**place):
    return {"id": "home", "name": "Home", "place": place}


MADE = {
    "plain": {},
    "finer, changing": {"detail": 3, "roughness": 0.4, "churn": 2, "seed": 5},
    "stretched, travelling": {"stretch": [2, 0.5, 1], "slide": [30, 10, 0]},
}


@pytest.mark.parametrize("made", MADE)
@pytest.mark.parametrize("pattern", PATTERNS)
def test_each_pixel_shows_the_noise_where_it_is(pattern, made):
    settings = {f"pattern_{name}": value for name, value in MADE[made].items()}
    picture = drawn(patterned(pattern=pattern, **settings))[..., 0]
    expected = shown(0.5 + 0.5 * noise_at(pixels(), pattern, **MADE[made]))
    apart = np.abs(picture - expected)
    assert expected.std() > 0.05
    # What is steep is softer: at the edges of blocks, and in the middle of cracks.
    assert np.quantile(apart, 0.9) < 0.012 and apart.mean() < 0.012


@pytest.mark.parametrize(("pattern", "less"), [("cells", "cells"), ("soft", "cracks")])
def test_what_is_taken_away_is_of_the_same_size_and_another_seed(pattern, less):
    picture = drawn(patterned(pattern=pattern, less=less))[..., 0]
    at = pixels()
    values = 0.5 + 0.5 * (noise_at(at, pattern) - noise_at(at, less, seed=1 + OTHER_SEED))
    assert np.abs(picture - shown(values)).mean() < 0.01


def test_the_ramp_decides_where_in_the_gradient_a_value_lies():
    ramp = [[0, 1], [0.45, 1], [0.5, 0.2], [1, 0.2]]
    picture = drawn(patterned(pattern="soft", pattern_ramp=ramp))[..., 0]
    expected = shown(np.interp(0.5 + 0.5 * noise_at(pixels(), "soft"), *np.array(ramp).T))
    assert np.abs(picture - expected).mean() < 0.01 and expected.min() < 0.25 < 0.95 < expected.max()


def test_it_lives_in_the_space_of_a_guide():
    place = {"position": [15, -20, 8], "rotation": [0, 0, 90], "scale": [2, 0.7, 1]}
    picture = drawn(patterned(pattern="soft", pattern_in="home"), guides=[guide(**place)])[..., 0]
    x, y, z = (pixels() - np.array(place["position"], np.float32)).T
    # Turned back by a quarter, then made smaller.
    at = np.stack([y, -x, z], axis=1) / place["scale"]
    assert np.abs(picture - shown(0.5 + 0.5 * noise_at(at.astype(np.float32), "soft"))).mean() < 0.01


def test_without_a_guide_each_copy_has_the_same_and_with_one_another_part_of_it():
    tiles = [step("plane", width=40, height=40), step("row", count=2, apart=[50, 0, 0])]
    for home, is_same in ((None, True), ("home", False)):
        made = patterned(*tiles, pattern="soft", pattern_in=home)
        picture = drawn(made, guides=[guide()])[..., 0]
        left, right = picture[65:135, 15:85], picture[65:135, 115:185]
        assert (np.abs(left - right).mean() < 1e-3) == is_same and left.std() > 0.05


@pytest.mark.parametrize("kind", ["wire", "dots"])
def test_lines_and_dots_take_it_where_their_points_are(kind):
    dense = step("plane", across=40, up=40)
    made = patterned(dense, kind=kind, pattern="soft", **({"width": 30} if kind == "wire" else {"size": 40}))
    picture = drawn(made)[..., 0]
    expected = shown(0.5 + 0.5 * noise_at(pixels(), "soft"))
    covered = picture > 0.02
    assert covered.mean() > 0.9
    assert np.abs(picture - expected)[covered].mean() < 0.06


def test_what_is_painted_is_colour_glow_or_opacity():
    shine = {"glow": 1, "glow_colour": "#ffffff", "colour": "#000000"}
    value = shown(0.5 + 0.5 * noise_at(pixels(), "soft"))
    glowing = drawn(patterned(pattern="soft", painted=["glow"], **shine))[..., 0]
    assert np.abs(glowing - value).mean() < 0.01
    assert drawn(patterned(pattern="soft", painted=["colour"], **shine))[..., 0] == pytest.approx(1)
    behind = figure(step("plane", width=400, height=400), name="Behind", looks=[look("surface", colour="#00ff00")],
                    place={"position": [0, 0, -50]})  # fmt: skip
    made = patterned(pattern="soft", painted=["opacity"], colour="#ff0000")
    open_ = drawn(made, behind, samples=8)
    assert np.abs(open_[..., 0] - value).mean() < 0.01 and np.abs(open_[..., 1] - (1 - value)).mean() < 0.01


@pytest.mark.parametrize("pattern", ["soft", "cells", "cracks"])
def test_hard_edges_are_as_smooth_as_those_of_a_finer_picture(pattern):
    ramp = [[0, 0], [0.499, 0], [0.501, 1], [1, 1]]
    made = patterned(pattern=pattern, pattern_size=12, pattern_ramp=ramp, pattern_in="home")
    turned = [guide(rotation=[0, 0, 20])]
    once = drawn(made, guides=turned)[..., 0]
    finer = drawn(made, guides=turned, size=(1600, 1600))[..., 0].reshape(200, 8, 200, 8).mean(axis=(1, 3))
    stairs = np.abs((finer > 0.5) - finer)
    assert stairs.mean() > 0.01 and np.abs(once - finer).mean() < 0.7 * stairs.mean()


def test_mirrors_show_it():
    """A floor that mirrors is a window on the same things below it."""
    floor = mirror(position=(0, -40, 0), rotation=(-90, 0, 0), size=(2000, 2000))
    made = {"pattern": "blocks", "pattern_size": 30, "colour": "#000000", "glow": 1, "roughness": 1, "mirrors": False}
    above = patterned(step("plane", width=90, height=60), place={"position": [0, 0, 0]}, **made)
    below = patterned(
        step("plane", width=90, height=60), name="Below", place={"position": [0, -80, 0], "scale": [1, -1, 1]}, **made
    )
    seen, expected = lit(floor, above), lit(above, below)
    assert np.abs(seen - expected)[..., :3].mean() < 0.006 and expected[140:, :, 0].std() > 0.1
    assert np.abs(seen - lit(floor))[140:, :, 0].mean() > 0.02


def test_a_changing_and_travelling_pattern_closes_its_loop_on_any_number_of_threads():
    made = patterned(pattern="cells", less="soft", pattern_churn=1.5, pattern_slide=[40, 0, 0], pattern_detail=2)
    opened = scene_of(made)
    at = lambda frame: render_light(evaluate(opened, frame), SIZE, 4, True)  # noqa: E731
    np.testing.assert_array_equal(at(0), at(96))
    assert np.abs(at(0) - at(48)).mean() > 0.05
    with use_threads(1):
        alone = at(31)
    np.testing.assert_array_equal(alone, at(31))
