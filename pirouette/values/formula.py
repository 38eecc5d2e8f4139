"""The formula language: a tokeniser, a recursive-descent parser to a checked tree, and its evaluation.

Only arithmetic, comparisons, the names and functions of the language and references in braces exist; there
are no attributes, no indexing, no assignment and no other calls, so nothing but numbers can come of it.
"""

import math
import operator
import re
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from ..data.attribute import ATTRIBUTES, NUMBERS
from ..data.problem import Problem, ProblemError
from .functions import FUNCTIONS, loop_noise, noise
from .moment import Moment, Surroundings

MAX_LENGTH = 500
MAX_NODES = 200
MAX_DEPTH = 32
NAME_WORDS = {
    "turn": "the loop's phase: 0 at the first frame, 1 at the end of the loop, which is the first frame again",
    "frame": "the frame, from 0; it may be fractional",
    "seconds": "the time since the first frame",
    "base": "the value's own fixed part",
    "index": "the number of the copy, or of the point where there are no copies, counted from 0",
    "count": "how many copies or points there are",
    "share": "index over count less one: 0 for the first, 1 for the last",
    "x": "where the copy or point is, in the figure's space",
    "y": "where the copy or point is, in the figure's space",
    "z": "where the copy or point is, in the figure's space",
    "weight": "the weight there of the field that limits the step, 1 without one",
    "pi": "3.14159…",
    "tau": "a whole turn in radians, 6.28318…",
    **{name: f"{ATTRIBUTES[name].words} (where it is carried)" for name in NUMBERS if name != "seed"},
    "seed": "a number of each copy's own, which it keeps; index + 1 where none is carried",
}
NAMES = frozenset(NAME_WORDS)
TIME_NAMES = frozenset({"frame", "seconds", "turn"})
ATTRIBUTE_NAMES = frozenset(NUMBERS)
COPY_NAMES = frozenset({"index", "share", "x", "y", "z", "weight", "count"}) | ATTRIBUTE_NAMES
OPERATORS = {
    "+": operator.add,
    "-": operator.sub,
    "*": operator.mul,
    "/": np.true_divide,
    "%": np.mod,
    "<": operator.lt,
    ">": operator.gt,
    "<=": operator.le,
    ">=": operator.ge,
    "==": operator.eq,
    "!=": operator.ne,
}
TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d*)?(?:[eE][+-]?\d{1,3})?|\.\d+(?:[eE][+-]?\d{1,3})?)"
    r"|(?P<name>[A-Za-z_]\w*)|(?P<reference>\{[^{}]*\})|(?P<mark><=|>=|==|!=|[-+*/%<>(),]))",
    re.ASCII,
)


@dataclass(frozen=True, slots=True)
class Node:
    """A number, a name, a reference, or an operation on other nodes."""

    sort: str
    content: object
    parts: tuple["Node", ...] = ()


class _Parser:
    def __init__(self, text: str):
        self.text = text
        self.node_count = 0
        self.depth = 0
        self.tokens = self._split(text)
        self.position = 0

    def fail(self, message: str, column: int):
        raise ProblemError(Problem("", f"{message}, at character {column + 1} of “{self.text}”", "formula.syntax"))

    def _split(self, text):
        tokens, at = [], 0
        text_end = len(text.rstrip())
        while at < text_end:
            match = TOKEN.match(text, at)
            if not match:
                column = at + len(text[at:]) - len(text[at:].lstrip())
                self.fail(f"“{text[column]}” has no meaning in a formula", column)
            sort = match.lastgroup
            tokens.append((sort, match.group(sort), match.start(sort)))
            at = match.end()
        tokens.append(("end", "", text_end))
        return tokens

    @property
    def token(self):
        return self.tokens[self.position]

    def take(self, *marks):
        sort, text, _ = self.token
        if sort == "mark" and text in marks:
            self.position += 1
            return text
        return None

    def node(self, sort, content, parts=()):
        self.node_count += 1
        if self.node_count > MAX_NODES:
            self.fail(f"the formula has more than {MAX_NODES} parts", self.token[2])
        return Node(sort, content, tuple(parts))

    def parse(self):
        tree = self.comparison()
        sort, text, column = self.token
        if sort != "end":
            hint = "; write pow(a, b) for powers" if text == "*" else ""
            self.fail(f"“{text}” is not expected{hint}", column)
        return tree

    def binary(self, part, marks, repeat=True):
        left = part()
        while mark := self.take(*marks):
            left = self.node("operation", mark, (left, part()))
            if not repeat:
                break
        return left

    def comparison(self):
        self.depth += 1
        if self.depth > MAX_DEPTH:
            self.fail(f"the formula is nested deeper than {MAX_DEPTH}", self.token[2])
        tree = self.binary(self.sum, ("<", ">", "<=", ">=", "==", "!="), repeat=False)
        self.depth -= 1
        return tree

    def sum(self):
        return self.binary(self.product, ("+", "-"))

    def product(self):
        return self.binary(self.signed, ("*", "/", "%"))

    def signed(self):
        signs = 0
        while mark := self.take("-", "+"):
            signs += mark == "-"
        inner = self.atom()
        return self.node("operation", "-", (self.node("number", 0.0), inner)) if signs % 2 else inner

    def atom(self):
        sort, text, column = self.token
        self.position += 1
        if sort == "number":
            return self.node("number", float(text))
        if sort == "reference":
            return self.node("reference", text[1:-1].strip())
        if sort == "name":
            return self.call(text, column) if self.take("(") else self.name(text, column)
        if sort == "mark" and text == "(":
            inner = self.comparison()
            self.close()
            return inner
        self.position -= 1
        hint = "; write pow(a, b) for powers" if text == "*" else ""
        self.fail("the formula ends too early" if sort == "end" else f"“{text}” is not expected{hint}", column)

    def name(self, text, column):
        if text not in NAMES:
            hint = "; it is a function and needs (…)" if text in FUNCTIONS else f"; known names: {_listed(NAMES)}"
            self.fail(f"“{text}” is not a name{hint}", column)
        return self.node("name", text)

    def call(self, text, column):
        if text not in FUNCTIONS:
            self.fail(f"“{text}” is not a function; known functions: {_listed(FUNCTIONS)}", column)
        parts = []
        if not self.take(")"):
            parts.append(self.comparison())
            while self.take(","):
                parts.append(self.comparison())
            self.close()
        fewest, most = FUNCTIONS[text].fewest, FUNCTIONS[text].most
        if not fewest <= len(parts) <= most:
            wanted = str(fewest) if fewest == most else f"{fewest} to {most}"
            self.fail(f"{text}() takes {wanted} values, not {len(parts)}", column)
        return self.node("call", text, parts)

    def close(self):
        if not self.take(")"):
            self.fail("a “)” is missing", self.token[2])


