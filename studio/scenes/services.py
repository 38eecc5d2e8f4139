"""Changes to scenes. Each is checked whole, saved whole, and can be undone."""

import copy
from collections.abc import Callable
from dataclasses import dataclass

import jsonpatch
from django.db import transaction

from pirouette.data import Cancelled, Problem, ProblemError, TooMuch
from pirouette.data.question import never
from pirouette.document import read_scene
from pirouette.document.changes import differences
from studio.assets import library
from studio.computing import tasks
from studio.computing.office import run
from studio.computing.tasks import Seen, Subject
from studio.work import VIEW_SECONDS

from .models import Revision, Scene
from .patching import applied, joined

# A gesture over all things of a scene is one patch; what comes in one request is limited by its bytes, too.
MAX_OPERATIONS = 20_000
# Going back by more operations than that replaces the whole document.
WHOLE_INSTEAD = 500
# What pages, pictures, checks and exports of a scene read in its document without asking the core.
SECTIONS = {"clock": {}, "frame": {}, "figures": [], "fields": [], "guides": [], "lights": [], "finish": []}


class Conflict(Exception):
    """The page's state is not the stored one: somebody else changed the scene meanwhile."""

    def __init__(self, scene: Scene):
        super().__init__("This scene was changed elsewhere; the page has been brought up to date.")
        self.scene = scene


class Gone(Exception):
    """A state that is asked for is not in the history any more: another way was taken after an undo."""

    def __init__(self):
        super().__init__("That state is gone: the scene was changed after going back beyond it.")


def create_scene(document: dict) -> Scene:
    """Check and store a new scene; raises ProblemError with everything that is wrong."""
    return store_scene(checked_scene(document))


def whole(document):
    """Return a document with all its sections."""
    return {**SECTIONS, **document} if isinstance(document, dict) else document


def read_whole(document: dict):
    """Return the scene of a document, whether or not it can be shown; raises ProblemError with everything wrong."""
    what = Subject(("new", None), whole(document), library.entries())
    return read_scene(what.document, what.library)


def checked_scene(document: dict, held=None):
    """Return the scene of a document that is whole and can be shown; raises ProblemError with everything wrong.

    held    assets that come with it, by the ids that it names them by
    One that is right, but takes too long or too much memory to be shown, is kept as well: so it can be made lighter.
    """
    held = held or {}
    more = {slug: (one.sort, one.data) for slug, one in held.items()}
    what = Subject(("new", None), whole(document), library.entries(), more)
    _seen(what, Look())
    return read_scene(what.document, what.library)


def store_scene(checked, is_demo: bool = False) -> Scene:
    """Store a scene that was checked."""
    return Scene.objects.create(name=checked.name, document=checked.raw, is_demo=is_demo)


def subject(scene: Scene, document: dict | None = None) -> Subject:
    """Return what can be computed of: a stored scene, or another document in its place."""
    if document is None:
        return Subject((scene.id, scene.revision), scene.document, library.entries())
    return Subject((scene.id, "another"), document, library.entries())


def _patched(document: dict, patch: list) -> tuple[dict, list]:
    if len(patch) > MAX_OPERATIONS:
        raise ProblemError(Problem("", f"{len(patch)} operations; allowed up to {MAX_OPERATIONS}", "patch.size"))
    changed, inverse = applied(document, patch)
    missing = [name for name in SECTIONS if name not in changed] if isinstance(changed, dict) else []
    if missing:
        raise ProblemError(Problem(name, "cannot be taken out; it may be empty", "scene.section") for name in missing)
    return changed, inverse


@dataclass(frozen=True)
class Look:
    """What a page sees of a scene: the frame, what is shaded, what it holds, and whether it still wants to see it."""

    frame: float = 0.0
    reach: str | None = None
    have: tuple[str, ...] = ()
    is_cancelled: Callable[[], bool] = never


@dataclass(frozen=True)
class Edited:
    """A scene after an edit, and what a page sees of it then.

    packet   None if it did not want to see it any more, or it cannot be shown
    problem  why it cannot be shown
    """

    scene: Scene
    packet: bytes | None
    problem: ProblemError | None = None


def edit(
    scene_id: int, revision: int, patch: list, look: Look | None = None, gesture: str = "", edit_id: str = ""
) -> Edited:
    """Apply a JSON Patch to a scene and save it as one step of its history.

    The scene is read once and evaluated once, at the frame that is looked at; if that is not wanted any more, or takes
    too long or too much memory, the edit is saved without its picture.

    gesture  patches of one gesture (one drag) become one step
    edit_id  names the request; one that was carried out already, but whose answer was lost, changes nothing again
    Raises   Conflict if `revision` is not the stored one, ProblemError if the result is wrong or cannot be
             computed at the shown frame; then nothing is saved
    """
    look = look or Look()
    before = Scene.objects.get(id=scene_id)
    if before.revision != revision:
        if edit_id and before.revisions.filter(number=before.position, last_edit=edit_id).exists():
            return seen(before, look)
        raise Conflict(before)
    document, inverse = _patched(before.document, patch)
    shown = _seen(Subject((scene_id, revision + 1), document, library.entries()), look)
    with transaction.atomic():
        # Its document is about to be another, and long to read.
        scene = Scene.objects.defer("document").get(id=scene_id)
        if scene.revision != revision:
            # The same request may have been sent twice, the first of them still under way.
            if edit_id and scene.revisions.filter(number=scene.position, last_edit=edit_id).exists():
                return Edited(scene, shown.packet, shown.problem)
            raise Conflict(scene)
        scene.revisions.filter(number__gt=scene.position).delete()
        last = scene.revisions.filter(number=scene.position).first()
        if last and gesture and last.gesture == gesture:
            last.patch, last.inverse = joined(last.patch, last.inverse, patch, inverse)
            last.last_edit = edit_id
            last.save()
        else:
            scene.position += 1
            Revision.objects.create(
                scene=scene,
                number=scene.position,
                patch=patch,
                inverse=inverse,
                gesture=gesture,
                last_edit=edit_id,
            )
        _store(scene, document, shown.title)
    return Edited(scene, shown.packet, shown.problem)


