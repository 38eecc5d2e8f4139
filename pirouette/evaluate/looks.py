"""What each copy and each point is coloured with: its own colour and opacity, and what fields make of a look there."""

import numpy as np

from ..data import Mesh
from ..data.attribute import ends_of, shades
from ..data.key import content_key
from ..data.picture import TINT_GLOW, TINT_OPACITY, TINT_RGB, TINT_SIZE, DrawnLook
from ..geometry.finer import finer
from ..kernels.compile import frozen
from ..kernels.geometry.place import carried
from .fields import goes_by_place
from .paint import attribute_colours, lives_elsewhere, paint_of, paint_points

FIELD_SETTINGS = ("colour_where", "glow_where")
# Up to so many points, copies whose look a field limits are drawn as one mesh, so that each point has its weight.
FINE_POINTS = 400_000


class Ends:
    """Which numbers of each attribute are the lowest and highest in a figure, however many meshes it is."""

    def __init__(self, placed):
        self._placed = placed
        self._known = {}

    def of(self, name: str) -> tuple[float, float]:
        if name not in self._known:
            carried_by = [carries for one in self._placed for carries in (one.mesh.attributes(), one.at_copies)]
            self._known[name] = ends_of([carries[name] for carries in carried_by if name in carries], name)
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
    return _frozen(tints)


def tints_at_places(everything) -> list:
    """Return the tints (K, 5) of all places of each of some meshes; None for those where all are 1."""
    if not everything or everything[0].colours is None:
        return [None] * len(everything)
    # All at once: there may be as many meshes as places.
    ends = np.cumsum([len(placed.matrices) for placed in everything])
    tints = np.ones((ends[-1], TINT_SIZE), np.float32)
    np.concatenate([placed.colours for placed in everything], out=tints[:, TINT_RGB])
    np.concatenate([placed.opacity for placed in everything], out=tints[:, TINT_OPACITY])
    tints = _frozen(tints)
    differs = np.concatenate([[0], np.cumsum((tints != 1).any(axis=1))])
    starts = np.concatenate([[0], ends])
    rows = zip(starts[:-1].tolist(), ends.tolist(), (differs[ends] > differs[starts[:-1]]).tolist(), strict=True)
    return [tints[start:end] if is_tinted else None for start, end, is_tinted in rows]


def look_path(figure, index) -> str:
    """Where a look stands, for problems."""
    return f"figures/{figure.name}/looks/{index} ({figure.looks[index].kind.id})"


def plain_look(ev, figure, index):
    """Return what a look adds to tints, a function of these, if it is the same on every mesh of a figure; else None."""
    look = figure.looks[index]
    settings = ev.resolve(look.settings, look_path(figure, index))
    is_limited = look.only_where or any(getattr(settings, name, None) for name in FIELD_SETTINGS)
    is_even = settings.paint == "plain" and settings.light_by == "evenly" and not getattr(settings, "by_width", False)
    if is_limited or not is_even:
        return None
    return lambda copy_tints, point_tints: DrawnLook(look.kind.id, settings, copy_tints, point_tints)


def _limits_of_faces(look) -> list[str]:
    """The ids of the fields that limit a surface."""
    if look.kind.id != "surface":
        return []
    names = look.only_where, look.settings.glow_where, look.settings.colour_where
    return [name for name in names if name is not None]


def finely_limited(ev, figure, mesh, matrices) -> Mesh | None:
    """Return a mesh on which looks of faces that fields limit are right between its points, too; None if this one is.

    Copies are limited as they are, and so is all where a field goes by more than by places.
    """
    if len(matrices) != 1 or not mesh.topology.face_count:
        return None
    limits = dict.fromkeys(name for look in figure.looks if look.on for name in _limits_of_faces(look))
    fields = [field for field in map(ev.scene.fields_by_id.get, limits) if goes_by_place(field)]
    if not fields:
        return None
    matrix = matrices[0]

    def weights_of(points):
        there = carried(points, matrix)
        return np.stack([ev.weights(field, there) for field in fields], axis=1)

    key = content_key("finer", mesh.key, matrix, [ev.field_key(field) for field in fields]) if mesh.key else None
    made = ev.memo.get(key, lambda: finer(mesh, weights_of)) if key else finer(mesh, weights_of)
    return None if made is mesh else made


def look_drawn(ev, figure, index, mesh, matrices, at_copies, copy_tints, point_tints, ends, fine=None) -> DrawnLook:
    """Return a look at this frame, with the weights of its fields and the colours of attributes written into tints.

    fine       a mesh that it is drawn on instead, see finely_limited
    at_copies  what the copies carry
    ends       of the attributes in the whole figure
    """
    look = figure.looks[index]
    settings = ev.resolve(look.settings, look_path(figure, index))
    is_once = len(matrices) == 1
    fine = fine if _limits_of_faces(look) else None
    if fine is not None:
        mesh, point_tints = fine, own_tints(fine.colours, fine.opacity)

    def weights(name):
        if name is None:
            return None
        points = carried(mesh.points, matrices[0]) if is_once else matrices[:, :, 3]
        return ev.weights(ev.scene.fields_by_id[name], points, None, mesh.attributes() if is_once else at_copies)

    limit = weights(look.only_where)
    glow = weights(getattr(settings, "glow_where", None))
    colour = weights(settings.colour_where)
    if limit is not None or glow is not None or colour is not None:
        tints = _own(point_tints if is_once else copy_tints, len(mesh.points) if is_once else len(matrices))
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
    for is_wanted, found_of, change in (
        (settings.paint == "attribute", attribute_colours, _coloured),
        (settings.light_by == "attribute", _lights, _lit),
    ):
        if not is_wanted:
            continue
        # What points carry goes before what copies do.
        of_points, of_copies = (found_of(settings, one, ends) for one in (mesh.attributes(), at_copies))
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
    tints = (one if one is None or not one.flags.writeable else _frozen(one) for one in (copy_tints, point_tints))
    return DrawnLook(look.kind.id, settings, *tints, paint, _frozen(widths), _frozen(point_widths), fine)


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
    return _hides_all(look.tints) or _hides_all(look.point_tints)


def _hides_all(tints):
    if tints is None:
        return False
    opacity = tints[:, TINT_OPACITY]
    # Mostly the first can be seen already.
    return not (len(opacity) and opacity[0] > 0) and not (opacity > 0).any()
