"""Models: OBJ, PLY, STL and glTF as parts with their faces and colours. Polygons stay where the format has them."""

import io
import json
import re
import struct
from array import array
from dataclasses import dataclass

import numpy as np
import plyfile
import trimesh

from ..data.light import to_linear
from ..data.mesh import Mesh, Topology
from ..data.problem import Problem, ProblemError
from ..kernels.geometry.place import carried

MAX_POINTS = 2_000_000
MAX_FACES = 4_000_000
MAX_CORNERS = 12_000_000
MAX_PARTS = 2_000
MAX_LINE = 1_000_000
MAX_LINES = 12_000_000
MAX_SIDES = 50_000
CORNERS_PER_POINT = 4
MAX_HEADER = 64 * 1024


@dataclass(frozen=True, eq=False)
class Part:
    """A part of a model: its name, its mesh in the model's own units, and its colour as linear light, or None."""

    name: str
    mesh: Mesh
    colour: np.ndarray | None = None


def read_model(data: bytes, suffix: str) -> list[Part]:
    """Read a model by its file's suffix; raises ProblemError if it cannot be read or is too large."""
    try:
        parts = _READERS[suffix.lower()](data)
    except ProblemError:
        raise
    except Exception as error:  # readers raise many kinds for broken files
        raise ProblemError(Problem("", f"this model cannot be read: {error}", "model.wrong")) from None
    parts = [part for part in parts if len(part.mesh.points)]
    if not parts:
        raise ProblemError(Problem("", "there are no faces in this model", "model.empty"))
    if not all(np.isfinite(part.mesh.points).all() for part in parts):
        raise ProblemError(Problem("", "some points of this model are not finite numbers", "model.finite"))
    return parts


def _check(point_count, face_count, part_count=1, corner_count=0):
    for count, most, what in (
        (point_count, MAX_POINTS, "points"),
        (face_count, MAX_FACES, "faces"),
        (part_count, MAX_PARTS, "parts"),
        (corner_count, MAX_CORNERS, "corners of faces"),
    ):
        if count > most:
            raise ProblemError(Problem("", f"{count:,} {what}; allowed up to {most:,}", "model.size"))


def _mesh(points, sizes, corners, colours=None, uvs=None) -> Mesh:
    """Make a mesh of the points that faces use; faces with wrong corners are refused.

    uvs  (C, 2) where in a picture each corner lies, or None
    """
    if uvs is not None and not np.isfinite(uvs).all():
        uvs = None
    points = np.asarray(points).reshape(-1, 3)
    corners, sizes = np.asarray(corners), np.asarray(sizes)
    if len(corners) and (corners.min() < 0 or corners.max() >= len(points)):
        raise ProblemError(Problem("", f"a face names point {corners.max() + 1:,} of {len(points):,}", "model.corner"))
    used, corners = np.unique(corners, return_inverse=True)
    topology = Topology(np.concatenate([[0], np.cumsum(sizes)]), corners, len(used))
    return Mesh(points[used], topology, colours=None if colours is None else colours[used], known_uvs=uvs)


