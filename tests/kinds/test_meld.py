"""Skins against what mathematics says of them."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette.data import Mesh, ProblemError
from pirouette.evaluate import evaluate
from pirouette.geometry.distance import distances_around
from pirouette.geometry.join import joined
from pirouette.geometry.pieces import parted
from pirouette.kernels.geometry.nearest import Tree
from pirouette.kernels.geometry.skin import skin_of
from tests.kinds.test_deformers import volume
from tests.kinds.test_swept import area, euler
from tests.scenes import clause, field, figure, scene, step

BALL = step("sphere", radius=30, form="even", parts=24)
BOX = step("box", width=60, height=40, depth=50)


def skin(*steps, frame=0, others=(), **more) -> Mesh:
    found = evaluate(scene(figure(*steps), *others, **more), frame).drawables
    (drawable,) = [one for one in found if one.figure_id == "thing"]
    assert drawable.mesh.topology.is_closed
    return drawable.mesh


def row(count, apart):
    return step("row", count=count, apart=[apart, 0, 0], centred=True)


@pytest.mark.parametrize("cells", [12, 40, 90])
def test_the_skin_of_one_ball_is_that_ball_within_a_cell(cells):
    made = skin(BALL, step("meld", cells=cells))
    away = np.linalg.norm(made.points, axis=1)
    cell = (60 + 8) / cells
    # The ball itself has 24 parts along each side and lies up to 0.1 within its radius.
    assert np.abs(away - 30).max() < 0.1 * cell + 0.1
    assert euler(made) == 2
    assert volume(made) == pytest.approx(4 / 3 * np.pi * 27000, rel=0.01 + 8 / cells**2)
    assert (made.normals * made.points).sum(axis=1).min() > 0.99 * away.min()


def test_the_skin_of_a_box_is_that_box_within_a_cell_and_turned_boxes_alike():
    cell = 68 / 60
    made = skin(BOX, step("meld", cells=60))
    beyond = np.abs(made.points) - np.array([30, 20, 25])
    assert beyond.max() < 0.2 * cell
    assert np.abs(beyond.max(axis=1)).max() < cell
    assert volume(made) == pytest.approx(60 * 40 * 50, rel=0.02)
    turned = skin(BOX, step("shift", place=[7, 3, 1], turn=[20, 35, 50]), step("meld", cells=60))
    assert volume(turned) == pytest.approx(60 * 40 * 50, rel=0.03)


def test_two_balls_flow_together_once_they_are_near_and_not_before():
    apart = skin(BALL, row(2, 90), step("meld", flow=20, cells=60))
    assert euler(apart) == 4
    assert volume(apart) == pytest.approx(2 * 4 / 3 * np.pi * 27000, rel=0.02)
    joined = skin(BALL, row(2, 64), step("meld", flow=40, cells=60))
    assert euler(joined) == 2
    assert volume(joined) > 2 * 4 / 3 * np.pi * 27000
    # Between them, where each is d away, the sum of their shares is one: 2 (1 - d / flow)^2 = 1.
    away = 40 * (1 - np.sqrt(0.5))
    waist = joined.points[np.abs(joined.points[:, 0]) < 1.5]
    assert np.hypot(waist[:, 1], waist[:, 2]).max() == pytest.approx(np.sqrt((30 + away) ** 2 - 32**2), abs=0.8)
    touching = skin(BALL, row(2, 40), step("meld", flow=0, cells=60))
    cap = np.pi * 10**2 * (30 - 10 / 3)
    assert volume(touching) == pytest.approx(2 * (4 / 3 * np.pi * 27000 - cap), rel=0.02)


def test_other_figures_flow_in_as_they_stand_and_pieces_of_one_form_too():
    copies = skin(BALL, row(2, 64), step("meld", flow=40, cells=60))
    other = figure(BALL, name="Other", looks=[], place={"position": [64, 0, 0]})
    for place in ({}, {"position": [5, 6, 7], "rotation": [0, 90, 0], "scale": [1, 2, 1]}):
        there = {**other, "place": {"position": [64, 0, 0], "follows": "thing"}}
        thing = figure(BALL, step("meld", flow=40, also=["other"]), place=place)
        (drawable,) = [one for one in evaluate(scene(thing, there), 0).drawables if one.figure_id == "thing"]
        assert euler(drawable.mesh) == 2
        assert volume(drawable.mesh) == pytest.approx(volume(copies), rel=2e-3)
    apart = [step("box", width=62, height=40, depth=40), step("row", count=2, apart=[64, 0, 0])]
    pieces = skin(*apart, step("twist", angle=0), step("meld", flow=10, cells=60))
    assert euler(pieces) == 2


def test_points_curves_and_sheets_have_their_thickness():
    point = skin(step("line", start=[0, 0, 0], end=[1e-3, 0, 0], points=2), step("meld", thickness=40, cells=40))
    assert np.linalg.norm(point.points, axis=1) == pytest.approx(20, abs=0.2)
    rod = skin(step("line", start=[-50, 0, 0], end=[50, 0, 0], points=2), step("meld", thickness=20, cells=60))
    assert volume(rod) == pytest.approx(np.pi * 100 * 100 + 4 / 3 * np.pi * 1000, rel=0.03)
    ring = skin(step("circle", radius=50), step("meld", thickness=20, cells=60))
    assert euler(ring) == 0
    sheet = skin(step("plane", width=80, height=80), step("meld", thickness=10, cells=60))
    assert volume(sheet) == pytest.approx(80 * 80 * 10 + np.pi * 25 * 160 + 4 / 3 * np.pi * 125, rel=0.02)


def test_single_points_flow_together():
    made = skin(step("box", width=20, height=20, depth=20), step("points"), step("meld", thickness=20, flow=15))
    assert euler(made) == 2
    far = skin(step("box", width=90, height=90, depth=90), step("points"), step("meld", thickness=20, flow=15))
    assert euler(far) == 16


def test_a_field_adds_to_the_skin_and_takes_away():
    still = skin(BALL, step("meld", cells=50))
    for swell in (12, -12):
        made = skin(BALL, step("meld", swell=swell, cells=50))
        assert np.linalg.norm(made.points, axis=1) == pytest.approx(30 + swell, abs=0.4)
    right = field("Right", clause("between", axis="x", start=0, end=500, fade=10))
    made = skin(BALL, step("meld", "right", swell=12, cells=50), fields=[right])
    away = np.linalg.norm(made.points, axis=1)
    assert away[made.points[:, 0] > 12].min() > 41
    assert away[made.points[:, 0] < -12] == pytest.approx(30, abs=0.3)
    assert volume(made) > volume(still)


def test_colours_are_mixed_where_things_flow_together():
    tint = step("tint", by="index", gradient=[{"at": 0, "colour": "#ff0000"}, {"at": 1, "colour": "#0000ff"}])
    made = skin(BALL, row(2, 64), tint, step("meld", flow=40, cells=60))
    left, right = made.points[:, 0] < -35, made.points[:, 0] > 35
    assert made.colours[left][:, 0].min() > 0.9
    assert made.colours[right][:, 2].min() > 0.9
    middle = made.colours[np.abs(made.points[:, 0]) < 1.5]
    assert np.abs(middle[:, 0] - 0.5).max() < 0.1


def test_cells_stay_where_they_are_while_things_move():
    """Else every frame would have another grid and the skin would seem to boil."""
    drift = step(
        "shift", place=[{"sort": "keyed", "keys": [{"frame": 0, "value": 0}, {"frame": 24, "value": 68 / 50}]}, 0, 0]
    )
    first, later = (skin(BALL, drift, step("meld", cells=50), frame=frame) for frame in (0, 24))
    assert later.points - first.points == pytest.approx(np.tile([68 / 50, 0, 0], (len(first.points), 1)), abs=1e-3)


def test_what_is_scaled_unevenly_has_its_own_skin():
    place = {"position": [150, 0, 0], "rotation": [0, 0, 30], "scale": [2, 0.5, 1]}
    flat = figure(BALL, name="Flat", looks=[], place=place)
    made = skin(BALL, step("meld", cells=120, also=["flat"], flow=20), others=[flat])
    there = made.points[made.points[:, 0] > 60] - np.array([150, 0, 0])
    turn = np.radians(30)
    x, y = (
        there[:, 0] * np.cos(turn) + there[:, 1] * np.sin(turn),
        there[:, 1] * np.cos(turn) - there[:, 0] * np.sin(turn),
    )
    assert np.linalg.norm(np.stack([x / 60, y / 15, there[:, 2] / 30]), axis=0) == pytest.approx(1, abs=0.03)


@settings(max_examples=15, deadline=None)
@given(
    st.lists(st.tuples(*[st.floats(-50, 50)] * 3), min_size=0, max_size=6),
    st.floats(0, 60), st.floats(-10, 20), st.integers(4, 24), st.booleans(),
)  # fmt: skip
def test_any_points_make_a_closed_skin_or_none(places, flow, swell, cells, joined):
    nodes = [{"at": list(place)} for place in places] or [{"at": [0, 0, 0]}]
    steps = [step("path", nodes=nodes, points=max(len(nodes), 2))]
    if not joined:
        steps.append(step("points"))
    found = evaluate(scene(figure(*steps, step("meld", flow=flow, swell=swell, cells=cells, thickness=6))), 0).drawables
    for drawable in found:
        assert drawable.mesh.topology.is_closed
        assert np.isfinite(drawable.mesh.points).all()
        assert euler(drawable.mesh) % 2 == 0


@pytest.mark.parametrize("seed", range(30))
def test_any_values_have_a_closed_skin(seed):
    """Noise meets all ways in which the corners of a cell and of the cells around it can lie inside."""
    size = 14
    values = np.random.default_rng(seed).normal(size=(size, size, size)).astype(np.float32)
    for axis in range(3):
        for end in (0, -1):
            np.moveaxis(values, axis, 0)[end] = 1
    points, _, faces = skin_of(values.reshape(-1), (size, size, size))
    ways = np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1).reshape(-1, 2)
    there = np.unique(ways[:, 0] * len(points) + ways[:, 1], return_counts=True)
    back = np.unique(ways[:, 1] * len(points) + ways[:, 0])
    assert np.array_equal(there[0], back)
    assert there[1].max() == 1
    assert len(np.unique(faces)) == len(points)


def test_too_many_pieces_are_refused_in_words():
    dust = [step("box", width=2, height=2, depth=2), step("grid", columns=10, rows=10, layers=6, apart=[9, 9, 9])]
    assert skin(*dust, step("meld", cells=40, flow=2)).points.size
    with pytest.raises(ProblemError, match="pieces flow into each other; allowed"):
        skin(*dust, step("twist", angle=0), step("meld"))


def test_distances_are_those_to_the_nearest_place():
    ball = skin(BALL, step("meld", cells=24))
    found = distances_around(ball, 8, 1.7, 12, 4, False)
    nodes = np.argwhere(np.abs(found.values) < 12)
    places = found.low + nodes[:, ::-1] * found.cell
    tree = Tree(ball.points, ball.topology.triangles)
    wanted = tree.closest(places)[2] * np.where(tree.inside(places), -1, 1)
    off = np.abs(np.clip(wanted, -4, 12) - found.values[tuple(nodes.T)])
    near = np.abs(wanted) < 1.7 * np.sqrt(3)
    assert off[near].max() < 1e-4
    assert off.max() < 0.3


def test_parts_of_a_mesh_are_what_hangs_together():
    meshes = [evaluate(scene(figure(kind)), 0).drawables[0].mesh for kind in (BALL, BOX, step("circle", radius=9))]
    parts = parted(joined(meshes))
    assert [part.topology.face_count for part in parts] == [mesh.topology.face_count for mesh in meshes]
    for number in (0, 2):
        assert parts[number].points.tobytes() == meshes[number].points.tobytes()
        assert parts[number].topology.corners.tobytes() == meshes[number].topology.corners.tobytes()
    assert area(parts[1]) == pytest.approx(2 * (60 * 40 + 60 * 50 + 40 * 50), rel=1e-4)
    assert parts[2].topology.lines.closed.tolist() == [True]
