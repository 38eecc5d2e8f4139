"""What every kind in the catalogue must keep, whatever it does."""

import re
import subprocess
import sys
from types import SimpleNamespace

import numpy as np
import pytest

from pirouette import catalogue
from pirouette.assets.library import shipped
from pirouette.data import Copies, Mesh, sources_of
from pirouette.data.link import Link
from pirouette.document import things
from pirouette.evaluate import evaluate
from pirouette.geometry.join import joined
from pirouette.kinds.forms import sphere
from pirouette.render import LAYERS
from pirouette.schema.called import CALLED
from pirouette.schema.kind import arguments_of
from pirouette.values import Moment
from tests.scenes import DEMO, ROOT, demo, figure, scene, step

WITH_FUNCTION = [kind for kind in catalogue.every_kind() if kind.function]
MOMENT = Moment(5.0)
ids = [f"{kind.group}-{kind.id}" for kind in WITH_FUNCTION]


def ball() -> Mesh:
    return sphere.sphere(sphere.SphereSettings().resolve())


def some_copies(count=20) -> Copies:
    rng = np.random.default_rng(3)
    return Copies.at(ball(), rng.normal(size=(count, 3)) * 100, cells=rng.random((count, 3)))


PICTURE = np.random.default_rng(1).integers(0, 256, (36, 64, 4), dtype=np.uint8)


DRAWN = evaluate(scene(figure(step("box"))), 5)


class Held:
    """An asset that is read already."""

    def __init__(self, content):
        self.content = content


def links_for(kind, mesh):
    """Something for every reference and asset of a kind to lead to, a little way off."""
    matrix = np.eye(4)
    matrix[:3, 3] = (30, 20, 10)
    direct = lambda points: np.tile(np.float32([0, 0.6, 0.8]), (len(points), 1))  # noqa: E731
    place = Link(
        "thing", matrix, matrix, mesh, lambda: mesh, lambda: mesh, weigh=lambda points: np.full(len(points), 0.4),
        direct=direct, first=np.eye(4), first_here=np.eye(4),
    )  # fmt: skip
    assets = {"font": shipped().find("gloock.woff2"), "picture": Held(PICTURE)}
    found = {}
    for name, setting in kind.settings.declared().items():
        if setting.sort == "reference":
            found[name] = place
        if setting.sort == "references":
            found |= {f"{name}/0": place, f"{name}/1": place}
        if setting.sort == "asset" and setting.choices[0] in assets:
            found[name] = Link("asset", np.eye(4), asset=assets[setting.choices[0]])
    return found


LIGHTER = {"meld": {"cells": 12}}


class NoForces:
    """What stands under a step of a simulation: nothing."""

    holds = False

    def push(self, places, velocity, attributes):
        return np.zeros((len(places), 3), np.float32)

    def slow(self, places, velocity, attributes):
        return np.zeros(len(places), np.float32)

    def carry(self, places, velocity, attributes):
        return places

    def hold(self, places, velocity, attributes):
        return places, velocity


def offered(kind, settings, *, mesh=None, copies=None, weights=None):
    """All that a kind may ask for."""
    mesh = mesh or ball()
    copies = copies or some_copies()
    count = copies.count if kind.group == "modulate" else len(mesh.points)
    found = {
        "settings": settings,
        "moment": MOMENT,
        "mesh": mesh,
        "whole": mesh,
        "shape": mesh,
        "rest": mesh,
        "copies": copies,
        "points": mesh.points,
        "normals": mesh.normals,
        "picture": PICTURE.astype(np.float32) / 255,
        **{name: np.ones((*PICTURE.shape[:2], *shape), np.float32) for name, (shape, _) in LAYERS.items()},
        "frame": 5.0,
        "drawn": DRAWN,
        "cover": np.linspace(0, 1, PICTURE[..., 0].size, dtype=np.float32).reshape(PICTURE.shape[:2]),
        "matrix": np.diag([2.0, 3.0, 4.0, 1.0]),
        "links": links_for(kind, mesh),
        "before": lambda frames: SimpleNamespace(
            mesh=mesh, shape=copies if kind.group == "modulate" else mesh, matrix=np.eye(4), links=links_for(kind, mesh)
        ),
        "forces": NoForces(),
        "places": mesh.points,
        "velocity": mesh.points[::-1],
        "links_before": links_for(kind, mesh),
        "share": np.linspace(0, 1, count, dtype=np.float32),
        "directions": None,
        "weights_at": lambda places, attributes: np.full(len(places), 1.0 if weights is None else weights, np.float32),
        "is_limited": weights is not None,
        "weights": np.full(count, 1.0 if weights is None else weights, np.float32),
    }
    if kind.simulation:
        found["state"] = None
        for function in (kind.simulation.start, kind.simulation.advance):
            found["state"] = function(**{name: found[name] for name in arguments_of(function)})
    return found


