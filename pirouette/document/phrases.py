"""Phrases: a figure, or a stretch of its steps, with all that they need, kept to be put into any scene.

A phrase's file holds a whole scene in which its figure stands alone, with what that refers to: so it is checked,
migrated and drawn like any other. What of it goes into another scene is marked there, see phrased.py.
"""

import copy
import re
from dataclasses import dataclass

from ..assets.library import Library
from ..catalogue import CLAUSES, FORCES, LOOKS, STEPS
from ..data import Problem, ProblemError
from .check import parts_of
from .ids import at_pointer, pointer_of
from .named import split_part
from .read import new_scene, read_scene
from .scene import Scene
from .shared import use_shared
from .things import THINGS

FORMAT = "pirouette-phrase"
VERSION = 1
MAX_SAYS = 200
# What goes along with a phrase; lights and cameras are those of the scene that it is put into.
CARRIED = ("figures", "fields", "guides")
LEFT = {"lights": "a light", "cameras": "a camera", "finish": "the finish"}
# What settings are called where they stand: those of a line's kind, and of parts of things.
HOLDERS = ("settings", "place", "joining", "own_time")


@dataclass(frozen=True, eq=False)
class Phrase:
    """A phrase as read and checked.

    is_whole  whether it is a figure; else the stretch of steps that is marked
    raw       its file's JSON, at the current versions
    """

    name: str
    says: str
    is_whole: bool
    figure: str
    scene: Scene
    raw: dict

    @property
    def record(self) -> dict:
        return self.made["phrases"][0]

    @property
    def steps(self) -> list[dict]:
        """Return the JSON of its steps."""
        return [step for step in self.made["routine"] if step.get("phrase") == self.record["id"]]

    @property
    def made(self) -> dict:
        """Return the JSON of its figure."""
        return by_id(self.scene.raw["figures"], self.figure)


def by_id(items, identity):
    return next(item for item in items if item["id"] == identity)


def fail(path, message, code):
    raise ProblemError(Problem(path, message, code))


# Making


def phrase_of(scene: Scene, figure_id: str, steps, name: str, says: str = "", shows=()) -> dict:
    """Return the JSON of a phrase: of a whole figure, or of those of its steps whose ids are given.

    shows   {value, words, range} of each value to be shown; its address begins in the figure, or with / in the scene
    Raises  ProblemError if there is no such figure or step, the steps do not follow each other, a value is not there,
            or the phrase would need what cannot go along
    """
    if figure_id not in scene.figures_by_id:
        fail("figure", f"there is no figure {figure_id!r}", "phrase.figure")
    raw = use_shared(scene.raw)
    figure = copy.deepcopy(by_id(raw["figures"], figure_id))
    routine = figure.get("routine", [])
    figure["visible"] = "shown"
    if steps is not None:
        first, last = _stretch(routine, steps)
        # What stands above shows what they are used on; what stands below is none of theirs.
        figure["routine"] = routine[: last + 1]
    own = routine if steps is None else routine[first : last + 1]
    if not own:
        fail("steps", "allowed a step or more", "phrase.steps")
    for step in figure["routine"]:
        step.pop("phrase", None)
    identity = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40].strip("-") or "phrase"
    for step in own:
        step["phrase"] = identity
    along = needed(scene, figure_id, {step["id"] for step in figure["routine"]})
    if steps is not None:
        # What cannot go along is told before anything is kept.
        needed(scene, figure_id, {step["id"] for step in own}, is_alone=True)
    made = new_scene(name)
    made["clock"], made["frame"] = raw["clock"], raw["frame"]
    for family in CARRIED:
        made[family] = [copy.deepcopy(item) for item in raw.get(family, ()) if (family, item["id"]) in along]
    figure["phrases"] = [{"id": identity, "name": name, "shows": [dict(shown) for shown in shows]}]
    made["figures"] = [figure, *(one for one in made["figures"] if one["id"] != figure_id)]
    for shown in shows:
        address = shown.get("value") if isinstance(shown, dict) else None
        if not isinstance(address, str) or not _is_there(made, figure, address):
            fail("shows", f"there is no value {address!r} in this phrase", "phrase.value")
    document = {"format": FORMAT, "version": VERSION, "says": says, "figure": figure_id}
    return {**document, "whole": steps is None, "scene": made}


def _stretch(routine, steps) -> tuple[int, int]:
    """Return the numbers of the first and the last of some steps, which must follow each other."""
    numbers = [k for k, step in enumerate(routine) if step["id"] in set(steps)]
    if not numbers or len(numbers) != len(set(steps)) or numbers[-1] - numbers[0] + 1 != len(numbers):
        ids = ", ".join(step["id"] for step in routine)
        fail("steps", f"{list(steps)} are not steps that follow each other; there are {ids}", "phrase.steps")
    return numbers[0], numbers[-1]


