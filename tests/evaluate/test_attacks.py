"""What may be written into a scene's formulas and references to make it run, hang or grow, and never does."""

import time
import tracemalloc

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.document import read_scene
from pirouette.document.check import MAX_CHAIN
from pirouette.evaluate import Memo, evaluate, routines, size
from tests.scenes import clause, document, field, figure, formula, look, scene, step

# Far above what any of them takes, far below what a doubling or an endless loop would.
MOST_SECONDS = 20
MOST_BYTES = 64 * 1024 * 1024

RUNS = [
    "().__class__", "{__class__}", "{Thing.__class__.__mro__}", "{Thing.__dict__}", "{0.__class__}", "{Thing.sphere}",
    "{{Thing.sphere.radius}}", "{}", "{ }", "{Thing.sphere.radius", "{Thing.sphere.radius}}", "{../Thing}", "{%s}",
    "{Thing.sphere.radius}.real", "{Thing.sphere.radius}[0]", "{Thing.sphere.radius}(1)", "__import__(1)",
    "eval(1)", "exec(1)", "open(1)", "{Thing.sphere.radius:>999999999}", "{Thing!r}", "lambda: 0", "1 if 1 else 2",
    "[1 for a in b]", "x := 1", "frame = 3", "import os", "'a' * 9", "b'1'", "f(1)", "sin.__call__(1)", "@1", "1j",
    "0x10", "1_000", "\u0000", "1\u0000", "１ + １", "ｓｉｎ(1)", "π", "1;2", "#", "\\", "`1`", "$x", "print", "...",
]  # fmt: skip
GROWS = [
    "9**9**9", "pow(9, pow(9, pow(9, 9)))", "1e999", "exp(exp(exp(9)))", "1" * 5000, "1" * 400, "(" * 400,
    "-" * 499 + "1", "+" * 499, "sin(" * 60 + "1" + ")" * 60, "max(" + ",".join("1" * 200) + ")",
    "1" + "+1" * 240, "noise(1e308)",
    "noise(1e308, 1e308, 1e308)", "loop_noise(1e308)", "loop_noise(1e308, 1e308)", "rand(1e308 * 10)", "mod(1, 0)",
    "0 / 0", "map(1, 0, 0, 1, 2)", "smooth(1, 1, 1)", "wave(1e308)", "log(-1)", "sqrt(-1)", "asin(2)", "atan2(0, 0)",
    "round(1e308)", "length(1e308, 1e308)", "fract(1e308)", "if(1 / 0, 1, 2)", "min(0 / 0, 1)", "clamp(1, 2, 0 / 0)",
]  # fmt: skip


@pytest.fixture(autouse=True)
def bounded():
    """Every attack is over soon and leaves little behind."""
    tracemalloc.start()
    began = time.monotonic()
    yield
    took = time.monotonic() - began
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert took < MOST_SECONDS
    assert most < MOST_BYTES


def outcome(raw, frame=3):
    """The number of things drawn, or the codes of what is wrong; anything else that happens fails the test."""
    try:
        drawables = evaluate(read_scene(raw), frame, memo=Memo()).drawables
        assert all(np.isfinite(one.mesh.points).all() and np.isfinite(one.matrices).all() for one in drawables)
        return len(drawables)
    except ProblemError as error:
        return [problem.code for problem in error.problems]


@pytest.mark.parametrize("text", RUNS)
def test_nothing_but_numbers_is_ever_run(text):
    raw = document(figure(step("sphere", radius=10)), figure(step("box", width=formula(text)), name="Reader"))
    codes = outcome(raw)
    assert isinstance(codes, list), text
    assert all(code.startswith("formula.") for code in codes)


@pytest.mark.parametrize("text", GROWS)
def test_numbers_stay_finite_and_formulas_small(text):
    raw = document(figure(step("box", width=formula(text)), name="Reader"))
    found = outcome(raw)
    if isinstance(found, list):
        assert all(code.startswith(("formula.", "value.", "size.")) for code in found), found
    else:
        assert found > 0


def radii(texts):
    """Figures A0, A1, …; the radius of each is a formula."""
    return document(*[figure(step("sphere", radius=formula(text)), name=f"A{k}") for k, text in enumerate(texts)])


def test_a_reference_used_many_times_is_computed_once():
    doubled = [f"({{A{k + 1}.sphere.radius}} + {{A{k + 1}.sphere.radius}}) / 2" for k in range(40)]
    assert outcome(radii([*doubled, "10"])) > 0


def test_a_long_chain_of_formulas_is_gone_through():
    raw = radii([*(f"{{A{k + 1}.sphere.radius}} + 0" for k in range(300)), "10"])
    raw["figures"] = raw["figures"][:1] + [{**one, "visible": "hidden"} for one in raw["figures"][1:]]
    assert outcome(raw) > 0


