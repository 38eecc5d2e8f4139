"""The four sorts of value against closed forms."""

import numpy as np
import pytest

from pirouette.data import ProblemError
from pirouette.data.light import linear_light
from pirouette.values import Moment, Surroundings, read_colour, read_number, read_vector
from tests.scenes import formula, keyed, swing


def at(value, frame, count=96):
    return value.at(Surroundings(moment=Moment(frame, count)))


def test_linear_keys_lie_on_a_line():
    value = read_number(keyed((0, 10), (10, 30)))
    assert [at(value, frame) for frame in (0, 2.5, 10)] == [10, 15, 30]


def test_smooth_keys_start_and_end_at_rest():
    value = read_number(keyed((0, 0), (10, 1), ease="smooth"))
    assert at(value, 5) == 0.5
    assert at(value, 0.01) < 1e-5
    assert at(value, 2.5) == pytest.approx(0.15625)


def test_hold_waits_for_the_next_key():
    value = read_number(keyed((0, 1), (10, 5), ease="hold"))
    assert at(value, 9.99) == 1
    assert at(value, 10) == 5


def test_handles_that_lie_on_the_line_give_the_line():
    raw = keyed((0, 0), (12, 12))
    raw["keys"][0] |= {"ease": "handles", "leave": [4, 4]}
    raw["keys"][1] |= {"arrive": [-4, -4]}
    value = read_number(raw)
    assert [at(value, frame) for frame in (1, 3, 7.5)] == pytest.approx([1, 3, 7.5], abs=1e-9)


def test_handles_are_monotone_in_time():
    raw = keyed((0, 0), (10, 1))
    raw["keys"][0] |= {"ease": "handles", "leave": [30, 0]}
    raw["keys"][1] |= {"arrive": [-30, 0]}
    samples = [at(read_number(raw), frame) for frame in np.linspace(0, 10, 60)]
    assert np.all(np.diff(samples) >= -1e-9)


@pytest.mark.parametrize(
    ("rule", "expected"),
    [("hold", [0, 10]), ("repeat", [5, 5]), ("mirror", [5, 5]), ("continue", [-5, 15])],
)
def test_outside_the_keys_the_rule_holds(rule, expected):
    value = read_number(keyed((10, 0), (20, 10), before=rule, after=rule))
    assert [at(value, 5), at(value, 25)] == pytest.approx(expected, abs=1e-9)


def test_a_repeat_is_periodic_to_a_millionth():
    value = read_number(keyed((0, 0), (7, 3), (24, 11), ease="smooth", after="repeat"))
    for frame in np.linspace(0, 23.9, 30):
        assert at(value, frame + 24 * 5) == pytest.approx(at(value, frame), abs=1e-6)


def test_a_sine_swing_goes_round_its_middle():
    value = read_number(swing(10, 4))
    assert [at(value, frame) for frame in (0, 24, 48, 72, 96)] == pytest.approx([10, 14, 10, 6, 10])


@pytest.mark.parametrize(
    ("shape", "expected"), [("triangle", [0, 1, 0, -1]), ("square", [1, 1, -1, -1]), ("sine", [0, 1, 0, -1])]
)
def test_swings_have_the_shape_they_say(shape, expected):
    value = read_number(swing(0, 1, shape=shape))
    assert [at(value, frame) for frame in (0, 24, 48, 72)] == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize("shape", ["sine", "triangle", "square", "noise"])
@pytest.mark.parametrize("times", [1, 2, 5])
def test_whole_turns_close(shape, times):
    value = read_number(swing(3, 7, shape=shape, times=times, phase=0.3))
    assert at(value, 96) == pytest.approx(at(value, 0), abs=1e-6)


def test_a_vector_moves_part_by_part():
    value = read_vector([1, keyed((0, 0), (10, 5)), formula("frame * 2")])
    np.testing.assert_allclose(at(value, 10), [1, 5, 20])
    assert value.moves


def test_a_formula_per_copy_makes_a_vector_per_copy():
    value = read_vector([0, formula("index"), 2])
    around = Surroundings().for_copies(np.zeros((4, 3)), np.ones(4))
    np.testing.assert_allclose(value.at(around), [[0, i, 2] for i in range(4)])


def test_colours_are_linear_light():
    np.testing.assert_allclose(at(read_colour("#ffffff"), 0), 1)
    np.testing.assert_allclose(linear_light("#808080"), 0.21586, atol=1e-4)


def test_keyed_colours_mix_in_linear_light():
    value = read_colour(keyed((0, "#000000"), (10, "#ffffff")))
    np.testing.assert_allclose(at(value, 5), 0.5)


def test_a_formula_blends_between_two_colours():
    value = read_colour(formula("frame / 10", **{"from": "#000000", "to": "#ff0000"}))
    np.testing.assert_allclose(at(value, 5), [0.5, 0, 0])
    np.testing.assert_allclose(at(value, 50), [1, 0, 0])


def test_signs_are_equal_exactly_when_values_are():
    value = read_number(keyed((0, 1), (10, 5), ease="hold"))
    around = [Surroundings(moment=Moment(frame)) for frame in (0, 5, 10)]
    signs = [value.sign(one, value.at(one)) for one in around]
    assert signs[0] == signs[1] != signs[2]


@pytest.mark.parametrize(
    ("raw", "path", "says"),
    [
        ("text", "", "is not a number"),
        (True, "", "is not a number"),
        (None, "", "is not a number"),
        (float("nan"), "", "not a finite number"),
        (float("inf"), "", "not a finite number"),
        ({"sort": "wobble"}, "sort", "keyed, swing, formula"),
        ({"sort": "keyed", "keys": []}, "keys", "1 to 10000"),
        ({"sort": "keyed", "keys": [{"frame": 0}]}, "keys/0/value", "is not a number"),
        ({"sort": "keyed", "keys": [{"frame": 0, "value": 1, "ease": "bouncy"}]}, "keys/0/ease", "smooth, linear"),
        (keyed((3, 1), (3, 2)), "keys", "two keys at frame 3"),
        ({"sort": "swing", "middle": "x"}, "middle", "is not a number"),
        ({"sort": "swing", "shape": "saw"}, "shape", "sine, triangle"),
        ({"sort": "swing", "speed": 1}, "speed", "unknown"),
        ({"sort": "formula"}, "text", "is not a formula"),
        ({"sort": "formula", "text": "1 +"}, "text", "ends too early"),
    ],
)
def test_wrong_values_are_refused_with_their_path(raw, path, says):
    with pytest.raises(ProblemError) as error:
        read_number(raw)
    assert error.value.problems[0].path == path
    assert says in error.value.problems[0].message


def test_a_vector_names_every_wrong_part():
    with pytest.raises(ProblemError) as error:
        read_vector(["a", 1, float("nan")])
    assert [problem.path for problem in error.value.problems] == ["0", "2"]


@pytest.mark.parametrize("raw", ["red", "#12345", "#gggggg", 5, None, ["#ffffff"]])
def test_wrong_colours_are_refused(raw):
    with pytest.raises(ProblemError, match="#rrggbb"):
        read_colour(raw)
