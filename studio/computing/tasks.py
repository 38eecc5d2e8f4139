"""What is computed of scenes. Each task takes plain things and gives plain things, so that another process can do it.

The last argument of each is the question that is asked between the steps of its work: true, or raising, ends it.
"""

import threading
from dataclasses import dataclass, field, replace
from math import ceil

from cachetools import LRUCache
from django.conf import settings

from pirouette.assets.library import Asset, HeldLibrary, Libraries, Library
from pirouette.checks import report
from pirouette.data import Problem, TooMuch
from pirouette.document import read_scene
from pirouette.evaluate import Checkpoints, Memo, evaluate, frames_known
from pirouette.formats.packet import encoded
from pirouette.formats.png import png_bytes
from pirouette.formats.quick import quick_bytes
from pirouette.kernels.threads import DEFAULT_THREADS, use_threads
from pirouette.phrase_pictures import phrase_strip as drawn_strip
from pirouette.render import Part, render_scene
from pirouette.render.layers import picture_layers
from studio.assets import library

from .figure_picture import figure_picture as drawn_figure

THUMBNAIL_WIDTH = 480
THUMBNAIL_SAMPLES = 4
MAX_PROOF = 4096
MAX_GLIMPSE = 1280
UNDER_WIDTH = 960
MAX_PACKET = 256 << 20

memo = Memo(int(settings.KEPT_GB * 2**30), Checkpoints(settings.DATA / "states"))
_scenes = LRUCache(64)
# What a scene was when it was read last, under whatever name; most of an edited one is as it was then.
_last = LRUCache(64)
_lock = threading.Lock()


@dataclass(frozen=True)
class Subject:
    """A scene to compute of.

    name    what it is known by; a scene that was read under the same name, and is the same, is not read again
    assets  slug -> (sort, digest) of all that its document may name
    more    slug -> (sort, bytes) of what comes with it and goes before those
    """

    name: tuple
    document: dict
    assets: dict
    more: dict = field(default_factory=dict)

    @property
    def library(self) -> Library:
        stored = library.of(self.assets)
        if not self.more:
            return stored
        return Libraries(HeldLibrary({slug: Asset(slug, *one) for slug, one in self.more.items()}), stored)


@dataclass(frozen=True)
class Seen:
    """What a page sees of a scene.

    title    the scene's name
    packet   the frame's packet; None if it takes too much to be shown
    sent     keys of the buffers that are in it
    problem  what it takes too much of
    """

    title: str
    packet: bytes | None
    sent: tuple[str, ...] = ()
    problem: TooMuch | None = None


def scene_of(subject: Subject):
    """Return the checked scene of a subject; raises ProblemError with everything that is wrong."""
    with _lock:
        before, known = _scenes.get(subject.name, (None, None))
        last = _last.get(subject.name[0])
    if before != subject:
        known = read_scene(subject.document, subject.library, last)
    with _lock:
        _scenes[subject.name] = subject, known
        _last[subject.name[0]] = known
    return known


def see(subject: Subject, frame: float, reach, have, question) -> Seen:
    """Return what a page that holds some buffers sees of a frame; raises ProblemError if the scene is wrong there."""
    scene = scene_of(subject)
    try:
        picture = evaluate(scene, frame, purpose="view", memo=memo, is_cancelled=question, reach=reach)
        # What a simulation costs no more, the page shows on its dial.
        settled = frames_known(scene, frame, memo)
        packet, sent = encoded(picture, have, **({} if settled is None else {"settled": settled}))
        if len(packet) > MAX_PACKET:
            words = f"this frame is {len(packet) >> 20} MB; the view takes up to {MAX_PACKET >> 20} MB"
            raise TooMuch(Problem("", words, "view.size"))
    except TooMuch as error:
        return Seen(scene.name, None, problem=error)
    return Seen(scene.name, packet, sent)


def proof(subject: Subject, frame: float, width: int, samples: int, part, question) -> bytes:
    """Return the PNG of a frame by the real renderer, so many pixels wide.

    part  None, or what of it is to be as fine as that: left, top, right and bottom, in shares of the picture
    """
    scene = scene_of(subject)
    size = fitted(scene.picture_size, width, MAX_PROOF)
    part = None if part is None else part_of(size, *part)
    return png_bytes(render_scene(scene, frame, size, samples, memo=memo, is_cancelled=question, part=part).pixels())


