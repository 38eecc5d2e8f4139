"""Attributes are carried through everything that picks, joins, repeats or mixes points."""

import numpy as np
import pytest

from pirouette.data import Copies, Mesh
from pirouette.data.attribute import ATTRIBUTES, Attributes, shades
from pirouette.data.picture import TINT_GLOW
from pirouette.document import read_scene
from pirouette.evaluate import Evaluator, evaluate
from pirouette.geometry.join import expanded, joined
from pirouette.geometry.subdivision import subdivision_of
from tests.scenes import clause, document, field, figure, formula, look, scene, step


def line(*xs) -> Mesh:
    return Mesh.curves(np.array([[x, 0, 0] for x in xs], float), [len(xs)], False)


def test_curves_know_how_far_along_each_point_is():
    assert line(0, 1, 4).at_points["along"].tolist() == [0, 0.25, 1]
    square = Mesh.curves(np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]), [4], True)
    assert square.at_points["along"].tolist() == [0, 0.25, 0.5, 0.75]


def test_joined_meshes_keep_what_each_carries_and_others_have_0():
    other = Mesh(np.zeros((2, 3)), line(0, 1).topology, at_points=Attributes(width=[3, 4]))
    whole = joined([line(0, 2), other])
    assert whole.at_points["along"].tolist() == [0, 1, 0, 0]
    assert whole.at_points["width"].tolist() == [0, 0, 3, 4]


def test_expanded_copies_hand_on_what_they_carry_to_their_points():
    copies = Copies.at(line(0, 2), np.zeros((2, 3))).moved(at_copies=Attributes(speed=[5, 6]))
    whole = expanded(copies)
    assert whole.at_points["speed"].tolist() == [5, 5, 6, 6]
    assert whole.at_points["along"].tolist() == [0, 1, 0, 1]


def test_picked_copies_take_theirs_along():
    copies = Copies.at(line(0, 2), np.zeros((3, 3))).moved(at_copies=Attributes(piece=[0, 1, 2]))
    assert copies.picked([2, 0]).at_copies["piece"].tolist() == [2, 0]


def test_points_that_are_left_out_take_their_attributes_with_them():
    cut = line(0, 1, 2, 3, 4).with_faces_where([True, True, False, True, True])
    assert cut.at_points["along"].tolist() == [0, 0.25, 0.75, 1]


def test_finer_faces_mix_what_blends_and_pick_what_does_not():
    plane = Mesh(
        np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]),
        Mesh.point().topology.of_faces([[0, 1, 2, 3]], 4),
        at_points=Attributes(age=[0, 4, 8, 4], piece=[0, 1, 2, 3]),
        at_faces=Attributes(branch=[7]),
    )
    fine = subdivision_of(plane.topology).mesh(plane, np.ones(4, np.float32), False)
    assert fine.at_points["age"].tolist() == [0, 4, 8, 4, 2, 2, 6, 6, 4]
    assert set(fine.at_points["piece"].tolist()) <= {0, 1, 2, 3}
    assert fine.at_faces["branch"].tolist() == [7] * 4
    assert fine.attributes()["branch"].tolist() == [7] * 9


def test_attributes_of_another_number_of_points_are_an_error():
    with pytest.raises(ValueError, match="along has 3 rows for 2 points"):
        Mesh(np.zeros((2, 3)), line(0, 1).topology, at_points=Attributes(along=[0, 1, 2]))


@pytest.mark.parametrize("name", ATTRIBUTES)
def test_every_attribute_survives_a_whole_routine(name, monkeypatch):
    """A new attribute needs no change anywhere: all steps carry it."""
    from pirouette.kinds.curves import line as kind

    inner, size = kind.KIND.function, ATTRIBUTES[name].size

    def marked(settings):
        mesh = inner(settings)
        rows = np.full((len(mesh.points), size) if size else len(mesh.points), 7.0)
        return Mesh(mesh.points, mesh.topology, at_points=mesh.at_points.with_(**{name: rows}))

    object.__setattr__(kind.KIND, "function", marked)
    try:
        opened = scene(
            figure(step("line"), step("grid", columns=2), step("drift"), step("twist"), step("subdivide"), step("bend"))
        )
        mesh = Evaluator(opened, 0).shape_of(opened.figures[0])
    finally:
        object.__setattr__(kind.KIND, "function", inner)
    assert (mesh.attributes()[name] == 7).all()


