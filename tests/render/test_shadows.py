"""Shadows against closed forms: a wall at z = 0 seen from the front, and what stands before it."""

import json

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.document import read_scene
from pirouette.evaluate import evaluate
from pirouette.kernels.render.shares import CHANCE, POINT_SIZE
from pirouette.kernels.threads import use_threads
from pirouette.render import rays, render_light, render_scene
from tests.scenes import clause, document, field, figure, look, scene, step

SIZE = (320, 180)
CAMERA = {"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 36}}
# A lens of 36 mm on 36 mm: at distance 400 the picture is 400 wide, so a pixel is 1.25 units.
X = (np.arange(SIZE[0]) + 0.5) * 1.25 - 200
WHITE = [look("surface", colour="#ffffff", roughness=1)]
WALL = figure(step("plane", width=600, height=400), name="Wall", looks=WHITE)
HEIGHT = 100


def shade(kind, **settings):
    return {"id": kind, "name": kind, "kind": kind, "settings": settings}


def sun(**settings):
    return shade("sun", **{"around": 45, "above": 0, **settings})


def plate(width=60, height=300, z=HEIGHT, opacity=None, name="Plate", **more):
    """A plate before the wall, at x = 0 and as high as the picture."""
    settings = {"colour": "#ffffff", **more}
    steps = [step("plane", width=width, height=height)]
    if opacity is not None:
        steps += [step("grid", columns=1, rows=1), step("shift", opacity=opacity)]
    return figure(*steps, name=name, looks=[look("surface", **settings)], place={"position": [0, 0, z]})


def drawn(figures, lights, samples=1, **more):
    return render_light(evaluate(scene(*figures, lights=list(lights), cameras=[CAMERA], **more), 0), SIZE, samples)


def shares(figures, *lights, **more) -> np.ndarray:
    """(H, W): how much of the light arrives, against as much without shadows."""
    plain = [{**one, "settings": {**one["settings"], "shadows": False}} for one in lights]
    return drawn(figures, lights, **more)[..., 0] / np.maximum(drawn(figures, plain, **more)[..., 0], 1e-6)


def hidden(t) -> np.ndarray:
    """The share of a disc of radius 1 beyond a straight edge, at t from its middle."""
    t = np.clip(t, -1, 1)
    return (np.arccos(t) - t * np.sqrt(1 - t * t)) / np.pi


def on_wall(row) -> np.ndarray:
    """The middle row where the wall is seen, beside the plate that hides it."""
    return row[:, np.abs(X) > 42][SIZE[1] // 2]


@pytest.mark.parametrize("angle", [0, 4, 10])
def test_the_edges_of_a_suns_shadow_are_as_soft_as_it_is_wide(angle):
    found = on_wall(shares([WALL, plate()], sun(width=angle)))
    x = X[np.abs(X) > 42]
    wide = np.tan(np.radians(max(angle, 1e-4) / 2))
    # How far the plate's edges are from the middle of the sun, in its radii.
    left, right = (np.arctan2(edge - x, HEIGHT) - np.pi / 4 for edge in (-30, 30))
    left, right = (np.tan(np.clip(turned, -1.5, 1.5)) / wide for turned in (left, right))
    expected = 1 - np.abs(hidden(left) - hidden(right))
    off = np.abs(found - expected)
    assert expected.min() < 0.02 and expected.max() == 1
    # The mean of three pixels lies on each side of an edge without softness.
    assert off.max() < (0.8 if angle == 0 else 0.06)
    assert off.mean() < 0.012


def test_the_edges_of_a_key_lights_shadow_are_as_soft_as_it_is_large():
    place, radius = np.array([150.0, 220.0]), 40
    key = shade("key", position=[place[0], 0, place[1]], width=2 * radius)
    found = on_wall(shares([WALL, plate()], key))
    x = X[np.abs(X) > 42]
    way = np.stack([place[0] - x, np.full(len(x), place[1])], axis=1)
    far = np.linalg.norm(way, axis=1)
    ahead = way / far[:, None]

    def beyond(edge):
        to = np.stack([edge - x, np.full(len(x), float(HEIGHT))], axis=1)
        # Where the line past the edge meets the disc of the light.
        along = (to * ahead).sum(axis=1)
        across = to[:, 0] * ahead[:, 1] - to[:, 1] * ahead[:, 0]
        return across / along * far / radius

    expected = 1 - np.abs(hidden(beyond(-30)) - hidden(beyond(30)))
    assert expected.min() < 0.02 and expected.max() > 0.98
    assert np.abs(found - expected).max() < 0.06
    assert np.abs(found - expected).mean() < 0.012


def test_a_wall_keeps_its_share_of_the_sky_from_what_lies_beside_it():
    tall = 80
    stands = figure(
        step("box", width=2, height=4000, depth=2 * tall), name="Stands", looks=WHITE,
    )  # fmt: skip
    found = shares([WALL, stands], shade("sky", hollows=0))[SIZE[1] // 2]
    seen = np.abs(X) > 32
    rise = np.arctan2(tall, np.abs(X) - 1)
    expected = (1 + np.cos(rise)) / 2
    assert np.abs(found - expected)[seen].max() < 0.03
    assert np.abs((found - expected)[seen].mean()) < 0.01


def test_hollows_end_where_they_are_said_to():
    stands = figure(step("box", width=2, height=4000, depth=400), name="Stands", looks=WHITE)
    near = shares([WALL, stands], shade("sky", hollows=60))[SIZE[1] // 2]
    assert near[np.abs(X) > 62] == pytest.approx(1)
    # A ray that is stopped after r of 60 counts 1 − r / 60.
    random = np.random.default_rng(1)
    u, v = random.random((2, 200_000))
    sine = np.sqrt(u) * np.cos(2 * np.pi * v)
    for x in (40.0, 50.0):
        with np.errstate(divide="ignore"):
            stopped = np.where(sine < 0, (x - 1) / np.maximum(-sine, 1e-9), np.inf)
        expected = 1 - np.maximum(0, 1 - stopped / 60).mean()
        assert np.interp(x, X, near) == pytest.approx(expected, abs=0.02)


def test_nothing_shades_itself():
    ball = figure(step("sphere", radius=80, rings=12, segments=16), looks=WHITE)
    lights = [sun(width=1)]
    with_shadows, without = drawn([ball], lights), drawn([ball], [shade("sun", around=45, above=0, shadows=False)])
    # A coarse ball that is drawn smooth: where it is lit, it stays lit.
    lit = without[..., 0] > 0.35 * without[..., 0].max()
    assert lit.sum() > 2000
    assert np.abs(with_shadows - without)[lit].max() < 0.02 * without.max()


@pytest.mark.parametrize(
    ("changed", "expected"),
    [
        ({}, 0.0),
        ({"throws": False}, 1.0),
        ({"opacity": 0.5}, 0.5),
        ({"opacity": 0.25}, 0.75),
        ({"blend": "additive"}, 1.0),
    ],
)
def test_how_much_light_a_plate_lets_through(changed, expected):
    found = shares([WALL, plate(**changed)], sun(width=8))
    deep = found[80:100, (X > -112) & (X < -88)]
    assert deep.mean() == pytest.approx(expected, abs=0.02)
    assert np.ptp(deep) < 0.04


def test_a_plate_that_fades_from_point_to_point_throws_a_shadow_that_fades():
    """From left to right it hides nothing to all; half of that where each copy is half there."""
    fading = field("Fading", clause("rule", weight={"sort": "formula", "text": "0.5 + x / 60"}))
    for copies, most in ((), 1.0), ((step("grid", columns=1, rows=1), step("shift", opacity=0.5)), 0.5):
        steps = step("plane", width=60, height=300, across=6, up=6), *copies, step("twist", angle=0)
        looks = [{**look("surface", colour="#ffffff", roughness=1), "only_where": "fading"}]
        faint = {**figure(*steps, name="Plate", looks=looks), "place": {"position": [0, 0, HEIGHT]}}
        # Its shadow lies as far to the left as it is high.
        found = shares([WALL, faint], sun(width=2), fields=[fading])[80:100]
        for x in (-22, -10, 0, 10, 22):
            expected = 1 - most * (0.5 + x / 60)
            at = np.abs(X - (x - HEIGHT)) < 3
            assert found[:, at].mean() == pytest.approx(expected, abs=0.06)


@pytest.mark.parametrize("scale", [[1, 1, 0], [1, 0, 0], [0, 0, 0], [-1, 1, 1]])
def test_flattened_and_mirrored_figures_throw_the_shadow_of_what_is_left(scale):
    ball = figure(step("sphere", radius=30, rings=48, segments=64), name="Ball", looks=WHITE)
    found = shares([WALL, {**ball, "place": {"position": [0, 0, HEIGHT], "scale": scale}}], sun(width=0))
    assert np.isfinite(found).all()
    # Light from 45 degrees: a ball's shadow is as long as it is seen, a flat disc's is that disc.
    area = (found[:, X < -45] < 0.5).sum() * 1.25**2
    whole = np.pi * 30**2
    expected = {(1, 1, 0): whole, (-1, 1, 1): whole * np.sqrt(2)}.get(tuple(scale), 0)
    assert area == pytest.approx(expected, rel=0.05, abs=20)


def test_who_takes_no_shadows_has_none_but_throws_them():
    bare = {**WALL, "looks": [look("surface", colour="#ffffff", roughness=1, takes=False)]}
    assert on_wall(shares([bare, plate()], sun())) == pytest.approx(1)
    assert shares([WALL, plate(takes=False)], sun()).min() < 0.01


@pytest.mark.parametrize(
    ("shines", "figures", "lit", "shaded"),
    [
        ("on all", [], True, True),
        ("on only", ["wall"], True, False),
        ("on all but", ["wall"], False, False),
        ("on all but", ["plate"], True, False),
    ],
)
def test_a_light_shines_on_those_that_it_is_told_to(shines, figures, lit, shaded):
    wanted = sun(shines=shines, figures=figures)
    picture = drawn([WALL, plate()], [wanted])[90, :, 0]
    open_wall, behind = picture[X > 60].mean(), picture[(X > -120) & (X < -80)].mean()
    assert (open_wall > 0.1) == lit
    assert (behind < 0.01) == (shaded or not lit)


def test_two_lights_choose_for_themselves():
    only = sun(shines="on only", figures=["plate"])
    both = drawn([WALL, plate()], [only, {**sun(around=-45), "id": "other", "name": "Other"}])
    # The first light throws no shadow on the wall, the second throws one to the other side.
    one = drawn([WALL, plate()], [{**sun(around=-45), "id": "other", "name": "Other"}])
    wall = np.abs(X) > 42
    np.testing.assert_allclose(both[90, wall], one[90, wall], atol=1e-6)


LIT = [
    sun(width=6),
    shade("key", position=[-200, 100, 200]),
    shade("sky"),
]


def busy():
    steps = step("sphere", radius=22), step("grid", columns=5, rows=3, apart=[60, 50, 0]), step("shuffle")
    balls = figure(*steps, looks=WHITE, place={"position": [0, 0, 40]})
    return [WALL, balls, plate(opacity=0.4, z=140, width=30)]


def test_shadows_are_the_same_bytes_on_any_number_of_threads():
    opened = scene(*busy(), lights=LIT, cameras=[CAMERA])
    found = []
    for threads in (1, 2):
        with use_threads(threads):
            found.append(render_scene(opened, 0, SIZE, 3).light.tobytes())
    assert found[0] == found[1]
    assert found[0] != drawn(busy(), [{**one, "settings": {"shadows": False}} for one in LIT], 3).tobytes()


def test_a_shutter_adds_up_shadows_that_are_as_fine():
    still = scene(*busy(), lights=LIT, cameras=[CAMERA])
    moved = scene(
        *busy(), lights=LIT, cameras=[{**CAMERA, "settings": {**CAMERA["settings"], "opening": 0.6, "focus": 400}}]
    )
    one, many = (render_scene(opened, 0, SIZE, 16).light for opened in (still, moved))
    wall = np.abs(X) > 180
    assert np.abs(one[:, wall] - many[:, wall]).mean() < 0.01 * one.mean()


def test_more_than_there_is_memory_for_is_refused_in_words(monkeypatch):
    monkeypatch.setattr(rays, "MOST_BYTES", 10_000)
    with pytest.raises(ProblemError, match=r"shadows of .* triangles .* allowed 0.0 GB: switch off \*throws\*"):
        render_scene(scene(*busy(), lights=LIT), 0, SIZE, 1)
    render_scene(scene(*busy(), lights=[{**one, "settings": {"shadows": False}} for one in LIT]), 0, SIZE, 1)


def test_scenes_of_before_have_no_shadows_and_new_ones_do():
    raw = document(*busy(), lights=[{**one, "settings": {}} for one in LIT])
    old = read_scene({**json.loads(json.dumps(raw)), "version": 2})
    assert [light.settings.shadows for light in old.lights] == [False] * 3
    assert [light.settings.shadows for light in read_scene(raw).lights] == [True] * 3


def test_places_of_a_light_are_spread_however_few_are_asked():
    """Any number of the first lie over all of the disc, and have chances from one end to the other."""
    for turn in (0, 1, 7):
        places = rays.first_points(turn, 16)
        assert places.shape == (16, POINT_SIZE)
        # How far out a place lies, as a share of the disc within it.
        inner = (places[:, :2] ** 2).sum(axis=1)
        assert np.ptp(inner[:2]) > 0.4
        for count in (4, 8, 16):
            for spread in (inner, places[:, CHANCE]):
                assert np.abs(np.sort(spread[:count]) - (np.arange(count) + 0.5) / count).max() < 1.2 / count + 0.05
