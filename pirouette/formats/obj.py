"""Wavefront OBJ: the polygons of one frame, in the world."""

from ..data.picture import Picture
from ..kernels.geometry.place import carried
from .format import Format
from .whole import whole


def obj_text(picture: Picture) -> str:
    """Return an OBJ file with one object for each figure; copies are expanded."""
    lines = ["# Pirouette"]
    first = 1
    for drawable in picture.drawables:
        lines.append(f"o {drawable.name.replace(' ', '_')}")
        mesh = drawable.mesh
        corners = mesh.topology.corners.tolist()
        offsets = mesh.topology.offsets.tolist()
        for matrix in drawable.matrices:
            points = carried(mesh.points, matrix)
            lines.extend(f"v {x:.6g} {y:.6g} {z:.6g}" for x, y, z in points.tolist())
            for start, end in zip(offsets, offsets[1:], strict=False):
                lines.append("f " + " ".join(str(first + corner) for corner in corners[start:end]))
            first += len(points)
    return "\n".join(lines) + "\n"


def write(path, frames, fps, options) -> None:
    """Write the picture list of one frame."""
    (picture,) = frames
    with whole(path) as draft:
        draft.write_text(obj_text(picture), "utf-8")


FORMAT = Format("obj", ".obj", "model/obj", "Wavefront OBJ", "geometry", False, write)
