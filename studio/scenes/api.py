"""The API of scenes: documents, edits, frames, proofs, checks."""

import struct
from asyncio import ensure_future
from collections import deque
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict
from functools import partial
from itertools import islice
from typing import Annotated

from asgiref.sync import sync_to_async
from django.http import HttpResponse, JsonResponse, StreamingHttpResponse
from django.shortcuts import aget_object_or_404, get_object_or_404
from django.utils.cache import patch_cache_control
from django.views.decorators.gzip import gzip_page
from ninja import Body, Field, Router, Schema
from ninja.decorators import decorate_view

from pirouette.data import Cancelled, ProblemError
from pirouette.data.picture import View
from pirouette.formats.packet import with_header
from studio.computing import tasks
from studio.computing.office import progress, run
from studio.computing.tasks import Subject
from studio.tickets import take_ticket
from studio.work import PROOF_SECONDS, SMALL_SECONDS, VIEW_SECONDS, has_left

from . import services
from .models import Scene
from .told import catalogue_told

router = Router(tags=["scenes"])
# Streams wait in it while their scenes are computed; the event loop's own threads are for what is short.
_streaming = ThreadPoolExecutor(64, "stream")
PACKET = "application/octet-stream"
MAX_FRAMES = 5000
# While one waits for another thread, or holds what only one may hold, the other goes on.
PICTURES_AT_ONCE = 2
MAX_KEYS = 5000
KEPT_SECONDS = 365 * 24 * 60 * 60
DOCUMENT = Body(...)


# Before the first frame and beyond the last one, but a number that a packet can hold.
Frame = Annotated[float, Field(ge=-1_000_000, le=1_000_000, allow_inf_nan=False)]

# Of the picture's width or height.
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class Shown(Schema):
    """What a page shows: the frame, the field whose reach it wants to see, and the buffers it holds."""

    frame: Frame = 0.0
    reach: str | None = None
    have: list[str] = Field(default_factory=list, max_length=MAX_KEYS)
    view: str = Field("", max_length=64)


class Edit(Shown):
    revision: int
    patch: list[dict]
    gesture: str = Field("", max_length=40)
    id: str = Field("", max_length=40)


class Step(Shown):
    revision: int


class Waiting(Schema):
    view: str = Field(max_length=64)


class Edits(Schema):
    ids: list[str] = Field(max_length=MAX_KEYS)


class Return(Step):
    state: int


class Frames(Schema):
    state: int | None = None
    frames: list[Frame] = Field(max_length=MAX_FRAMES)
    reach: str | None = None
    have: list[str] = Field(default_factory=list, max_length=MAX_KEYS)
    view: str = Field("", max_length=64)


Axis = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]


class Looking(Schema):
    """Where somebody looks from that is not the scene's camera: ways, and half the picture's width at distance 1."""

    position: tuple[Axis, Axis, Axis]
    forward: tuple[Axis, Axis, Axis]
    up: tuple[Axis, Axis, Axis]
    tangent: float = Field(gt=0.001, le=1000, allow_inf_nan=False)


class Painted(Schema):
    state: int | None = None
    frame: Frame = 0.0
    width: int = Field(960, ge=16, le=tasks.MAX_PROOF)
    samples: int = Field(4, ge=1, le=64)
    look: Looking | None = None
    flat: bool = False
    quick: bool = False
    view: str = Field("", max_length=64)


class Reel(Schema):
    state: int | None = None
    frames: list[Frame] = Field(max_length=MAX_FRAMES)
    width: int = Field(400, ge=16, le=tasks.MAX_GLIMPSE)
    look: Looking | None = None
    flat: bool = False
    view: str = Field("", max_length=64)


class Under(Schema):
    frame: Frame = 0.0
    place: tuple[Share, Share]
    look: Looking | None = None


class Proof(Schema):
    state: int | None = None
    frame: Frame = 0.0
    width: int = Field(960, ge=16, le=tasks.MAX_PROOF)
    samples: int = Field(8, ge=1, le=64)
    part: tuple[Share, Share, Share, Share] | None = None
    view: str = Field("", max_length=64)


@router.get("/catalogue")
@decorate_view(gzip_page)
def get_catalogue(request, version: str = ""):
    """Return every kind and thing with its settings, ranges, units, help and sentence; what has a version is kept."""
    data, current = catalogue_told()
    answer = HttpResponse(data, content_type="application/json")
    if version == current:
        patch_cache_control(answer, public=True, max_age=KEPT_SECONDS, immutable=True)
    return answer


@router.get("/scenes")
def list_scenes(request):
    """List the stored scenes."""
    return [{"id": scene.id, "name": scene.name, "revision": scene.revision} for scene in Scene.objects.all()]


