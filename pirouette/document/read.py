"""Reads a scene from JSON. Every mistake in it is found and named at once."""

import json
import re
from dataclasses import dataclass
from pathlib import Path

from ..assets.library import Library, beside, shipped
from ..catalogue import CLAUSES, FINISHES, FORCES, LIGHTS, LOOKS, STEPS
from ..data import Problem, ProblemError
from ..schema import read_settings
from ..schema.settings import Settings
from ..values.read import shown
from .check import check_references
from .migrate import FORMAT, VERSION, migrate
from .phrased import check_phrase, read_phrases
from .scene import Camera, Clause, Effect, Field, Figure, Guide, Light, Line, Scene, Step
from .shared import use_shared
from .things import (
    VISIBLE,
    AfterSettings,
    CameraSettings,
    ClockSettings,
    CutSettings,
    FrameSettings,
    JoiningSettings,
    OwnTimeSettings,
    PlaceSettings,
)

ID = re.compile(r"[a-z0-9][a-z0-9_-]{0,39}")
HALF = re.compile(r"[\ud800-\udfff]")
MAX_THINGS = 1000
MAX_NAME = 80
MAX_NESTING = 32
MAX_FILE = 8 * 1024 * 1024
SHARED = b'"shared":'


class _Reader:
    """Collects problems while it walks, so that one bad setting does not hide the next."""

    def __init__(self):
        self.problems: list[Problem] = []
        self.ids: dict[str, set] = {}

    def add(self, path, message, code):
        self.problems.append(Problem(path, message, code))

    def settings(self, model: type[Settings], raw, path):
        try:
            return read_settings(model, {} if raw is None else raw, path)
        except ProblemError as error:
            self.problems.extend(error.problems)
            return None

    def items(self, raw, name, path=""):
        items = raw.get(name, [])
        path = f"{path}/{name}".strip("/")
        if not isinstance(items, list) or len(items) > MAX_THINGS:
            self.add(path, f"allowed a list of up to {MAX_THINGS}", "scene.list")
            return
        for index, item in enumerate(items):
            if isinstance(item, dict):
                yield index, item, path
            else:
                self.add(f"{path}/{index}", "allowed an object", "scene.object")

    def only(self, raw, path, *allowed):
        for name in sorted(set(raw) - set(allowed)):
            self.add(f"{path}/{name}".strip("/"), f"unknown; allowed {', '.join(allowed)}", "scene.unknown")

    def identity(self, raw, path, family):
        identity = raw.get("id")
        if not isinstance(identity, str) or not ID.fullmatch(identity):
            self.add(f"{path}/id", f"{identity!r} is not an id; allowed 1 to 40 of a-z, 0-9, - and _", "scene.id")
            return ""
        known = self.ids.setdefault(family, set())
        if identity in known:
            self.add(f"{path}/id", f"“{identity}” is used twice", "scene.id-twice")
        known.add(identity)
        return identity

    def name(self, raw, path, fallback):
        name = raw.get("name", fallback)
        if not isinstance(name, str) or not 1 <= len(name.strip()) <= MAX_NAME or set(name) & set("{}/"):
            self.add(f"{path}/name", f"allowed 1 to {MAX_NAME} characters without {{, }} and /", "scene.name")
            return fallback
        return name

    def meant(self, raw):
        """Read what the scene's maker has said to be meant so: pairs of a thing's family/id and words for a part."""
        parts_read = []
        for index, item, path in self.items(raw, "meant"):
            if set(item) != {"thing", "what"} or not all(isinstance(part, str) for part in item.values()):
                self.add(
                    f"{path}/{index}", "allowed an object with thing (family/id) and what, both texts", "scene.meant"
                )
            else:
                parts_read.append((item["thing"], item["what"]))
        return tuple(parts_read)

    def switch(self, raw, path, name="on", default=True):
        value = raw.get(name, default)
        if not isinstance(value, bool):
            self.add(f"{path}/{name}", f"{value!r} is neither true nor false", "value.switch")
        return value

    def kind(self, raw, path, table):
        identity = raw.get("kind")
        kind = table.get(identity) if isinstance(identity, str) else None
        if kind is None:
            self.add(f"{path}/kind", f"{identity!r} is not a kind; allowed {', '.join(table)}", "scene.kind")
        return kind

    def entry(self, raw, index, path, table, family, *more):
        """Read what all kinds have in common; returns (id, kind, settings, on, path in words)."""
        self.only(raw, f"{path}/{index}", "id", "kind", "on", "settings", *more)
        kind = self.kind(raw, f"{path}/{index}", table)
        where = f"{path}/{index} ({kind.id})" if kind else f"{path}/{index}"
        identity = self.identity(raw, where, family)
        settings = self.settings(kind.settings, raw.get("settings"), where) if kind else None
        return identity, kind, settings, self.switch(raw, where), where


