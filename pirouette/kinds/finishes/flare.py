"""What a bright point makes in a lens."""

import numpy as np

from ...craft import ActingSettings, sun_way
from ...data.picture import box_corners
from ...kernels.render.flare import DOUBLE_SIZE, RAY_SIZE, Flare, add_flare
from ...schema import Kind, integer, number, reference, switch
from ...schema import colour as colour_setting

# Beyond the picture's edge the flare fades on so much of its height.
LEAVES = 0.3
# So many looks at the source tell how much of it is hidden.
LOOKS = 64
RAY_WIDTH = 0.12
SOURCES = ("lights", "guides", "figures")
# How far away a sun is, in scene units.
FAR = 1e7
# From red over green to blue and back: the colours of doubles, by chance.
WHEEL = np.array([[1, 0.5, 0.35], [1, 0.85, 0.4], [0.5, 1, 0.6], [0.4, 0.8, 1], [0.6, 0.55, 1], [1, 0.5, 0.8]])


class FlareSettings(ActingSettings):
    source: str = reference(*SOURCES, headline=True, none="the middle of the picture")
    """Where the light comes from: a sun, a key light, a guide or a figure."""
    brightness: float = number(1, soft=(0, 4), hard=(0, None), headline=True)
    """How bright it is."""
    colour: str = colour_setting("#ffe2bd", headline=True)
    """The colour of its light."""
    shows: bool = switch(True)
    """Whether the source itself is seen; without it, only what it makes in the lens."""
    size: float = number(5, soft=(1, 20), hard=(0.01, 100))
    """How large the source is, in hundredths of the picture's height."""
    hides: bool = switch(True)
    """Whether surfaces before the source hide it, and the flare with it."""
    rays: int = integer(6, soft=(0, 16), hard=(0, 64))
    """How many rays go out from it."""
    length: float = number(35, soft=(1, 150), hard=(0.01, None))
    """How long they are, in hundredths of the height."""
    turn: float = number(15, soft=(-180, 180), unit="deg", winds=True)
    """Where the first one goes, around the line of sight."""
    unlike: float = number(0.4, soft=(0, 1), hard=(0, 1))
    """How unlike they are in length."""
    doubles: int = integer(6, soft=(0, 12), hard=(0, 32))
    """How many doubles lie on the line through the middle of the picture."""
    double_size: float = number(10, soft=(1, 40), hard=(0.01, None))
    """How wide they are, in hundredths of the height; some more, some less."""
    double_shine: float = number(0.15, soft=(0, 1), hard=(0, None))
    """How bright they are, as a share of the source."""
    halo: float = number(0.12, soft=(0, 1), hard=(0, None))
    """How bright the ring around the source is, as a share of it."""
    halo_size: float = number(45, soft=(5, 150), hard=(0.01, None))
    """How wide the ring is, in hundredths of the height."""
    spread: float = number(0.4, soft=(0, 1), hard=(0, 4))
    """How far colours part in ring and doubles."""
    seed: int = integer(1, soft=(0, 100), hard=(0, 2**31 - 1))
    """Which rays and doubles, by chance."""


def chances(count, seed, step) -> np.ndarray:
    """Return (count,) float64 in 0..1, evenly spread and without an order to be seen."""
    return (np.arange(1, count + 1) * step + seed * 0.7548776662466927) % 1.0


def rays_of(settings) -> np.ndarray:
    """Return (N, RAY_SIZE): see kernels/render/flare.py."""
    angle = np.radians(settings.turn) + np.arange(settings.rays) * 2 * np.pi / max(settings.rays, 1)
    length = settings.length / 100 * (1 - settings.unlike * chances(settings.rays, settings.seed, 0.618033988749895))
    wide = np.full(settings.rays, settings.size / 200 * RAY_WIDTH)
    rows = np.stack([np.cos(angle), -np.sin(angle), np.maximum(length, 1e-6), wide], axis=1)
    return rows.reshape(-1, RAY_SIZE)


