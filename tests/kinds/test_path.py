"""Points of a path as values: keyed, swung, computed, read by formulas."""

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.document.lanes import lanes_of
from pirouette.evaluate import Evaluator, evaluate
from tests.scenes import figure, formula, keyed, scene, step, swing

LOOP = {"fps": 24, "frames": 48, "loops": True}


KEYED = keyed((0, 0), (24, 48))


def test_points_of_a_path_are_values_of_any_sort():
    nodes = [
        {"at": [KEYED, 0, 0]},
        {"at": [0, swing(0, 10), formula("frame / 3")], "leave": [0, 0, KEYED]},
        {"at": [formula("{Hub.position.x} + 1"), 0, 0]},
    ]
    rail = figure(step("path", nodes=nodes, spaced="by its points", points=2), name="Rail")
    read = scene(rail, clock=LOOP, guides=[{"id": "hub", "name": "Hub", "place": {"position": [7, 0, 0]}}])
    for frame, wanted in ((0, [[0, 0, 0], [0, 0, 0], [8, 0, 0]]), (12, [[24, 0, 0], [0, 10, 4], [8, 0, 0]])):
        (drawable,) = evaluate(read, frame).drawables
        points = drawable.mesh.points
        np.testing.assert_allclose(points, wanted, atol=1e-5)
    assert [(lane.pointer.split("/nodes/")[1], lane.setting) for lane in lanes_of(read)] == [
        ("0/at/0", "nodes 1 x"), ("1/at/1", "nodes 2 y"), ("1/at/2", "nodes 2 z"), ("1/leave/2", "nodes 2 leave z"),
        ("2/at/0", "nodes 3 x"),
    ]  # fmt: skip


def test_formulas_read_points_of_a_path():
    nodes = [{"at": [0, 0, 0]}, {"at": [KEYED, 5, 6], "arrive": [7, 8, 9]}]
    rail = figure(step("path", nodes=nodes), name="Rail")
    found = []
    for text in ("{Rail.path.nodes.2.x}", "{Rail.path.nodes.2.arrive.z}", "{Rail.path.nodes.1.y}"):
        box = figure(step("box"), name="Box", place={"position": [formula(text), 0, 0]})
        found.append(Evaluator(scene(rail, box, clock=LOOP), 12).thing_matrix("box")[0, 3])
    assert found == [24, 9, 0]


@pytest.mark.parametrize("part", ["3.x", "0.x", "1.at.up", "1", "x", "1.leave.x.y", "-1.x"])
def test_a_point_of_a_path_that_is_not_there_is_told(part):
    rail = figure(step("path", nodes=[{"at": [0, 0, 0]}, {"at": [KEYED, 0, 0]}]), name="Rail")
    text = f"{{Rail.path.nodes.{part}}}"
    box = figure(step("box"), name="Box", place={"position": [formula(text), 0, 0]})
    with pytest.raises(ProblemError, match="nothing|no value"):
        Evaluator(scene(rail, box, clock=LOOP), 12).thing_matrix("box")


def test_wrong_points_of_a_path_are_all_told():
    nodes = [{"at": [0, "up", {"sort": "keyed", "keys": []}]}, {"at": [0, 0, 0], "leave": [0, {"sort": "swig"}, 0]}]
    with pytest.raises(ProblemError) as told:
        scene(figure(step("path", nodes=nodes), name="Rail"))
    paths = [problem.path.split("nodes/")[1] for problem in told.value.problems]
    assert paths == ["0/at/1", "0/at/2/keys", "1/leave/1/sort"]
