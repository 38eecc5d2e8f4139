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
    fed = []
    _feed(fed, parts)
    return blake2b(b"".join(fed), digest_size=DIGEST_BYTES).hexdigest()


def text_key(*parts) -> str:
    """Return a key of parts, each None, text, a whole number or a tuple of those: they are told apart as printed.

    What names others by their keys is made of nothing else, and this is quicker.
    """
    return blake2b(repr(parts).encode("utf-8", "surrogatepass"), digest_size=DIGEST_BYTES).hexdigest()


def part_key(whole: str, part) -> str:
    """Return the name of a part of a result: its parent's key and which part it is."""
    return f"{whole}.{part}"


def _feed(fed, part):
    kind = type(part)
    if kind is str:
        text = part.encode("utf-8", "surrogatepass")
        fed += (b"s%d:" % len(text), text)
    elif part is None:
        fed.append(b"n")
    elif kind is tuple or kind is list:
        fed.append(b"(%d:" % len(part))
        for member in part:
            _feed(fed, member)
    elif kind is bool:
        fed.append(b"t" if part else b"f")
    elif kind is int:
        fed.append(b"i%d;" % part)
    elif kind is float:
        fed += (b"d", struct.pack("<d", part))
    elif kind is bytes:
        fed += (b"b%d:" % len(part), part)
    elif isinstance(part, np.ndarray):
        fed += (f"a{part.dtype.str}{part.shape}:".encode(), np.ascontiguousarray(part).data)
    elif isinstance(part, np.generic):
        _feed(fed, part.item())
    elif kind is dict:
        fed.append(b"{%d:" % len(part))
        for name in sorted(part):
            _feed(fed, name)
            _feed(fed, part[name])
    elif hasattr(part, "key_parts"):
        fed.append(f"o{kind.__name__}:".encode())
        _feed(fed, part.key_parts)
    else:
        raise TypeError(f"no key can be made of a {kind.__name__}")
