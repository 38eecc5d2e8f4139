"""Typefaces, and lettering made with them."""

import numpy as np
import pytest

from pirouette.assets.font import read_font
from pirouette.assets.library import shipped
from pirouette.data import ProblemError
from pirouette.geometry.join import expanded
from tests.assets.made import PACKAGES, lettering


@pytest.mark.parametrize("face", shipped().ids())
def test_every_shipped_typeface_sets_words_as_closed_solids(face):
    copies = lettering("Kite & 89", face, depth=10, bevel=1, bevel_steps=2)
    assert copies.count == 7
    assert all(source.topology.is_closed for source in copies.sources)


def test_pairs_are_kerned_and_letters_joined():
    font = shipped().find("gloock.woff2").content
    both, apart = font.shape("AV"), [font.shape(letter)[0] for letter in "AV"]
    assert both[1].x < apart[0].advance - 0.01
    assert len(font.shape("fi")) == 1


def test_letters_words_and_lines_are_copies_in_reading_order():
    text = "ab cd\nef"
    counts = {pieces: lettering(text, pieces=pieces).count for pieces in ("letters", "words", "lines", "one piece")}
    assert counts == {"letters": 6, "words": 3, "lines": 2, "one piece": 1}
    letters = lettering(text)
    assert (np.diff(letters.position[:4, 0]) > 0).all()
    assert letters.position[4, 1] < letters.position[0, 1]


def test_a_letter_that_comes_twice_is_one_source():
    copies = lettering("oo o")
    assert (copies.count, len(copies.sources)) == (3, 1)


@pytest.mark.parametrize(("align", "edge"), [("left", 0), ("middle", 0.5), ("right", 1)])
def test_lines_are_aligned_at_the_origin(align, edge):
    for line in ("Kite", "Kite week"):
        mesh = expanded(lettering(line, align=align, pieces="one piece"))
        low, high = mesh.bounds
        assert low[0] + (high[0] - low[0]) * edge == pytest.approx(0, abs=8)


def test_tracking_adds_space_and_leading_moves_lines():
    wide, narrow = (lettering("abc", tracking=t).position[:, 0] for t in (0.2, 0))
    assert np.diff(wide) == pytest.approx(np.diff(narrow) + 20, abs=1e-3)
    near, far = (np.ptp(lettering("a\na", leading=leading).position[:, 1]) for leading in (1, 2))
    assert far == pytest.approx(near * 2, rel=1e-4)


def test_a_letter_has_the_hole_it_should_have():
    (source,) = lettering("o").sources
    topology = source.topology
    assert topology.point_count - len(topology.face_edges) + topology.face_count == 0


def test_scripts_that_reorder_and_join_are_shaped():
    path = PACKAGES / "@fontsource/noto-sans-devanagari/files/noto-sans-devanagari-devanagari-400-normal.woff2"
    font = read_font(path.read_bytes())
    # The vowel sign i is written after its consonant and stands before it.
    shaped = font.shape("\u0915\u093f")
    assert len(shaped) == 2
    single = font.shape("\u0915")[0].number
    assert [glyph.number for glyph in shaped].index(single) == 1


@pytest.mark.parametrize("weight", ["400-normal", "700-italic"])
def test_fonts_of_the_registry_are_read(weight):
    data = (PACKAGES / f"@fontsource/noto-serif/files/noto-serif-latin-{weight}.woff2").read_bytes()
    font = read_font(data)
    assert all(font.contours(glyph.number) for glyph in font.shape("Quick"))


def test_what_is_no_font_is_refused_in_words():
    for data in (b"", b"wOF2" + bytes(60), b"\0\1\0\0" + bytes(300), b"<svg/>"):
        with pytest.raises(ProblemError, match=r"font"):
            read_font(data)
