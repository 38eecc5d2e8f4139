"""An imported model, fitted to a size, its parts kept."""

from dataclasses import replace

import numpy as np

from ...data import Copies, Mesh
from ...geometry.join import expanded, joined
from ...kernels.geometry.box import box
from ...schema import Kind, Settings, asset, choice, number, switch


class ModelSettings(Settings):
    file: str = asset("model", headline=True)
    """The model."""
    size: float = number(100, soft=(5, 500), hard=(1e-3, None), headline=True)
    """Its longest side."""
    pieces: str = choice("parts", ("parts", "one piece"), headline=True)
    """Keep its parts as copies that later steps vary one by one, or join them."""
    upright: str = choice("y", ("y", "z"))
    """The axis that points up in the file."""
    shading: str = choice("smooth", ("smooth", "flat"))
    """Smooth over the faces, or each face for itself."""
    colours: bool = switch(True)
    """Give the parts the colours of the file."""


def model(settings, links) -> Copies | Mesh:
    """Fit a model to a size around the origin.

    Returns Copies of its parts, each around its own middle, or one Mesh
    """
    if "file" not in links:
        return Mesh.empty()
    parts = links["file"].asset.content
    low = np.min([part.mesh.bounds[0] for part in parts], axis=0)
    high = np.max([part.mesh.bounds[1] for part in parts], axis=0)
    scale = settings.size / max(float((high - low).max()), 1e-12)
    meshes, places, colours = [], [], []
    for part in parts:
        points = (part.mesh.points - (low + high) / 2) * np.float32(scale)
        if settings.upright == "z":
            points = np.stack([points[:, 0], points[:, 2], -points[:, 1]], axis=1)
        middle = np.add(*box(points)) / 2
        if settings.pieces == "one piece":
            middle = np.zeros(3, np.float32)
        colours_of_part = part.mesh.colours if settings.colours else None
        flat = settings.shading == "flat"
        meshes.append(
            replace(
                part.mesh, points=points - middle, colours=colours_of_part, is_flat=flat, known_normals=None, key=""
            )
        )
        places.append(middle)
        colours.append(np.ones(3) if part.colour is None or not settings.colours else part.colour)
    copies = Copies.at(meshes, np.array(places), which=np.arange(len(meshes))).moved(colours=np.array(colours))
    if settings.pieces == "parts" and len(meshes) > 1:
        return copies
    return expanded(copies) if np.any(copies.colours != 1) or len(meshes) > 1 else joined(meshes)


KIND = Kind(
    "model",
    "form",
    ModelSettings,
    model,
    "Model **{file}**, **{size}** long, as **{pieces}**",
    estimate=lambda settings: 0,
    advice=lambda shape, settings, links: (
        "" if "file" in links else "no file is chosen; choose one, or drop a model file"
    ),
    icon="model",
    words="mesh obj import file scan",
)