@router.post("/scenes", response={201: dict})
def create(request, document: dict = DOCUMENT):
    """Store a new scene; answers with its id, or with everything that is wrong."""
    scene = services.create_scene(document)
    return 201, {"id": scene.id, **services.history(scene)}


@router.get("/scenes/{scene_id}")
def get_scene(request, scene_id: int):
    """Return a scene's document and where its history stands."""
    scene = get_object_or_404(Scene, id=scene_id)
    return {"id": scene.id, "document": scene.document, **services.history(scene)}


@router.get("/scenes/{scene_id}/revision")
def revision(request, scene_id: int):
    """Return how often a scene has changed; who has another number has something to catch up with."""
    return {"revision": get_object_or_404(Scene.objects.only("revision"), id=scene_id).revision}


def _look(request, shown: Shown) -> services.Look:
    return services.Look(shown.frame, shown.reach, tuple(shown.have), take_ticket(shown.view, has_left(request)))


def _packet(edited: services.Edited, **more):
    """Answer with what a page sees of a scene; with its history alone if that is not wanted or cannot be shown."""
    answer = {**services.history(edited.scene), **more}
    if edited.packet is not None:
        return HttpResponse(with_header(edited.packet, **answer), content_type=PACKET)
    return JsonResponse({**answer, "unseen": edited.problem.words} if edited.problem else answer)


@router.post("/scenes/{scene_id}/patch")
def patch_scene(request, scene_id: int, body: Edit):
    """Change a scene by a JSON Patch; the answer is the packet of the frame that is shown."""
    get_object_or_404(Scene, id=scene_id)
    edited = services.edit(scene_id, body.revision, body.patch, _look(request, body), body.gesture, body.id)
    return _packet(edited)


@router.post("/scenes/{scene_id}/hurry", response={204: None})
def hurry(request, scene_id: int, body: Waiting):
    """Stop computing the picture that a page waits for: it has a newer change to send. Edits are saved all the same."""
    take_ticket(body.view)
    return 204, None


@router.post("/scenes/{scene_id}/known")
def known(request, scene_id: int, body: Edits):
    """Tell which of some edits have arrived, by the ids that they were sent with."""
    return {"known": services.known_edits(get_object_or_404(Scene, id=scene_id), body.ids)}


@router.post("/scenes/{scene_id}/undo")
def undo_scene(request, scene_id: int, body: Step):
    """Take back the last change; the packet's header holds the patch that did it."""
    get_object_or_404(Scene, id=scene_id)
    scene, patch = services.undo(scene_id, body.revision)
    return _packet(services.seen(scene, _look(request, body)), patch=patch)


@router.post("/scenes/{scene_id}/redo")
def redo_scene(request, scene_id: int, body: Step):
    """Do again what was taken back last; the packet's header holds the patch that did it."""
    get_object_or_404(Scene, id=scene_id)
    scene, patch = services.redo(scene_id, body.revision)
    return _packet(services.seen(scene, _look(request, body)), patch=patch)


@router.get("/scenes/{scene_id}/states")
def states_of_scene(request, scene_id: int, below: int | None = None):
    """Return the states that the scene has been in, newest first, each with what led to it in words."""
    return services.states(get_object_or_404(Scene, id=scene_id), below)


@router.post("/scenes/{scene_id}/return")
def return_scene(request, scene_id: int, body: Return):
    """Make the scene what it was in an earlier state; the packet's header holds the patch that did it."""
    get_object_or_404(Scene, id=scene_id)
    edited, patch = services.go_back(scene_id, body.revision, body.state, _look(request, body))
    return _packet(edited, patch=patch)


def _wanted(scene, state) -> Subject:
    """Return the scene as it is, or as it was in a state."""
    return services.subject(scene, None if state is None else services.state_at(scene, state))


@router.post("/scenes/{scene_id}/frames")
async def stream_frames(request, scene_id: int, body: Frames):
    """Stream the packets of many frames of the scene as it is, or as it was in a state.

    Each comes after its length in bytes (uint32); a length of 0 ends with a problem.
    """
    have = set(body.have)

    def packet_of(wanted, frame, **how):
        seen = run(tasks.see, wanted, frame, body.reach, have, **how)
        if seen.problem:
            raise seen.problem
        have.update(seen.sent)
        return seen.packet

    return await _streamed(request, scene_id, body, packet_of)


@router.post("/scenes/{scene_id}/reel")
async def stream_reel(request, scene_id: int, body: Reel):
    """Stream pictures of many frames, small and quickly made, as `/frames` does packets: JPEG, or WebP where clear."""
    at_once = min(PICTURES_AT_ONCE, len(body.frames))
    more = body.width, _view(body.look), body.flat, at_once

    def picture_of(wanted, frame, **how):
        return run(tasks.glimpse, wanted, frame, *more, **how)

    return await _streamed(request, scene_id, body, picture_of, at_once)


