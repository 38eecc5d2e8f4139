"""Models: what each format keeps, files that lie, and anything at all."""

import json
import struct

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from pirouette.assets.library import Asset
from pirouette.assets.model import read_model
from pirouette.data import ProblemError
from pirouette.geometry.join import expanded
from tests.assets.made import QUICK, make
from tests.kinds.test_forms import area, volume


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
    low, high = expanded(copies).bounds
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
