"""What keeps a value from meeting its own beginning at the seam, in words, and the patch that closes it."""

import re
from dataclasses import dataclass, replace

import numpy as np

from ..document import Scene
from ..document.lanes import Lane, lanes_of
from ..values.moment import Surroundings
from ..values.value import Computed, Keyed, Swing

CLOSE = 1e-6
# A last key after this share of the loop stands for its end.
NEARLY_OVER = 0.9
THERE_AND_BACK = "(0.5 - 0.5 * cos(tau * turn))"
TIME = re.compile(r"\b(?:turn|frame|seconds)\b")


@dataclass(frozen=True)
class Mend:
    """Why a value does not close, what would close it in a few words, and the JSON Patch that does.

    is_eased  it closes, but slows down at the seam
    """

    cause: str
    words: str
    patch: tuple[dict, ...]
    is_eased: bool = False


def mends_of(scene: Scene) -> dict[tuple[str, str], Mend]:
    """Return the mends of a looping scene's values by (thing's name, words that say which value)."""
    words = {
        (id(settings), setting): (name, f"{where} · {setting.replace('_', ' ')}")
        for name, where, settings, _ in scene.settings_in_words()
        for setting in settings.declared()
    }
    mends = {}
    for lane in lanes_of(scene):
        key = words.get((id(lane.owner), lane.field))
        mend = mend_of(scene, lane) if key else None
        if mend:
            # The parts of a vector are mended together.
            before = mends.get(key)
            mends[key] = replace(before, patch=before.patch + mend.patch) if before else mend
    return mends


def mend_of(scene: Scene, lane: Lane) -> Mend | None:
    """Return what closes one value of a looping scene, or None if it closes or nothing simple would do."""
    setting = lane.owner.declared()[lane.field]
    raw, written = _written(scene.raw, lane, setting)
    mend = None
    if isinstance(lane.value, Keyed):
        mend = _keyed(scene, lane, raw, setting.period)
    elif isinstance(lane.value, Swing):
        mend = _swing(lane, raw)
    elif isinstance(lane.value, Computed) and "shared" not in raw:
        mend = _formula(scene, lane, raw, setting.period)
    return mend and replace(mend, patch=(*written, *mend.patch))


def _written(document, lane, setting) -> tuple[object, tuple[dict, ...]]:
    """What stands at a lane's pointer, and operations that write it down where it is a default that nobody wrote."""
    way = lane.pointer.split("/")[1:]
    # A part of a vector stands within the setting.
    inner = way[len(way) - way[::-1].index(lane.field) :]
    added, value = (), document
    for depth, part in enumerate(way):
        if isinstance(value, dict) and part not in value:
            missing = setting.default
            for name in reversed(way[depth + 1 : len(way) - len(inner)]):
                missing = {name: missing}
            added = ({"op": "add", "path": "/" + "/".join(way[: depth + 1]), "value": missing},)
            value = missing
        else:
            value = value[int(part)] if isinstance(value, list) else value[part]
    return value, added


def _replaced(lane, raw, **changes) -> tuple[dict, ...]:
    return ({"op": "replace", "path": lane.pointer, "value": {**raw, **changes}},)


def _swing(lane, raw):
    times = lane.value.times
    if abs(times - round(times)) < CLOSE:
        return None
    whole = max(1, round(times))
    return Mend(f"{times:g} swings in a loop", f"use {whole}", _replaced(lane, raw, times=whole))


