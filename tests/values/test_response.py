"""Response curves: what their points may be, and the course they take."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pirouette.data.problem import ProblemError
from pirouette.values.response import STEPS, read_response

HUMP = [[0, 0], {"at": [0.5, 1], "arrive": [-0.2, 0], "leave": [0.2, -0.1]}, [1, 0.2]]
SHARE = st.floats(0, 1, width=32)
POINT = st.one_of(
    st.tuples(SHARE, SHARE).map(list),
    st.fixed_dictionaries(
        {"at": st.tuples(SHARE, SHARE).map(list)},
        optional={
            "arrive": st.tuples(SHARE, st.floats(-1, 1)).map(lambda pair: [-pair[0], pair[1]]),
            "leave": st.tuples(SHARE, st.floats(-1, 1)).map(list),
        },
    ),
)


def test_corners_are_what_was_written_in_the_order_of_their_places():
    assert read_response([[1, 0.2], [0, 0], [0.5, 1]], 32).tolist() == [[0, 0], [0.5, 1], [1, 0.2]]


def test_round_parts_are_cubic_stretches_by_their_handles():
    rows = read_response(HUMP, 32)
    assert len(rows) == 1 + 2 * STEPS
    t = np.linspace(0, 1, STEPS + 1)
    rising = 3 * t**2 * (1 - t) * 0.3 + t**3 * 0.5, 3 * t**2 * (1 - t) + t**3
    np.testing.assert_allclose(rows[: STEPS + 1], np.stack(rising, axis=1), atol=1e-12)
    falling = (
        (1 - t) ** 3 * 0.5 + 3 * t * (1 - t) ** 2 * 0.7 + 3 * t**2 * (1 - t) + t**3,
        (1 - t) ** 3 + 3 * t * (1 - t) ** 2 * 0.9 + (3 * t**2 * (1 - t) + t**3) * 0.2,
    )
    np.testing.assert_allclose(rows[STEPS:], np.stack(falling, axis=1), atol=1e-12)


def test_where_no_handle_reaches_it_stays_straight():
    rows = read_response([[0, 0], [0.2, 0.6], {"at": [0.5, 1], "leave": [0.2, 0]}, [1, 0.2]], 32)
    assert rows[:3].tolist() == [[0, 0], [0.2, 0.6], [0.5, 1]]
    assert len(rows) == 3 + STEPS


def test_a_handle_that_reaches_too_far_is_shortened_not_turned():
    long = read_response([{"at": [0.2, 0.5], "leave": [0.9, 0.3]}, [0.5, 0.5]], 32)
    short = read_response([{"at": [0.2, 0.5], "leave": [0.3, 0.1]}, [0.5, 0.5]], 32)
    np.testing.assert_allclose(long, short, atol=1e-12)


@given(st.lists(POINT, min_size=2, max_size=6))
@settings(max_examples=150, deadline=None)
def test_it_never_turns_back_nor_leaves_the_square_and_meets_its_points(points):
    rows = read_response(points, 32)
    assert (np.diff(rows[:, 0]) >= -1e-12).all()
    assert rows.min() >= 0
    assert rows.max() <= 1
    written = {tuple(point if isinstance(point, list) else point["at"]) for point in points}
    assert written <= {tuple(row) for row in rows.tolist()}


@pytest.mark.parametrize(
    ("raw", "path", "words"),
    [
        ([[0, 0]], "", "allowed a list of 2 to 32 points"),
        ([[0, 0], [1]], "1", "allowed [in, out]"),
        ([[0, 0], "up"], "1", "allowed [in, out], or at, arrive and leave"),
        ([[0, 0], {"arrive": [0, 0]}], "1", "allowed [in, out], or at, arrive and leave"),
        ([[0, 0], {"at": [1, 1], "out": [0, 0]}], "1", "allowed [in, out], or at, arrive and leave"),
        ([[0, 0], [1, 2]], "1/1", "above 1"),
        ([[0, 0], {"at": [1, -1]}], "1/at/1", "below 0"),
        ([{"at": [0, 0], "leave": [-0.1, 0]}, [1, 1]], "0/leave/0", "below 0"),
        ([[0, 0], {"at": [1, 1], "arrive": [0.1, 0]}], "1/arrive/0", "above 0"),
        ([[0, 0], {"at": [1, 1], "arrive": [-0.1]}], "1/arrive", "allowed [in, out]"),
        ([[0, 0], {"at": [1, 1], "arrive": [-0.1, float("nan")]}], "1/arrive/1", "finite"),
    ],
)
def test_what_is_wrong_is_told_with_its_place(raw, path, words):
    with pytest.raises(ProblemError) as error:
        read_response(raw, 32)
    (problem,) = error.value.problems
    assert problem.path == path
    assert words in problem.message
