"""Surfaces that fields limit, against the fields' weights at what each pixel shows."""

import numpy as np
import pytest

from pirouette.evaluate import evaluate
from pirouette.render import render_light
from tests.evaluate.test_fields import weights
from tests.scenes import clause, field, figure, look, scene, step

SIZE = (320, 180)
CAMERA = {"id": "camera", "name": "Camera", "settings": {"position": [0, 0, 400], "lens": 36}}
GLOW = {"colour": "#000000", "glow": 1, "glow_colour": "#ffffff", "roughness": 1}
# A plate of one face that fills the middle of the picture: a pixel is 1.25 units wide there.
PLATE, UNIT = step("plane", width=200, height=180, across=1, up=1), 400 / 320


def seen(limited, *clauses):
    looks = [limited(look("surface", **GLOW))]
    opened = scene(figure(PLATE, looks=looks), fields=[field("Part", *clauses)], lights=[], cameras=[CAMERA])
    return render_light(evaluate(opened, 0), SIZE, 16)[..., 0]


def places():
    y, x = np.mgrid[0:180, 0:320]
    return (x + 0.5 - 160) * UNIT, (90 - y - 0.5) * UNIT


LIMITS = {
    "the look": lambda one: {**one, "only_where": "part"},
    "its glow": lambda one: {**one, "settings": {**one["settings"], "glow_where": "part"}},
}


@pytest.mark.parametrize("name", LIMITS)
def test_a_soft_ball_on_a_single_face_is_seen_at_each_pixel_as_it_is(name):
    ball = clause("region", form="ball", position=[20, 10, 0], size=[120, 120, 120], fade=1)
    light = seen(LIMITS[name], ball)
    x, y = places()
    inside = (np.abs(x) < 95) & (np.abs(y) < 85)
    there = weights(ball, points=np.stack([x, y, np.zeros_like(x)], axis=-1).reshape(-1, 3)).reshape(x.shape)
    assert there.max() > 0.9 and 0.1 < there[inside].mean() < 0.5
    assert np.abs(light - there)[inside].max() < 0.03


def test_a_hard_edge_ends_within_a_pixel():
    light = seen(LIMITS["its glow"], clause("between", start=-1000, end=13.4, fade=0))
    x, y = places()
    row = light[90, 85:235]
    at = x[90, 85:235]
    assert (row[at < 13.4 - 1.5 * UNIT] > 0.99).all() and (row[at > 13.4 + 1.5 * UNIT] < 0.01).all()
