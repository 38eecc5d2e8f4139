"""What of a shape is inside or outside another one."""

from ...data import Mesh, ProblemError, sources_of
from ...geometry.boolean import Solid
from ...geometry.cutting import cut as cut_by
from ...schema import Kind, Settings, choice, references, switch

KEEPS = ("outside", "inside")


class CutSettings(Settings):
    keeps: str = choice("outside", KEEPS, headline=True)
    """What stays: what is outside all of the figures chosen, or what is inside any of them."""
    by: list = references("figures", headline=True)
    """The closed figures that it is cut by."""
    is_filled: bool = switch(True)
    """Whether solids are closed where they are cut."""


def cut(whole, settings, links) -> Mesh:
    """Keep what of a shape is inside or outside other figures: solids, surfaces, curves and points, cut at their skins.

    Returns  a Mesh; faces that were made by the cut carry `inner` as 1, all others as 0
    Raises   ProblemError if a figure that it is cut by is not closed
    """
    tools = [links[name].mesh for name in sorted(links, key=_number) if name.startswith("by/")]
    tools = [(number, tool) for number, tool in enumerate(tools) if tool.topology.face_count]
    if not tools:
        return whole
    solids = [Solid.of(tool, f"by/{number}") for number, tool in tools]
    trees = [link.tree for name, link in links.items() if name.startswith("by/") and link.mesh.topology.face_count]
    return cut_by(whole, solids, trees, settings.keeps == "inside", settings.is_filled)


def _number(name) -> int:
    part = name.rpartition("/")[2]
    return int(part) if part.isdigit() else -1


def estimate(shape, links) -> int:
    """How many points there will be at most, as a rule: three for each face, and as many again where it is cut."""
    tools = [link.mesh for name, link in links.items() if name.startswith("by/")]
    count = sum(3 * len(mesh.topology.corners) + 2 * len(mesh.points) for mesh in sources_of(shape))
    return count + sum(6 * len(mesh.topology.corners) for mesh in tools)


def advice(shape, settings, links) -> str:
    tools = [link.mesh for name, link in links.items() if name.startswith("by/")]
    if not tools:
        return "no figure is chosen to cut with; choose a closed one"
    if not any(tool.topology.face_count for tool in tools):
        return "what is chosen to cut with has no faces, so nothing is inside it"
    try:
        for tool in tools:
            Solid.of(tool)
    except ProblemError:
        return "what is chosen to cut with is not closed, so nothing is inside it"
    return ""


KIND = Kind(
    "cut",
    "build",
    CutSettings,
    cut,
    "Cut by **{by}**, keep what is **{keeps}**",
    estimate=estimate,
    advice=advice,
    icon="cut",
    words="boolean subtract intersect clip slice remove",
)
