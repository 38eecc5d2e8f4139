"""How kernels are compiled, and how their inputs are made uniform."""

from functools import cached_property
from pathlib import Path

import numba
import numpy as np
from numba import types
from numba.core.caching import CompileResultCacheImpl, FunctionCache, UserProvidedCacheLocator
from numba.core.runtime import rtsys

# Multiply and add fuse (`contract`), and sums are taken in whatever order is fast: results stay the same for any number
# of threads because work is always cut at fixed places (see threads.py).
_FAST = {"contract", "nsz", "arcp", "reassoc"}


class _Place(UserProvidedCacheLocator):
    """Where a kernel is kept: by the name of its module, so that all copies of the same sources share what is kept."""

    def __init__(self, function, file):
        super().__init__(function, file)
        self._cache_path = str(Path(numba.config.CACHE_DIR) / function.__module__)


class _Kept(CompileResultCacheImpl):
    _locator_classes = [_Place]


class _KernelCache(FunctionCache):
    _impl_class = _Kept


class _Cache:
    """What is kept of one kernel on disk, looked for when the kernel is first called.

    numba itself loads all that it needs to compile before it looks there; that takes longer than most commands do.
    """

    def __init__(self, function):
        self._function = function

    @cached_property
    def _kept(self):
        return _KernelCache(self._function)

    def load_overload(self, sig, target_context):
        rtsys.initialize(target_context)
        return self._kept._load_overload(sig, target_context)

    def __getattr__(self, name):
        return getattr(self._kept, name)


def _compiled(**options):
    """Return a decorator that lets numba compile a function, kept on disk."""

    def decorate(function):
        made = numba.njit(nogil=True, error_model="numpy", **options)(function)
        made._cache = _Cache(function)
        called = made.get_call_template

        def get_call_template(args, kws):
            # Else it would be compiled anew for each number that stands in the code of those who call it, and so would
            # all that it calls with that number; what is inlined is made to fit it anyway.
            return called([types.unliteral(one) for one in args], {name: types.unliteral(kws[name]) for name in kws})

        made.get_call_template = get_call_template
        return made

    return decorate


kernel = _compiled(fastmath=_FAST)
# A kernel that makes no arrays of its own counts no references to them either: counting costs more than small work.
bare_kernel = _compiled(fastmath=_FAST, forceinline=True, _nrt=False)
# The same, but compiled once and called: for larger work that is asked for in many places.
called_kernel = _compiled(fastmath=_FAST, _nrt=False)
exact_kernel = _compiled()
exact_bare_kernel = _compiled(forceinline=True, _nrt=False)


def frozen(array, dtype=np.float32) -> np.ndarray:
    """Return a read-only, C-contiguous view of an array in the given dtype.

    numba compiles read-only and writable arrays apart; passing every input through here
    means one compiled form for each kernel.
    """
    if type(array) is np.ndarray and array.dtype == dtype:
        flags = array.flags
        if flags.c_contiguous and not flags.writeable:
            return array
    view = np.ascontiguousarray(array, dtype=dtype).view()
    view.flags.writeable = False
    return view


def frozen_rows(rows, width: int) -> np.ndarray:
    """Return a frozen (N, width) float32 array; raises ValueError for any other shape, which kernels would misread."""
    view = frozen(rows)
    if view.ndim != 2 or view.shape[1] != width:
        raise ValueError(f"rows of shape {view.shape}; allowed (N, {width})")
    return view


def same_count(*arrays) -> int:
    """Return how many rows arrays have; raises ValueError if they have not as many as each other."""
    counts = {len(array) for array in arrays}
    if len(counts) > 1:
        raise ValueError(f"{' and '.join(str(len(array)) for array in arrays)} rows; allowed as many of each")
    return counts.pop()


def flat_rows(rows, start, stop) -> np.ndarray:
    """Return rows start..stop of a C-contiguous array as one flat array.

    How far the rows of a flat array lie apart stands in the code that reads it, so the compiler can take many at once;
    how far those of an (N, 3) array do, it cannot know.
    """
    return rows[start:stop].reshape(-1)
