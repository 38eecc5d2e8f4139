"""Readers of fonts, artwork, models and pictures: hard files, hostile files, and anything at all."""

import io
import json
import struct
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from pirouette import catalogue
from pirouette.assets.font import read_font
from pirouette.assets.library import Asset, FolderLibrary, id_of, shipped, sort_of
from pirouette.assets.model import read_model
from pirouette.assets.picture import read_picture
from pirouette.assets.svg import read_svg
from pirouette.data import Copies, ProblemError
from pirouette.data.link import Link
from pirouette.data.texture import sample_pixels
from tests.kinds.test_forms import area, volume
from tests.scenes import ROOT

STEPS = catalogue.table(catalogue.STEPS)
PACKAGES = ROOT / "node_modules"
SVG = (
    '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 100 100">{}</svg>'
)
QUICK = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])


def svg(body: str):
    return read_svg(SVG.format(body).encode())


def make(kind, asset, **raw):
    name = "typeface" if kind == "lettering" else "file"
    resolved = STEPS[kind].settings.model_validate({name: asset.id, **raw}).resolve()
    return STEPS[kind].call(settings=resolved, links={name: Link("a", np.eye(4), asset=asset)})


def lettering(text, face="instrument-sans.woff2", **raw) -> Copies:
    return make("lettering", shipped().find(face), text=text, **raw)


# Typefaces and lettering


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
        mesh = lettering(line, align=align, pieces="one piece").expanded()
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


# Artwork


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
    low, high = copies.expanded().bounds
    np.testing.assert_allclose(high - low, [200, 50, 10], rtol=1e-5)
    assert volume(copies.expanded()) == pytest.approx(200 * 50 * 10, rel=1e-4)


def test_outlines_are_closed_opened_or_a_middle_line():
    body = '<path d="M0 0 H100 V6 H0 Z"/>'
    closed, opened, middle = (
        artwork(body, drawn="outlines", outline=outline).expanded().topology.lines
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
            assert np.isfinite(copies.expanded().points).all()


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


# Models


def exported(kind, mesh=None) -> bytes:
    data = (mesh or trimesh.creation.box((2, 3, 4))).export(file_type=kind)
    return data if isinstance(data, bytes) else data.encode()


@pytest.mark.parametrize("suffix", ["obj", "ply", "stl", "glb"])
def test_every_format_keeps_area_and_volume(suffix):
    mesh = trimesh.creation.torus(3, 1)
    (part,) = read_model(exported(suffix, mesh), f".{suffix}")
    assert part.mesh.topology.is_closed
    assert area(part.mesh) == pytest.approx(mesh.area, rel=1e-4)
    assert volume(part.mesh) == pytest.approx(mesh.volume, rel=1e-4)


OBJ = """o Lid
v 0 0 0
v 2 0 0
v 2 1 0
v 0 1 0
v 1 2 0
f 1 2 3 4
o Roof
usemtl red
f -2//1 -3//1 -1//1
"""


def test_polygons_and_parts_of_an_obj_are_kept():
    lid, roof = read_model(OBJ.encode(), ".obj")
    assert (lid.name, roof.name) == ("Lid", "Roof")
    assert lid.mesh.topology.sizes.tolist() == [4]
    assert len(roof.mesh.points) == 3


def test_polygons_and_colours_of_a_ply_are_kept():
    text = (
        "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n"
        "property uchar red\nproperty uchar green\nproperty uchar blue\nelement face 1\n"
        "property list uchar int vertex_indices\nend_header\n"
        "0 0 0 255 0 0\n1 0 0 255 0 0\n1 1 0 0 0 255\n0 1 0 0 0 255\n4 0 1 2 3\n"
    )
    (part,) = read_model(text.encode(), ".ply")
    assert part.mesh.topology.sizes.tolist() == [4]
    np.testing.assert_allclose(part.mesh.colours[[0, 3]], [[1, 0, 0], [0, 0, 1]])


def test_places_in_a_picture_are_kept_for_every_corner():
    # The edge between the two faces lies in two places of the picture.
    text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nvt .5 .5\nf 1/1 2/2 3/3\nf 2/-1 4/-2 3/-4\n"
    (part,) = read_model(text.encode(), ".obj")
    assert len(part.mesh.points) == 4
    np.testing.assert_allclose(part.mesh.uvs, [[0, 0], [1, 0], [0, 1], [0.5, 0.5], [0, 1], [0, 0]])
    assert read_model(text.replace("3/3", "3").encode(), ".obj")[0].mesh.uvs is None
    assert read_model(text.replace("3/3", "3/99").encode(), ".obj")[0].mesh.uvs is None


@pytest.mark.parametrize("suffix", ["ply", "glb"])
def test_places_of_other_formats_agree_with_an_independent_writer(suffix):
    flat = trimesh.Trimesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], [[0, 1, 2], [0, 2, 3]], process=False)
    uv = np.array([[0, 0], [0.5, 0], [0.5, 1], [0, 1]], np.float32)
    flat.visual = trimesh.visual.TextureVisuals(uv=uv, material=trimesh.visual.material.PBRMaterial())
    options = {} if suffix == "glb" else {"vertex_normal": False}
    (part,) = read_model(flat.export(file_type=suffix, **options), f".{suffix}")
    by_place = {tuple(point): tuple(place) for point, place in zip(flat.vertices.round(3), uv, strict=True)}
    for corner, place in zip(part.mesh.topology.corners, part.mesh.uvs, strict=True):
        np.testing.assert_allclose(place, by_place[tuple(part.mesh.points[corner].round(3))], atol=1e-6)