def _figure(reader, raw, index, path):
    name = reader.name(raw, f"{path}/{index}", f"Figure {index + 1}")
    where = f"{path}/{name}"
    reader.only(raw, where, "id", "name", "visible", "place", "own_time", "cut", "routine", "looks", "phrases")
    visible = raw.get("visible", "shown")
    if visible not in VISIBLE:
        reader.add(f"{where}/visible", f"{visible!r} is not one of {', '.join(VISIBLE)}", "value.choice")
    read_phrases(reader, raw, where, index)
    steps = [_step(reader, item, k, below, index) for k, item, below in reader.items(raw, "routine", where)]
    looks = [
        Line(*_limited(reader, item, k, below, LOOKS, f"looks {index}")[0])
        for k, item, below in reader.items(raw, "looks", where)
    ]
    forms = [k for k, step in enumerate(steps) if step.kind and step.kind.group == "form" and step.on]
    if forms and forms[0] != next((k for k, step in enumerate(steps) if step.on), 0):
        reader.add(f"{where}/routine/{forms[0]}", "a form can only be the first step", "routine.form")
    if len(forms) > 1:
        reader.add(f"{where}/routine/{forms[1]}", "a routine has one form, its first step", "routine.forms")
    return Figure(
        reader.identity(raw, where, "figures"),
        name,
        visible,
        reader.settings(PlaceSettings, raw.get("place"), f"{where}/place"),
        tuple(steps),
        tuple(looks),
        reader.settings(OwnTimeSettings, raw.get("own_time"), f"{where}/own_time"),
        reader.settings(CutSettings, raw.get("cut"), f"{where}/cut"),
    )


def _step(reader, item, index, path, figure):
    (identity, kind, *rest), where = _limited(reader, item, index, path, STEPS, f"steps {figure}", "forces", "phrase")
    check_phrase(reader, item, where, figure)
    if item.get("forces") and kind and not kind.takes_forces:
        takers = ", ".join(one.id for one in STEPS.values() if one.takes_forces)
        reader.add(f"{where}/forces", f"{kind.id} has no forces; allowed under {takers}", "scene.forces")
    forces = [
        Line(*_limited(reader, force, k, below, FORCES, f"forces {figure} {index}")[0])
        for k, force, below in reader.items(item, "forces", where)
    ]
    return Step(identity, kind, *rest, tuple(forces))


def _limited(reader, item, index, path, table, family, *more):
    """Read a step, force or look, which a field may limit; returns what a Line is made of, and the path in words."""
    *entry, where = reader.entry(item, index, path, table, family, "only_where", *more)
    only_where = item.get("only_where")
    if only_where is not None and not isinstance(only_where, str):
        reader.add(f"{where}/only_where", "allowed the id of a field, or null", "value.reference")
    return (*entry, only_where), where


def _field(reader, raw, index, path):
    name = reader.name(raw, f"{path}/{index}", f"Field {index + 1}")
    where = f"{path}/{name}"
    reader.only(raw, where, "id", "name", "clauses", "after")
    clauses = []
    for k, item, below in reader.items(raw, "clauses", where):
        identity, kind, settings, on, at = reader.entry(item, k, below, CLAUSES, f"clauses {index}", "joining")
        joining = reader.settings(JoiningSettings, item.get("joining"), f"{at}/joining")
        clauses.append(Clause(identity, kind, settings, joining, on))
    after = reader.settings(AfterSettings, raw.get("after"), f"{where}/after")
    return Field(reader.identity(raw, where, "fields"), name, tuple(clauses), after)


def _guide(reader, raw, index, path):
    name = reader.name(raw, f"{path}/{index}", f"Guide {index + 1}")
    reader.only(raw, f"{path}/{name}", "id", "name", "place")
    place = reader.settings(PlaceSettings, raw.get("place"), f"{path}/{name}/place")
    return Guide(reader.identity(raw, f"{path}/{name}", "guides"), name, place)


