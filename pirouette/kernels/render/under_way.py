"""Rays under way: where they are, which fragments they began at, and what they met last."""

from typing import NamedTuple

import numpy as np

from ..compile import bare_kernel, kernel
from ..embree import NOTHING
from ..types import F, I
from .fragment import BLOCK, TABLE_SIZE
from .shares import SCOUTS
from .through import Scratch, new_scratch

# Numbers of rays lie so far apart: one more than BLOCK has room, for one that is looked at aside.
SPAN = BLOCK + 1
ASIDE = BLOCK


class Paths(NamedTuple):
    """Rays under way, at most BLOCK, and what they met last."""

    table: np.ndarray  # float32: what was met, as fragments
    of: np.ndarray  # int32: the fragment that each began at
    into: np.ndarray  # int32: the stretch of numbers of that fragment that what it sees is added to
    turns: np.ndarray  # int32: which places it asks, below SCOUTS
    mirrors: np.ndarray  # int32: so many times it was mirrored
    within: np.ndarray  # int32: the clear body that it is in, as a copy, or NOTHING, and
    around: np.ndarray  # int32: the one that this is in
    part: np.ndarray  # int32: what it met last, or is sent to
    copy: np.ndarray  # int32
    is_behind: np.ndarray  # bool: whether it met that from behind
    is_fresh: np.ndarray  # bool: whether it comes from the eye, to a part whose own light is known already
    own: np.ndarray  # int32: the copy of the mirror that it comes from, or NOTHING
    near: np.ndarray  # float32: nearer than this it does not meet the faces that go on from where it begins
    leaves: np.ndarray  # (3 * SPAN,) float32: the normal there
    lit_by: np.ndarray  # float32: of that mirror
    rough: np.ndarray  # float32: of that, or of what it came through
    gone: np.ndarray  # float32: how far it has gone, from the eye on
    carried: np.ndarray  # (3 * SPAN,) float32: how much of what it sees comes back, red, then green, then blue
    begins: np.ndarray  # (3 * SPAN,) float32; of one that has met something, where that is
    ways: np.ndarray  # (3 * SPAN,) float32
    scratch: Scratch


@kernel
def new_paths(are_sent):
    """Return room for BLOCK rays, or for none."""
    size, span = (TABLE_SIZE, SPAN) if are_sent else (0, 0)
    return Paths(
        np.zeros(size, F), np.zeros(span, I), np.zeros(span, I), np.zeros(span, I), np.zeros(span, I),
        np.zeros(span, I), np.zeros(span, I), np.zeros(span, I), np.zeros(span, I), np.zeros(span, np.bool_),
        np.zeros(span, np.bool_), np.zeros(span, I), np.zeros(span, F), np.zeros(3 * span, F), np.zeros(span, F),
        np.zeros(span, F), np.zeros(span, F), np.zeros(3 * span, F), np.zeros(3 * span, F), np.zeros(3 * span, F),
        new_scratch(),
    )  # fmt: skip


@bare_kernel
def begin_path(paths, j, i, into, share, turn):
    """Begin a ray that gives so much of what it sees to fragment i, from outside of all that is clear."""
    for k in range(3):
        paths.carried[k * SPAN + j] = share
    paths.of[j] = i
    paths.into[j] = into
    paths.turns[j] = turn & (SCOUTS - 1)
    paths.mirrors[j] = 0
    paths.within[j] = paths.around[j] = NOTHING
    paths.is_fresh[j] = False
    paths.own[j] = NOTHING


@bare_kernel
def move(paths, j, to):
    """Write what is known of a ray at another place, too."""
    paths.of[to], paths.into[to], paths.turns[to], paths.gone[to] = (
        paths.of[j], paths.into[j], paths.turns[j], paths.gone[j]
    )  # fmt: skip
    paths.mirrors[to], paths.within[to], paths.around[to] = paths.mirrors[j], paths.within[j], paths.around[j]
    paths.part[to], paths.copy[to] = paths.part[j], paths.copy[j]
    paths.is_behind[to], paths.is_fresh[to] = paths.is_behind[j], paths.is_fresh[j]
    paths.rough[to], paths.lit_by[to] = paths.rough[j], paths.lit_by[j]
    paths.own[to], paths.near[to] = paths.own[j], paths.near[j]
    for k in range(3):
        paths.leaves[k * SPAN + to] = paths.leaves[k * SPAN + j]
        paths.carried[k * SPAN + to] = paths.carried[k * SPAN + j]
        paths.begins[k * SPAN + to] = paths.begins[k * SPAN + j]
        paths.ways[k * SPAN + to] = paths.ways[k * SPAN + j]


@bare_kernel
def strength_of(paths, j):
    return max(paths.carried[j], max(paths.carried[SPAN + j], paths.carried[2 * SPAN + j]))
