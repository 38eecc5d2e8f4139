"""Equal keys mean equal bytes, for every kind: at other moments, with other settings, links and fields.

Each evaluation has a memo of its own, so that two results under one key were made apart.
"""

import hashlib

import numpy as np
import pytest

from pirouette import catalogue
from pirouette.data import Copies, Mesh
from pirouette.document import read_scene
from pirouette.evaluate import Evaluator, Memo
from tests.scenes import LIBRARY, clause, document, field, figure, formula, keyed, step, swing

MOMENTS = (0, 11.5, 96)
# What steps from frame to frame is made anew for each of them.
FEW_MOMENTS = (0, 2.5)
STEPS = catalogue.STEPS
CLAUSES = catalogue.CLAUSES
MOVED = {"position": [swing(0, 60), 0, 0], "rotation": [0, swing(0, 40), 0]}
BEFORE = {
    "form": (),
    "repeat": (step("sphere", radius=20, rings=4, segments=6), step("displace", id="moving", churn=1)),
    "modulate": (step("box"), step("grid", columns=3, rows=2, layers=1), step("drift", id="moving", churn=1)),
    "deform": (step("sphere", radius=40, rings=8, segments=12), step("drift", id="moving", churn=1)),
    "build": (step("box"), step("grid", columns=3, rows=2, layers=1), step("drift", id="moving", churn=1)),
    "simulate": (step("sphere", radius=40, rings=8, segments=12), step("displace", id="moving", churn=1)),
}
FEW = {"parts": 2, "count": 6, "rings": 5, "segments": 7, "rows": 3, "columns": 3, "layers": 2, "across": 5, "up": 4,
       "detail": 2, "times": 1, "points": 12, "frames": 5, "life": 6, "cells": 12}  # fmt: skip


def settings_of(kind) -> dict:
    """Few points, and something for every reference to lead to."""
    found = {}
    for name, setting in kind.settings.declared().items():
        if name in FEW and setting.sort in ("integer", "number"):
            found[name] = max(FEW[name], int(setting.hard[0] or 0))
        if setting.sort == "reference":
            family = "figures" if "figures" in setting.choices else setting.choices[0]
            found[name] = {"figures": "target", "guides": "hub", "fields": "gust"}[family]
        if setting.sort == "references":
            found[name] = ["target"] if "figures" in setting.choices else ["hub"]
        if setting.sort == "asset":
            found[name] = min(slug for slug, sort in LIBRARY.ids().items() if sort == setting.choices[0])
    return found


def others(setting):
    """Other values that a setting may have, one moving among them."""
    if setting.sort == "number":
        low, high = (one if one is not None else 1 for one in setting.soft)
        yield from (low + (high - low) * 0.3, low + (high - low) * 0.6, keyed((0, low), (96, high)))
        if setting.per_copy:
            yield formula(f"{low} + {high - low} * share * turn")
    elif setting.sort == "vector":
        yield from ([1.5, 2, 3], [keyed((0, 1), (96, 4)), 2, 3])
    elif setting.sort == "choice":
        yield from setting.choices
    elif setting.sort == "switch":
        yield from (True, False)
    elif setting.sort == "colour":
        yield "#123456"
    elif setting.sort == "flags":
        yield list(setting.choices[:1])
    elif setting.sort == "curve":
        yield [[0, 0], [0.5, 0.9], [1, 1]]
    elif setting.sort in ("reference", "asset"):
        yield None


def scenes_of(kind):
    """The kind by itself, limited by a moving field that keeps or not, and with each setting at other values."""
    own = settings_of(kind)
    yield own, None
    yield own, "gust"
    yield own, "kept"
    for name, setting in kind.settings.declared().items():
        if name not in FEW:
            yield from (({**own, name: other}, None) for other in others(setting))


def opened(kind, settings, limit, more=()):
    fields = [
        field("Gust", clause("region", size=[150, 150, 150], position=[swing(0, 90), 0, 0])),
        {**field("Kept", clause("between", {"follows": "hub"})), "after": {"then": "lets go", "over": 4}},
    ]
    target = figure(
        step("sphere", radius=60, rings=5, segments=8), step("displace", churn=1), name="Target", visible="hidden",
        place=MOVED,
    )  # fmt: skip
    curve = figure(step("circle"), name="Round", visible="hidden")
    made = figure(*BEFORE[kind.group], step(kind.id, limit, **settings), *more, place=MOVED)
    hub = {"id": "hub", "name": "Hub", "place": MOVED}
    raw = document(made, target, curve, fields=fields, guides=[hub])
    if kind.simulation:
        raw["clock"]["frames"] = 6
    return read_scene(raw, LIBRARY)


def digest(*arrays) -> str:
    found = hashlib.sha1()
    for array in arrays:
        found.update(np.ascontiguousarray(array).tobytes())
    return found.hexdigest()


def told(shape):
    """(key, contents) of a shape and all that it is made of."""
    if isinstance(shape, Mesh):
        topology, carried = shape.topology, [shape.at_points[name] for name in sorted(shape.at_points)]
        yield shape.key, digest(shape.points, shape.normals, *carried)
        yield topology.key, digest(topology.offsets, topology.corners, topology.edges)
        return
    columns = (shape.which, shape.position, shape.rotation, shape.scale, shape.colours, shape.opacity, shape.cells)
    yield shape.key, digest(*columns, *(shape.at_copies[name] for name in sorted(shape.at_copies)))
    for source in shape.sources:
        yield from told(source)


