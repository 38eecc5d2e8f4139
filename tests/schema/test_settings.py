"""Declared settings: defaults, ranges, and all mistakes at once."""

import inspect
import time
from concurrent.futures import ThreadPoolExecutor

import pytest

from pirouette import catalogue
from pirouette.data import ProblemError
from pirouette.schema import Kind, Settings, integer, number, read_settings
from pirouette.values import Moment, Surroundings
from tests.scenes import formula, keyed

KINDS = catalogue.STEPS


def test_every_mistake_is_told_at_once_with_path_value_and_what_is_allowed():
    raw = {"angle": "much", "axis": "w", "speed": 3}
    with pytest.raises(ProblemError) as error:
        read_settings(KINDS["twist"].settings, raw, "figures/Ribbon/routine/1 (twist)")
    told = [str(problem) for problem in error.value.problems]
    assert told == [
        "figures/Ribbon/routine/1 (twist)/angle: “much” is not a number; allowed any number up to 1e+09 [value.number]",
        "figures/Ribbon/routine/1 (twist)/axis: “w” is not one of x, y, z [value.choice]",
        "figures/Ribbon/routine/1 (twist)/speed: there is no such setting; "
        "allowed angle, axis, within, position, rotation, extent [setting.unknown]",
    ]


def test_hard_ranges_hold_when_read_and_soft_ones_do_not():
    sphere = KINDS["sphere"].settings
    assert read_settings(sphere, {"radius": 5000}, "").resolve().radius == 5000
    with pytest.raises(ProblemError, match="-1 is below 0; allowed 0 to 1e\\+09"):
        read_settings(sphere, {"radius": -1}, "")


def test_computed_numbers_are_brought_into_the_hard_range():
    settings = read_settings(KINDS["sphere"].settings, {"rings": formula("frame - 50")}, "")
    assert settings.resolve(Surroundings(moment=Moment(0))).rings == 2
    assert settings.resolve(Surroundings(moment=Moment(60.4))).rings == 10


def test_settings_that_never_move_are_resolved_once():
    around = [Surroundings(moment=Moment(frame, 24, 24, True)) for frame in (0, 7)]
    grid = KINDS["grid"].settings({"columns": 3})
    assert grid.resolve(around[0]) is grid.resolve(around[1])
    assert grid.resolve().columns == 3
    twist = KINDS["twist"].settings({"angle": keyed((0, 0), (24, 24))})
    assert [twist.resolve(one).angle for one in around] == [0, 7]


def test_whole_numbers_refuse_parts():
    with pytest.raises(ProblemError, match="not a whole number"):
        read_settings(KINDS["box"].settings, {"parts": 2.5}, "")


def test_a_formula_per_copy_is_refused_where_there_is_one_value_for_all():
    with pytest.raises(ProblemError, match="one value for all copies"):
        read_settings(KINDS["burst"].settings, {"chance": formula("index * 5")}, "")


def test_moving_names_the_settings_that_may_change():
    settings = read_settings(KINDS["twist"].settings, {"angle": keyed((0, 0), (9, 90))}, "")
    assert list(settings.moving()) == ["angle"]


def test_a_problem_at_a_frame_names_the_setting():
    settings = read_settings(KINDS["twist"].settings, {"angle": formula("1 / (frame - 7)")}, "")
    assert settings.resolve(Surroundings(moment=Moment(6))).angle == -1
    with pytest.raises(ProblemError, match="angle: .*not a finite number at frame 7"):
        settings.resolve(Surroundings(moment=Moment(7)))


def test_a_sentence_can_only_name_settings():
    class Some(Settings):
        size: float = number(1)
        """A size."""

    with pytest.raises(ValueError, match="unknown settings: colour"):
        Kind("some", "form", Some, None, "Some **{colour}**")
    with pytest.raises(ValueError, match="allowed form, repeat"):
        Kind("some", "shape", Some, None, "Some **{size}**")


def test_help_comes_from_the_docstring():
    class Some(Settings):
        count: int = integer(3, hard=(1, None))
        """How many."""

    (described,) = Some.describe()
    assert described["help"] == "How many."
    assert described["hard"] == (1, None)
    assert described["sort"] == "integer"


def test_texts_are_read_by_one_thread_at_a_time(monkeypatch):
    """Python's own parser cannot be used from two at once at different depths."""

    class Some(Settings):
        count: int = integer(3)
        """How many."""

    class Other(Settings):
        size: float = number(1)
        """A size."""

    source, inside, most = inspect.getsource, [], []

    def slowly(cls):
        inside.append(cls)
        most.append(len(inside))
        time.sleep(0.05)
        inside.remove(cls)
        return source(cls)

    monkeypatch.setattr(inspect, "getsource", slowly)
    with ThreadPoolExecutor(2) as threads:
        list(threads.map(lambda cls: cls.describe(), (Some, Other)))
    assert most == [1, 1]
