"""The names of results. Equal keys mean equal bytes, whoever made them, in whichever process.

Every key of the program is made here: of plain things (numbers, texts, bytes, arrays, tuples of those) and of what
says by `key_parts` what it is made of. A key never holds an object's address, nor a number as it happens to be printed.
"""

import struct
from hashlib import blake2b

import numpy as np

DIGEST_BYTES = 12


def content_key(*parts) -> str:
    """Return a key of parts, each None, bool, a number, text, bytes, an array, or a tuple, list or dict of those.

    Raises TypeError for anything else, as it could not be told whether two of them are equal
    """
    found = []
    _feed(found, parts)
    return blake2b(b"".join(found), digest_size=DIGEST_BYTES).hexdigest()


def part_key(whole: str, part) -> str:
    """Return the name of a part of a result: its parent's key and which part it is."""
    return f"{whole}.{part}"


def _feed(found, part):
    kind = type(part)
    if kind is str:
        text = part.encode("utf-8", "surrogatepass")
        found += (b"s%d:" % len(text), text)
    elif part is None:
        found.append(b"n")
    elif kind is tuple or kind is list:
        found.append(b"(%d:" % len(part))
        for one in part:
            _feed(found, one)
    elif kind is bool:
        found.append(b"t" if part else b"f")
    elif kind is int:
        found.append(b"i%d;" % part)
    elif kind is float:
        found += (b"d", struct.pack("<d", part))
    elif kind is bytes:
        found += (b"b%d:" % len(part), part)
    elif isinstance(part, np.ndarray):
        found += (f"a{part.dtype.str}{part.shape}:".encode(), np.ascontiguousarray(part).data)
    elif isinstance(part, np.generic):
        _feed(found, part.item())
    elif kind is dict:
        found.append(b"{%d:" % len(part))
        for name in sorted(part):
            _feed(found, name)
            _feed(found, part[name])
    elif hasattr(part, "key_parts"):
        found.append(f"o{kind.__name__}:".encode())
        _feed(found, part.key_parts)
    else:
        raise TypeError(f"no key can be made of a {kind.__name__}")
