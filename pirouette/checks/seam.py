"""Does the loop close? Compares the end of the loop with its beginning, against the motion in between.

Two things must agree where the loop wraps: where everything is (frame N against frame 0), and how fast it
goes (the last step against the first). A jump counts against the largest ordinary step from frame to
frame; a kink in speed against the largest ordinary change of speed.
"""

from dataclasses import asdict, dataclass, replace

import numpy as np

from ..data import Cancelled
from ..data.attribute import NUMBERS
from ..document import Scene
from ..document.lanes import lanes_of
from ..evaluate import Evaluator, Memo, evaluate
from ..schema.kind import BY_BLENDING, OPEN
from ..values.moment import Surroundings
from .mend import mends_of

CLOSED, NEARLY = 0.05, 0.5
KINK = 1.5
SAMPLES = 8
MAX_CORNERS = 8
MAX_POINTS = 20_000
SAMPLE_COPIES = 12
LENGTH_SLACK = 1e-3
NOTHING = np.zeros(0)


@dataclass(frozen=True)
class Offender:
    """A value or figure that jumps or kinks at the seam.

    jump   how far it is from its start at the end, in ordinary steps
    kink   how much its speed changes there, in ordinary changes
    cause  in words
    mend   what would close it, in a few words, and patch, the JSON Patch that does; empty if nothing simple would
    thing  its family/id, by which it is said to be meant so
    """

    name: str
    what: str
    jump: float
    kink: float
    cause: str
    mend: str = ""
    patch: tuple[dict, ...] = ()
    thing: str = ""


@dataclass(frozen=True)
class Seam:
    """The answer: "closed", "nearly", "open", or "one-shot" for a scene that is not meant to loop.

    meant  what jumps and is meant to, as the scene's maker has said; it keeps no loop open
    """

    state: str
    jump: float
    kink: float
    offenders: tuple[Offender, ...]
    meant: tuple[Offender, ...] = ()

    def describe(self) -> dict:
        return asdict(self)


@dataclass
class _Track:
    """Numbers of one thing at pairs of neighbouring frames."""

    start: np.ndarray
    second: np.ndarray
    before_end: np.ndarray
    end: np.ndarray
    ordinary: list


def _difference(a, b):
    return float(np.abs(a - b).max()) if a.shape == b.shape and a.size else (0.0 if a.shape == b.shape else np.inf)


def _judge(track: _Track, slack: float) -> tuple[float, float]:
    """Return jump and kink of a track; differences below the slack are rounding."""
    steps = [_difference(a, b) for a, b, _ in track.ordinary]
    steps = [step for step in steps if np.isfinite(step)]
    changes = [
        float(np.abs((c - b) - (b - a)).max()) if a.shape == b.shape == c.shape and a.size else 0.0
        for a, b, c in track.ordinary
    ]
    gap = _difference(track.start, track.end)
    if gap <= slack:
        jump = 0.0
    else:
        jump = gap / max(*steps, slack) if steps else np.inf
    shapes = {x.shape for x in (track.start, track.second, track.before_end, track.end)}
    if len(shapes) > 1 or not track.start.size:
        return jump, 0.0
    turn = float(np.abs((track.second - track.start) - (track.end - track.before_end)).max())
    usual = max([*changes, slack])
    return jump, 0.0 if turn <= slack * 4 else turn / usual


