"""Copies strewn over a form: its corners, edges, faces, surface, or what it encloses."""

from ...craft import RepeatSettings, at_places
from ...data import Copies, Mesh
from ...geometry.join import expanded
from ...geometry.scatter import places_on
from ...kernels.geometry.place import turn_between
from ...schema import Kind, choice, integer, number, reference, switch

WHERE = ("surface", "corners", "edges", "face centres", "inside")


class ScatterSettings(RepeatSettings):
    count: int = integer(200, soft=(1, 5000), hard=(1, 1_000_000), headline=True)
    """How many places are wanted; corners, edges and face centres give no more than there are."""
    where: str = choice("surface", WHERE, headline=True)
    """The places: on the surface by area, at the corners, in the middle of edges or faces, or inside a closed form."""
    onto: str = reference("figures", headline=True, none="itself")
    """The figure over which copies of this one are strewn; with none, bare points are strewn over this one itself."""
    apart: float = number(0, soft=(0, 60), hard=(0, None), headline=True)
    """Least distance between two places; there may be fewer of them then."""
    aligned: bool = switch(True)
    """Turn copies so that their z axis stands on the surface."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Another seed is another scattering."""


def scatter(mesh, shape, rest, settings, links) -> Copies:
    """Strew copies of a shape over another figure, or points over the shape itself.

    mesh     the shape so far as points and faces
    rest     the same at the first frame: places are chosen there, so that each stays on its face when the form moves
    Returns  Copies, or bare points, in an order that is even at any length
    Source   dart throwing with a grid, after R. Cook, "Stochastic sampling in computer graphics", ACM TOG 5 (1986)
    """
    if "onto" in links:
        base, first, what = links["onto"].mesh, links["onto"].rest, shape
    else:
        base, first, what = mesh, rest, Mesh.point()
    position, normals = places_on(base, first, settings.where, settings.count, settings.apart, settings.seed)
    rotation = turn_between((0, 0, 1), normals, False) if settings.aligned else None
    return at_places(what, settings, links, position, rotation)


def advice(shape, settings, links) -> str:
    mesh = links["onto"].mesh if "onto" in links else (shape if isinstance(shape, Mesh) else expanded(shape))
    if settings.where in ("surface", "face centres", "inside") and not mesh.topology.face_count:
        return "there are no faces to strew over; begin with a form, or choose corners or edges"
    if settings.where == "inside" and not mesh.topology.is_closed:
        return "the form is not closed, so nothing is inside it"
    place_count = len(places_on(mesh, mesh, settings.where, settings.count, settings.apart, settings.seed)[0])
    if settings.apart > 0 and place_count < settings.count:
        return f"only {place_count:,} of {settings.count:,} places fit {settings.apart:g} apart"
    return ""


KIND = Kind(
    "scatter",
    "repeat",
    ScatterSettings,
    scatter,
    "Scatter **{count}** on the **{where}** of **{onto}**, **{apart}** apart",
    estimate=lambda settings: settings.count,
    advice=advice,
    icon="scatter",
    words="repeat copies clone random strew surface sprinkle distribute plant",
)
