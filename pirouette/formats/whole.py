"""Files that are there whole or not at all."""

import os
import uuid
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def whole(path):
    """Yield the path of a draft beside a file; it takes the file's place at the end, or is removed after a failure.

    Each draft has a name of its own, so that two that write one file at once do not meet.
    """
    path = Path(path)
    draft = path.with_name(f".{path.name}.{os.getpid()}-{uuid.uuid4().hex[:8]}.part")
    try:
        yield draft
        draft.replace(path)
    finally:
        draft.unlink(missing_ok=True)
