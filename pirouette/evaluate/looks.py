"""What each copy and each point is coloured with: its own colour and opacity, and what fields make of a look there."""

import numpy as np

from ..data.attribute import ends_of, shades
from ..data.picture import TINT_GLOW, TINT_OPACITY, TINT_RGB, TINT_SIZE, DrawnLook
from ..kernels.compile import frozen
from ..kernels.geometry.place import carried
from .paint import attribute_colours, lives_elsewhere, paint_of, paint_points

FIELD_SETTINGS = ("colour_where", "glow_where")
# Up to so many points, copies whose look a field limits are drawn as one mesh, so that each point has its weight.
FINE_POINTS = 400_000


class Ends:
    """Which numbers of each attribute are the lowest and highest in a figure, however many meshes it is."""

    def __init__(self, placed):
        self._carried = [carries for one in placed for carries in (one.mesh.attributes(), one.at_copies)]
        self._known = {}

    def of(self, name: str) -> tuple[float, float]:
        if name not in self._known:
            self._known[name] = ends_of([carries[name] for carries in self._carried if name in carries], name)
        return self._known[name]


def needs_points(figure, copies) -> bool:
    """True if a look differs within the copies, by a field or by paint in another space."""
    looks = [look for look in figure.looks if look.on]
    if any(lives_elsewhere(look.settings) for look in looks):
        return True
    limited = any(look.only_where or any(getattr(look.settings, n, None) for n in FIELD_SETTINGS) for look in looks)
    return limited and copies.point_count <= FINE_POINTS


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


def look_path(figure, index) -> str:
    """Where a look stands, for problems."""
    return f"figures/{figure.name}/looks/{index} ({figure.looks[index].kind.id})"


def look_drawn(ev, figure, index, mesh, matrices, at_copies, copy_tints, point_tints, ends) -> DrawnLook:
    """Return a look at this frame, with the weights of its fields and the colours of attributes written into tints.

    at_copies  what the copies carry
    ends       of the attributes in the whole figure
    """
    look = figure.looks[index]
    settings = ev.resolve(look.settings, look_path(figure, index))
    is_once = len(matrices) == 1
    points = carried(mesh.points, matrices[0]) if is_once else matrices[:, :, 3]
    carries = mesh.attributes() if is_once else at_copies

    def weights(name):
        return None if name is None else ev.weights(ev.scene.fields_by_id[name], points, None, carries)

    limit = weights(look.only_where)
    glow = weights(getattr(settings, "glow_where", None))
    colour = weights(settings.colour_where)
    if limit is not None or glow is not None or colour is not None:
        tints = _own(point_tints if is_once else copy_tints, len(points))
        if limit is not None:
            tints[:, TINT_OPACITY] *= limit
        if glow is not None:
            tints[:, TINT_GLOW] *= glow
        if colour is not None:
            # The material is white, and each tint holds the colour itself.
            there = np.asarray(settings.other_colour, np.float32)
            plain_colour = np.asarray(settings.colour, np.float32)
            tints[:, TINT_RGB] *= plain_colour + (there - plain_colour) * colour[:, None]
            settings = settings.changed(colour=np.ones(3))
        if is_once:
            point_tints = tints
        else:
            copy_tints = tints
    # What points carry goes before what copies do.
    carried_by = mesh.attributes(), at_copies
    for is_wanted, found_of, change in (
        (settings.paint == "attribute", attribute_colours, _coloured),
        (settings.light_by == "attribute", _lights, _lit),
    ):
        of_points, of_copies = (found_of(settings, one, ends) if is_wanted else None for one in carried_by)
        if of_points is not None:
            point_tints = change(point_tints, of_points)
        elif of_copies is not None:
            copy_tints = change(copy_tints, of_copies)
    widths = point_widths = None
    if getattr(settings, "by_width", False):
        point_widths = mesh.attributes().get("width")
        widths = at_copies.get("width") if point_widths is None else None
    paint = None
    if look.kind.id == "surface":
        paint = paint_of(ev, settings, mesh, matrices)
    else:
        colours = paint_points(ev, settings, mesh, matrices)
        point_tints = point_tints if colours is None else _coloured(point_tints, colours)
    tints = _frozen(copy_tints), _frozen(point_tints)
    return DrawnLook(look.kind.id, settings, *tints, paint, _frozen(widths), _frozen(point_widths))


def _own(tints, count):
    return np.ones((count, TINT_SIZE), np.float32) if tints is None else tints.copy()


def _coloured(tints, colours):
    """Tints (N, 5), or None for ones, times (N, 3) colours."""
    tints = _own(tints, len(colours))
    tints[:, TINT_RGB] *= colours
    return tints


def _lights(settings, attributes, ends):
    """(N,) how much of its light a look gives by the attribute it goes by; None where nothing carries it."""
    name, ramp = settings.light_attribute, settings.light_ramp
    if name not in attributes:
        return None
    return np.interp(shades(attributes[name], name, ends.of(name)), ramp[:, 0], ramp[:, 1])


def _lit(tints, lights):
    """Tints (N, 5), or None for ones, with (N,) times as much light."""
    tints = _own(tints, len(lights))
    tints[:, TINT_GLOW] *= lights
    return tints


def _frozen(rows):
    return None if rows is None else frozen(np.maximum(rows, 0))


def is_transparent(look: DrawnLook) -> bool:
    """True if nothing of a look can be seen."""
    return any(tints is not None and not (tints[:, TINT_OPACITY] > 0).any() for tints in (look.tints, look.point_tints))
