"""Scenes with something odd in any place: each is read, or refused in words; nothing else happens."""

import copy
import random

import pytest

from pirouette.data import ProblemError
from pirouette.document import load_scene, read_scene
from tests.scenes import DEMOS, LIBRARY, demo, document, figure, step

ODD = [
    None, [], {}, [1], ["x"], "x", "", 0, -1, 1e300, 10**400, True, [[]], [{}], {"a": 1}, {"id": "a"}, {"shared": [1]},
    {"sort": "formula", "text": "index"}, {"sort": "keyed", "keys": [{}]}, {"sort": "swing", "times": "x"},
]  # fmt: skip
TRIES = 60


def places(value, way=()):
    yield way
    parts = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for name, part in parts:
        yield from places(part, (*way, name))


def put(raw, way, value):
    raw = copy.deepcopy(raw)
    holder = raw
    for name in way[:-1]:
        holder = holder[name]
    holder[way[-1]] = value
    return raw


@pytest.mark.parametrize("name", DEMOS)
def test_anything_anywhere_is_read_or_refused(name):
    chance = random.Random(name)
    raw = demo(name)
    ways = [way for way in places(raw) if way]
    refused = 0
    for way in [*chance.sample(ways, min(TRIES, len(ways))), ("camera",), ("clock",), ("figures",)]:
        try:
            read_scene(put(raw, way, chance.choice(ODD)), LIBRARY)
        except ProblemError as error:
            assert all(problem.message for problem in error.problems)
            refused += 1
    assert refused > TRIES // 3


@pytest.mark.parametrize("value", [[1], {"id": "camera"}, 3, True])
def test_a_camera_that_is_no_id_is_refused(value):
    with pytest.raises(ProblemError, match="there is no camera"):
        read_scene({**document(figure(step("box"))), "camera": value})


@pytest.mark.parametrize("opening, closing", [("[", "]"), ('{"a":', "}")])
@pytest.mark.parametrize("depth", [40, 900])
def test_runaway_nesting_is_refused(opening, closing, depth, tmp_path):
    inner = opening * depth + "1" + closing * depth
    file = tmp_path / "scene.json"
    file.write_text(f'{{"format": "pirouette-scene", "version": 1, "figures": {inner}}}')
    with pytest.raises(ProblemError, match="nested deeper than 32 levels"):
        load_scene(file)
    file.write_text(opening * 100_000)
    with pytest.raises(ProblemError, match="this is not JSON"):
        load_scene(file)


def test_endless_numbers_are_refused(tmp_path):
    file = tmp_path / "scene.json"
    file.write_text(f'{{"format": "pirouette-scene", "version": {"9" * 5000}}}')
    with pytest.raises(ProblemError, match="this is not JSON"):
        load_scene(file)