def test_formulas_of_deformers_read_attributes():
    opened = scene(figure(step("line", points=3), step("displace", strength=formula("40 * along"), along="y")))
    plain = scene(figure(step("line", points=3), step("displace", strength=40, along="y")))
    ys = [Evaluator(one, 0).shape_of(one.figures[0]).points[:, 1] for one in (opened, plain)]
    np.testing.assert_allclose(ys[0], ys[1] * [0, 0.5, 1], atol=1e-5)


def test_fields_read_attributes_in_their_rules():
    tip = field("Tip", clause("rule", weight=formula("along")))
    opened = scene(figure(step("line", points=3), step("displace", "tip", strength=40, along="y")), fields=[tip])
    plain = scene(figure(step("line", points=3), step("displace", strength=40, along="y")))
    ys = [Evaluator(one, 0).shape_of(one.figures[0]).points[:, 1] for one in (opened, plain)]
    np.testing.assert_allclose(ys[0], ys[1] * [0, 0.5, 1], atol=1e-5)


BLACK_TO_WHITE = [{"at": 0, "colour": "#000000"}, {"at": 1, "colour": "#ffffff"}]


def test_looks_colour_by_an_attribute():
    looks = [look("wire", paint="attribute", attribute="along", gradient=BLACK_TO_WHITE)]
    (drawable,) = evaluate(scene(figure(step("line", points=3), looks=looks)), 0).drawables
    tints = drawable.looks[0].point_tints[:, 0]
    assert tints.tolist() == pytest.approx([0, 0.5, 1], abs=0.01)


def test_looks_give_light_by_an_attribute_through_a_ramp():
    by = {"light_by": "attribute", "light_attribute": "along", "light_ramp": [[0, 1], [0.5, 0], [1, 0.5]]}
    for kind in ("wire", "dots", "surface"):
        (drawable,) = evaluate(scene(figure(step("line", points=5), looks=[look(kind, **by)])), 0).drawables
        assert drawable.looks[0].point_tints[:, TINT_GLOW].tolist() == pytest.approx([1, 0.5, 0, 0.25, 0.5], abs=1e-5)
    (drawable,) = evaluate(scene(figure(step("box"), looks=[look("surface", **by)])), 0).drawables
    assert drawable.looks[0].point_tints is None


def test_copies_give_light_by_what_they_carry():
    by = {"light_by": "attribute", "light_attribute": "piece"}
    steps = [step("box"), step("shards", count=5)]
    drawables = evaluate(scene(figure(*steps, looks=[look("surface", glow=1, **by)])), 0).drawables
    lights = np.concatenate([one.looks[0].tints[:, TINT_GLOW] for one in drawables])
    assert len(set(lights.tolist())) > 1


def test_lines_and_dots_are_as_wide_as_their_points_say():
    bolt = step("bolt")
    for kind in ("wire", "dots"):
        (drawable,) = evaluate(scene(figure(bolt, looks=[look(kind, by_width=True)])), 0).drawables
        assert drawable.looks[0].point_widths.tobytes() == drawable.mesh.at_points["width"].tobytes()
        (drawable,) = evaluate(scene(figure(bolt, looks=[look(kind)])), 0).drawables
        assert drawable.looks[0].point_widths is None


def test_tint_colours_copies_by_an_attribute():
    raw = document(
        figure(step("box"), step("row", count=3), step("lag"),
               step("tint", by="attribute", attribute="speed", gradient=BLACK_TO_WHITE)),
        clock={"fps": 24, "frames": 96, "loops": True},
    )  # fmt: skip
    raw["figures"][0]["routine"].insert(2, step("stagger", place=[0, formula("90 * wave(turn)"), 0]))
    opened = read_scene(raw)
    shape = Evaluator(opened, 5).shape_of(opened.figures[0])
    speeds = shape.at_copies["speed"]
    assert shape.colours[:, 0].tolist() == pytest.approx(shades(speeds, "speed").tolist(), abs=0.01)
    assert speeds[2] > speeds[1] > speeds[0]


def test_the_view_shades_by_an_attribute():
    opened = scene(figure(step("line", points=3)))
    (drawable,) = evaluate(opened, 0, reach="attribute:along").drawables
    assert drawable.reach.tolist() == [0, 0.5, 1]
    (drawable,) = evaluate(opened, 0, reach="attribute:speed").drawables
    assert drawable.reach is None