def doubles_of(settings, x, y) -> np.ndarray:
    """Return (M, DOUBLE_SIZE) for a source at a place, see kernels/render/flare.py."""
    count, seed = settings.doubles, settings.seed
    along = 2.6 * chances(count, seed, 0.618033988749895) - 1.9
    large = chances(count, seed + 3, 0.5698402909980532)
    bright = chances(count, seed + 5, 0.7548776662466927)
    tint = chances(count, seed + 7, 0.4142135623730951)
    radius = settings.double_size / 200 * (0.35 + 1.3 * large)
    light = settings.double_shine * (0.35 + 0.65 * bright)
    colour = 1 + (WHEEL[np.floor(tint * len(WHEEL)).astype(int)] - 1) * min(settings.spread, 1.0)
    rows = np.concatenate([np.stack([x * along, y * along, radius], axis=1), colour * light[:, None]], axis=1)
    return rows.reshape(-1, DOUBLE_SIZE)


def source_place(settings, drawn):
    """Where the source is in the world, of a sun very far away; None if it is nowhere."""
    for families in (drawn.places.get(name, {}) for name in SOURCES):
        if settings.source in families:
            return np.asarray(families[settings.source])[:3, 3]
    for light in drawn.lights:
        if light.kind == "sun" and light.id == settings.source:
            return drawn.view.position + FAR * sun_way(light.settings)
    return None


def place_of(settings, drawn, size):
    """Where the source is: x and y in heights from the middle, right and down, and its distance; None if behind."""
    there = source_place(settings, drawn)
    if there is None:
        return 0.0, 0.0, np.inf
    width, height = size
    right, down, away = drawn.view.screen_matrix(width, height) @ [*there, 1]
    return ((right / away - width / 2) / height, (down / away - height / 2) / height, away) if away > 1e-3 else None


def seen(settings, drawn, place, depth, aspect) -> float:
    """Return how much of the source is seen, 0..1: inside the picture, and not behind what has a depth (H, W)."""
    x, y, away = place
    out = max(abs(x) - aspect / 2, abs(y) - 0.5, 0.0)
    share = max(1 - out / LEAVES, 0.0)
    if depth is None or not np.isfinite(away):
        return share
    height, width = depth.shape
    # A figure does not hide the light that it is itself.
    own = [drawable for drawable in drawn.drawables if drawable.figure_id == settings.source]
    reach = max((_reach(drawable, drawn.places["figures"][settings.source]) for drawable in own), default=0.0)
    number = np.arange(LOOKS)
    radius = settings.size / 200 * np.sqrt((number + 0.5) / LOOKS)
    angle = number * np.pi * (3 - np.sqrt(5))
    column = np.floor((x + radius * np.cos(angle)) * height + width / 2).astype(int)
    row = np.floor((y + radius * np.sin(angle) + 0.5) * height).astype(int)
    is_inside = (column >= 0) & (column < width) & (row >= 0) & (row < height)
    before = depth[np.clip(row, 0, height - 1), np.clip(column, 0, width - 1)] < away - reach - 1e-3 * away
    return share * float(1 - (before & is_inside).mean())


def _reach(drawable, matrix) -> float:
    """How far a drawable's boxes reach from where its figure is."""
    return float(np.linalg.norm(box_corners(drawable) - np.asarray(matrix)[:3, 3], axis=-1).max())


def flare(picture, settings, drawn, depth) -> np.ndarray:
    """Add what a bright point makes in a lens.

    picture  (H, W, 4) float32, linear, premultiplied; not changed
    drawn    what the picture shows
    depth    (H, W) distances, infinite where nothing is
    Returns  (H, W, 4) float32
    """
    height, width = picture.shape[:2]
    place = place_of(settings, drawn, (width, height))
    share = seen(settings, drawn, place, depth, width / height) if place else 0.0
    if share <= 0:
        return picture
    x, y, _ = place
    light = np.asarray(settings.colour) * settings.brightness * share
    radius = settings.size / 200 if settings.shows else 0.0
    made = rays_of(settings), doubles_of(settings, x, y)
    return add_flare(
        picture, Flare(x, y, light, radius, *made, settings.halo_size / 200, settings.halo, settings.spread * 0.08)
    )


def reads(settings) -> tuple[str, ...]:
    return ("depth",) if settings.hides and settings.source is not None else ()


KIND = Kind(
    "flare",
    "finish",
    FlareSettings,
    flare,
    "Flare of **{source}**, **{brightness}** times **{colour}**",
    reads=reads,
    icon="flare",
    words="lens rays star glint ghost doubles",
)
