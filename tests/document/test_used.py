"""Which assets a scene names; formulas that are shared."""

import pytest

from pirouette import catalogue
from pirouette.data import ProblemError
from pirouette.document.shared import shared_texts, use_shared
from pirouette.document.used import used_assets, with_assets_named
from tests.scenes import DEMOS, clause, demo, document, field, figure, look, step


def test_assets_are_found_in_all_lines_also_by_default():
    raw = document(
        figure(step("artwork", file="a.svg"), name="A"),
        figure(step("lettering"), step("tint", picture="b.png"), name="B"),
        fields=[field("Gust", clause("picture", file="c.png"), clause("region"))],
    )
    raw["figures"][0]["looks"] = [look("surface", paint="picture", picture="d.png")]
    raw["lights"] = [{"id": "a", "name": "A", "kind": "surroundings", "settings": {"picture": "e.exr"}}]
    assert used_assets(raw) == {"a.svg", "fraunces.woff2", "b.png", "c.png", "d.png", "e.exr"}
    named = with_assets_named(raw, {"e.exr": "e-2.exr"})
    assert named["lights"][0]["settings"]["picture"] == "e-2.exr"


@pytest.mark.parametrize("kind", catalogue.every_kind(), ids=lambda kind: kind.id)
def test_no_kind_names_an_asset_that_is_not_found(kind):
    """Whatever its family, so that a render and a bundle hold all that a scene needs."""
    names = [name for name, setting in kind.settings.declared().items() if setting.sort == "asset"]
    item = {"id": "a", "kind": kind.id, "settings": {name: f"{name}.x" for name in names}}
    lists = {"routine": [item, {"id": "b", "kind": "swarm", "forces": [item]}], "looks": [item]}
    raw = {"figures": [lists], "fields": [{"clauses": [item]}], "lights": [item], "finish": [item]}
    assert used_assets(raw) == {f"{name}.x" for name in names}


def test_a_name_that_looks_like_a_file_is_no_asset():
    assert used_assets(document(figure(step("box"), name="kite.svg"))) == set()


def test_a_broken_scene_names_what_it_can():
    assert used_assets(
        {"figures": [{"routine": [{"kind": "nothing"}, {"kind": "model", "settings": {"file": "m.obj"}}]}]}
    ) == {"m.obj"}


@pytest.mark.parametrize("name", DEMOS)
def test_the_demo_names_only_what_is_shipped_with_it(name):
    from tests.scenes import LIBRARY

    assert used_assets(demo(name)) <= set(LIBRARY.ids())


LIFT = {"id": "lift", "name": "Lift", "text": "index * 5"}


def test_a_shared_formula_is_written_where_it_is_used_and_keeps_its_base():
    raw = document(figure(step("box", width={"sort": "formula", "shared": "lift", "base": 3})), formulas=[LIFT])
    used = use_shared(raw)["figures"][0]["routine"][0]["settings"]["width"]
    assert used == {"sort": "formula", "text": "index * 5", "base": 3}
    assert raw["figures"][0]["routine"][0]["settings"]["width"]["shared"] == "lift"


@pytest.mark.parametrize(
    ("formulas", "says"),
    [
        ("text", "allowed a list"),
        ([LIFT, LIFT], "used twice"),
        ([{"id": "a", "name": "A"}], "with id, name and text"),
        ([{**LIFT, "text": " "}], "not empty"),
    ],
)
def test_wrong_shared_formulas_are_told(formulas, says):
    with pytest.raises(ProblemError, match=says):
        shared_texts({"formulas": formulas})