def contents(result) -> list[np.ndarray]:
    """The arrays of a result."""
    if isinstance(result, tuple):
        return [np.asarray(part) for part in result]
    if isinstance(result, Mesh):
        return [result.points, result.topology.corners, result.topology.offsets, result.normals]
    if isinstance(result, Copies):
        inner = [array for leaf in result.leaves for array in (leaf.points, leaf.normals)]
        return [result.position, result.rotation, result.scale, result.colours, result.opacity, result.delay,
                result.cells, *inner]  # fmt: skip
    return [np.asarray(result)]


def points_in(shape) -> int:
    return sum(len(mesh.points) for mesh in sources_of(shape))


def resolved(kind, raw=None):
    """Settings of a kind, of what takes long by default fewer."""
    return kind.settings({**LIGHTER.get(kind.id, {}), **(raw or {})}).resolve()


def extremes(kind):
    """Settings at the ends of their soft ranges, one at a time, and all together."""
    declared = kind.settings.declared()
    low, high = {}, {}
    for name, setting in declared.items():
        if setting.sort in ("number", "integer", "vector") and setting.soft[0] is not None:
            ends = list(setting.soft)
            if setting.sort == "integer" and name != "seed":
                # Many settings at their ends at once would make more than a test should wait for.
                ends[1] = min(ends[1], max(3, setting.hard[0] or 0))
            whole = setting.sort == "vector"
            low[name], high[name] = ([end] * 3 if whole else end for end in ends)
            yield {name: low[name]}
            yield {name: high[name]}
        if setting.sort == "choice":
            yield from ({name: choice} for choice in setting.choices)
    yield low
    yield high


@pytest.mark.parametrize("kind", catalogue.every_kind(), ids=lambda kind: f"{kind.group}-{kind.id}")
def test_defaults_are_valid_and_every_setting_has_help(kind):
    kind.settings({}).resolve()
    for described in kind.settings.describe():
        assert described["help"].strip().endswith("."), described["name"]
        # It stands in a row of a table.
        assert "\n" not in described["help"]
        assert described["sort"] in (
            "choice",
            "switch",
            "text",
            "gradient",
            "curve",
            "colour",
            "reference",
            "references",
            "asset",
            "flags",
            "nodes",
        ) or (described["soft"][0] < described["soft"][1])


@pytest.mark.parametrize("kind", catalogue.every_kind(), ids=lambda kind: f"{kind.group}-{kind.id}")
def test_two_to_four_headlines_stand_in_the_sentence(kind):
    headlines = [name for name, setting in kind.settings.declared().items() if setting.headline]
    assert 2 <= len(headlines) <= 5
    assert set(kind.placeholders) <= set(headlines)
    assert 2 <= len(kind.placeholders) <= 4
    assert kind.summary.endswith(".")


@pytest.mark.parametrize("kind", catalogue.every_kind(), ids=lambda kind: f"{kind.group}-{kind.id}")
def test_groups_name_settings_that_there_are_each_in_one_of_them(kind):
    titled = [vars(base).get("groups", {}) for base in kind.settings.__mro__]
    named = [name for groups in titled for names in groups.values() for name in names]
    assert len(named) == len(set(named))
    # What several kinds share may name what only some of them have.
    own = [name for names in titled[0].values() for name in names]
    assert set(own) <= set(kind.settings.declared())
    assert all(one["group"] or one["name"] not in named for one in kind.settings.describe())


@pytest.mark.parametrize("kind", catalogue.every_kind(), ids=lambda kind: f"{kind.group}-{kind.id}")
def test_settings_depend_only_on_words_that_can_be_chosen(kind):
    declared = kind.settings.declared()
    for setting in declared.values():
        for name, words in setting.only_if.items():
            allowed = {True, False} if declared[name].sort == "switch" else {*declared[name].choices, "chosen"}
            assert set(words) < allowed


def test_files_are_called_as_their_kinds_are_and_each_has_its_place():
    for family in catalogue.FAMILIES.values():
        assert [kind.id for kind in family.values()] == list(family)
    folder = ROOT / "pirouette" / "kinds"
    files = [path.stem for path in folder.glob("*/*.py") if path.stem != "__init__"]
    assert sorted(files) == sorted(kind.id for kind in catalogue.every_kind())
    with pytest.raises(ValueError, match="called artwork, box"):
        assert catalogue.FORMS | catalogue.FORMS


def test_only_the_kinds_that_a_scene_has_are_read():
    """A hundred kinds, and the libraries that some of them need, take longer to read than a scene does to check."""
    program = (
        "import sys, pirouette.checks; from pirouette.document import load_scene; load_scene(sys.argv[1]);"
        "print(*sys.modules)"
    )
    run = [sys.executable, "-c", program, str(DEMO / "pinwheel-wall.json")]
    modules = set(subprocess.run(run, cwd=ROOT, check=True, capture_output=True, text=True).stdout.split())
    kinds = {name.rpartition(".")[2] for name in modules if re.fullmatch(r"pirouette\.kinds\.\w+\.\w+", name)}
    raw = demo("pinwheel-wall")
    lines = [*raw["lights"], *raw["finish"], *(one for field in raw["fields"] for one in field["clauses"])]
    lines += [line for figure in raw["figures"] for line in (*figure["routine"], *figure["looks"])]
    assert kinds == {line["kind"] for line in lines}
    large = ("interpolate", "linalg", "ndimage", "optimize", "sparse", "spatial", "special")
    assert not modules & {"PIL", "trimesh", *(f"scipy.{part}" for part in large)}


