"""What each copy and each point is coloured with: its own colour and opacity, and what fields make of a look there."""

import numpy as np

from ..data.picture import TINT_GLOW, TINT_OPACITY, TINT_RGB, TINT_SIZE, DrawnLook
from ..kernels.compile import frozen
from .paint import lives_elsewhere, paint_of, paint_points
from .weigh import field_weights

FIELD_SETTINGS = ("colour_where", "glow_where")


def has_fields(figure) -> bool:
    """True if a field limits any look of a figure."""
    return any(
        look.only_where or any(getattr(look.settings, name, None) for name in FIELD_SETTINGS)
        for look in figure.looks
        if look.on
    )


def has_space(figure) -> bool:
    """True if the paint of any look lies in the space of another thing."""
    return any(look.on and lives_elsewhere(look.settings) for look in figure.looks)


def own_tints(colours, opacity) -> np.ndarray | None:
    """Return (N, 5) tints of colours (N, 3) and opacity (N,), either of which may be None; None if all are 1."""
    has_colours = colours is not None and bool((colours != 1).any())
    has_opacity = opacity is not None and bool((opacity != 1).any())
    if not has_colours and not has_opacity:
        return None
    tints = np.ones((len(colours if has_colours else opacity), TINT_SIZE), np.float32)
    if has_colours:
        tints[:, TINT_RGB] = colours
    if has_opacity:
        tints[:, TINT_OPACITY] = opacity
    return tints


def look_drawn(world, figure, index, mesh, matrices, copy_tints, point_tints) -> DrawnLook:
    """Return a look at this frame, with the weights of its fields written into tints."""
    look = figure.looks[index]
    path = f"figures/{figure.name}/looks/{index} ({look.kind.id})"
    settings = world.resolve(look.settings, path)
    fields = world.scene.fields_by_id
    is_once = len(matrices) == 1
    points = mesh.points @ matrices[0, :, :3].T + matrices[0, :, 3] if is_once else matrices[:, :, 3]

    def weights(name):
        return None if name is None else field_weights(world, fields[name], points)

    limit = weights(look.only_where)
    glow = weights(getattr(settings, "glow_where", None))
    colour = weights(settings.colour_where)
    if limit is not None or glow is not None or colour is not None:
        tints = point_tints if is_once else copy_tints
        tints = np.ones((len(points), TINT_SIZE), np.float32) if tints is None else tints.copy()
        if limit is not None:
            tints[:, TINT_OPACITY] *= limit
        if glow is not None:
            tints[:, TINT_GLOW] *= glow
        if colour is not None:
            # The material is white, and each tint holds the colour itself.
            there = np.asarray(settings.other_colour, np.float32)
            own = np.asarray(settings.colour, np.float32)
            tints[:, TINT_RGB] *= own + (there - own) * colour[:, None]
            settings.colour = np.ones(3)
        if is_once:
            point_tints = tints
        else:
            copy_tints = tints
    if look.kind.id == "surface":
        return DrawnLook(
            look.kind.id, settings, _frozen(copy_tints), _frozen(point_tints), paint_of(world, settings, mesh, matrices)
        )
    colours = paint_points(world, settings, mesh, matrices)
    if colours is not None:
        point_tints = np.ones((len(colours), TINT_SIZE), np.float32) if point_tints is None else point_tints.copy()
        point_tints[:, TINT_RGB] *= colours
    return DrawnLook(look.kind.id, settings, _frozen(copy_tints), _frozen(point_tints))


def _frozen(tints):
    return None if tints is None else frozen(tints)


def is_transparent(look: DrawnLook) -> bool:
    """True if nothing of a look can be seen."""
    return any(tints is not None and not (tints[:, TINT_OPACITY] > 0).any() for tints in (look.tints, look.point_tints))
