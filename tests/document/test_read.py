"""Reading scenes: what is right is read, what is wrong is named, all at once."""

import json

import pytest

from pirouette.data import ProblemError
from pirouette.document import load_scene, read_scene, save_scene
from pirouette.document.lanes import lanes_of
from pirouette.document.migrate import migrate
from tests.scenes import DEMOS, LIBRARY, clause, demo, document, field, figure, formula, keyed, look, step, swing


def problems(raw) -> list[str]:
    with pytest.raises(ProblemError) as error:
        read_scene(raw)
    return [str(problem) for problem in error.value.problems]


@pytest.mark.parametrize("name", DEMOS)
def test_demo_scenes_are_read_and_come_back_as_they_were(name, tmp_path):
    raw = demo(name)
    scene = read_scene(raw, LIBRARY)
    save_scene(scene, tmp_path / "scene.json")
    assert json.loads((tmp_path / "scene.json").read_text("utf-8")) == raw
    assert load_scene(tmp_path / "scene.json", LIBRARY).raw == raw


def test_all_mistakes_of_a_scene_are_told_at_once():
    raw = document(
        figure(step("sphere", radius="big"), step("wobble"), step("grid", columns=0), name="Ribbons"),
        fields=[field("Gust", clause("region", fade=2))],
    )
    raw["clock"]["fps"] = float("nan")
    raw["extra"] = 1
    told = "\n".join(problems(raw))
    assert "figures/Ribbons/routine/0 (sphere)/radius: “big” is not a number" in told
    assert "figures/Ribbons/routine/1/kind: 'wobble' is not a kind; allowed plane, box, sphere" in told
    assert "figures/Ribbons/routine/2 (grid)/columns: 0 is below 1; allowed 1 to 10000" in told
    assert "fields/Gust/clauses/0 (region)/fade: 2 is above 1; allowed 0 to 1" in told
    assert "clock/fps: nan is not a finite number" in told
    assert "extra: unknown; allowed format, version" in told


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"format": "other"}, "is not 'pirouette-scene'"),
        ({"version": 99}, "99 is unknown; allowed 1 to"),
        ({"version": "1"}, "is unknown"),
        ({"cameras": []}, "a scene needs a camera"),
        ({"camera": "nobody"}, "there is no camera “nobody”"),
        ({"figures": {}}, "allowed a list"),
        ({"figures": [3]}, "allowed an object"),
        ({"name": "{a}"}, "without {, } and /"),
        ({"clock": {"frames": keyed((0, 1))}}, None),
        ({"clock": {"frames": swing(10, 5)}}, "the clock's settings cannot move"),
        ({"frame": {"width": swing(100, 5)}}, "size of the picture cannot move"),
    ],
)
def test_a_wrong_scene_is_refused(change, says):
    raw = {**document(), **change}
    if says is None:
        read_scene(raw)
        return
    assert says in "\n".join(problems(raw))


@pytest.mark.parametrize("raw", [None, 3, "scene", [], [1]])
def test_what_is_no_object_is_no_scene(raw):
    assert problems(raw) == ["a scene is a JSON object [scene.object]"]


def test_references_must_name_something():
    ball = figure(step("sphere"), step("twist", "nowhere"), place={"follows": "ghost"})
    told = "\n".join(problems(document(ball)))
    assert "figures/Thing/routine/1 (twist)/only_where: there is no field “nowhere”" in told
    assert "figures/Thing/place/follows: there is no guide or figure “ghost”" in told


def test_ids_and_names_are_used_once():
    told = "\n".join(problems(document(figure(step("box")), figure(step("box")))))
    assert "“thing” is used twice" in told
    other = {**figure(step("box")), "id": "other"}
    assert "another thing called “Thing”" in "\n".join(problems(document(figure(step("box")), other)))


def test_a_form_stands_first_and_alone():
    told = "\n".join(problems(document(figure(step("box"), step("sphere")))))
    assert "a routine has one form" in told
    told = "\n".join(problems(document(figure(step("grid"), step("sphere")))))
    assert "a form can only be the first step" in told


def test_a_form_that_is_off_does_not_count():
    off = {**step("sphere"), "on": False}
    assert read_scene(document(figure(step("box"), off)))


