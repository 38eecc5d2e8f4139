"""How many bytes records keep alive: each states its own, and which other records it holds."""

import numpy as np


def arrays_in(record) -> int:
    """Return the bytes of the arrays that stand in a record, those that were derived and kept so far among them."""
    # All at once: another thread may derive something meanwhile.
    return _array_bytes(tuple(vars(record).values()))


def _array_bytes(values) -> int:
    count = 0
    for value in values:
        if isinstance(value, np.ndarray):
            count += value.nbytes
        elif isinstance(value, tuple):
            count += _array_bytes(value)
    return count


def records_in(value) -> tuple:
    """Return the records and arrays that a value is or holds, but not those that they keep alive in turn.

    Raises TypeError for what does not say how large it is
    """
    found = []
    _gather(found, value)
    return tuple(found)


def _gather(found, value):
    # Asked of the class: to ask the record is to count its bytes.
    if isinstance(value, np.ndarray) or hasattr(type(value), "own_bytes"):
        found.append(value)
    elif isinstance(value, (tuple, list)):
        for member in value:
            _gather(found, member)
    elif isinstance(value, dict):
        for member in value.values():
            _gather(found, member)
    elif value is not None and not isinstance(value, (bool, int, float, str)):
        raise TypeError(f"a {type(value).__name__} does not say how many bytes it holds")


def size_of(record) -> int:
    """Return the bytes of a record alone."""
    return record.nbytes if isinstance(record, np.ndarray) else record.own_bytes


def parts_of(record) -> tuple:
    """Return the records that a record keeps alive."""
    return records_in(getattr(record, "parts", ()))
