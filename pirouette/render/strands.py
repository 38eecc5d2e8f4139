"""Lines and dots as rays meet them, which are seen in mirrors and through what is clear, where that is wanted."""

import numpy as np

from ..data import Problem, ProblemError
from ..data.picture import REFERENCE_LINES, Picture
from ..kernels.compile import frozen
from ..kernels.embree import STROKE_BYTES, Strands
from ..kernels.render.strand import ADDS, MIDDLE, OTHER, RADIUS, ROW_SIZE, SOFT, STRENGTH, StrandRows
from .rays import MOST_BYTES
from .strokes import rows_or_one

NO_STRANDS = StrandRows(0, frozen(np.zeros((0, ROW_SIZE))), 0)


def strands_of(picture: Picture, width: int, height: int) -> tuple[StrandRows, tuple[Strands, ...]]:
    """Return what kernels need to know of lines and dots that rays meet, and what must be kept meanwhile.

    Those of figures that are seen in parts of the picture only, by the shapes of others, are not among them.

    width, height  of the whole picture
    Raises         ProblemError if they would take too much memory
    """
    shown = [
        (drawable, look)
        for drawable in picture.drawables
        for look in drawable.looks
        if look.kind in ("wire", "dots") and look.settings.mirrored and drawable.cut is None
    ]
    count = sum(len(drawable.matrices) * len(_ends(drawable, look)) for drawable, look in shown)
    if not count:
        return NO_STRANDS, ()
    if count * STROKE_BYTES > MOST_BYTES:
        text = (
            f"{count:,} lines and dots in mirrors take {count * STROKE_BYTES / 1e9:.1f} GB; "
            f"allowed {MOST_BYTES / 1e9:.1f} GB: switch off *mirrored* on the wire or dots of the largest figures"
        )
        raise ProblemError(Problem("limit", text, "lights"))
    made = {"wire": [], "dots": []}
    for drawable, look in shown:
        made[look.kind].append(_made(picture.view, drawable, look, width, height))
    ends = [np.concatenate([at for at, _ in rows]) if rows else np.zeros((0, 2, 4)) for rows in made.values()]
    rows = np.concatenate([row for each in made.values() for _, row in each])
    tree = Strands(ends[0], ends[1][:, 0])
    return StrandRows(tree.address, frozen(rows), len(ends[0])), (tree,)


def _ends(drawable, look) -> np.ndarray:
    """The points (E, 2) that lines run between; of dots each is both."""
    if look.kind == "wire":
        return drawable.mesh.topology.edges
    return np.repeat(np.arange(len(drawable.mesh.points))[:, None], 2, axis=1)


def _made(view, drawable, look, width, height):
    """Both ends (N, 2, 4) of a look's lines or dots, with half their widths, and their rows (N, ROW_SIZE)."""
    settings, ends = look.settings, _ends(drawable, look)
    matrices = drawable.matrices.astype(np.float64)
    points = drawable.mesh.points.astype(np.float64)
    world = np.einsum("kij,vj->kvi", matrices[:, :, :3], points) + matrices[:, None, :, 3]
    focal = width / 2 / view.tangent
    # How far off an eye is counts everywhere, also for what is behind it.
    pixel = np.maximum(np.linalg.norm(world - view.position, axis=2), 1e-6) / focal
    across = settings.width if look.kind == "wire" else settings.size
    half = np.full_like(pixel, across / 2)
    if settings.unit == "px":
        half *= pixel * height / REFERENCE_LINES
    if look.widths is not None:
        half *= look.widths[:, None]
    if look.point_widths is not None:
        half *= look.point_widths
    # As on the screen: what is thinner than a pixel is as wide as one, and as much fainter.
    strength = np.minimum(half / (pixel / 2), 1)
    half = np.where(half > 0, np.maximum(half, pixel / 2), 0)
    tints = rows_or_one(look.tints)[:, None] * rows_or_one(look.point_tints)
    light = np.empty((*half.shape, 4))
    light[..., :3] = np.asarray(settings.colour) * settings.brightness * tints[..., :3] * tints[..., 4:]
    light[..., 3] = strength * tints[..., 3]
    at = np.concatenate([world, half[..., None]], axis=2)[:, ends].reshape(-1, 2, 4)
    light = light[:, ends].reshape(-1, 2, 4)
    rows = np.zeros((len(at), ROW_SIZE))
    rows[:, :OTHER], rows[:, OTHER : OTHER + STRENGTH + 1] = light[:, 0], light[:, 1]
    rows[:, ADDS] = settings.blend == "additive"
    rows[:, SOFT] = settings.softness if look.kind == "dots" else 0
    rows[:, MIDDLE : MIDDLE + 3], rows[:, RADIUS] = at[:, 0, :3], at[:, 0, 3]
    is_there = (at[:, :, 3] > 0).any(axis=1) & np.isfinite(at).all(axis=(1, 2))
    return at[is_there], rows[is_there]
