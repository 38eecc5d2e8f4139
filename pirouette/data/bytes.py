"""How many bytes records keep alive: each states its own, and which other records it holds."""

import numpy as np


def arrays_in(record) -> int:
    """Return the bytes of the arrays that stand in a record, those that were derived and kept so far among them."""
    return sum(map(_array_bytes, vars(record).values()))


def _array_bytes(value) -> int:
    if isinstance(value, np.ndarray):
        return value.nbytes
    return sum(map(_array_bytes, value)) if type(value) is tuple else 0


def held(result):
    """Yield (record or array, its own bytes) of all that a result keeps alive.

    Raises TypeError for what does not say how large it is
    """
    if isinstance(result, np.ndarray):
        yield result, result.nbytes
    elif isinstance(result, (tuple, list)):
        for held_part in result:
            yield from held(held_part)
    elif isinstance(result, dict):
        for held_part in result.values():
            yield from held(held_part)
    elif hasattr(result, "own_bytes"):
        yield result, result.own_bytes
        for part in getattr(result, "parts", ()):
            yield from held(part)
    elif result is not None and not isinstance(result, (bool, int, float, str)):
        raise TypeError(f"a {type(result).__name__} does not say how many bytes it holds")