@pytest.mark.parametrize("kind", WITH_FUNCTION, ids=ids)
def test_the_same_call_gives_the_same_bytes(kind):
    settings = resolved(kind)
    one, two = (contents(kind.call(**offered(kind, settings))) for _ in range(2))
    assert [array.tobytes() for array in one] == [array.tobytes() for array in two]


@pytest.mark.parametrize("kind", WITH_FUNCTION, ids=ids)
def test_the_input_is_not_changed(kind):
    settings = resolved(kind)
    given = offered(kind, settings)
    before = given["picture"].copy(), given["points"].copy(), given["copies"].position.copy()
    kind.call(**given)
    np.testing.assert_array_equal(given["picture"], before[0])
    np.testing.assert_array_equal(given["points"], before[1])
    np.testing.assert_array_equal(given["copies"].position, before[2])


@pytest.mark.parametrize("kind", WITH_FUNCTION, ids=ids)
def test_extreme_settings_stay_finite(kind):
    for raw in extremes(kind):
        settings = resolved(kind, raw)
        for array in contents(kind.call(**offered(kind, settings))):
            assert np.isfinite(array).all(), raw


@pytest.mark.parametrize(
    "kind", [k for k in WITH_FUNCTION if k.group in ("modulate", "deform")], ids=lambda kind: kind.id
)
def test_a_weight_of_zero_changes_nothing(kind):
    declared = kind.settings.declared()
    strong = {name: [7.0] * 3 for name, setting in declared.items() if setting.sort == "vector" and name != "stretch"}
    settings = resolved(kind, strong)
    given = offered(kind, settings, weights=0.0)
    result = kind.call(**given)
    source = given["copies"] if kind.group == "modulate" else given["points"]
    if kind.group == "deform" and isinstance(result, Mesh):
        result = result.points
    for ours, theirs in zip(contents(result), contents(source), strict=True):
        np.testing.assert_allclose(ours, theirs, atol=1e-4)


@pytest.mark.parametrize(
    "kind",
    [k for k in WITH_FUNCTION if k.group in ("modulate", "repeat", "build", "simulate")],
    ids=lambda kind: kind.id,
)
def test_empty_input_works(kind):
    settings = resolved(kind)
    nothing = Mesh.empty()
    copies = Copies.at(nothing, np.zeros((0, 3), np.float32))
    result = kind.call(**offered(kind, settings, mesh=nothing, copies=copies))
    assert all(np.isfinite(array).all() for array in contents(result))


@pytest.mark.parametrize("kind", [k for k in WITH_FUNCTION if k.group == "clause"], ids=lambda kind: kind.id)
def test_weights_of_clauses_lie_between_zero_and_one(kind):
    for raw in extremes(kind):
        weights = kind.call(**offered(kind, resolved(kind, raw)))
        assert weights.dtype == np.float32
        assert weights.min() >= 0
        assert weights.max() <= 1


@pytest.mark.parametrize("kind", [k for k in WITH_FUNCTION if k.estimate], ids=lambda kind: kind.id)
def test_estimates_are_not_below_what_comes_out(kind):
    settings = resolved(kind)
    given = offered(kind, settings)
    result = kind.call(**given)
    size = result.count if kind.group == "repeat" else points_in(result)
    assert kind.estimated(settings=settings, shape=given["mesh"], links=given["links"], moment=MOMENT) >= size


@pytest.mark.parametrize("kind", [k for k in WITH_FUNCTION if k.group == "build"], ids=lambda kind: kind.id)
@pytest.mark.parametrize("shape", ["faces", "curves", "both"])
def test_estimates_of_builders_hold_for_curves_too(kind, shape):
    curves = Mesh.curves(np.random.default_rng(2).normal(size=(50, 3)), [20, 30], [True, False])
    mesh = {"faces": ball(), "curves": curves, "both": joined([ball(), curves])}[shape]
    for raw in extremes(kind):
        settings = resolved(kind, raw)
        given = offered(kind, settings, mesh=mesh)
        assert kind.estimated(settings=settings, shape=mesh, links=given["links"], moment=MOMENT) >= points_in(
            kind.call(**given)
        )


def test_settings_are_called_by_other_words_than_their_names():
    told = [one["settings"] for family in catalogue.describe().values() if isinstance(family, list) for one in family]
    told += things.describe().values()
    named = {setting["name"]: setting["words"] for settings in told for setting in settings}
    assert named.items() >= CALLED.items(), CALLED.keys() - named.keys()
    for name, words in CALLED.items():
        apart = words.split()
        assert len(apart) == len(set(apart)), name
        assert name not in apart
        assert words == words.lower()


@pytest.mark.parametrize("kind", catalogue.every_kind(), ids=lambda kind: f"{kind.group}-{kind.id}")
def test_other_words_for_it_are_told_once(kind):
    words = kind.words.split()
    assert len(words) >= 3
    assert len(set(words)) == len(words)
    assert kind.id not in words
    assert kind.words == kind.words.lower()
