"""SVG artwork as shapes with colours. Files are parsed without entities or network, and cleaned before reading."""

import io
import re
from dataclasses import dataclass
from xml.etree import ElementTree

import defusedxml.ElementTree
import numpy as np
import svgelements
from defusedxml.common import DefusedXmlException, DTDForbidden

from ..data.light import to_linear
from ..data.problem import Problem, ProblemError
from ..geometry.outline import Contour

MAX_ELEMENTS = 20_000
MAX_SEGMENTS = 200_000
MAX_DEPTH = 100
MAX_STYLE = 100_000
COMMAND = re.compile(r"([MmLlHhVvCcSsQqTtAaZz])([^MmLlHhVvCcSsQqTtAaZz]*)")
NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
# How many numbers each segment of a path takes.
ARITY = {"h": 1, "v": 1, "c": 6, "s": 4, "q": 4, "a": 7}
CURVES_OF_AN_ARC = 4
XLINK = "{http://www.w3.org/1999/xlink}href"
SVG = "{http://www.w3.org/2000/svg}"
# Scripts, pictures and foreign content have no outlines; what they might do is not wanted either.
DROPPED = {"script", "foreignObject", "image", "iframe", "audio", "video", "animate", "animateTransform", "set", "a"}
KEPT_INSIDE = {"a"}


@dataclass(frozen=True, eq=False)
class Shape:
    """One path of a drawing.

    contours      its outlines, y upwards
    fill, stroke  (3,) linear light, or None
    fill_rule     "nonzero" or "evenodd"
    """

    name: str
    contours: tuple[Contour, ...]
    fill: np.ndarray | None
    fill_rule: str
    stroke: np.ndarray | None
    stroke_width: float
    cap: str
    join: str
    opacity: float = 1.0


@dataclass(frozen=True, eq=False)
class Drawing:
    """The shapes of a file in the order in which they are painted, and what was left out of it."""

    shapes: tuple[Shape, ...]
    notes: tuple[str, ...]

    @property
    def bounds(self) -> tuple[np.ndarray, np.ndarray]:
        corners = np.concatenate([contour.cubics.reshape(-1, 2) for shape in self.shapes for contour in shape.contours])
        return corners.min(axis=0), corners.max(axis=0)


class _Parser(defusedxml.ElementTree.DefusedXMLParser):
    """Lets a file name its document type, but declare nothing: neither entities nor attributes of all elements."""

    def defused_start_doctype_decl(self, name, sysid, pubid, has_internal_subset):
        if has_internal_subset:
            raise DTDForbidden(name, sysid, pubid)


def _fail(message, code="artwork.wrong"):
    raise ProblemError(Problem("", message, code))


def read_svg(data: bytes, suffix: str = ".svg") -> Drawing:
    """Read an SVG file; raises ProblemError if it is hostile, too large or has no shapes."""
    try:
        parser = _Parser(forbid_dtd=True, forbid_entities=True, forbid_external=True)
        parser.feed(data)
        root = parser.close()
    except DefusedXmlException:
        _fail("this file declares what its own words stand for; save it without that", "artwork.entities")
    except (ElementTree.ParseError, ValueError, LookupError, RecursionError) as error:
        _fail(f"this is not SVG: {error}")
    if root.tag.removeprefix(SVG) != "svg":
        _fail(f"this is not SVG but <{root.tag[:40]}>")
    notes = []
    try:
        _check_style(root)
        _clean(root, notes, 0)
        _check_uses(root)
        clean = ElementTree.tostring(root)
        drawing = svgelements.SVG.parse(io.BytesIO(clean), reify=True, ppi=96)
        shapes = tuple(_shapes(drawing))
    except ProblemError:
        raise
    except Exception as error:  # the library raises many kinds for broken paths
        _fail(f"this drawing cannot be read: {type(error).__name__} {error}")
    if not shapes:
        _fail("there are no paths or shapes in this drawing", "artwork.empty")
    return Drawing(shapes, tuple(dict.fromkeys(notes)))


def _clean(element, notes, depth):
    """Remove what is dangerous or useless, in place."""
    if depth > MAX_DEPTH:
        _fail(f"elements are nested deeper than {MAX_DEPTH}", "artwork.depth")
    for name in [name for name in element.attrib if name.lower().startswith("on")]:
        del element.attrib[name]
        notes.append("scripts were left out")
    for name in (XLINK, "href"):
        target = element.attrib.get(name, "")
        if target and not target.startswith("#"):
            del element.attrib[name]
            notes.append("references to other files were left out")
    for name, value in list(element.attrib.items()):
        if re.search(r"url\(\s*['\"]?(?!['\"]?#)", value):
            del element.attrib[name]
            notes.append("references to other files were left out")
    for child in list(element):
        tag = child.tag.removeprefix(SVG) if isinstance(child.tag, str) else "script"
        if tag in KEPT_INSIDE:
            child.tag = f"{SVG}g"
        elif tag in DROPPED:
            element.remove(child)
            notes.append({"image": "pictures were left out"}.get(tag, "scripts were left out"))
            continue
        elif tag == "text":
            element.remove(child)
            notes.append("text was left out; turn it into paths, or use lettering")
            continue
        elif tag == "style" and child.text:
            _clean_style(child, notes)
        _clean(child, notes, depth + 1)


