"""One finished frame of a scene: the one way to it for proofs, jobs, thumbnails, the command line and tests.

What the shutter and the lens let in is many pictures, each of one moment and one place on the lens, added up in linear
light. How many follows from how far things move, and how far they blur, in pixels. The samples of a pixel are shared
out among them, so that both cost little more than a still picture of many samples.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import NamedTuple

import numpy as np
import scipy

from ..data import Cancelled, Chosen
from ..data.picture import Picture, View
from ..document import Scene
from ..evaluate import Memo, evaluate
from ..kernels.render.kept import NOTHING_SHARED
from ..kernels.render.picture import encode
from .bands import Part, render_light, shared_light
from .blurs import lens_blur, motion_px
from .cover import chosen_by, cover_of, in_black_and_white
from .layers import LAYERS, MOTION_SPAN, picture_layers
from .sample import MAX_SAMPLES, Sample

# As many pictures as make steps of this many pixels, but no more than these through a lens and of moments.
STEP_PX = 1.5
MOST_PLACES, MOST_MOMENTS = 256, 2048
# How far things move is seen at the ends of so many pieces of the time that a shutter is open.
PIECES = 4
# From so many pictures of one moment on, they share their light.
SHARING = 2
# Below this many pixels neither motion nor blur is seen.
UNSEEN_PX = 0.25
# Beside the part that is wanted finely, each side of a picture is drawn in so many times fewer pixels.
COARSE = 4
# Of its light as much is kept beyond the edges of a picture as this part of its width.
MOST_MARGIN = 8
OPENS = {"before the frame": -1.0, "around the frame": -0.5, "after the frame": 0.0}


@dataclass(frozen=True, eq=False)
class Rendered:
    """A frame: its light (H, W, 4) float32, linear, premultiplied, and what else was asked for of it.

    layers   arrays (H, W, …) by name; see layers.py
    covers   arrays (H, W) by a choice of figures: how much of each pixel shows them; see cover.py
    picture  the picture list of the frame itself
    """

    light: np.ndarray
    layers: dict[str, np.ndarray]
    covers: dict[Chosen, np.ndarray]
    picture: Picture

    @cached_property
    def finished(self) -> np.ndarray:
        """(H, W, 4) float32: the light after all finishes, in their order; still linear, as a screen can show it."""
        return finished(self.light, self.picture, self.layers, self.covers)

    def pixels(self, bits: int = 8) -> np.ndarray:
        """(H, W, 4) uint8 or uint16 as they stand in a file: sRGB, straight alpha."""
        return encode(self.finished, bits)


def render_scene(
    scene: Scene,
    frame: float,
    size: tuple[int, int] | None = None,
    samples: int = 8,
    *,
    purpose: str = "render",
    memo: Memo | None = None,
    layers=(),
    view: View | None = None,
    is_flat: bool = False,
    is_quick: bool = False,
    is_cancelled=lambda: False,
    part: Part | None = None,
) -> Rendered:
    """Render one frame of a scene.

    size     width and height in pixels; the scene's own if not given
    samples  1 to 64 for each pixel
    layers   names of layers that are wanted beside those that the finishes ask for
    view     another view than the current camera's, with a pinhole
    is_flat  surfaces in their own colour, without lights
    is_quick leave out what takes longest: shadows and mirrored things, and what shutter and lens blur
    part     the part of the picture that is drawn as finely as that; the rest is coarse
    Raises   ProblemError if the scene cannot be computed at this frame, Cancelled once is_cancelled() is true,
             ValueError for a size, number of samples or name of a layer that there is not
    """
    unknown = sorted(set(layers) - set(LAYERS))
    if unknown:
        raise ValueError(f"{', '.join(unknown)} is no layer; there are {', '.join(LAYERS)}")
    memo = Memo() if memo is None else memo

    def picture_at(moment):
        if is_cancelled():
            raise Cancelled
        if scene.first_moment.loops and not 0 <= moment <= scene.frame_count:
            # Across the seam the loop goes on.
            moment %= scene.frame_count
        layers_drawn = evaluate(scene, moment, purpose=purpose, memo=memo, is_cancelled=is_cancelled)
        return layers_drawn if view is None else replace(layers_drawn, view=view)

    picture = picture_at(frame)
    size = size or picture.size

    def light_of(shown=lambda drawn: drawn, is_flat=is_flat):
        """Light of the frame, of whatever of it is to be shown."""

        def drawn(size, samples, part=None):
            light = None
            if view is None and not is_quick:
                exposure = Exposure(frame, size, samples, is_flat, is_cancelled, part)
                light = _exposed(picture, picture_at, shown, exposure)
            if light is None:
                light = render_light(
                    shown(picture), size, samples, is_flat, is_cancelled, part=part, has_rays=not is_quick
                )
            return light

        if part is None:
            return drawn(size, samples)
        light = _enlarged(drawn(tuple(max(1, round(side / COARSE)) for side in size), 1), size)
        light[part.place] = drawn(size, samples, part)
        return light

    light = light_of()
    chosen = dict.fromkeys(filter(None, (chosen_by(settings) for _, settings in picture.finish)))
    covers = {one: cover_of(light_of(partial(in_black_and_white, chosen=one), True)) for one in chosen}
    wanted = [name for name in LAYERS if name in set(layers) | asked_for(picture)]
    layers_drawn = {}
    if wanted:
        before = picture_at(frame - MOTION_SPAN) if "motion" in wanted else None
        numbers = {figure.id: number for number, figure in enumerate(scene.figures, start=1)}
        layers_drawn = picture_layers(picture, size, wanted, numbers, before)
    return Rendered(light, layers_drawn, covers, picture)


def asked_for(picture: Picture) -> set[str]:
    """Return the names of the layers that a picture's finishes read."""
    return {
        name
        for kind, settings in picture.finish
        for name in (kind.reads(settings) if kind.reads else kind.arguments)
        if name in LAYERS
    }