def painted(subject: Subject, frame: float, width: int, samples: int, view, is_flat, is_quick, question) -> bytes:
    """Return the PNG of what the page's view shows of a frame, from a view or by the scene's camera if that is None."""
    scene = scene_of(subject)
    size = fitted(scene.picture_size, width, MAX_PROOF)
    more = {"purpose": "view", "view": view, "is_flat": is_flat, "is_quick": is_quick}
    return png_bytes(render_scene(scene, frame, size, samples, memo=memo, is_cancelled=question, **more).pixels())


def glimpse(subject: Subject, frame: float, width: int, view, is_flat: bool, at_once: int, question) -> bytes:
    """Return a JPEG, or WebP where it is clear, of what the page's view shows of a frame that it only passes.

    at_once  how many of them are being made at a time, this one among them; they share the threads
    """
    scene = scene_of(subject)
    size = fitted(scene.picture_size, width, MAX_GLIMPSE)
    more = {"purpose": "view", "view": view, "is_flat": is_flat, "is_quick": True}
    with use_threads(max(1, DEFAULT_THREADS // at_once)):
        rendered = render_scene(scene, frame, size, 1, memo=memo, is_cancelled=question, **more)
        return quick_bytes(rendered.pixels())


def under(subject: Subject, frame: float, place, view, question) -> tuple[str, float] | None:
    """Return the id of the figure whose surface is seen at a place of the picture, and how far away; None for nothing.

    place  0..1 from the left and from the top
    """
    scene = scene_of(subject)
    picture = evaluate(scene, frame, purpose="view", memo=memo, is_cancelled=question)
    picture = picture if view is None else replace(picture, view=view)
    width, height = size = fitted(scene.picture_size, UNDER_WIDTH, UNDER_WIDTH)
    numbers = {figure.id: number for number, figure in enumerate(scene.figures, start=1)}
    layers = picture_layers(picture, size, ["ids", "depth"], numbers)
    row, column = min(int(place[1] * height), height - 1), min(int(place[0] * width), width - 1)
    number = layers["ids"][row, column]
    return (scene.figures[number - 1].id, float(layers["depth"][row, column])) if number else None


def part_of(size: tuple[int, int], left: float, top: float, right: float, bottom: float) -> Part:
    """Return the pixels of a picture that a part touches, given in shares of it: one at least."""
    width, height = size
    first_x, first_y = min(int(left * width), width - 1), min(int(top * height), height - 1)
    last_x, last_y = (max(ceil(share * side), 1) for share, side in ((right, width), (bottom, height)))
    return Part(first_x, first_y, max(last_x - first_x, 1), max(last_y - first_y, 1))


def thumbnail(subject: Subject, question) -> bytes:
    """Return the PNG of a scene a third into its loop, or near the end of one that plays once."""
    scene = scene_of(subject)
    frame = scene.frame_count // 3 if scene.first_moment.loops else scene.frame_count * 9 // 10
    size = fitted(scene.picture_size, THUMBNAIL_WIDTH, THUMBNAIL_WIDTH)
    return png_bytes(render_scene(scene, frame, size, THUMBNAIL_SAMPLES, memo=memo, is_cancelled=question).pixels())


def fitted(picture_size, width: int, most: int) -> tuple[int, int]:
    """Return the size of a small picture of a large one: as wide as wanted, but no side longer than `most`."""
    whole_width, whole_height = picture_size
    scale = min(width / whole_width, most / whole_height)
    return max(1, round(whole_width * scale)), max(1, round(whole_height * scale))


def figure_picture(subject: Subject, figure_id: str, question) -> bytes | None:
    """Return the PNG of one figure alone; None if there is no such figure."""
    scene = scene_of(subject)
    return drawn_figure(scene, figure_id, memo, question) if figure_id in scene.figures_by_id else None


def phrase_strip(subject: Subject, figure_id: str, question) -> bytes:
    """Return the WebP of a phrase's moving picture: pictures of its scene beside each other."""
    return drawn_strip(scene_of(subject), figure_id, memo, question)


def checks(subject: Subject, frame: float, question) -> dict:
    """Return all that can be told of a scene, see pirouette/checks/report.py."""
    return report(scene_of(subject), frame, memo, question)