def _light(reader, raw, index, path):
    identity, kind, settings, on, where = reader.entry(raw, index, path, LIGHTS, "lights", "name")
    return Light(identity, reader.name(raw, where, f"Light {index + 1}"), kind, settings, on)


def _camera(reader, raw, index, path):
    name = reader.name(raw, f"{path}/{index}", f"Camera {index + 1}")
    reader.only(raw, f"{path}/{name}", "id", "name", "settings")
    settings = reader.settings(CameraSettings, raw.get("settings"), f"{path}/{name}")
    return Camera(reader.identity(raw, f"{path}/{name}", "cameras"), name, settings)


def _effect(reader, raw, index, path):
    return Effect(*reader.entry(raw, index, path, FINISHES, "finish")[:4])


SECTIONS = ("format", "version", "name", "clock", "frame", "figures", "fields", "guides", "lights", "cameras", "camera",
            "finish", "formulas", "meant")  # fmt: skip


def read_scene(raw, library: Library | None = None, known: Scene | None = None) -> Scene:
    """Return the checked scene of a JSON object; raises ProblemError with everything that is wrong.

    library  where the assets are that it names; only what is shipped if not given
    known    a scene that it may be an edit of: things that are written as there are taken from it
    """
    if not isinstance(raw, dict):
        raise ProblemError(Problem("", "a scene is a JSON object", "scene.object"))
    if _is_nested_deeper(raw, MAX_NESTING):
        raise ProblemError(Problem("", f"nested deeper than {MAX_NESTING} levels", "scene.nesting"))
    text = _file_text(raw)
    written = migrate(raw)
    # Most scenes share none, and need not be gone through for them.
    raw = use_shared(written, may_use=SHARED in text)
    reader = _Reader()
    reader.only(raw, "", *SECTIONS)

    def all_of(family, read):
        same = _same_things(written, known, family) if known else {}
        things = []
        for index, item, path in reader.items(raw, family):
            kept = same.get(index)
            if kept is not None:
                reader.identity(item, f"{path}/{kept.name}", family)
            things.append(kept or read(reader, item, index, path))
        return tuple(things)

    scene = Scene(
        name=reader.name(raw, "", "Untitled"),
        clock=reader.settings(ClockSettings, raw.get("clock"), "clock"),
        frame=reader.settings(FrameSettings, raw.get("frame"), "frame"),
        figures=all_of("figures", _figure),
        fields=all_of("fields", _field),
        guides=all_of("guides", _guide),
        lights=all_of("lights", _light),
        cameras=all_of("cameras", _camera),
        finish=all_of("finish", _effect),
        meant=reader.meant(raw),
        camera=raw.get("camera") or next((c.get("id") for c in raw.get("cameras") or () if isinstance(c, dict)), ""),
        raw=written,
        library=library or shipped(),
    )
    if not reader.problems:
        _check_whole(scene, reader)
    if reader.problems:
        raise ProblemError(reader.problems)
    return scene


def _same_things(written, known, family) -> dict[int, object]:
    """Return the things of a known scene that are written in the same way, by their place in their family now."""
    if known.raw.get("formulas") != written.get("formulas"):
        return {}
    now = written.get(family, [])
    things = zip(known.raw.get(family, []), getattr(known, family), strict=True)
    before = {thing.id: (raw, thing) for raw, thing in things}
    same = {}
    for index, item in enumerate(now if isinstance(now, list) else ()):
        raw, thing = before.get(item.get("id"), (None, None)) if _has_id(item) else (None, None)
        # One without a name is called by its place.
        if raw is not None and "name" in raw and raw == item:
            same[index] = thing
    return same


def _has_id(item) -> bool:
    return isinstance(item, dict) and isinstance(item.get("id"), str)


def _file_text(raw) -> bytes:
    """Return a scene as its file would be; raises ProblemError if that could not be read again."""
    try:
        text = json.dumps(raw, ensure_ascii=False).encode()
    except UnicodeEncodeError:
        message = "holds half of a character, which no file can; allowed whole ones"
        raise ProblemError(Problem(path, message, "text.half") for path in _half_texts(raw)) from None
    if (size := len(text)) > MAX_FILE:
        raise ProblemError(Problem("", f"{size / 2**20:.1f} MB; allowed up to {MAX_FILE >> 20} MB", "scene.size"))
    return text