def test_parts_of_a_glb_keep_their_places_and_colours():
    scene = trimesh.Scene()
    for k in range(3):
        mesh = trimesh.creation.box((1, 1, 1))
        material = trimesh.visual.material.PBRMaterial(baseColorFactor=[1.0, 0.5 * k, 0, 1])
        mesh.visual = trimesh.visual.TextureVisuals(material=material)
        scene.add_geometry(mesh, transform=trimesh.transformations.translation_matrix([k * 5, 0, 0]))
    parts = read_model(scene.export(file_type="glb"), ".glb")
    middles = sorted(float(np.mean(part.mesh.bounds, axis=0)[0]) for part in parts)
    np.testing.assert_allclose(middles, [0, 5, 10])
    assert sorted(round(float(part.colour[1]), 1) for part in parts) == [0, 0.5, 1]


def test_a_model_is_fitted_and_its_parts_are_copies():
    copies = make("model", Asset("a.obj", "model", OBJ.encode()), size=80)
    assert copies.count == 2
    low, high = copies.expanded().bounds
    assert (high - low).max() == pytest.approx(80, rel=1e-5)
    whole = make("model", Asset("a.obj", "model", OBJ.encode()), size=80, pieces="one piece")
    assert len(whole.points) == 7


def glb(document) -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    return b"glTF" + struct.pack("<III", 2, 20 + len(text), len(text)) + b"JSON" + text


