"""Notes on looks that draw nothing, or lines too thin to be seen."""

from ..data import Copies
from ..data.picture import REFERENCE_LINES
from ..kernels.geometry.place import carried
from .note import Note

THINNEST_PX = 0.5


def on_looks(ev, number, figure):
    """Yield notes on a figure's looks: no faces, edges or points to draw, or lines thinner than can be seen."""
    shape = ev.shape_of(figure)
    meshes = shape.leaves if isinstance(shape, Copies) else (shape,)
    if not any(len(mesh.points) for mesh in meshes) or figure.visible == "hidden":
        return
    for index, look in enumerate(figure.looks):
        if not look.on:
            continue
        if look.kind.id == "surface" and not any(mesh.topology.face_count for mesh in meshes):
            what = "curves" if any(mesh.topology.lines is not None for mesh in meshes) else "points"
            better = "Wire" if what == "curves" else "Dots"
            message = f"there are only {what}, which have no faces"
            yield from _drawn_by(better, number, figure, look, message, "no-faces")
        if look.kind.id == "wire" and not any(len(mesh.topology.edges) for mesh in meshes):
            message = "there are only points, which have no edges"
            yield from _drawn_by("Dots", number, figure, look, message, "no-edges")
        elif look.kind.id == "wire":
            yield from _on_width(ev, number, index, figure, shape)


def _drawn_by(better, number, figure, look, message, code):
    """Say that a look draws nothing, with the one that would, unless the figure has it."""
    kind = better.lower()
    if any(other.kind.id == kind and other.on for other in figure.looks):
        return
    ids, look_id, count = {other.id for other in figure.looks}, kind, 2
    while look_id in ids:
        look_id, count = f"{kind}-{count}", count + 1
    value = {"id": look_id, "kind": kind, "settings": {}}
    patch = [{"op": "add", "path": f"/figures/{number}/looks/{len(figure.looks)}", "value": value}]
    yield Note(figure.name, look.kind.id, f"{message}; add {better}", f"look.{code}", f"Add {better}", patch)


def _on_width(ev, number, index, figure, shape):
    """Say if lines in scene units are thinner than half a picture point even where they come nearest to the camera."""
    settings = figure.looks[index].settings.resolve(ev.around)
    if settings.unit != "units" or settings.width == 0:
        return
    view = ev.view(ev.scene.current_camera)
    points = shape.position if isinstance(shape, Copies) else shape.points
    depth = (carried(points, ev.figure_matrix(figure)) - view.position) @ view.forward
    depth = depth[depth > 0]
    if not len(depth):
        return
    frame = ev.resolve(ev.scene.frame, "frame")
    wide = settings.width * frame.width / 2 / view.tangent / depth.min() * REFERENCE_LINES / frame.height
    if wide >= THINNEST_PX:
        return
    path = f"/figures/{number}/looks/{index}/settings"
    patch = [{"op": "add", "path": f"{path}/unit", "value": "px"}, {"op": "add", "path": f"{path}/width", "value": 1}]
    message = f"its lines are {wide:.2g} px wide where they are nearest, too thin to be seen well"
    yield Note(figure.name, "wire", message, "look.thin", "Draw them 1 px wide", patch)
