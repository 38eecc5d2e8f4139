"""Formulas: what they compute, and everything they must refuse."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pirouette.data import ProblemError
from pirouette.values import Moment, Surroundings
from pirouette.values.formula import MAX_DEPTH, MAX_LENGTH, parse_formula
from pirouette.values.functions import FUNCTIONS


def value(text, frame=0.0, base=0.0, **around):
    return parse_formula(text).evaluate(Surroundings(moment=Moment(frame, 100, 25.0), **around), base)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("1 + 2 * 3", 7),
        ("(1 + 2) * 3", 9),
        ("-2 - -3", 1),
        ("--2", 2),
        ("7 % 4", 3),
        ("2 / 4", 0.5),
        ("1 < 2", 1),
        ("2 == 3", 0),
        ("if(1 > 2, 10, 20)", 20),
        ("min(4, 2, 3)", 2),
        ("max(4, 2, 3)", 4),
        ("clamp(7, 0, 5)", 5),
        ("mix(10, 20, 0.25)", 12.5),
        ("map(5, 0, 10, 100, 200)", 150),
        ("smooth(0, 1, 0.5)", 0.5),
        ("step(2, 3)", 1),
        ("pow(2, 10)", 1024),
        ("length(3, 4)", 5),
        ("fract(2.75)", 0.75),
        ("round(2.6) + floor(2.6) + ceil(2.2)", 8),
        ("atan2(1, 1) * 4", math.pi),
        ("sin(pi / 2) + cos(tau)", 2),
        ("wave(0.25)", 1),
        ("wave(7)", 0),
        ("sqrt(abs(-16)) + sign(-3)", 3),
        ("exp(log(5))", 5),
        ("mod(-1, 4)", 3),
        (".5e1", 5),
    ],
)
def test_arithmetic_gives_what_it_says(text, expected):
    assert value(text) == pytest.approx(expected)


def test_names_follow_the_moment():
    assert value("frame", 25) == 25
    assert value("turn", 25) == 0.25
    assert value("seconds", 25) == 1
    assert value("base * 2", base=21) == 42


def test_per_copy_names_give_an_array():
    around = Surroundings().for_copies(np.array([[1.0, 2, 3], [4, 5, 6], [7, 8, 9]]), np.array([0.0, 0.5, 1.0]))
    formula = parse_formula("index + 10 * share + x + weight")
    np.testing.assert_allclose(formula.evaluate(around), [1, 1 + 5 + 4 + 0.5, 2 + 10 + 7 + 1])


def test_chance_is_even_and_repeatable():
    around = Surroundings().for_copies(np.zeros((20_000, 3)), np.ones(20_000))
    chances = parse_formula("rand(index)").evaluate(around)
    assert chances.min() >= 0
    assert chances.max() < 1
    assert abs(chances.mean() - 0.5) < 0.01
    counts, _ = np.histogram(chances, 10)
    assert counts.min() > 1800
    np.testing.assert_array_equal(chances, parse_formula("rand(index)").evaluate(around))


def test_loop_noise_closes():
    assert value("loop_noise(3, 5)", 0) == value("loop_noise(3, 5)", 100)
    assert value("loop_noise(3, 5)", 0) != value("loop_noise(3, 5)", 37)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("().__class__", "character 3"),
        ("(1).__class__", "“.” has no meaning"),
        ("__import__(1)", "is not a function"),
        ("__import__('os')", "has no meaning"),
        ("9**9**9", "write pow(a, b)"),
        ("open", "is not a name"),
        ("sin", "needs (…)"),
        ("sin()", "takes 1 values, not 0"),
        ("sin(1, 2)", "takes 1 values, not 2"),
        ("1 +", "ends too early"),
        ("(1", "“)” is missing"),
        ("1 2", "“2” is not expected"),
        ("a[0]", "has no meaning"),
        ("x = 3", "has no meaning"),
        ("lambda: 1", "has no meaning"),
        ("1; 2", "has no meaning"),
        ("'text'", "has no meaning"),
        ("pow(9, pow(9, 9))", "not a finite number"),
        ("1 / 0", "not a finite number"),
        ("log(0)", "not a finite number"),
        ("1e999", "not a finite number"),
    ],
)
def test_what_is_not_a_formula_is_refused_in_words(text, says):
    with pytest.raises(ProblemError, match="formula") as error:
        parse_formula(text)
    assert says in str(error.value)


def test_errors_point_at_the_character():
    with pytest.raises(ProblemError, match="at character 5 of “1 \\+ boo”"):
        parse_formula("1 + boo")


def test_long_and_deep_formulas_are_refused():
    with pytest.raises(ProblemError, match="allowed up to"):
        parse_formula("1+" * MAX_LENGTH + "1")
    with pytest.raises(ProblemError, match="nested deeper"):
        parse_formula("(" * (MAX_DEPTH + 1) + "1" + ")" * (MAX_DEPTH + 1))
    with pytest.raises(ProblemError, match="more than 200 parts"):
        parse_formula("+".join(["1"] * 150))


def test_an_unknown_reference_is_named():
    with pytest.raises(ProblemError, match="nothing in the scene is called “Hub.scale.x”"):
        value("{Hub.scale.x} * 2")


def test_references_are_looked_up():
    assert value("100 / {Hub.scale.x}", lookup=lambda name: {"Hub.scale.x": 4.0}[name]) == 25


numbers = st.floats(-100, 100).map(lambda x: round(x, 3))


@given(st.recursive(numbers.map(repr), lambda inner: st.tuples(inner, st.sampled_from("+-*"), inner).map(
    lambda parts: f"({parts[0]} {parts[1]} {parts[2]})"), max_leaves=12))  # fmt: skip
def test_arithmetic_agrees_with_python(text):
    if len(text) > MAX_LENGTH:
        return
    assert value(text) == pytest.approx(eval(text), rel=1e-9, abs=1e-9)


@given(st.text(alphabet="0123456789+-*/%()., <>=!{}abcxyzsinturnpow_'\"[]", max_size=60))
def test_any_text_is_a_number_or_a_clear_problem(text):
    try:
        result = parse_formula(text).evaluate(Surroundings())
    except ProblemError as error:
        assert all(problem.code.startswith("formula.") for problem in error.problems)
    else:
        assert np.isfinite(result)


def test_every_function_takes_arrays():
    samples = np.linspace(0.1, 0.9, 5)
    around = Surroundings().for_copies(np.stack([samples] * 3, axis=1), np.ones(5))
    for name, function in FUNCTIONS.items():
        text = f"{name}({', '.join(['x'] * function.fewest)})"
        if name in ("map", "smooth"):
            text = f"{name}(x, 0, 1{', 5, 9' if name == 'map' else ''})" if name == "map" else "smooth(0, 1, x)"
        assert np.shape(parse_formula(text).evaluate(around)) in ((5,), ()), name


@pytest.mark.parametrize("name", FUNCTIONS)
def test_the_example_of_each_function_gives_what_it_says(name):
    call, result = FUNCTIONS[name].example
    assert f"{name}(" in call
    assert parse_formula(call).evaluate(Surroundings()) == pytest.approx(result)


def test_a_copy_carries_attributes_that_formulas_read_by_name():
    along = np.array([0, 0.5, 1])
    around = Surroundings().for_copies(np.zeros((3, 3)), np.ones(3), None, {"along": along})
    assert parse_formula("40 * (1 - along)").evaluate(around).tolist() == [40, 20, 0]


def test_an_attribute_that_nothing_carries_is_told_of_with_those_that_are_there():
    around = Surroundings().for_copies(np.zeros((3, 3)), np.ones(3), None, {"along": np.zeros(3)})
    with pytest.raises(ProblemError, match="nothing here carries “speed”; attributes there are: along"):
        parse_formula("speed * 2").evaluate(around)


def test_the_seed_of_a_copy_is_its_own_number():
    around = Surroundings().for_copies(np.zeros((3, 3)), np.ones(3))
    assert len(set(parse_formula("rand(seed)").evaluate(around).tolist())) == 3
    carried = Surroundings().for_copies(np.zeros((2, 3)), np.ones(2), None, {"seed": np.array([7, 9])})
    assert parse_formula("seed").evaluate(carried).tolist() == [7, 9]