@pytest.mark.parametrize("count", [1, 2, 3, 300])
def test_circles_of_any_length_are_named(count):
    raw = radii([f"{{A{(k + 1) % count}.sphere.radius}}" for k in range(count)])
    assert outcome(raw) == ["formula.circle"]


def test_a_circle_is_named_whole_and_without_what_leads_to_it():
    raw = radii(["{A1.sphere.radius}", "{A2.sphere.radius}", "{A1.sphere.radius} * 2"])
    with pytest.raises(ProblemError, match="A1.sphere.radius → A2.sphere.radius → A1.sphere.radius"):
        evaluate(read_scene(raw), 0)


def test_parts_of_one_vector_may_refer_to_each_other():
    place = {"position": [formula("{Thing.position.y} + 1"), formula("{Thing.position.z} * 2"), 7]}
    drawable = evaluate(scene(figure(step("box"), place=place)), 0).drawables[0]
    assert drawable.matrices[0][:, 3].tolist() == [15, 14, 7]
    place = {"position": [formula("{Thing.position.y}"), formula("{Thing.position.x}"), 7]}
    assert outcome(document(figure(step("box"), place=place))) == ["formula.circle"]


def test_what_is_missing_behind_a_reference_is_named_itself():
    raw = radii(["{A1.sphere.radius}", "{Nobody.sphere.radius}"])
    with pytest.raises(ProblemError, match="nothing in the scene is called “Nobody.sphere.radius”"):
        evaluate(read_scene(raw), 0)


def followers(count):
    return document(
        *[
            figure(step("box"), name=f"A{k}", place={"position": [1, 0, 0], **({"follows": f"a{k - 1}"} if k else {})})
            for k in range(count)
        ]
    )


def made_of_each_other(count):
    rest = [figure(step("others", figures=[f"a{k}"]), name=f"A{k + 1}") for k in range(count - 1)]
    return document(figure(step("box"), name="A0"), *rest)


def riders(count):
    places = [{"follows": f"a{k}", "rides": "its curve", "along": 0.1} for k in range(count - 1)]
    rest = [
        figure(step("circle", radius=10), name=f"A{k + 1}", place=place, looks=[look("wire")])
        for k, place in enumerate(places)
    ]
    return document(figure(step("circle", radius=10), name="A0"), *rest)


def limited_by_each_other(count):
    fields = [field(f"G{k}", clause("within", figure=f"a{k}")) for k in range(count - 1)]
    rest = [figure(step("box"), step("displace", f"g{k}"), name=f"A{k + 1}") for k in range(count - 1)]
    return document(figure(step("box"), name="A0"), *rest, fields=fields)


@pytest.mark.parametrize("made", [followers, made_of_each_other, riders, limited_by_each_other])
def test_chains_of_things_are_followed_up_to_a_length_that_is_told(made):
    assert outcome(made(MAX_CHAIN)) > 0
    with pytest.raises(ProblemError, match=f"in a chain of {MAX_CHAIN + 1} things; allowed up to {MAX_CHAIN}"):
        read_scene(made(MAX_CHAIN + 1))


def test_the_last_of_a_chain_stands_where_all_of_it_leads():
    assert evaluate(read_scene(followers(MAX_CHAIN)), 0).drawables[-1].matrices[0][0, 3] == MAX_CHAIN


def test_figures_that_are_too_much_together_are_refused_before_all_are_made(monkeypatch):
    monkeypatch.setattr(size, "MAX_SCENE_POINTS", 2500)
    made, form = [], routines._GROUPS["form"]
    monkeypatch.setitem(routines._GROUPS, "form", lambda offers: made.append(1) or form(offers))
    figures = [figure(step("sphere", rings=20, segments=40 + k), name=f"F{k}", id=f"f{k}") for k in range(12)]
    with pytest.raises(ProblemError) as caught:
        evaluate(scene(*figures), 0)
    (problem,) = caught.value.problems
    assert (problem.path, problem.code) == ("figures/F3", "size.scene")
    assert len(made) == 4


def test_copies_of_all_figures_are_counted_and_shared_meshes_once(monkeypatch):
    monkeypatch.setattr(size, "MAX_SCENE_COPIES", 250)
    rows = [figure(step("box"), step("row", count=100), name=f"F{k}", id=f"f{k}") for k in range(3)]
    assert len(evaluate(scene(*rows[:2]), 0).drawables) == 2
    with pytest.raises(ProblemError, match="300 copies"):
        evaluate(scene(*rows), 0)
