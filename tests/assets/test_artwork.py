"""Drawings: hard files, hostile files, and anything at all."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pirouette.assets.library import Asset
from pirouette.assets.svg import read_svg
from pirouette.data import ProblemError
from pirouette.geometry.join import expanded
from tests.assets.made import PACKAGES, QUICK, SVG, make, svg
from tests.kinds.test_forms import volume


def test_shapes_transforms_groups_and_colours_are_read():
    drawing = svg(
        '<g transform="translate(10 20) scale(2)" fill="#ff0000"><rect width="10" height="5"/></g>'
        '<circle cx="50" cy="50" r="10" style="fill:none;stroke:#00ff00;stroke-width:4"/>'
        '<path d="M0 0 H10 V10 Z m2 2 h4 v4 z" fill-rule="evenodd" fill="blue"/>'
    )
    rect, circle, path = drawing.shapes
    points = rect.contours[0].flattened(1)
    np.testing.assert_allclose([points.min(axis=0), points.max(axis=0)], [[10, -30], [30, -20]])
    assert rect.fill.tolist() == [1, 0, 0]
    assert circle.fill is None
    assert (circle.stroke.tolist(), circle.stroke_width) == ([0, 1, 0], 4)
    assert (len(path.contours), path.fill_rule) == (2, "evenodd")


def test_a_use_is_drawn_where_it_is_used():
    drawing = svg('<defs><rect id="r" width="4" height="4"/></defs><use xlink:href="#r" x="50"/><use href="#r"/>')
    assert [round(float(one.contours[0].flattened(1)[:, 0].min())) for one in drawing.shapes] == [50, 0]


def artwork(body, **raw):
    return make("artwork", Asset("a.svg", "artwork", SVG.format(body).encode()), **raw)


def test_each_path_and_stroke_is_a_piece_with_its_colour():
    copies = artwork(
        '<rect width="40" height="40" fill="#ff0000" stroke="#0000ff" stroke-width="4"/>'
        '<rect x="60" width="40" height="40" fill="#ffffff" opacity="0.5"/>'
    )
    assert copies.count == 3
    np.testing.assert_allclose(copies.colours, [[1, 0, 0], [0, 0, 1], [1, 1, 1]])
    np.testing.assert_allclose(copies.opacity, [1, 1, 0.5])
    assert (np.diff(copies.position[:, 2]) >= 0).all()


def test_artwork_is_fitted_to_its_size_and_pushed_to_its_depth():
    copies = artwork('<rect width="80" height="20"/>', size=200, depth=10)
    low, high = expanded(copies).bounds
    np.testing.assert_allclose(high - low, [200, 50, 10], rtol=1e-5)
    assert volume(expanded(copies)) == pytest.approx(200 * 50 * 10, rel=1e-4)


def test_outlines_are_closed_opened_or_a_middle_line():
    body = '<path d="M0 0 H100 V6 H0 Z"/>'
    closed, opened, middle = (
        expanded(artwork(body, drawn="outlines", outline=outline)).topology.lines
        for outline in ("closed", "opened", "centre line")
    )
    assert closed.closed.tolist() == [True]
    assert opened.closed.tolist() == [False]
    assert len(opened.corners) == len(closed.corners) + 1
    assert middle.closed.tolist() == [False]


@pytest.mark.parametrize("folder", ["lucide-static/icons", "flag-icons/flags/4x3"])
def test_drawings_of_the_registry_are_read_and_made(folder):
    files = sorted((PACKAGES / folder).glob("*.svg"))
    assert len(files) > 200
    # Every one is read; those that are quick to make are made too.
    for path in files[::9]:
        drawing = read_svg(path.read_bytes())
        low, high = drawing.bounds
        assert (high > low).any(), path.name
        if path.stat().st_size < 4000:
            copies = make("artwork", Asset("a.svg", "artwork", path.read_bytes()), detail=2)
            assert np.isfinite(expanded(copies).points).all()


BOMB = "".join(
    f'<g id="g{n + 1}">{f"<use xlink:href=#g{n}/>".replace("#", chr(34) + "#").replace("/>", chr(34) + "/>") * 10}</g>'
    for n in range(9)
)
HOSTILE = {
    "entities": ('<!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><svg>&b;</svg>', "entities"),
    "an external entity": ('<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]><svg>&x;</svg>', "entities"),
    "uses upon uses": (SVG.format(f'<rect id="g0" width="1" height="1"/>{BOMB}'), "more than 20,000 elements"),
    "a use of itself": (SVG.format('<g id="a"><use xlink:href="#a"/></g>'), "contains itself"),
    "deep nesting": (SVG.format("<g>" * 300 + "</g>" * 300), "nested deeper"),
    "too many segments": (SVG.format(f'<path d="M0 0{"l1 1" * 250_000}"/>'), "more than 200,000 segments"),
    "no SVG": ("<html><body/></html>", "not SVG"),
    "no XML": ("PNG\r\n", "not SVG"),
    "no shapes": (SVG.format("<title>Nothing</title>"), "no paths"),
    "endless numbers": (SVG.format('<path d="M0 0L1e300 1e300L1 1Z" fill="red"/>'), "usable number"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_hostile_drawings_are_refused_with_a_reason(name):
    text, says = HOSTILE[name]
    with pytest.raises(ProblemError, match=says):
        read_svg(text.encode())


def test_scripts_pictures_and_outside_references_are_left_out_and_told():
    drawing = svg(
        '<script>alert(1)</script><image href="http://x.test/a.png"/><rect onload="x()" width="9" height="9"/>'
        "<text>Hi</text><style>@import url(http://x.test/a.css); .a { fill: url(http://x.test) }</style>"
        '<use href="http://x.test/b.svg#c"/>'
    )
    told = " ".join(drawing.notes)
    assert len(drawing.shapes) == 1
    for words in ("scripts were left out", "pictures were left out", "other files", "text was left out"):
        assert words in told


PATHS = st.text(alphabet="MmLlHhVvCcSsQqTtAaZz0123456789 .,-+eE", max_size=80)
ATTRIBUTES = st.text(alphabet="abcxyz0123456789#(), .-%;:", max_size=30)


@QUICK
@given(PATHS, ATTRIBUTES, ATTRIBUTES)
def test_any_path_is_read_or_refused(path, transform, colour):
    try:
        svg(f'<path d="{path}" transform="{transform}" fill="{colour}" stroke="{colour}"/>')
    except ProblemError as error:
        assert error.problems


@QUICK
@given(st.binary(max_size=300))
def test_any_bytes_are_no_drawing_but_do_no_harm(data):
    with pytest.raises(ProblemError):
        read_svg(b"<svg" + data)
