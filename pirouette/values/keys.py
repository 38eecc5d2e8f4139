"""Interpolation between keys, and what holds before the first and after the last of them."""

from bisect import bisect_right
from dataclasses import dataclass

EASES = ("smooth", "linear", "hold", "handles")
OUTSIDE = ("hold", "repeat", "mirror", "continue")


@dataclass(frozen=True, slots=True)
class Key:
    """A value at a frame. `ease` rules the stretch from this key to the next one.

    leave, arrive  handles (frames, value) relative to this key, used where `ease` is "handles"
    """

    frame: float
    value: object
    ease: str = "smooth"
    leave: tuple[float, float] = (0.0, 0.0)
    arrive: tuple[float, float] = (0.0, 0.0)

    @property
    def key_parts(self) -> tuple:
        return self.frame, self.value, self.ease, self.leave, self.arrive


def between(left: Key, right: Key, frame: float):
    """Return the value at a frame between two keys."""
    span = right.frame - left.frame
    t = (frame - left.frame) / span
    if left.ease == "hold":
        return left.value
    if left.ease == "handles":
        return _bezier(left, right, frame)
    if left.ease == "smooth":
        t = t * t * (3.0 - 2.0 * t)
    return left.value + (right.value - left.value) * t


def _bezier(left, right, frame):
    """Solve the cubic for time by bisection: handles are clamped to the stretch, so time is monotone."""
    span = right.frame - left.frame
    x1 = min(max(left.leave[0], 0.0), span) / span
    x2 = 1.0 + max(min(right.arrive[0], 0.0), -span) / span
    goal = (frame - left.frame) / span
    low, high = 0.0, 1.0
    for _ in range(48):
        s = 0.5 * (low + high)
        x = 3 * (1 - s) ** 2 * s * x1 + 3 * (1 - s) * s * s * x2 + s**3
        low, high = (s, high) if x < goal else (low, s)
    s = 0.5 * (low + high)
    v1, v2 = left.value + left.leave[1], right.value + right.arrive[1]
    return (1 - s) ** 3 * left.value + 3 * (1 - s) ** 2 * s * v1 + 3 * (1 - s) * s * s * v2 + s**3 * right.value


def _inside(keys, frames, frame):
    index = bisect_right(frames, frame) - 1
    if index < 0:
        return keys[0].value
    if index >= len(keys) - 1:
        return keys[-1].value
    return between(keys[index], keys[index + 1], frame)


def keyed_value(keys, before: str, after: str, frame: float, frames=None):
    """Return the value of sorted keys at any frame, also outside of them; `frames` are those of the keys, if known."""
    frames = [key.frame for key in keys] if frames is None else frames
    first, last = keys[0].frame, keys[-1].frame
    span = last - first
    if first <= frame <= last or span == 0:
        return _inside(keys, frames, frame)
    rule = before if frame < first else after
    if rule == "repeat":
        return _inside(keys, frames, first + (frame - first) % span)
    if rule == "mirror":
        away = (frame - first) % (2 * span)
        return _inside(keys, frames, first + (away if away <= span else 2 * span - away))
    if rule == "continue":
        width = min(span, 1.0) * 1e-3
        if frame < first:
            slope = (_inside(keys, frames, first + width) - _inside(keys, frames, first)) / width
            return keys[0].value + slope * (frame - first)
        slope = (_inside(keys, frames, last) - _inside(keys, frames, last - width)) / width
        return keys[-1].value + slope * (frame - last)
    return keys[0].value if frame < first else keys[-1].value
