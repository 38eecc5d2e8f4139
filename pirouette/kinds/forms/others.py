"""Other figures as sources."""

import numpy as np

from ...data import Copies, Mesh
from ...kernels.geometry.place import matrices_to_quaternions
from ...schema import Kind, Settings, flags, references, switch

KEPT = ("turn", "size")


class OthersSettings(Settings):
    figures: list = references("figures", headline=True)
    """The figures, in the order in which repeats take them."""
    places: bool = switch(False, headline=True)
    """Leave them where they stand, moving with their own places; or else put all of them at the origin."""
    keeps: list = flags(KEPT, KEPT)
    """What of their own places is kept where they are put at the origin."""


def others(settings, links) -> Copies:
    """Take the shapes of other figures, which may be hidden themselves.

    Returns Copies of one piece for each figure; where they stand in their places, delays reach these too
    """
    pieces = []
    for number in range(len(settings.figures)):
        link = links[f"figures/{number}"]
        # At the origin a figure keeps its own turn and size; what carries this figure then carries that too.
        linear = (link.matrix if settings.places else link.world)[:3, :3]
        scale = np.linalg.norm(linear, axis=0)
        turn = linear / np.maximum(scale, 1e-12)
        if np.linalg.det(turn) < 0:
            turn, scale = -turn, -scale
        # One copy in a place of its own: so that what is delayed as a whole takes its place along.
        inner = Copies.at(
            link.shape,
            link.place[None] if settings.places else np.zeros((1, 3)),
            matrices_to_quaternions(turn[None]) if settings.places or "turn" in settings.keeps else None,
        )
        if settings.places or "size" in settings.keeps:
            inner = inner.moved(scale=scale[None])
        pieces.append(inner)
    return Copies.at(pieces or [Mesh.empty()], np.zeros((len(pieces), 3)), which=np.arange(len(pieces)))


def estimate(links) -> int:
    """All points that the figures hold; their copies are counted with them."""
    return sum(len(link.shape.points) if isinstance(link.shape, Mesh) else link.shape.point_count
               for link in links.values() if link.shape is not None)  # fmt: skip


KIND = Kind(
    "others",
    "form",
    OthersSettings,
    others,
    "Other figures **{figures}**, in their places **{places}**",
    estimate=estimate,
    advice=lambda shape, settings, links: (
        "" if settings.figures else "no figures are chosen; choose some in its settings"
    ),
    icon="others",
    words="figures merge combine join instance group reference",
)