def _is_there(made, figure, address) -> bool:
    """Whether an address leads to a setting, written or not."""
    within = made if address.startswith("/") else figure
    way = (pointer_of(within, address) or "").split("/")
    end = next((k for k, part in enumerate(way) if part in HOLDERS), None)
    if end is None or len(way) < end + 2:
        return False
    holder, name = way[end], way[end + 1]
    if holder != "settings":
        return name in THINGS[holder].declared()
    kind = (at_pointer(within, "/".join(way[:end])) or {}).get("kind")
    tables = (STEPS, FORCES, LOOKS, CLAUSES)
    return any(kind in table and name in table[kind].settings.declared() for table in tables)


def needed(scene, figure_id, kept, is_alone=False) -> set[tuple[str, str]]:
    """Return (family, id) of all that some steps of a figure lead to; raises ProblemError for what cannot go along.

    kept      the ids of the steps
    is_alone  whether they go into another figure, without the rest of theirs
    """
    named = (*CARRIED, "lights", "cameras")
    names = {thing.name: (family, thing.id) for family in named for thing in getattr(scene, family)}
    names.setdefault("Finish", ("finish", ""))
    start = scene.figures_by_id[figure_id]
    found, waiting = {("figures", figure_id)}, [("figures", start)]

    def reach(family, identity):
        table = getattr(scene, f"{family}_by_id")
        if identity in table and (family, identity) not in found:
            found.add((family, identity))
            waiting.append((family, table[identity]))

    while waiting:
        family, thing = waiting.pop()
        for path, settings, only_where in parts_of(family, thing):
            number = re.match(r"routine/(\d+)", path)
            if thing is start and (thing.routine[int(number[1])].id not in kept if number else is_alone):
                continue
            if only_where:
                reach("fields", only_where)
            for _, families, value in settings.references:
                for one in families:
                    if one in CARRIED:
                        reach(one, value)
            for reference in settings.named:
                (other, identity), value = _owner(scene, names, reference)
                if other in LEFT:
                    words = f"reads {{{reference}}} of {LEFT[other]}, which does not go along with a phrase"
                    fail(f"{family}/{thing.name}/{path}", words, "phrase.formula")
                if is_alone and (other, identity) == ("figures", figure_id) and "." in value:
                    words = f"reads {{{reference}}} of its own figure; allowed in a phrase of the whole figure"
                    fail(f"{family}/{thing.name}/{path}", words, "phrase.formula")
                if other is not None:
                    reach(other, identity)
    return found


def _owner(scene, names, reference):
    """Return (family, id) of the thing whose value a formula names, and what of it; (None, None) if there is none."""
    try:
        whole = reference if scene.place_named(reference) else split_part(reference, scene.named_values)[0]
    except KeyError:
        return (None, None), ""
    name = max((name for name in names if whole.startswith(f"{name}.")), key=len)
    value = "world" if whole == reference and ".world." in whole else whole.removeprefix(f"{name}.")
    return names[name], value


# Reading


def read_phrase(raw, library: Library | None = None) -> Phrase:
    """Return the checked phrase of a file's JSON; raises ProblemError with what is wrong."""
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        told = raw.get("format") if isinstance(raw, dict) else raw
        fail("format", f"{str(told)[:60]!r} is not {FORMAT!r}", "phrase.format")
    if raw.get("version") != VERSION or isinstance(raw["version"], bool):
        fail("version", f"{raw.get('version')!r} is unknown; allowed {VERSION}", "phrase.version")
    unknown = sorted(set(raw) - {"format", "version", "says", "figure", "whole", "scene"})
    if unknown:
        fail(unknown[0], "unknown; allowed format, version, says, figure, whole and scene", "phrase.unknown")
    says = raw.get("says", "")
    if not isinstance(says, str) or len(says) > MAX_SAYS or re.search(r"[\ud800-\udfff]", says):
        fail("says", f"allowed a text of up to {MAX_SAYS} characters", "phrase.says")
    if not isinstance(raw.get("whole"), bool):
        fail("whole", f"{raw.get('whole')!r} is neither true nor false", "value.switch")
    try:
        scene = read_scene(raw.get("scene"), library)
    except ProblemError as error:
        raise ProblemError(
            Problem(f"scene/{one.path}".rstrip("/"), one.message, one.code) for one in error.problems
        ) from None
    figure = raw.get("figure")
    if not isinstance(figure, str) or figure not in scene.figures_by_id:
        fail("figure", f"there is no figure {figure!r} in its scene", "phrase.figure")
    document = {**raw, "says": says, "scene": scene.raw}
    phrase = Phrase(scene.name, says, raw["whole"], figure, scene, document)
    _check_marks(phrase)
    return phrase


def _check_marks(phrase):
    """Raise ProblemError if what is the phrase is not marked in its figure as it should be."""
    figure = phrase.made
    if not figure.get("phrases"):
        fail("scene/figures", "the figure has no phrase that says what is shown", "phrase.record")
    steps, routine = phrase.steps, figure.get("routine", [])
    if not steps:
        fail("scene/figures", "no step belongs to the phrase", "phrase.steps")
    _stretch(routine, [step["id"] for step in steps])
    forms = phrase.scene.figures_by_id[phrase.figure].routine
    if not phrase.is_whole and any(line.kind.group == "form" for line in forms if line.id in {s["id"] for s in steps}):
        fail("scene/figures", "steps that are put under others cannot begin with a form", "routine.form")