def _read_obj(data):
    # Numbers go straight into flat arrays: as lists of lists they would take ten times the memory.
    points, places = array("f"), array("f")
    line_count = data.count(b"\n")
    if line_count > MAX_LINES:
        raise ProblemError(Problem("", f"{line_count:,} lines; allowed up to {MAX_LINES:,}", "model.size"))
    parts, current, corner_count = {}, ("", ""), 0
    for line in io.BytesIO(data):
        if len(line) > MAX_LINE:
            raise ProblemError(Problem("", f"a line of {len(line):,} characters; allowed {MAX_LINE:,}", "model.size"))
        words = line.decode("utf-8", "replace").split()
        if not words:
            continue
        if words[0] == "v":
            if len(words) < 4:
                raise ProblemError(Problem("", f"“{' '.join(words)[:60]}” is not a point", "model.wrong"))
            points.extend(float(word) for word in words[1:4])
            _check(len(points) // 3, 0)
        elif words[0] == "vt":
            places.extend(float(word) for word in (*words[1:3], "0")[:2])
            _check(len(places) // 2 // CORNERS_PER_POINT, 0)
        elif words[0] in ("o", "g"):
            current = (" ".join(words[1:])[:80], current[1])
        elif words[0] == "usemtl":
            current = (current[0], " ".join(words[1:])[:80])
        elif words[0] == "f":
            if len(words) - 1 > MAX_SIDES:
                message = f"a face of {len(words) - 1:,} corners; allowed up to {MAX_SIDES:,}"
                raise ProblemError(Problem("", message, "model.size"))
            face = [_corner(word, len(points) // 3) for word in words[1:]]
            if len(face) >= 3:
                sizes, corners, own_places = parts.setdefault(current, (array("i"), array("i"), array("i")))
                sizes.append(len(face))
                corners.extend(face)
                own_places.extend(_place(word, len(places) // 2) for word in words[1:])
                corner_count += len(face)
                _check(0, len(sizes), len(parts), corner_count)
    points, places = np.array(points).reshape(-1, 3), np.array(places).reshape(-1, 2)
    _check(0, sum(len(sizes) for sizes, _, _ in parts.values()))
    return [
        Part(name or material or "Part", _mesh(points, sizes, corners, uvs=_corner_places(places, own)))
        for (name, material), (sizes, corners, own) in parts.items()
    ]


def _corner_places(places, numbers) -> np.ndarray | None:
    """(C, 2) where the corners of faces lie in a picture; None unless every one of them says so."""
    numbers = np.array(numbers)
    if not len(numbers) or numbers.min() < 0 or numbers.max() >= len(places):
        return None
    return places[numbers]


def _corner(word, count):
    number = int(word.split("/")[0])
    return number - 1 if number > 0 else count + number


def _place(word, count):
    """The number of the picture place that a corner such as "3/7/2" names, -1 for none."""
    parts = word.split("/")
    number = int(parts[1]) if len(parts) > 1 and parts[1] else 0
    return number - 1 if number > 0 else (count + number if number else -1)


def _read_ply(data):
    head = data[:MAX_HEADER]
    # A comment may hold the same word.
    end = re.search(rb"^end_header\s*$", head, re.MULTILINE)
    if end is None:
        raise ProblemError(Problem("", "the header of this PLY file has no end", "model.wrong"))
    counts = {}
    for line in head[: end.start()].decode("ascii", "replace").splitlines():
        words = line.split()
        if len(words) == 3 and words[0] == "element":
            counts[words[1]] = int(words[2])
    # Each element takes a byte at least, so a count beyond the file's size is a lie.
    if any(count < 0 or count > len(data) for count in counts.values()):
        raise ProblemError(Problem("", "this PLY file states more elements than it can hold", "model.size"))
    _check(counts.get("vertex", 0), counts.get("face", 0))
    ply = plyfile.PlyData.read(io.BytesIO(data))
    vertex = ply["vertex"]
    points = np.stack([vertex["x"], vertex["y"], vertex["z"]], axis=1)
    names = [property_.name for property_ in vertex.properties]
    colours = None
    if {"red", "green", "blue"} <= set(names):
        raw = np.stack([vertex["red"], vertex["green"], vertex["blue"]], axis=1)
        colours = to_linear(raw / 255.0 if raw.dtype == np.uint8 else np.clip(raw, 0, 1))
    faces = ply["face"]
    name = next(
        property_.name for property_ in faces.properties if property_.name in ("vertex_indices", "vertex_index")
    )
    lists = faces[name]
    sizes = np.fromiter(map(len, lists), np.int64, len(lists))
    _check(0, 0, 1, int(sizes.sum()))
    corners = np.concatenate([np.zeros(0, np.int32), *lists], dtype=np.int32, casting="unsafe")
    corners, sizes = corners[np.repeat(sizes >= 3, sizes)], sizes[sizes >= 3]
    uvs = None
    for pair in (("s", "t"), ("u", "v"), ("texture_u", "texture_v")):
        if set(pair) <= set(names) and corners.max(initial=-1) < len(points):
            uvs = np.stack([vertex[property_] for property_ in pair], axis=1)[corners]
    return [Part("Part", _mesh(points, sizes, corners, colours, uvs))]


def _read_stl(data):
    # A binary file is 84 bytes and 50 for each triangle; what does not add up is read as text.
    if len(data) >= 84:
        (count,) = struct.unpack_from("<I", data, 80)
        if len(data) == 84 + 50 * count:
            _check(3 * count, count)
    _check(data.count(b"vertex"), data.count(b"facet normal"))
    loaded = trimesh.load(io.BytesIO(data), file_type="stl", process=False)
    return _of_trimesh(trimesh.Trimesh(loaded.vertices, loaded.faces, process=True), "Part")


def _of_trimesh(loaded, name, matrix=None):
    """One part, carried along by a (4, 4) matrix; what it is painted with is not copied."""
    _check(len(loaded.vertices), len(loaded.faces))
    points, faces = np.asarray(loaded.vertices), np.asarray(loaded.faces)
    if matrix is not None:
        points = carried(points, matrix)
        # Mirrored faces turn the other way round.
        faces = faces[:, ::-1] if np.linalg.det(matrix[:3, :3]) < 0 else faces
    colour = None
    material = getattr(loaded.visual, "material", None)
    factor = getattr(material, "baseColorFactor", None)
    if factor is not None:
        factor = np.asarray(factor, np.float64)[:3]
        colour = np.clip(factor / 255.0 if np.asarray(material.baseColorFactor).dtype == np.uint8 else factor, 0, 1)
    corners = faces.ravel()
    places = getattr(loaded.visual, "uv", None)
    uvs = None if places is None or len(places) != len(loaded.vertices) else np.asarray(places)[corners]
    return [Part(str(name)[:80], _mesh(points, np.full(len(faces), 3), corners, uvs=uvs), colour)]


def _read_gltf(data, suffix):
    """glTF is read only where everything is in the file itself, and its counts agree with its size."""
    document = _gltf_json(data, suffix)
    for family in ("buffers", "images"):
        for item in document.get(family, []):
            uri = item.get("uri", "")
            if uri and not uri.startswith("data:"):
                raise ProblemError(
                    Problem("", f"this file needs “{uri[:60]}” beside it; save it as one GLB file", "model.external")
                )
    accessors = document.get("accessors", [])
    counts = [accessor.get("count", 0) for accessor in accessors]
    if any(not isinstance(count, int) or not 0 <= count <= len(data) for count in counts):
        raise ProblemError(Problem("", "this file states more numbers than it can hold", "model.size"))
    by_point = [count for count, accessor in zip(counts, accessors, strict=True) if accessor.get("type") == "VEC3"]
    by_corner = [count for count, accessor in zip(counts, accessors, strict=True) if accessor.get("type") == "SCALAR"]
    _check(max(by_point, default=0), sum(by_corner) // 3, _instances(document), max(by_corner, default=0))
    scene = trimesh.load(io.BytesIO(data), file_type=suffix[1:], process=False)
    if isinstance(scene, trimesh.Trimesh):
        return _of_trimesh(scene, "Part")
    parts = []
    for node in scene.graph.nodes_geometry:
        matrix, name = scene.graph[node]
        geometry = scene.geometry[name]
        if isinstance(geometry, trimesh.Trimesh):
            parts += _of_trimesh(geometry, node, matrix)
    _check(sum(len(part.mesh.points) for part in parts), sum(part.mesh.topology.face_count for part in parts))
    return parts


def _gltf_json(data, suffix):
    if suffix == ".gltf":
        return json.loads(data.decode("utf-8"))
    if data[:4] != b"glTF":
        raise ProblemError(Problem("", "this is no GLB file", "model.wrong"))
    length, kind = struct.unpack_from("<II", data, 12)
    if kind != 0x4E4F534A or 20 + length > len(data):
        raise ProblemError(Problem("", "this GLB file has no description", "model.wrong"))
    return json.loads(data[20 : 20 + length].decode("utf-8"))


def _instances(document):
    """How many parts the nodes place in all; children that lead back to their parents are refused."""
    nodes = document.get("nodes", [])
    sizes = [len(mesh.get("primitives", [])) for mesh in document.get("meshes", [])]
    counts, active = {}, set()

    def count(index, depth):
        if depth > 200 or index in active or not 0 <= index < len(nodes):
            raise ProblemError(Problem("", "the nodes of this file lead in a circle or nowhere", "model.nodes"))
        if index not in counts:
            active.add(index)
            children = nodes[index].get("children", [])
            mesh = nodes[index].get("mesh")
            own = sizes[mesh] if isinstance(mesh, int) and 0 <= mesh < len(sizes) else 0
            counts[index] = own + sum(count(child, depth + 1) for child in children)
            active.discard(index)
        return counts[index]

    return sum(count(index, 0) for index in range(len(nodes)))


_READERS = {
    ".obj": _read_obj,
    ".ply": _read_ply,
    ".stl": _read_stl,
    ".glb": lambda data: _read_gltf(data, ".glb"),
    ".gltf": lambda data: _read_gltf(data, ".gltf"),
}