def _keyed(scene, lane, raw, period):
    count = scene.frame_count
    keys = sorted(raw["keys"], key=lambda key: key["frame"])
    if len(keys) < 2 or raw.get("before", "hold") != "hold" or raw.get("after", "hold") != "hold":
        return None
    first, last = keys[0], keys[-1]
    start, end = np.asarray(lane.value.keys[0].value), np.asarray(lane.value.keys[-1].value)
    gap = end - start
    rounds = _whole_rounds(gap, period)
    if np.abs(gap - rounds).max() < CLOSE:
        return _ends_alike(lane, raw, keys, count, rounds)
    if np.any(rounds):
        value = _plus(first["value"], rounds)
        cause = f"the last key is {_number(end)} and the first {_number(start)}: {_number(gap)} of {_number(rounds)}"
        closed = [*keys[:-1], {**last, "value": value, "frame": max(last["frame"], count)}]
        return Mend(cause, f"use {_number(np.asarray(value))}", _replaced(lane, raw, keys=closed))
    cause = f"ends at {_shown(last['value'])} and begins at {_shown(first['value'])}"
    if len(keys) == 2 and count >= 2:
        back = [
            {**first, "frame": 0, "ease": "smooth"},
            {**last, "frame": count // 2, "ease": "smooth"},
            {**first, "frame": count},
        ]
        return Mend(cause, "go there and back", _replaced(lane, raw, keys=back))
    if last["frame"] >= count * NEARLY_OVER:
        closed = [*keys[:-1], {**last, "frame": max(count, last["frame"]), "value": first["value"]}]
    else:
        closed = [*keys, {**first, "frame": count}]
    return Mend(cause, f"end at {_shown(first['value'])}", _replaced(lane, raw, keys=closed))


def _ends_alike(lane, raw, keys, count, rounds):
    """The ends meet; the way from the last key to the first may still stutter or change its pace."""
    last = keys[-1]
    if last["frame"] == count - 1:
        closed = [*keys[:-1], {**last, "frame": count}]
        return Mend(f"frame {count - 1} repeats frame 0", "last key one frame later", _replaced(lane, raw, keys=closed))
    is_sweep = bool(np.any(rounds))
    eases = {key.get("ease", "smooth") for key in keys[:-1]}
    if is_sweep and eases != {"linear"}:
        linear = [{k: v for k, v in key.items() if k not in ("leave", "arrive")} | {"ease": "linear"} for key in keys]
        return Mend("eased at the seam, where it slows down", "make it linear", _replaced(lane, raw, keys=linear), True)
    if is_sweep and (keys[0]["frame"] > 0 or last["frame"] < count):
        stretched = [{**keys[0], "frame": 0}, *keys[1:-1], {**last, "frame": count}]
        return Mend("stands still at the seam", f"turn from 0 to {count}", _replaced(lane, raw, keys=stretched))
    return None


def _formula(scene, lane, raw, period):
    if lane.value.references or not lane.value.formula.uses_time:
        return None
    text = raw["text"]
    if not lane.value.per_copy and period:
        around = [Surroundings(moment=scene.moment(frame)) for frame in (0, scene.frame_count)]
        gap = float(lane.value.at(around[1]) - lane.value.at(around[0]))
        rounds = float(_whole_rounds(np.asarray(gap), period))
        if abs(gap - rounds) < CLOSE:
            return None
        if rounds:
            longer = f"({text}) + turn * {rounds - gap:.9g}"
            return Mend(f"{gap:g} in a loop of {rounds:g}", f"make it {rounds:g}", _replaced(lane, raw, text=longer))
    seconds = scene.frame_count / scene.first_moment.fps
    names = {
        "turn": THERE_AND_BACK,
        "frame": f"({scene.frame_count} * {THERE_AND_BACK})",
        "seconds": f"({seconds:g} * {THERE_AND_BACK})",
    }
    closed = TIME.sub(lambda found: names[found[0]], text)
    if closed == text:
        return None
    return Mend(
        "its formula does not come back to where it begins", "go there and back", _replaced(lane, raw, text=closed)
    )


def _whole_rounds(gap, period):
    """The whole rounds nearest to a gap, 0 without a period; half a round and more counts as one."""
    if not period:
        return np.zeros_like(gap)
    rounds = np.round(gap / period)
    rounds = np.where((rounds == 0) & (np.abs(gap) >= period / 2 - CLOSE), np.sign(gap), rounds)
    return rounds * period


def _plus(value, more):
    total = np.asarray(value, float) + more
    return [round(float(number), 9) for number in total] if np.ndim(total) else round(float(total), 9)


def _number(value):
    return ", ".join(f"{number:g}" for number in np.atleast_1d(value))


def _shown(value):
    return value if isinstance(value, str) else _number(np.asarray(value, float))
