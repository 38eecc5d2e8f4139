"""Notes on figures that are cut by what cannot cut them."""

from ..data import Copies
from .note import Note


def on_cut(ev, number, figure):
    """Yield notes on a figure that is to be seen only through or outside another: by none, or by one without faces."""
    cut = ev.resolve(figure.cut, f"figures/{figure.name}/cut")
    if cut.seen == "everywhere":
        return
    patch = [{"op": "remove", "path": f"/figures/{number}/cut"}]
    if not cut.mask:
        words = f"it is to be seen {cut.seen} another figure, but no figure is chosen, so it is seen everywhere"
        yield Note(figure.name, "cut", words, "cut.none", "See it everywhere", patch)
        return
    mask = ev.scene.figures_by_id[cut.mask]
    shape = ev.shape_of(mask)
    meshes = shape.leaves if isinstance(shape, Copies) else (shape,)
    if not any(mesh.topology.face_count for mesh in meshes):
        seen = "nothing of it is seen" if cut.seen == "only through" else "all of it is seen"
        words = f"{mask.name} has no faces to be seen {cut.seen.removeprefix('only ')}, so {seen}"
        yield Note(figure.name, "cut", words, "cut.no-faces", "See it everywhere", patch)