LIES = {
    "a PLY of a million million points": (
        b"ply\nformat binary_little_endian 1.0\nelement vertex 1000000000000\nproperty float x\nend_header\n", ".ply",
        "more elements than it can hold",
    ),
    "a PLY without an end": (b"ply\nformat ascii 1.0\n", ".ply", "has no end"),
    "a face of points that are not there": (b"v 0 0 0\nv 1 0 0\nf 1 2 9\n", ".obj", "names point 9 of 2"),
    "a point that is no number": (b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", ".obj", "not finite"),
    "no faces": (b"v 0 0 0\n", ".obj", "no faces"),
    "a glTF with files beside it": (
        b'{"asset": {"version": "2.0"}, "buffers": [{"uri": "../../secret.bin", "byteLength": 9}]}', ".gltf",
        "needs .* beside it",
    ),
    "a GLB whose nodes lead in a circle": (
        glb({"asset": {"version": "2.0"}, "nodes": [{"children": [1]}, {"children": [0]}]}), ".glb", "in a circle",
    ),
    "a GLB of too many numbers": (
        glb({"asset": {"version": "2.0"}, "accessors": [{"count": 10**12}]}), ".glb", "more numbers than it can hold",
    ),
    "no model": (b"\x89PNG", ".glb", "no GLB"),
}  # fmt: skip


@pytest.mark.parametrize("name", LIES)
def test_models_that_lie_are_refused_with_a_reason(name):
    data, suffix, says = LIES[name]
    with pytest.raises(ProblemError, match=says):
        read_model(data, suffix)


@QUICK
@given(st.sampled_from([".obj", ".ply", ".stl", ".glb", ".gltf"]), st.binary(max_size=400), st.booleans())
def test_any_bytes_are_read_as_a_model_or_refused(suffix, data, has_head):
    heads = {".ply": b"ply\nformat ascii 1.0\n", ".glb": b"glTF\2\0\0\0", ".stl": b"solid x\n", ".obj": b"v 0 0 0\n"}
    try:
        read_model(heads.get(suffix, b"{") + data if has_head else data, suffix)
    except ProblemError as error:
        assert error.problems


@QUICK
@given(st.sampled_from(["obj", "ply", "stl", "glb"]), st.data())
def test_good_models_with_broken_bytes_are_read_or_refused(suffix, data):
    whole = bytearray(exported(suffix))
    for _ in range(data.draw(st.integers(1, 6))):
        whole[data.draw(st.integers(0, len(whole) - 1))] = data.draw(st.integers(0, 255))
    try:
        read_model(bytes(whole[: data.draw(st.integers(1, len(whole)))]), f".{suffix}")
    except ProblemError as error:
        assert error.problems


def test_a_mesh_with_more_corners_than_points_allowed_is_read():
    grid = trimesh.creation.icosphere(subdivisions=6)
    assert len(grid.faces) * 3 > len(grid.vertices) * 5
    (part,) = read_model(grid.export(file_type="glb"), ".glb")
    assert part.mesh.topology.face_count == len(grid.faces)


# Pictures


def test_pictures_are_linear_light_and_sampled_smoothly():
    out = io.BytesIO()
    Image.fromarray(np.array([[[0, 0, 0], [255, 255, 255]]], np.uint8)).save(out, "PNG")
    picture = read_picture(out.getvalue())
    np.testing.assert_allclose(sample_pixels(picture, [0.25, 0.5, 0.75], [0.5] * 3)[:, 0], [0, 0.5, 1], atol=1e-6)


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP"])
def test_png_jpeg_and_webp_are_read(kind):
    out = io.BytesIO()
    Image.new("RGB", (30, 20), (255, 0, 0)).save(out, kind)
    assert read_picture(out.getvalue()).shape == (20, 30, 4)


def test_pictures_that_would_fill_the_memory_are_refused():
    out = io.BytesIO()
    Image.new("1", (20_000, 20_000)).save(out, "PNG")
    assert len(out.getvalue()) < 100_000
    with pytest.raises(ProblemError, match="pixels|picture"):
        read_picture(out.getvalue())


def test_a_gif_is_no_picture_here():
    out = io.BytesIO()
    Image.new("P", (4, 4)).save(out, "GIF")
    with pytest.raises(ProblemError, match="no picture"):
        read_picture(out.getvalue())


# The library


def test_files_have_ids_that_scenes_can_name():
    assert id_of("My Kite (final).SVG") == "my-kite-final.svg"
    assert id_of("../../etc/passwd.png") == "passwd.png"
    assert [sort_of(name) for name in ("a.OTF", "b.glb", "c.webp", "d.exe")] == ["font", "model", "picture", None]


def test_a_folder_is_a_library(tmp_path):
    (tmp_path / "Kite.svg").write_text(SVG.format('<rect width="3" height="3"/>'))
    (tmp_path / "notes.txt").write_text("x")
    library = FolderLibrary(tmp_path)
    assert library.ids() == {"kite.svg": "artwork"}
    assert len(library.find("kite.svg").content.shapes) == 1
    with pytest.raises(KeyError):
        library.find("notes.txt")


def test_a_file_that_is_too_large_is_refused():
    with pytest.raises(ProblemError, match="may have up to 4 MB"):
        Asset("a.svg", "artwork", b" " * (5 << 20)).content  # noqa: B018


def test_shipped_typefaces_have_their_licences():
    folder = Path(ROOT / "pirouette/assets/shipped")
    for path in folder.glob("*.woff2"):
        assert "SIL Open Font License" in (folder / f"LICENSE-{path.stem}").read_text("utf-8")