@pytest.mark.parametrize("kind", catalogue.STEPS.values(), ids=lambda kind: kind.id)
def test_equal_keys_mean_equal_bytes(kind):
    seen = {}
    for settings, limit in scenes_of(kind):
        scene = opened(kind, settings, limit)
        for frame in FEW_MOMENTS if kind.simulation else MOMENTS:
            shape = Evaluator(scene, frame, Memo()).shape_of(scene.figures[0])
            for key, contents in told(shape):
                assert key, "a part of the result has no key"
                assert seen.setdefault(key, contents) == contents, f"{kind.id} {settings} {limit} at {frame}"
    assert len(seen) > 3


@pytest.mark.parametrize("kind", catalogue.STEPS.values(), ids=lambda kind: kind.id)
def test_what_does_not_move_has_one_key_for_all_frames(kind):
    if kind.looks_back:
        pytest.skip("it is named by its moment")
    still = [
        {**one, "settings": {**one["settings"], "churn": 0}} if "churn" in one["settings"] else one
        for one in BEFORE[kind.group]
    ]
    settings = {
        name: value
        for name, value in settings_of(kind).items()
        if kind.settings.declared()[name].sort not in ("reference", "references")
    }
    scene = read_scene(document(figure(*still, step(kind.id, **settings, **still_time(kind)))), LIBRARY)
    shapes = [Evaluator(scene, frame, Memo()).shape_of(scene.figures[0]) for frame in (0, 37)]
    assert shapes[0].key == shapes[1].key
    assert list(told(shapes[0])) == list(told(shapes[1]))


STILL = {"rule": {"place": [0, 5, 0]}, "rule_points": {"place": [0, 5, 0]}, "wave": {"speed": 0, "churn": 0}}


def still_time(kind):
    """Settings with which a kind whose defaults move stands still."""
    return STILL.get(kind.id, {})


def test_a_builder_of_copies_is_limited_anew_when_its_field_moves():
    gust = field("Gust", clause("between", start=swing(0, 60), end=200))
    scene = read_scene(
        document(figure(step("box", parts=2), step("grid", columns=3), step("subdivide", "gust")), fields=[gust])
    )
    memo = Memo()
    shapes = {frame: Evaluator(scene, frame, memo).shape_of(scene.figures[0]) for frame in (0, 24)}
    first, second = (shapes[frame].leaves[0] for frame in (0, 24))
    assert first.key != second.key
    assert np.abs(first.points - second.points).max() > 1
    alone = Evaluator(scene, 24, Memo()).shape_of(scene.figures[0]).leaves[0]
    np.testing.assert_array_equal(second.points, alone.points)


def test_a_still_builder_of_moving_copies_is_built_once():
    scene = read_scene(
        document(figure(step("box"), step("grid", columns=3), step("drift", churn=2), step("subdivide")))
    )
    memo = Memo()
    first, second = (Evaluator(scene, frame, memo).shape_of(scene.figures[0]) for frame in (0, 9))
    assert isinstance(first, Copies)
    assert first.key != second.key
    assert first.leaves[0] is second.leaves[0]


@pytest.mark.parametrize("kind", catalogue.CLAUSES.values(), ids=lambda kind: kind.id)
def test_equal_keys_of_fields_mean_equal_weights(kind):
    points = np.random.default_rng(5).normal(size=(300, 3)).astype(np.float32) * 80
    seen, own = {}, {name: value for name, value in settings_of(kind).items() if name not in FEW}
    target = figure(step("sphere", radius=60), step("displace", churn=1), name="Target", place=MOVED)
    variants = [own]
    for name, setting in kind.settings.declared().items():
        variants += [{**own, name: other} for other in others(setting)]
    for settings in variants:
        made = field("Gust", clause(kind.id, **settings), clause("region", {"join": "half and half"}, id="second"))
        scene = read_scene(
            document(target, fields=[made], guides=[{"id": "hub", "name": "Hub", "place": MOVED}]), LIBRARY
        )
        for frame in (0, 11.5, 45):
            ev = Evaluator(scene, frame, Memo())
            key, contents = ev.field_key(scene.fields[0]), digest(ev.weights(scene.fields[0], points))
            assert seen.setdefault(key, contents) == contents, f"{kind.id} {settings} at {frame}"
    assert len(seen) > 3


def test_what_is_strewn_over_a_form_is_named_by_that_form_at_the_first_frame_too():
    """Places are chosen on the form as it is at first: two forms may be alike now and have begun unlike."""
    seen = {}
    for first in (30, 90):
        radius = keyed((0, first), (10, 60))
        target = figure(step("sphere", radius=radius, rings=9, segments=7), step("twist", angle=radius), name="Target")
        scene = read_scene(document(figure(step("box"), step("scatter", onto="target", count=40)), target))
        shape = Evaluator(scene, 45, Memo()).shape_of(scene.figures[0])
        for key, contents in told(shape):
            assert seen.setdefault(key, contents) == contents
    assert len({key for key, _ in told(shape)}) > 1
