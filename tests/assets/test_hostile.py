"""Files made to take long or much are refused in words, or read as quickly as others."""

import io
import json
import struct

import numpy as np
import pytest
import trimesh
from PIL import Image

from pirouette.assets.library import Asset
from pirouette.assets.model import read_model
from pirouette.assets.picture import read_picture
from pirouette.assets.svg import read_svg
from pirouette.data import ProblemError
from studio.assets import library

SQUARE = '<path d="M0 0 H10 V10 H0 Z"/>'


def svg(inner, before="") -> bytes:
    return f'{before}<svg xmlns="http://www.w3.org/2000/svg">{inner}</svg>'.encode()


def code(read, *args) -> str:
    with pytest.raises(ProblemError) as caught:
        read(*args)
    return caught.value.problems[0].code


def test_a_drawing_may_name_its_type_but_declare_nothing():
    named = '<!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "http://www.w3.org/Graphics/SVG/1.1/DTD/svg11.dtd">'
    assert len(read_svg(svg(SQUARE, named)).shapes) == 1
    declares = f'<!DOCTYPE svg [<!ATTLIST path id CDATA "{"x" * 100}">]>'
    assert code(read_svg, svg(SQUARE, declares)) == "artwork.entities"
    assert code(read_svg, svg(SQUARE, declares.replace("><!ATTLIST", ">\n<!ATTLIST")).decode().encode("utf-16")) in (
        "artwork.entities",
        "artwork.wrong",
    )


@pytest.mark.parametrize("style", ["url(" * 24_000, "a" * 90_000, "{" * 90_000, "a{b:url(" * 9_000, "}" * 90_000])
def test_style_that_is_wrong_does_not_take_long(style):
    drawing = read_svg(svg(f"<style>{style}</style>{SQUARE}"))
    assert len(drawing.shapes) == 1


def test_style_is_counted_over_the_whole_file():
    assert code(read_svg, svg(f"<style>{'a' * 60_000}</style>" * 2 + SQUARE)) == "artwork.size"
    path = f'<path style="{"a:b;" * 300}" d="M0 0H1"/>'
    assert code(read_svg, svg(path * 100)) == "artwork.size"


def test_rules_that_are_right_are_still_kept():
    style = "@import url(x); path { fill: #ff0000 } } junk"
    drawing = read_svg(svg(f"<style>{style}</style>{SQUARE}"))
    assert drawing.shapes[0].fill == pytest.approx([1, 0, 0])


def test_arcs_are_counted_as_what_they_become():
    arcs = "M0 0" + "a5 5 0 1 1 10 0" * 60_000
    assert code(read_svg, svg(f'<path d="{arcs}"/>')) == "artwork.size"


def test_a_comment_does_not_hide_the_counts_of_a_ply_file():
    head = "ply\nformat ascii 1.0\ncomment end_header\nelement vertex 90000000\nproperty float x\nend_header\n"
    assert code(read_model, head.encode(), ".ply") == "model.size"


def test_lines_and_sides_of_an_obj_file_are_counted():
    assert code(read_model, b"\n" * 13_000_000, ".obj") == "model.size"
    points = "".join(f"v {k} {k % 7} 0\n" for k in range(60_000))
    face = "f " + " ".join(map(str, range(1, 60_001)))
    assert code(read_model, (points + face).encode(), ".obj") == "model.size"


def glb(document, body=b"") -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(body), 0x004E4942) + body
    return struct.pack("<4sII", b"glTF", 2, 12 + len(chunks)) + chunks


def test_the_primitives_of_a_mesh_are_counted_as_often_as_it_is_placed():
    meshes = [{"primitives": [{"attributes": {}}] * 300}]
    nodes = [{"mesh": 0} for _ in range(10)]
    data = glb({"asset": {"version": "2.0"}, "meshes": meshes, "nodes": nodes})
    assert code(read_model, data, ".glb") == "model.size"


def test_mirrored_parts_stay_turned_outside_out_and_share_their_texture():
    scene = trimesh.Scene()
    box = trimesh.creation.box((2, 2, 2))
    scene.add_geometry(box, transform=np.diag([-1.0, 1, 1, 1]))
    scene.add_geometry(box, transform=trimesh.transformations.translation_matrix([5, 0, 0]))
    parts = read_model(scene.export(file_type="glb"), ".glb")
    assert len(parts) == 2
    for part in parts:
        a, b, c = part.mesh.points[part.mesh.topology.triangles].transpose(1, 0, 2)
        assert np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6 == pytest.approx(8, rel=1e-4)


def test_a_picture_of_endless_scans_is_refused():
    out = io.BytesIO()
    Image.new("RGB", (8, 8)).save(out, "JPEG", progressive=True)
    assert read_picture(out.getvalue(), ".jpg").shape == (8, 8, 4)
    assert code(read_picture, out.getvalue() + b"\xff\xda" * 70, ".jpg") == "picture.size"


def test_what_was_read_is_counted_as_what_it_holds_and_let_go_when_it_is_removed(monkeypatch, tmp_path):
    out = io.BytesIO()
    Image.new("RGB", (1000, 1000)).save(out, "PNG")
    asset = Asset("a.png", "picture", out.getvalue())
    assert asset.own_bytes == len(out.getvalue())
    assert asset.content.nbytes == 4_000_000
    assert asset.own_bytes == len(out.getvalue()) + 4_000_000
    monkeypatch.setattr(library, "BYTES_KEPT", 5_000_000)
    monkeypatch.setattr(library, "file_path", lambda digest: tmp_path / digest)
    kept = library.StoredLibrary({f"{k}.png": ("picture", f"d{k}") for k in range(4)})
    for k in range(4):
        (tmp_path / f"d{k}").write_bytes(out.getvalue())
        assert kept.find(f"{k}.png").content.nbytes == 4_000_000
    assert sum(held.own_bytes for held in library._held.values()) < 10_000_000
    library.forget("d3")
    assert not any(key[1] == "d3" for key in library._held)