def _sample_frames(scene) -> list[int]:
    """Starts of triples of frames spread over the loop, and around its keys, where its sharpest turns are."""
    last = max(scene.frame_count - 3, 0)
    spread = {int(x) for x in np.linspace(0, last, min(SAMPLES, last + 1))}
    keys = {int(key.frame) for lane in lanes_of(scene) for key in getattr(lane.value, "keys", ())}
    corners = sorted(frame - 1 for frame in keys if 0 < frame <= last + 1)
    return sorted(spread | set(corners[:: max(1, -(-len(corners) // MAX_CORNERS))]))


def _tracks(numbers_at, scene) -> dict:
    """Collect a dict of arrays at every frame that is needed into tracks by name."""
    known, count, frames = {}, scene.frame_count, _sample_frames(scene)

    def at(frame):
        if frame not in known:
            known[frame] = numbers_at(frame)
        return known[frame]

    def one(frame, name):
        # What is not drawn at a frame has no numbers there.
        return at(frame).get(name, NOTHING)

    tracks = {}
    for name in {**at(0), **at(count)}:
        triples = [tuple(one(frame + k, name) for k in range(3)) for frame in frames]
        tracks[name] = _Track(one(0, name), one(1, name), one(count - 1, name), one(count, name), triples)
    return tracks


def _figure_numbers(scene, memo, is_cancelled):
    """Numbers of all that figures show; of those that stand still there is nothing to be told but what is wrong."""
    evaluate(scene, 0, memo=memo, is_cancelled=is_cancelled)
    still = Evaluator(scene, 0).shared.still
    moving = [replace(one, visible="hidden") if still.drawn(one) else one for one in scene.figures]
    scene = replace(scene, figures=tuple(moving))

    def at(frame):
        numbers = {}
        for drawable in evaluate(scene, frame, memo=memo, is_cancelled=is_cancelled).drawables:
            name, part = drawable.name, f" {drawable.part + 1}" if drawable.part else ""
            points, matrices = drawable.mesh.points, drawable.matrices
            points = points[:: max(1, len(points) // MAX_POINTS)]
            # Corners of a copy's own box, carried along, show its moving, turning and growing in scene units.
            low, high = drawable.mesh.bounds
            box = np.stack([low, high, (low[0], high[1], low[2])])
            carried = np.einsum("kij,bj->kbi", matrices[:, :, :3], box) + matrices[:, None, :, 3]
            if len(matrices) == 1:
                carried = points @ matrices[0, :, :3].T + matrices[0, :, 3]
            elif len(points):
                numbers[(name, f"points{part}")] = points.astype(np.float64)
            numbers[(name, f"shape{part}")] = carried.astype(np.float64)
            tints = [look.tints for look in drawable.looks if look.tints is not None]
            tints += [look.point_tints for look in drawable.looks if look.point_tints is not None]
            if tints:
                numbers[(name, f"colours{part}")] = np.concatenate(tints).astype(np.float64)
            widths = [look.widths for look in drawable.looks if look.widths is not None]
            widths += [look.point_widths for look in drawable.looks if look.point_widths is not None]
            if widths:
                numbers[(name, f"widths{part}")] = np.concatenate(widths).astype(np.float64)
        return numbers

    return at


def _value_numbers(scene, is_cancelled):
    """Numbers of every moving value; what repeats is taken as points on a circle, so that 0° and 360° agree."""

    first = Evaluator(scene, 0)
    moving = [
        (name, where, settings, setting, value)
        for name, where, settings, _ in scene.settings_in_words()
        for setting, value in settings.moving().items()
    ]

    def at(frame):
        if is_cancelled():
            raise Cancelled
        around = first.at(scene.moment(frame)).around
        numbers = {}
        for name, where, settings, setting, value in moving:
            asked = _with_copies(around) if value.per_copy else around
            result = np.asarray(value.at(asked), np.float64)
            period = _period(settings, setting)
            if period:
                angle = result * (2 * np.pi / period)
                result = np.stack([np.cos(angle), np.sin(angle)])
            numbers[(name, _words(where, setting))] = np.atleast_1d(result)
        return numbers

    return at


def _period(settings, setting):
    """After how many units a value looks alike again, or None."""
    declared = settings.declared()[setting]
    if declared.unit in ("widths", "heights"):
        return {"repeat": declared.period, "mirror": 2 * declared.period, "its edge": None}[settings.beyond]
    return declared.period


def _with_copies(around: Surroundings):
    """Some copies here and there, with one number for whatever they may carry."""
    places = np.linspace(-200, 200, SAMPLE_COPIES)[:, None] * np.array([1.0, 0.6, 0.3])
    return around.for_copies(places, np.ones(SAMPLE_COPIES), None, dict.fromkeys(NUMBERS, 0.5))


def measure_seam(scene: Scene, memo: Memo | None = None, is_cancelled=lambda: False) -> Seam:
    """Measure how well a scene's loop closes, and name what keeps it open.

    is_cancelled  asked between steps; once true, Cancelled is raised
    """
    if not scene.first_moment.loops:
        return Seam("one-shot", 0.0, 0.0, ())
    count = scene.frame_count
    if count < 3:
        return Seam("closed", 0.0, 0.0, ())
    memo = memo or Memo()
    figures = _offenders(_figure_numbers(scene, memo, is_cancelled), scene, "figure")
    values = _offenders(_value_numbers(scene, is_cancelled), scene, "value")
    if all((_things(scene).get(figure.name), figure.what) in scene.meant for figure in figures):
        # A value whose jump moves nothing is no fault: a field may leap back while it is out of sight.
        values = [offender for offender in values if (offender.name, offender.what) not in _indirect(scene)]
    things = _things(scene)
    offenders = _with_mends(scene, values) + [
        _with_closing(scene, _with_own_time(scene, offender)) for offender in figures
    ]
    offenders = [replace(offender, thing=things.get(offender.name, offender.name)) for offender in offenders]
    meant = tuple(offender for offender in offenders if (offender.thing, offender.what) in scene.meant)
    offenders = [offender for offender in offenders if offender not in meant]
    jump = max((offender.jump for offender in offenders), default=0.0)
    kink = max((offender.kink for offender in offenders), default=0.0)
    state = "closed"
    if offenders:
        state = "nearly" if jump <= NEARLY and kink <= 4 * KINK else "open"
    return Seam(state, jump, kink, tuple(offenders), meant)


def _things(scene) -> dict[str, str]:
    """The family/id of each thing by its name."""
    families = ("figures", "fields", "guides", "lights", "cameras")
    return {thing.name: f"{family}/{thing.id}" for family in families for thing in getattr(scene, family)}


def _with_mends(scene, offenders) -> list[Offender]:
    mends = mends_of(scene) if offenders else {}
    mended = []
    for offender in offenders:
        mend = mends.get((offender.name, offender.what))
        mended.append(replace(offender, cause=mend.cause, mend=mend.words, patch=mend.patch) if mend else offender)
    return mended


def _with_own_time(scene, offender) -> Offender:
    """A figure whose own time does not run through whole loops can be told to."""
    figure = next(figure for figure in scene.figures if figure.name == offender.name)
    speed = figure.own_time.resolve().speed
    if figure.own_time.moving() or speed == round(speed):
        return offender
    whole = max(1, round(speed))
    path = f"/figures/{scene.figures.index(figure)}/own_time/speed"
    patch = ({"op": "replace", "path": path, "value": whole},)
    return replace(
        offender, cause=f"its own time runs {speed:g} times through a loop", mend=f"use {whole}", patch=patch
    )


def _with_closing(scene, offender) -> Offender:
    """A simulation that does not close can be told to close in the next of the ways that it has."""
    number = next(n for n, figure in enumerate(scene.figures) if figure.name == offender.name)
    for index, step in enumerate(scene.figures[number].routine):
        ways = step.kind.settings.declared().get("closes_by")
        if not step.on or ways is None or offender.patch:
            continue
        closes = step.settings.closes_by
        way = ways.choices[0] if closes == OPEN else BY_BLENDING
        if way == closes:
            continue
        name = step.kind.id
        cause = f"its {name} is left open" if closes == OPEN else f"its {name} has not closed by {closes}"
        path = f"/figures/{number}/routine/{index}/settings/closes_by"
        return replace(
            offender, cause=cause, mend=f"close by {way}", patch=({"op": "add", "path": path, "value": way},)
        )
    return offender


def _offenders(numbers_at, scene, kind) -> list[Offender]:
    offenders = []
    for (name, what), track in _tracks(numbers_at, scene).items():
        jump, kink = _judge(track, _slack(track, kind))
        if jump > CLOSED or kink > KINK:
            offenders.append(Offender(name, what, _shown(jump), _shown(kink), _cause(jump, kink)))
    return offenders


def _words(where: str, setting: str) -> str:
    return f"{where} · {setting.replace('_', ' ')}"


def _indirect(scene) -> set:
    """Names and words of the values that act through figures alone."""
    return {
        (name, _words(where, setting))
        for name, where, settings, through_figures in scene.settings_in_words()
        if through_figures
        for setting in settings.declared()
    }


def _slack(track, kind):
    size = float(np.abs(track.start).max()) if track.start.size else 0.0
    return max(size, 1.0) * (LENGTH_SLACK / 10 if kind == "figure" else 1e-6)


def _shown(number):
    return round(float(number), 3) if np.isfinite(number) else 1e9


def _cause(jump, kink):
    if not np.isfinite(jump):
        return "has another number of points or copies at the end than at the start"
    if jump > CLOSED:
        return f"at the end is {jump:.2g} ordinary steps away from where it starts"
    return f"changes its speed at the seam {kink:.2g} times as sharply as anywhere else"
