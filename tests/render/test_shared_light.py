"""Light that pictures through a lens share, against what each of them finds for itself."""

from dataclasses import replace

import numpy as np
import pytest

from pirouette.evaluate import evaluate
from pirouette.kernels.render.kept import KNOWS, NOTHING_SHARED
from pirouette.kernels.threads import use_threads
from pirouette.render import frame, render_light, render_scene
from pirouette.render.bands import Part, shared_light
from tests.scenes import figure, formula, look, scene, step

SIZE = (160, 90)
CAMERA = {"position": [0, 120, 400], "target": [0, 0, 0], "lens": 50, "opening": 12, "focus": 420}


def light(kind, **settings):
    return {"id": kind, "name": kind, "kind": kind, "settings": settings}


SUN = light("sun", around=50, above=40, width=6, brightness=0.8)
SKY = light("sky", top="#ffffff", horizon="#ffffff", brightness=0.4)
LAMP = light("key", position=[-90, 100, 60], width=60, reach=150, brightness=0.9)


def still_life(lights=(SUN, SKY, LAMP), camera=(), place=None, **surface):
    floor = figure(
        step("plane", width=900, height=900), name="Floor", looks=[look("surface", roughness=1)],
        place={"rotation": [-90, 0, 0], "position": [0, -40, 0]},
    )  # fmt: skip
    looks = [look("surface", **{"roughness": 1, **surface})]
    ball = figure(step("sphere", radius=40), name="Ball", looks=looks, place=place or {})
    return scene(
        floor, ball, lights=list(lights),
        cameras=[{"id": "camera", "name": "Camera", "settings": {**CAMERA, **dict(camera)}}],
    )  # fmt: skip


KINDS = {
    "shadows": {},
    "wax": {"wax": 0.9, "wax_depth": 20},
    "glass": {"clear": 1, "tint": "#40c080", "tint_depth": 30, "roughness": 0.02},
}


@pytest.mark.parametrize("kind", KINDS)
def test_a_lens_shows_the_same_whether_its_pictures_share_their_light_or_not(kind, monkeypatch):
    opened = still_life(**KINDS[kind])
    shared = render_scene(opened, 0, SIZE, 16).light
    monkeypatch.setattr(frame, "shared_light", lambda *_, **__: NOTHING_SHARED)
    alone = render_scene(opened, 0, SIZE, 16).light
    apart = np.abs(shared - alone)[..., :3]
    # Few rays for each of many pictures do not mean quite the same as more for one.
    assert (
        apart.mean() < {"shadows": 0.004, "wax": 0.008, "glass": 0.006}[kind]
        and np.sqrt((apart**2).mean()) < 2.5 * 4 / 255
    )
    assert np.abs(shared.mean(axis=(0, 1)) - alone.mean(axis=(0, 1))).max() < 0.002


@pytest.mark.parametrize("kind", KINDS)
def test_from_beside_the_middle_of_a_lens_light_is_looked_up(kind):
    """What was found is what is shown, but where a picture shows what the one from the middle does not."""
    picture = evaluate(still_life(**KINDS[kind]), 0)
    shared = shared_light(picture, SIZE, margin=10)
    assert shared.kept.acts == KNOWS and (shared.kept.shares >= 0).mean() > 0.5
    beside = replace(picture, view=picture.view.through((3, -2), 420))
    plain = render_light(beside, SIZE, 1, shared=shared)
    dim = shared.kept._replace(shares=shared.kept.shares * np.float32(0.5), wax=shared.kept.wax * np.float32(0.5))
    half = render_light(beside, SIZE, 1, shared=shared._replace(kept=dim))
    is_scattered = (plain[..., 0] > 0.02) & (plain[..., 3] == 1)
    share = half[..., 0] / np.maximum(plain[..., 0], 1e-6)
    assert np.percentile(share[is_scattered], 90) < 0.52 or kind == "glass"
    assert np.median(share[is_scattered]) == pytest.approx(0.5, abs=0.01)


def test_what_the_picture_from_the_middle_does_not_show_asks_for_itself():
    """A ball close to the lens hides from its middle what is seen from its rim."""
    opened = still_life(camera={"opening": 60, "focus": 420})
    picture = evaluate(opened, 0)
    shared = shared_light(picture, SIZE)
    dark = shared.kept._replace(shares=np.where(shared.kept.shares < 0, shared.kept.shares, 0).astype(np.float32))
    beside = replace(picture, view=picture.view.through((30, 0), 420))
    lit = render_light(beside, SIZE, 1)[..., 0]
    seen = render_light(beside, SIZE, 1, shared=shared._replace(kept=dark))[..., 0]
    # The edge of the picture, and a strip beside the ball.
    assert 0.005 < ((seen > 0.05) & (lit > 0.05)).mean() < 0.2
    assert seen.max() <= lit.max() + 0.05


@pytest.mark.parametrize("kind", KINDS)
def test_pictures_of_one_moment_share_their_light_while_the_shutter_is_open(kind, monkeypatch):
    """A ball that comes along slowly: few moments, each seen from many places of the lens."""
    place = {"position": [formula("3 * frame"), 0, 0]}
    opened = still_life(camera={"shutter": 2, "opening": 50}, place=place, **KINDS[kind])
    moments, known = [], frame.shared_light
    monkeypatch.setattr(frame, "shared_light", lambda *a, **k: moments.append(a[3]) or known(*a, **k))
    shared = render_scene(opened, 0, SIZE, 16).light
    # Each moment asks its own part of the rays, and is seen from several places.
    assert len(moments) >= 8 and moments == [(number, len(moments)) for number in range(len(moments))]
    monkeypatch.setattr(frame, "shared_light", lambda *_, **__: NOTHING_SHARED)
    alone = render_scene(opened, 0, SIZE, 16).light
    apart = np.abs(shared - alone)[..., :3]
    assert apart.mean() < 0.008 and np.abs(shared.mean(axis=(0, 1)) - alone.mean(axis=(0, 1))).max() < 0.003
    monkeypatch.setattr(frame, "shared_light", known)
    still = render_scene(still_life(camera={"opening": 50}, **KINDS[kind]), 0, SIZE, 16).light
    assert np.abs(shared - still).max() > 0.1


def test_a_part_of_a_picture_through_a_lens_is_that_part_of_it():
    opened, part = still_life(), Part(40, 20, 64, 48)
    whole, alone = (render_scene(opened, 0, SIZE, 8, part=one).light for one in (None, part))
    assert np.abs(whole - alone)[part.place].mean() < 0.004


def test_shared_light_is_the_same_on_any_number_of_threads():
    opened, bytes_of = still_life(wax=0.5, wax_depth=20), []
    for count in (1, 2, 3):
        with use_threads(count):
            bytes_of.append(render_scene(opened, 0, SIZE, 4).light.tobytes())
    assert len(set(bytes_of)) == 1


def test_what_is_too_much_is_not_kept_but_asked_anew(monkeypatch):
    picture = evaluate(still_life(), 0)
    monkeypatch.setattr("pirouette.render.shared_light.MOST_KEPT", 1000)
    assert shared_light(picture, SIZE) == NOTHING_SHARED
    assert shared_light(evaluate(still_life(lights=[]), 0), SIZE) == NOTHING_SHARED
