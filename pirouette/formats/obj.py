"""Wavefront OBJ: the polygons of one frame, in the world."""

from pathlib import Path

from ..data.picture import Picture


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
            points = mesh.points @ matrix[:, :3].T + matrix[:, 3]
            lines.extend(f"v {x:.6g} {y:.6g} {z:.6g}" for x, y, z in points.tolist())
            for start, end in zip(offsets, offsets[1:], strict=False):
                lines.append("f " + " ".join(str(first + corner) for corner in corners[start:end]))
            first += len(points)
    return "\n".join(lines) + "\n"


def write_obj(path, picture: Picture) -> None:
    Path(path).write_text(obj_text(picture), "utf-8")