def finished(light: np.ndarray, picture: Picture, layers=None, covers=None) -> np.ndarray:
    """Return a picture after all its finishes, in their order; still linear.

    A finish that changes only some figures asks for their `cover` if it spreads beyond them; else it is mixed by it.
    """
    for kind, settings in picture.finish:
        cover = (covers or {}).get(chosen_by(settings))
        changed = kind.call(
            picture=light,
            settings=settings,
            drawn=picture,
            frame=picture.frame,
            cover=cover,
            **{**dict.fromkeys(LAYERS), **(layers or {})},
        )
        is_mixed = cover is not None and "cover" not in kind.arguments
        light = light + (changed - light) * cover[..., None] if is_mixed else changed
    return light


def _enlarged(light: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Return light (H, W, 4) float32 as large as another size."""
    scale = size[1] / light.shape[0], size[0] / light.shape[1], 1
    return scipy.ndimage.zoom(light, scale, order=1, mode="nearest", grid_mode=True)


class Exposure(NamedTuple):
    """How the pictures of a frame are drawn."""

    frame: float
    size: tuple[int, int]
    samples: int
    is_flat: bool
    is_cancelled: Callable[[], bool]
    part: Part | None


def _exposed(picture, picture_at, shown, exposure):
    """The mean of the pictures that shutter and lens let in, as they are shown; None if one is enough."""
    frame, size, samples, is_flat, is_cancelled, part = exposure
    lens = picture.lens
    width = size[0]
    times, blur = np.zeros(1), lens_blur(picture, size)
    if lens.shutter > 0:
        begin = frame + OPENS[lens.opens] * lens.shutter
        seen = [picture_at(begin + lens.shutter * piece / PIECES) for piece in range(PIECES + 1)]
        count = picture_count(motion_px(seen, size))
        times = begin + lens.shutter * (np.arange(count) + 0.5) / count
    else:
        times = np.array([frame])
    # Across a disc the steps are as wide as its blur over the square root of their number.
    count = max(len(times), picture_count(blur, is_disc=True))
    if count == 1:
        return None
    places = lens_places(count, lens.blades) if blur > UNSEEN_PX else np.zeros((count, 2))
    # Moments and places in unlike orders, so that neither shows in the other.
    order = np.argsort((np.arange(count) * 0.6180339887498949) % 1.0, kind="stable")
    each = max(1, -(-samples // count))
    pattern = Sample.spread(count * min(each, MAX_SAMPLES))
    drawn = Part.whole(size) if part is None else part
    total = np.zeros((drawn.height, drawn.width, 4), np.float32)
    # What comes into the picture at its edges is asked beforehand, too, unless that is very much.
    margin = min(int(np.ceil(blur / 2)), width // MOST_MARGIN)
    first = 0
    for moment, there in enumerate(times):
        now = picture if there == frame else picture_at(there)
        last = -(-(moment + 1) * count // len(times))
        shared = NOTHING_SHARED
        if last - first >= SHARING and not is_flat:
            shared = shared_light(shown(now), size, is_cancelled, (moment, len(times)), part, margin)
        for number in range(first, last):
            seen = replace(now, view=now.view.through(places[order[number]] * lens.opening / 2, lens.focus))
            share = Sample.of(pattern[number::count])
            total += render_light(shown(seen), size, share, is_flat, is_cancelled, (number, count), part, True, shared)
        first = last
    return total / np.float32(count)


def picture_count(pixels: float, is_disc: bool = False) -> int:
    """Return how many pictures a blur of so many pixels takes."""
    if pixels <= UNSEEN_PX:
        return 1
    steps = pixels / STEP_PX
    needed, most = (steps**2 * np.pi / 4, MOST_PLACES) if is_disc else (steps, MOST_MOMENTS)
    return int(np.clip(np.ceil(needed), 8, most))


def lens_places(count: int, blades: int = 0) -> np.ndarray:
    """Return (N, 2) places spread evenly over the unit disc, or over a polygon of 3 and more corners on its rim.

    Source  H. Vogel, "A better way to construct the sunflower head", Mathematical Biosciences 44 (1979)
    """
    number = np.arange(count)
    radius = np.sqrt((number + 0.5) / count)[:, None]
    angle = number * np.pi * (3 - np.sqrt(5))
    if blades < 3:
        return radius * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    # Along a side of the polygon, instead of along its arc, places stay as far apart as they are; a corner is on top.
    side, along = np.divmod(angle * blades / (2 * np.pi), 1)
    ends = np.pi / 2 + 2 * np.pi * np.stack([side, side + 1]) / blades
    first, second = np.stack([np.cos(ends), np.sin(ends)], axis=-1)
    return radius * (first + (second - first) * along[:, None])