def known_edits(scene: Scene, ids: list[str]) -> list[str]:
    """Return those of some requests' names that were carried out last in a step of the scene's history."""
    return list(scene.revisions.filter(last_edit__in=ids).values_list("last_edit", flat=True))


def seen(scene: Scene, look: Look) -> Edited:
    """Return a scene as it is with what a page sees of it, or why that cannot be shown."""
    try:
        shown = _seen(subject(scene), look)
        return Edited(scene, shown.packet, shown.problem)
    except ProblemError as error:
        return Edited(scene, None, error)


def _seen(what: Subject, look) -> Seen:
    """Return what a page sees of a scene, or that it is right at least; raises ProblemError if it is wrong."""
    asked = what, look.frame, look.reach, look.have
    try:
        return run(tasks.see, *asked, name=what.name[0], seconds=VIEW_SECONDS, is_cancelled=look.is_cancelled)
    except (Cancelled, TooMuch) as error:
        # Nobody knows how far that came.
        title = read_scene(what.document, what.library).name
        return Seen(title, None, problem=error if isinstance(error, TooMuch) else None)


def _store(scene, document, title):
    scene.document = document
    scene.name = title
    scene.revision += 1
    scene.save()


def _step(scene_id, revision, is_undo):
    with transaction.atomic():
        scene = Scene.objects.get(id=scene_id)
        if scene.revision != revision:
            raise Conflict(scene)
        number = scene.position if is_undo else scene.position + 1
        step = scene.revisions.filter(number=number).first()
        if step is None:
            return scene, []
        patch = step.inverse if is_undo else step.patch
        document = jsonpatch.apply_patch(scene.document, patch)
        scene.position += -1 if is_undo else 1
        if step.gesture:
            # A later patch must not be taken for a part of a gesture that was undone.
            step.gesture = ""
            step.save(update_fields=["gesture"])
        _store(scene, document, read_scene(document, library.current()).name)
    return scene, patch


def undo(scene_id: int, revision: int):
    """Take back the last step; returns the scene and the patch that did it, empty if there was none."""
    return _step(scene_id, revision, True)


def redo(scene_id: int, revision: int):
    """Do the step again that was taken back last; returns the scene and the patch, empty if there was none."""
    return _step(scene_id, revision, False)


def states(scene: Scene, below: int | None = None, most: int = 100) -> dict:
    """Return the states that a scene has been in, newest first, each with what led to it in words.

    below  tell of states before the one of this number only; a page asks again with the last one it got
    Each state has the id of its step of history, 0 for the beginning.
    """
    steps = scene.revisions.order_by("-number")
    steps = list((steps if below is None else steps.filter(number__lt=below))[: most + 1])
    told = []
    if steps:
        after = _document_at(scene, steps[0].number)
    for step in steps[:most]:
        before = jsonpatch.apply_patch(after, step.inverse)
        words = differences(before, after)
        told.append(_state(scene, step.id, step.number, step.created, words))
        after = before
    if len(steps) <= most:
        told.append(_state(scene, 0, 0, scene.created, ["As it began"]))
    return {"states": told, "isWhole": len(steps) <= most}


def _state(scene, state_id, number, when, words):
    return {
        "id": state_id,
        "number": number,
        "when": when.isoformat(),
        "words": words,
        "isNow": number == scene.position,
    }


def state_at(scene: Scene, state: int) -> dict:
    """Return the document of a state that a scene has been in.

    state   the id of its step of history, 0 for the beginning
    Raises  Gone if the history was rewritten since
    """
    number = 0
    if state:
        step = scene.revisions.filter(id=state).first()
        if step is None:
            raise Gone
        number = step.number
    return scene.document if number == scene.position else _document_at(scene, number)


def _document_at(scene, number):
    low, high = sorted((number, scene.position))
    steps = scene.revisions.filter(number__gt=low, number__lte=high)
    document = copy.deepcopy(scene.document)
    if number < scene.position:
        patches = (step.inverse for step in steps.order_by("-number"))
    else:
        patches = (step.patch for step in steps)
    for patch in patches:
        document = jsonpatch.apply_patch(document, patch, in_place=True)
    return document


def go_back(scene_id: int, revision: int, state: int, look: Look) -> tuple[Edited, list]:
    """Make a scene what it was in a state, as a step that can be undone; returns what came of it and the patch."""
    scene = Scene.objects.get(id=scene_id)
    then = state_at(scene, state)
    patch = jsonpatch.make_patch(scene.document, then).patch
    if len(patch) > WHOLE_INSTEAD:
        patch = [{"op": "replace", "path": "", "value": then}]
    return (edit(scene_id, revision, patch, look) if patch else seen(scene, look)), patch


def history(scene: Scene) -> dict:
    """Return what a page needs to know about a scene's state."""
    return {
        "revision": scene.revision,
        "saved": scene.changed.isoformat(),
        "canUndo": scene.position > 0,
        "canRedo": scene.revisions.filter(number__gt=scene.position).exists(),
    }