def _listed(names):
    return ", ".join(sorted(names))


def _walk(tree):
    yield tree
    for part in tree.parts:
        yield from _walk(part)


@dataclass(frozen=True)
class Formula:
    """A checked formula. `names` and `references` say what it depends on."""

    text: str
    tree: Node
    names: frozenset
    references: tuple[str, ...]

    @property
    def key_parts(self) -> tuple:
        return (self.text,)

    @property
    def uses_time(self) -> bool:
        return bool(self.names & TIME_NAMES) or any(
            node.sort == "call" and node.content == "loop_noise" for node in _walk(self.tree)
        )

    @property
    def uses_copies(self) -> bool:
        return bool(self.names & COPY_NAMES)

    def evaluate(self, around: Surroundings, base: float = 0.0):
        """Return a float, or an (N,) float64 array when a name that differs per copy is used.

        Raises ProblemError if a reference is unknown or the result is not finite.
        """
        with np.errstate(all="ignore"):
            result = self.run(around, base)
        is_array = isinstance(result, np.ndarray) and result.ndim > 0
        if not (np.isfinite(result).all() if is_array else math.isfinite(result)):
            raise ProblemError(
                Problem("", f"“{self.text}” is not a finite number at frame {around.moment.frame:g}", "formula.finite")
            )
        return np.asarray(result, np.float64) if is_array else float(result)

    @cached_property
    def run(self):
        """The formula as a function of the surroundings and the base, its tree walked once and for all."""
        return _compiled(self.tree)


def _compiled(node):
    """Return a function (around, base) -> number or array for a node of a checked tree."""
    content = node.content
    if node.sort == "number":
        return lambda around, base: content
    if node.sort == "name":
        if content in ATTRIBUTE_NAMES:
            return lambda around, base: _carried(around, content)
        return (lambda around, base: base) if content == "base" else (lambda around, base: around.names[content])
    if node.sort == "reference":
        return lambda around, base: _looked_up(around, content)
    parts = [_compiled(part) for part in node.parts]
    if content == "loop_noise":
        first, second = parts[0], parts[1] if len(parts) > 1 else lambda around, base: 0.0
        return lambda around, base: loop_noise(first(around, base), second(around, base), around.moment.turn)
    if content == "noise":
        parts = (parts + [lambda around, base: 0.5] * 2)[:3]
    function = (
        OPERATORS[content] if node.sort == "operation" else noise if content == "noise" else FUNCTIONS[content].run
    )
    if len(parts) == 1:
        (only,) = parts
        return lambda around, base: function(only(around, base))
    if len(parts) == 2:
        left, right = parts
        return lambda around, base: function(left(around, base), right(around, base))
    return lambda around, base: function(*[part(around, base) for part in parts])


def _carried(around, name):
    """What copies or points carry under a name."""
    if around.attributes is None:
        return 0.0
    values = around.attributes.get(name)
    if values is None and name == "seed":
        return around.index + 1
    if values is None:
        there = ", ".join(sorted(around.attributes)) or "none"
        raise ProblemError(
            Problem("", f"nothing here carries “{name}”; attributes there are: {there}", "formula.attribute")
        )
    return values


def _looked_up(around, reference):
    try:
        return around.lookup(reference)
    except KeyError as error:
        # It may be one that the reference needs in its turn.
        name = error.args[0]
        raise ProblemError(Problem("", f"nothing in the scene is called “{name}”", "formula.reference")) from None


@lru_cache(maxsize=4096)
def parse_formula(text: str) -> Formula:
    """Read a formula; raises ProblemError that says what is wrong and at which character."""
    if len(text) > MAX_LENGTH:
        raise ProblemError(
            Problem("", f"the formula has {len(text)} characters; allowed up to {MAX_LENGTH}", "formula.length")
        )
    tree = _Parser(text).parse()
    nodes = list(_walk(tree))
    formula = Formula(
        text,
        tree,
        frozenset(node.content for node in nodes if node.sort == "name"),
        tuple(node.content for node in nodes if node.sort == "reference"),
    )
    if not formula.names and not formula.references:
        formula.evaluate(Surroundings(moment=Moment()))
    return formula