def _check_style(root):
    """Refuse more style than anybody draws: what is wrong in it takes a reader long."""
    style = [*(element.text or "" for element in root.iter(f"{SVG}style")), *(e.get("style", "") for e in root.iter())]
    total = sum(map(len, style))
    if total > MAX_STYLE:
        _fail(f"{total:,} characters of style; allowed up to {MAX_STYLE:,}", "artwork.size")


def _clean_style(element, notes):
    """Keep of a style sheet its plain rules: a selector, and what stands in one pair of braces."""
    rules = [rule for rule in element.text.split("}")[:-1] if rule.count("{") == 1]
    text = "".join(f"{rule}}}" for rule in rules)
    if "@import" in element.text or "url(" in text:
        text = re.sub(r"@import[^;{]*;?|url\([^()]*\)?", "", text)
        notes.append("references to other files were left out")
    element.text = text


def _segment_count(element) -> int:
    """About how many segments an element has, from the length of what it lists; counting ends beyond the limit."""
    if element.tag.removeprefix(SVG) != "path":
        return 8 + len(NUMBER.findall(element.attrib.get("points", ""))) // 2
    total = 0
    for command in COMMAND.finditer(element.attrib.get("d", "")):
        count = sum(1 for _ in NUMBER.finditer(command[2]))
        each = CURVES_OF_AN_ARC if command[1].lower() == "a" else 1
        total += max(count // ARITY.get(command[1].lower(), 2), 1) * each
        if total > MAX_SEGMENTS:
            break
    return total


def _check_uses(root):
    """Count elements as if every <use> were written out; refuse too many, and those that contain themselves."""
    by_id = {element.attrib["id"]: element for element in root.iter() if "id" in element.attrib}
    sizes, active = {}, set()

    def size(element):
        if id(element) in active:
            _fail("a <use> contains itself", "artwork.circle")
        if id(element) not in sizes:
            active.add(id(element))
            total, segments = 1, _segment_count(element)
            target = element.attrib.get(XLINK, element.attrib.get("href", ""))[1:]
            used = [by_id[target]] if element.tag.removeprefix(SVG) == "use" and target in by_id else []
            for part in (*used, *element):
                more = size(part)
                total, segments = total + more[0], segments + more[1]
                if total > MAX_ELEMENTS:
                    _fail(f"more than {MAX_ELEMENTS:,} elements", "artwork.size")
                if segments > MAX_SEGMENTS:
                    _fail(f"more than {MAX_SEGMENTS:,} segments", "artwork.size")
            active.discard(id(element))
            sizes[id(element)] = total, segments
        return sizes[id(element)]

    size(root)


def _colour(paint):
    if paint is None or paint.value is None:
        return None
    return to_linear(np.array([paint.red, paint.green, paint.blue]) / 255.0)


def _shapes(drawing):
    segment_count = 0
    for number, element in enumerate(drawing.elements()):
        if not isinstance(element, svgelements.Shape) or element.values.get("visibility") == "hidden":
            continue
        path = svgelements.Path(element) if not isinstance(element, svgelements.Path) else element
        contours = []
        for subpath in path.as_subpaths():
            contour = _contour(svgelements.Path(subpath))
            if contour is not None:
                contours.append(contour)
                segment_count += len(contour.cubics)
                if segment_count > MAX_SEGMENTS:
                    _fail(f"more than {MAX_SEGMENTS:,} segments", "artwork.size")
        if not contours:
            continue
        fill, stroke = _colour(element.fill), _colour(element.stroke)
        width = float(element.stroke_width or 0) if stroke is not None else 0.0
        values = element.values
        yield Shape(
            element.id or f"path {number}",
            tuple(contours),
            fill,
            "evenodd" if values.get("fill-rule") == "evenodd" else "nonzero",
            stroke if width > 0 else None,
            width,
            values.get("stroke-linecap") if values.get("stroke-linecap") in ("round", "square") else "butt",
            values.get("stroke-linejoin") if values.get("stroke-linejoin") in ("round", "bevel") else "miter",
            _opacity(values),
        )


def _opacity(values):
    try:
        return float(np.clip(float(values.get("opacity", 1) or 1), 0, 1))
    except (TypeError, ValueError):
        return 1.0


def _at(point) -> np.ndarray:
    return np.array([point.x, -point.y], np.float64)


def _contour(path) -> Contour | None:
    cubics, straight, closed = [], [], False

    def add(points, is_straight):
        corners = np.array(points, np.float64)
        if not np.isfinite(corners).all() or np.abs(corners).max() > 1e9:
            _fail("a point of this drawing is not a usable number", "artwork.number")
        if (corners != corners[0]).any():
            cubics.append(corners)
            straight.append(is_straight)

    for segment in path:
        closed |= isinstance(segment, svgelements.Close)
        if isinstance(segment, svgelements.Move) or segment.start is None or segment.end is None:
            continue
        a, d = _at(segment.start), _at(segment.end)
        if isinstance(segment, svgelements.CubicBezier):
            add([a, _at(segment.control1), _at(segment.control2), d], False)
        elif isinstance(segment, svgelements.QuadraticBezier):
            b = _at(segment.control)
            add([a, a + (b - a) * 2 / 3, d + (b - d) * 2 / 3, d], False)
        elif isinstance(segment, svgelements.Arc):
            for curve in segment.as_cubic_curves():
                add([_at(curve.start), _at(curve.control1), _at(curve.control2), _at(curve.end)], False)
        else:
            add([a, a + (d - a) / 3, a + (d - a) * 2 / 3, d], True)
    return Contour(np.array(cubics), np.array(straight), closed) if cubics else None
