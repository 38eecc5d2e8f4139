"""The seam as it is seen: pictures across it against ordinary neighbours."""

import json

import pytest

from pirouette import cli
from pirouette.document import read_scene
from pirouette.render.wrap import measure_wrap
from tests.scenes import DEMO, demo_scene, document, figure, keyed, look, step

LOOKS = [look("surface", colour="#ffffff")]


def loop(**place):
    return read_scene(document(figure(step("box"), looks=LOOKS, place=place)))


def test_a_loop_that_closes_looks_as_even_as_its_neighbours():
    wrap = measure_wrap(loop(rotation=[0, 0, keyed((0, 0), (96, 90))]))
    # A square box turned by a quarter looks like itself: closed to the eye.
    assert wrap.is_closed
    assert wrap.ratio == pytest.approx(1, abs=0.35)


def test_a_jump_is_seen():
    wrap = measure_wrap(loop(position=[keyed((0, -100), (96, 100)), 0, 0]))
    assert not wrap.is_closed
    assert wrap.ratio > 10


def test_what_stands_still_is_closed():
    wrap = measure_wrap(loop())
    assert wrap.across == 0
    assert wrap.is_closed


def test_a_demo_loop_is_closed_to_the_eye():
    assert measure_wrap(demo_scene("pinwheel-wall")).is_closed


def test_the_command_line_compares_the_pictures(capsys):
    assert not cli.main(["seam", str(DEMO / "box-kite-turning.json"), "--pictures", "--json"])
    assert json.loads(capsys.readouterr().out)["pictures"]["closed"] is True
    cli.main(["seam", str(DEMO / "box-kite-turning.json"), "--pictures"])
    assert "as neighbours do" in capsys.readouterr().out
