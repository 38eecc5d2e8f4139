"""Compiled inner loops: arrays in, arrays out. Only numpy, numba and its llvmlite are imported here.

The cache of compiled kernels lives in a folder named after a hash of this package's sources, because
numba notices an edit in a kernel's own file but not in a helper that the kernel calls from another file.
"""

import hashlib
import os
from pathlib import Path

import numba


def _cache_folder() -> Path:
    digest = hashlib.blake2b(digest_size=6)
    for source in sorted(Path(__file__).parent.rglob("*.py")):
        digest.update(source.read_bytes())
    home = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache")
    return home / "pirouette" / f"kernels-{digest.hexdigest()}"


os.environ.setdefault("NUMBA_CACHE_DIR", str(_cache_folder()))
# numba has read its settings by now, here or earlier.
numba.config.reload_config()