def _half_texts(value, path=""):
    """Yield the paths of texts, and of what has names, in which a lone surrogate stands."""
    if isinstance(value, str) and HALF.search(value):
        yield path
    for name, part in value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ():
        if isinstance(name, str) and HALF.search(name):
            yield path
        yield from _half_texts(part, HALF.sub("?", f"{path}/{name}").strip("/"))


def _is_nested_deeper(value, levels) -> bool:
    layer = [value]
    for _ in range(levels):
        layer = [part for container in layer if isinstance(container, (dict, list)) for part in _parts(container)]
        if not layer:
            return False
    return True


def _parts(container):
    return container.values() if isinstance(container, dict) else container


def _check_whole(scene, reader):
    """Check what one thing alone cannot know: references, names, and the clock's steadiness."""
    if scene.clock.moving():
        reader.add("clock", "the clock's settings cannot move", "clock.moves")
    if {"width", "height"} & set(scene.frame.moving()):
        reader.add("frame", "the size of the picture cannot move", "frame.moves")
    if not scene.cameras:
        reader.add("cameras", "a scene needs a camera", "scene.camera")
    elif scene.camera not in [camera.id for camera in scene.cameras]:
        reader.add("camera", f"there is no camera {shown(scene.camera)}", "scene.camera")
    names = {}
    for family in ("figures", "fields", "guides", "lights", "cameras"):
        for thing in getattr(scene, family):
            if thing.name in names:
                reader.add(
                    f"{family}/{thing.name}/name", f"there is another thing called “{thing.name}”", "scene.name-twice"
                )
            names[thing.name] = thing
    check_references(scene, reader.add)


def load_scene(path, library: Library | None = None) -> Scene:
    """Read a scene file; raises ProblemError if it cannot be read or anything in it is wrong.

    library  where its assets are; the folder `assets` beside it if not given
    """
    path = Path(path)
    try:
        if path.stat().st_size > MAX_FILE:
            raise ProblemError(Problem(path.name, f"larger than {MAX_FILE // 2**20} MB", "scene.size"))
        return read_scene(parse_json(path.read_text("utf-8")), library or beside(path))
    except OSError as error:
        raise ProblemError(Problem(path.name, error.strerror or str(error), "scene.file")) from None


def parse_json(text: str):
    """Parse JSON strictly: no NaN or Infinity, no runaway nesting."""
    try:
        document = json.loads(text, parse_constant=_Constant)
        # Looked for only where there is the word, as this goes through all of a scene.
        constants = list(_constants(document)) if "NaN" in text or "Infinity" in text else []
    except (ValueError, RecursionError) as error:
        raise ProblemError(Problem("", f"this is not JSON: {error}", "scene.json")) from None
    if constants:
        raise ProblemError(
            Problem(
                path, f"{constant.name} is not a number that a scene can hold; allowed finite numbers", "scene.json"
            )
            for path, constant in constants
        )
    return document


@dataclass(frozen=True)
class _Constant:
    """NaN or Infinity, where a number should be."""

    name: str


def _constants(value, path=""):
    """Yield the path of each constant, and it."""
    if isinstance(value, _Constant):
        yield path, value
    parts = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for name, part in parts:
        yield from _constants(part, f"{path}/{name}" if path else str(name))


def save_scene(scene: Scene, path) -> None:
    """Write a scene file, whole or not at all."""
    path = Path(path)
    draft = path.with_name(path.name + ".part")
    draft.write_text(json.dumps(scene.raw, ensure_ascii=False, indent=1, allow_nan=False) + "\n", "utf-8")
    draft.replace(path)


def new_scene(name: str) -> dict:
    """Return the JSON of an empty scene with a camera, lights and a finish."""
    return {
        "format": FORMAT,
        "version": VERSION,
        "name": name,
        "clock": {"fps": 24, "frames": 96, "loops": True},
        "frame": {"width": 1920, "height": 1080, "background": "gradient", "colour": "#1c2740", "bottom": "#0d1420"},
        "figures": [],
        "fields": [],
        "guides": [],
        "lights": [
            {"id": "sun", "name": "Sun", "kind": "sun", "settings": {}},
            {"id": "sky", "name": "Sky", "kind": "sky", "settings": {}},
        ],
        "cameras": [{"id": "camera", "name": "Camera 1", "settings": {}}],
        "camera": "camera",
        "finish": [{"id": "exposure", "kind": "exposure", "settings": {}}],
    }
