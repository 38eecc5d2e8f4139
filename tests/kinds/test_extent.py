"""Deformers between the ends of a region of their own."""

import numpy as np
import pytest

from tests.kinds.test_deformers import shape
from tests.scenes import clause, field, formula, step

BOX = step("box", width=40, height=100, depth=60, parts=20)
# Of many points it is enough to look at some.
SOME = 17
WORKS = {
    "twist": {"angle": 130, "axis": "y"},
    "bend": {"angle": 70, "along": "y"},
    "taper": {"size": 0.4, "axis": "y"},
    "bulge": {"amount": 0.7, "axis": "y"},
    "shear": {"angle": 30, "axis": "y", "towards": "x"},
    "stretch": {"factor": 1.7, "axis": "y", "keeps_volume": False},
}
REGION = {"within": "a region"}


def worked(kind, **more):
    return shape(BOX, step(kind, **{**WORKS[kind], **more})).points.astype(np.float64)


@pytest.mark.parametrize("kind", WORKS)
def test_a_region_as_large_as_the_shape_is_its_own_box(kind):
    whole = worked(kind)
    assert worked(kind, **REGION, extent=[40, 100, 60]) == pytest.approx(whole, abs=1e-3)
    # Where its extent is 0, it is as long as the shape.
    assert worked(kind, **REGION) == pytest.approx(whole, abs=1e-3)
    assert np.abs(worked(kind, **REGION, extent=[0, 30, 0]) - whole).max() > 1


@pytest.mark.parametrize("kind", WORKS)
def test_what_lies_beyond_the_ends_goes_along_as_it_is(kind):
    plain, made = shape(BOX).points.astype(np.float64), worked(kind, **REGION, position=[0, 10, 0], extent=[0, 40, 0])
    for beyond in (plain[:, 1] > 31, plain[:, 1] < -11):
        before, after = plain[beyond][::SOME], made[beyond][::SOME]
        if kind in ("twist", "bend", "shear", "stretch"):
            # Moved and turned as one: all distances stay.
            away = [np.linalg.norm(points[:, None] - points, axis=2) for points in (before, after)]
            assert away[1] == pytest.approx(away[0], abs=1e-2)
        else:
            factor = {"taper": {True: 0.4, False: 1.0}, "bulge": {True: 1.0, False: 1.0}}[kind][before[0, 1] > 0]
            assert after == pytest.approx(before * [factor, 1, factor], abs=1e-3)
    assert np.abs(made - plain).max() > 1


def test_a_region_turns_the_axes_and_moves_their_middle():
    turned = worked("twist", **REGION, position=[0, 0, 7], rotation=[0, 0, 90], extent=[40, 40, 40])
    # The axis y of the region is the axis x of the shape now: what lies beyond is turned about it by half the angle.
    plain = shape(BOX).points.astype(np.float64)
    left, right = plain[:, 0] < -19.9, plain[:, 0] > 19.9
    assert turned[:, 0] == pytest.approx(plain[:, 0], abs=1e-3)
    for side, angle in ((left, 65), (right, -65)):
        cosine, sine = np.cos(np.radians(angle)), np.sin(np.radians(angle))
        y, z = plain[side, 1], plain[side, 2] - 7
        found = turned[side, 1:] - [0, 7]
        ways = [np.column_stack([y * cosine - z * s, y * s + z * cosine]) for s in (sine, -sine)]
        assert min(np.abs(found - way).max() for way in ways) < 1e-2


@pytest.mark.parametrize("kind", ["twist", "bend"])
def test_each_point_may_have_an_angle_of_its_own(kind):
    """What has one angle lies where it lies with that angle for all."""
    works = {**WORKS[kind], "angle": formula("80 * (z > 0)")}
    made = shape(BOX, step(kind, **works)).points
    back = shape(BOX).points[:, 2] <= 0
    assert made[back].tobytes() == shape(BOX).points[back].tobytes()
    assert made[~back] == pytest.approx(worked(kind, angle=80)[~back], abs=1e-3)


def test_a_field_limits_within_a_region_too_and_it_moves():
    right = field("Right", clause("between", axis="x", start=0, end=500, fade=0))
    made = shape(BOX, step("shear", "right", **WORKS["shear"], **REGION, extent=[0, 20, 0]), fields=[right]).points
    plain = shape(BOX).points
    left = plain[:, 0] < -1
    assert made[left].tobytes() == plain[left].tobytes()
    keyed = {"sort": "keyed", "keys": [{"frame": 0, "value": -30}, {"frame": 24, "value": 30}]}
    steps = BOX, step("twist", **WORKS["twist"], **REGION, position=[0, keyed, 0], extent=[0, 20, 0])
    first, last = (shape(*steps, frame=frame).points for frame in (0, 24))
    assert np.abs(first - last).max() > 5