def test_guides_that_follow_in_a_circle_are_named():
    guides = [{"id": a, "name": a.upper(), "place": {"follows": b}} for a, b in ("ab", "bc", "ca")]
    told = "\n".join(problems(document(guides=guides)))
    assert "made of each other in a circle: A → B → C → A" in told


def test_a_file_that_is_not_json_is_refused(tmp_path):
    for text, says in (("{", "not JSON"), ('{"a": [1, NaN]}', "a/1: NaN is not a number"), ("[" * 100_000, "not JSON")):
        path = tmp_path / "scene.json"
        path.write_text(text)
        with pytest.raises(ProblemError, match=says):
            load_scene(path)
    with pytest.raises(ProblemError, match="No such file"):
        load_scene(tmp_path / "none.json")


def test_migrations_run_one_version_at_a_time():
    steps = {1: lambda raw: {**raw, "one": True}, 2: lambda raw: {**raw, "two": raw["one"]}}
    raw = migrate({"format": "pirouette-scene", "version": 1}, steps, 3)
    assert raw == {"format": "pirouette-scene", "version": 3, "one": True, "two": True}


def test_scenes_of_version_2_look_as_they_did():
    raw = document(figure(step("box")), version=2, finish=[{"id": "e", "kind": "exposure", "settings": {}}])
    raw["lights"] = [
        {"id": "a", "name": "A", "kind": "sun", "settings": {}},
        {"id": "b", "name": "B", "kind": "sky", "settings": {"brightness": 0.2}},
        {"id": "c", "name": "C", "kind": "key", "settings": {"brightness": 3}},
    ]
    scene = read_scene(raw)
    assert [(light.settings.brightness.value, light.settings.shadows) for light in scene.lights] == [
        (2, False), (0.2, False), (3, False),
    ]  # fmt: skip
    assert scene.finish[0].settings.transform == "filmic"
    new = read_scene({**raw, "version": 4})
    assert new.lights[0].settings.brightness.value < 2 and new.lights[0].settings.shadows
    assert new.finish[0].settings.transform == "steady"


def test_surfaces_of_version_3_mirror_the_sky_alone():
    looks = [look("surface"), {**look("surface", mirrors=True), "id": "b"}, look("wire")]
    old, new = (read_scene(document(figure(step("box"), looks=looks), version=number)) for number in (3, 4))
    mirrors = [[getattr(one.settings, "mirrors", None) for one in opened.figures[0].looks] for opened in (old, new)]
    assert mirrors == [[False, True, None], [True, True, None]]


def test_lines_dots_and_added_light_of_version_4_are_not_seen_in_mirrors():
    looks = [
        look("wire"), {**look("wire", mirrored=True), "id": "told"}, look("dots"), look("surface", blend="additive"),
        {**look("surface"), "id": "solid"},
    ]  # fmt: skip
    old, new = (read_scene(document(figure(step("box"), looks=looks), version=number)) for number in (4, 5))
    mirrored = [[one.settings.mirrored for one in opened.figures[0].looks] for opened in (old, new)]
    assert mirrored == [[False, True, False, False, True], [True] * 5]


def test_lanes_list_what_moves_in_words():
    raw = document(
        figure(step("sphere"), step("twist", angle=swing(0, 90)), place={"position": [keyed((0, 0), (96, 10)), 0, 0]}),
        fields=[field("Gust", clause("region", position=[0, formula("frame"), 0]))],
    )
    lanes = [(lane.pointer, lane.name, lane.where, lane.setting) for lane in lanes_of(read_scene(raw))]
    assert lanes == [
        ("/figures/0/place/position/0", "Thing", "", "position x"),
        ("/figures/0/routine/1/settings/angle", "Thing", "twist", "angle"),
        ("/fields/0/clauses/0/settings/position/1", "Gust", "region", "position y"),
    ]


def test_a_single_key_has_a_lane_though_nothing_moves_yet():
    opened = read_scene(document(figure(step("sphere"), step("twist", angle=keyed((0, 5))))))
    assert [lane.setting for lane in lanes_of(opened)] == ["angle"]
    assert not opened.figures[0].routine[1].settings.moving()
