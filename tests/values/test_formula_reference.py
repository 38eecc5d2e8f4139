"""Formulas against another evaluator: one copy at a time, with Python's own numbers, built beside the text."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette.data import ProblemError
from pirouette.values import Moment, Surroundings
from pirouette.values.formula import MAX_LENGTH, MAX_NODES, parse_formula

COPIES = 5
POINTS = np.array([[1.0, -2, 3], [4, 5, -6], [0, 0, 0], [-7.5, 0.25, 9], [100, 3, -1]])
WEIGHTS = np.array([0.0, 0.25, 0.5, 0.75, 1.0])
MOMENT = Moment(37, 100, 25.0)
THINGS = {"Hub.scale.x": 4.0, "Gust.region.size.z": -0.5, "Ribbons 2.0.twist 2.angle": 120.0}
BASE = 2.5


def names_of(copy):
    x, y, z = POINTS[copy].tolist()
    return {
        "x": x, "y": y, "z": z, "index": copy, "count": COPIES, "share": copy / (COPIES - 1),
        "weight": float(WEIGHTS[copy]),
        "frame": 37, "seconds": 37 / 25, "turn": 0.37, "pi": math.pi, "tau": math.tau, "base": BASE,
    }  # fmt: skip


def _smooth(low, high, value):
    part = min(max((value - low) / (high - low), 0), 1)
    return part * part * (3 - 2 * part)


def _remap(value, low, high, new_low, new_high):
    return new_low + (value - low) / (high - low) * (new_high - new_low)


def _wave(turns):
    # Exactly nothing at every half turn.
    part = turns - math.floor(turns)
    return 0.0 if part in (0.0, 0.5) else math.sin(math.tau * part)


# Each as the documentation says it, for plain numbers.
PLAIN = {
    "sin": (math.sin, 1), "cos": (math.cos, 1), "atan2": (math.atan2, 2), "abs": (abs, 1),
    "sqrt": (math.sqrt, 1), "exp": (math.exp, 1), "log": (math.log, 1), "pow": (math.pow, 2),
    "sign": (lambda a: (a > 0) - (a < 0), 1), "floor": (math.floor, 1), "ceil": (math.ceil, 1), "round": (round, 1),
    "min": (min, 2), "max": (max, 2), "mod": (lambda a, b: a % b, 2),
    "fract": (lambda a: a - math.floor(a), 1), "clamp": (lambda a, low, high: min(max(a, low), high), 3),
    "mix": (lambda a, b, t: a + (b - a) * t, 3), "map": (_remap, 5), "smooth": (_smooth, 3),
    "step": (lambda edge, a: 1 if a >= edge else 0, 2), "length": (lambda a, b, c: math.sqrt(a * a + b * b + c * c), 3),
    "wave": (_wave, 1), "if": (lambda c, a, b: a if c else b, 3),
}  # fmt: skip
INFIX = {
    "+": lambda a, b: a + b, "-": lambda a, b: a - b, "*": lambda a, b: a * b, "/": lambda a, b: a / b,
    "%": lambda a, b: a % b,
}  # fmt: skip
COMPARED = {
    "<": lambda a, b: a < b, ">": lambda a, b: a > b, "<=": lambda a, b: a <= b, ">=": lambda a, b: a >= b,
    "==": lambda a, b: a == b, "!=": lambda a, b: a != b,
}  # fmt: skip


def joined(parts):
    left, mark, right = parts
    function = INFIX[mark]
    return f"({left[0]} {mark} {right[0]})", lambda copy: function(left[1](copy), right[1](copy))


def compared(parts):
    left, mark, right, yes, no = parts
    function = COMPARED[mark]
    text = f"if({left[0]} {mark} {right[0]}, {yes[0]}, {no[0]})"
    # Both ways are computed, as an array of copies needs them both.
    return text, lambda copy: (no[1](copy), yes[1](copy))[bool(function(left[1](copy), right[1](copy)))]


def called(parts):
    name, arguments = parts
    function, count = PLAIN[name]
    used = arguments[:count]
    return f"{name}({', '.join(text for text, _ in used)})", lambda copy: function(*(at(copy) for _, at in used))


def negated(part):
    return f"-{part[0]}", lambda copy: -part[1](copy)


LEAVES = st.one_of(
    st.floats(-50, 50).map(lambda one: round(one, 2)).map(lambda one: (f"({one!r})", lambda copy: one)),
    st.sampled_from(sorted(names_of(0))).map(lambda name: (name, lambda copy: names_of(copy)[name])),
    st.sampled_from(sorted(THINGS)).map(lambda name: (f"{{{name}}}", lambda copy: THINGS[name])),
)


def deeper(inner):
    five = st.lists(inner, min_size=5, max_size=5)
    return st.one_of(
        st.tuples(inner, st.sampled_from(sorted(INFIX)), inner).map(joined),
        st.tuples(inner, st.sampled_from(sorted(COMPARED)), inner, inner, inner).map(compared),
        st.tuples(st.sampled_from(sorted(PLAIN)), five).map(called),
        inner.map(negated),
    )


def computed(text):
    around = Surroundings(moment=MOMENT, lookup=THINGS.__getitem__).for_copies(POINTS, WEIGHTS)
    return np.broadcast_to(parse_formula(text).evaluate(around, BASE), COPIES)


# Always the same examples: a last digit of another sine may decide what floor() makes of it.
@settings(max_examples=400, deadline=None, derandomize=True)
@given(st.recursive(LEAVES, deeper, max_leaves=14))
def test_formulas_agree_with_plain_numbers_copy_by_copy(formula):
    text, plain = formula
    if len(text) > MAX_LENGTH or text.count("(") + text.count(" ") > MAX_NODES // 2:
        return
    try:
        expected = [float(plain(copy)) for copy in range(COPIES)]
    except (ValueError, ZeroDivisionError, OverflowError):
        # What plain numbers cannot do is refused, or was not needed for the way that a condition took.
        return
    if not np.isfinite(expected).all() or np.abs(expected).max() > 1e12:
        return
    try:
        found = computed(text)
    except ProblemError as error:
        # Arithmetic that is not needed is done all the same for the copies, and fails only by not being finite.
        assert all(problem.code == "formula.finite" for problem in error.problems)
        return
    np.testing.assert_allclose(found, expected, rtol=1e-6, atol=1e-6)


@pytest.mark.parametrize("name", sorted(PLAIN))
def test_every_function_agrees_at_round_numbers(name):
    function, count = PLAIN[name]
    arguments = (0.75, 2.0, 0.5, 10.0, 20.0)[:count]
    found = computed(f"{name}({', '.join(map(str, arguments))})")
    np.testing.assert_allclose(found, float(function(*arguments)), rtol=1e-12)
