"""The differences of two documents in words."""

import copy

import pytest

from pirouette.document.changes import differences
from tests.scenes import clause, document, field, figure, formula, keyed, look, step, swing


def scene():
    return document(
        figure(step("sphere"), step("twist", angle=90), looks=[look("surface")], name="Ribbons"),
        figure(step("box"), name="Crate"),
        fields=[field("Gust", clause("region", fade=0.5))],
    )


def ribbons(raw):
    return raw["figures"][0]


def twist(raw):
    return ribbons(raw)["routine"][1]


CHANGES = [
    (lambda raw: twist(raw)["settings"].update(angle=120), ["Ribbons · twist · angle: 90 → 120"]),
    (lambda raw: twist(raw)["settings"].update(angle=keyed((0, 0), (9, 1))), ["Ribbons · twist · angle: 2 keys"]),
    (lambda raw: twist(raw)["settings"].update(angle=formula("turn * 9")), ["Ribbons · twist · angle: = turn * 9"]),
    (lambda raw: twist(raw)["settings"].update(angle=swing(0, 9)), ["Ribbons · twist · angle: a swing"]),
    (lambda raw: twist(raw)["settings"].pop("angle"), ["Ribbons · twist · angle: 90 → as at first"]),
    (lambda raw: twist(raw).update(on=False), ["Ribbons · twist · on: no"]),
    (lambda raw: ribbons(raw).update(place={"position": [0, 4, 0]}), ["Ribbons · position: 0, 4, 0"]),
    (lambda raw: ribbons(raw).update(name="Bands"), ["Bands · name: Ribbons → Bands"]),
    (lambda raw: ribbons(raw)["routine"].insert(1, step("subdivide")), ["Ribbons · subdivide: added"]),
    (lambda raw: ribbons(raw)["routine"].pop(), ["Ribbons · twist: removed"]),
    (lambda raw: raw["figures"].reverse(), ["Figures: in another order"]),
    (lambda raw: raw["figures"].pop(1), ["Crate: removed"]),
    (lambda raw: raw["fields"][0]["clauses"][0]["settings"].update(fade=1), ["Gust · region · fade: 0.5 → 1"]),
    (lambda raw: raw.update(finish=[{"id": "glow", "kind": "glow"}]), ["Finish · glow: added"]),
    (lambda raw: raw["clock"].update(frames=48), None),
    (lambda raw: None, []),
]


@pytest.mark.parametrize(("change", "told"), CHANGES)
def test_a_change_is_told_by_the_names_of_its_things(change, told):
    before = scene()
    after = copy.deepcopy(before)
    change(after)
    found = differences(before, after)
    if told is None:
        assert found[0].startswith("Clock · frames: ")
    else:
        assert found == told


def test_parts_of_a_vector_are_told_one_by_one():
    before = scene()
    ribbons(before)["place"] = {"position": [0, 4, 0]}
    after = copy.deepcopy(before)
    ribbons(after)["place"]["position"] = [0, 5, formula("turn")]
    assert differences(before, after) == ["Ribbons · position · y: 4 → 5", "Ribbons · position · z: = turn"]


def test_several_changes_are_told_in_the_order_of_the_later_document():
    before, after = scene(), scene()
    ribbons(after)["looks"].append(look("wire"))
    ribbons(after)["routine"] = [ribbons(after)["routine"][0], step("bend"), twist(after)]
    after["figures"][0], after["figures"][1] = after["figures"][1], after["figures"][0]
    assert differences(before, after) == ["Ribbons · bend: added", "Ribbons · wire: added", "Figures: in another order"]