async def _streamed(request, scene_id, body, make, at_once=1):
    """Answer with what is made of each frame in turn: make(subject, frame, **how) -> bytes, in a thread of its own.

    at_once  so many are in the making at a time
    """
    scene = await aget_object_or_404(Scene, id=scene_id)
    wanted = await sync_to_async(_wanted)(scene, body.state)
    how = {"name": wanted.name[0], "seconds": VIEW_SECONDS, "is_cancelled": take_ticket(body.view, has_left(request))}
    made = sync_to_async(partial(make, wanted, **how), thread_sensitive=False, executor=_streaming)

    async def parts():
        frames = iter(body.frames)
        making = deque(ensure_future(made(frame)) for frame in islice(frames, at_once))
        try:
            while making:
                try:
                    part = await making.popleft()
                except Cancelled:
                    return
                except ProblemError as error:
                    text = error.words.encode()
                    yield struct.pack("<II", 0, len(text)) + text
                    return
                making.extend(ensure_future(made(frame)) for frame in islice(frames, 1))
                yield struct.pack("<I", len(part)) + part
        finally:
            for one in making:
                one.cancel()

    return StreamingHttpResponse(parts(), content_type=PACKET)


@router.get("/scenes/{scene_id}/progress")
def progress_of(request, scene_id: int):
    """Tell how far a simulation of the scene has come that somebody waits for; null while none is being computed."""
    told = progress(scene_id)
    return {"progress": None if told is None else asdict(told)}


@router.post("/scenes/{scene_id}/proof")
def proof(request, scene_id: int, body: Proof):
    """Render one frame with the real renderer; the answer is a PNG as wide as asked for.

    Of a `part` (left, top, right and bottom, from 0 to 1), only that is as fine as asked for.
    """
    subject = _wanted(get_object_or_404(Scene, id=scene_id), body.state)
    wanted = subject, body.frame, body.width, body.samples, body.part
    is_cancelled = take_ticket(body.view, has_left(request))
    data = run(tasks.proof, *wanted, name=scene_id, seconds=PROOF_SECONDS, is_cancelled=is_cancelled)
    return HttpResponse(data, content_type="image/png")


@router.post("/scenes/{scene_id}/painted")
def painted(request, scene_id: int, body: Painted):
    """Render what the view shows of a frame, from wherever somebody looks; the answer is a PNG as wide as asked for."""
    subject = _wanted(get_object_or_404(Scene, id=scene_id), body.state)
    wanted = subject, body.frame, body.width, body.samples, _view(body.look), body.flat, body.quick
    is_cancelled = take_ticket(body.view, has_left(request))
    data = run(tasks.painted, *wanted, name=scene_id, seconds=PROOF_SECONDS, is_cancelled=is_cancelled)
    return HttpResponse(data, content_type="image/png")


@router.post("/scenes/{scene_id}/under")
def under(request, scene_id: int, body: Under):
    """Tell which figure is seen at a place of the picture (0 to 1 from its left and top), and how far away; or null."""
    wanted = services.subject(get_object_or_404(Scene, id=scene_id)), body.frame, body.place, _view(body.look)
    found = run(tasks.under, *wanted, name=scene_id, seconds=SMALL_SECONDS, is_cancelled=has_left(request))
    figure, depth = found or (None, None)
    return {"figure": figure, "depth": depth}


def _view(look: Looking | None):
    return None if look is None else View.along(look.position, look.forward, look.up, look.tangent)


@router.get("/scenes/{scene_id}/figures/{figure_id}/picture")
def picture_of_figure(request, scene_id: int, figure_id: str):
    """Return a small picture of one figure alone."""
    wanted = services.subject(get_object_or_404(Scene, id=scene_id)), figure_id
    is_cancelled = has_left(request)
    data = run(tasks.figure_picture, *wanted, name=scene_id, seconds=SMALL_SECONDS, is_cancelled=is_cancelled)
    return HttpResponse(status=404) if data is None else HttpResponse(data, content_type="image/png")


@router.get("/scenes/{scene_id}/checks")
def checks(request, scene_id: int, frame: Frame = 0.0, view: str = ""):
    """Return the lanes of what moves, whether the loop closes, and the notes on what has no effect.

    A page that names its view is answered its latest question alone.
    """
    stored = get_object_or_404(Scene, id=scene_id)
    wanted = services.subject(stored), frame
    is_cancelled = take_ticket(view and f"{view}-checks", has_left(request))
    told = run(tasks.checks, *wanted, name=scene_id, seconds=SMALL_SECONDS, is_cancelled=is_cancelled)
    return {"revision": stored.revision, **told}
