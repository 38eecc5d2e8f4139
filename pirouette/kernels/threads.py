"""Shared threads for kernels that release the interpreter lock.

Work is cut into slices whose bounds depend on the amount of work only, never on the number of
threads, so that results are the same bytes however many threads there are.
"""

import itertools
import os
import threading
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager

_SLICE = 1 << 15
_limit = threading.local()
DEFAULT_THREADS = max(1, int(os.environ.get("PIROUETTE_THREADS", os.cpu_count() or 1)))
_pool = ThreadPoolExecutor(max_workers=max(32, DEFAULT_THREADS), thread_name_prefix="kernel")


def thread_count() -> int:
    """How many threads kernels started from this thread may use."""
    return getattr(_limit, "count", DEFAULT_THREADS)


@contextmanager
def use_threads(count: int):
    """Limit kernels called from this thread to `count` threads."""
    if count < 1:
        raise ValueError(f"count is {count}; allowed 1 and more")
    before = thread_count()
    _limit.count = count
    try:
        yield
    finally:
        _limit.count = before


def take_turns(work, item_count: int) -> None:
    """Call work(item) for each item in range(item_count); threads take the next free item.

    The caller works too, so a nested or crowded pool can never wait for itself.
    """
    helper_count = min(thread_count(), item_count) - 1
    if helper_count <= 0:
        for item in range(item_count):
            work(item)
        return
    items = itertools.count()

    def drain():
        while (item := next(items)) < item_count:
            work(item)

    helpers = [_pool.submit(drain) for _ in range(helper_count)]
    drain()
    for helper in helpers:
        # A helper that never started has nothing left to do: the caller drained the items.
        if not helper.cancel():
            helper.result()


def begun(work):
    """Begin work() on another thread, if there may be one; return what waits for it and gives what it returns."""
    if thread_count() < 2:
        return work
    helper = _pool.submit(work)
    # One that never started is done here.
    return lambda: work() if helper.cancel() else helper.result()


def in_slices(work, count: int, slice_size: int = _SLICE) -> None:
    """Call work(start, stop) over slices of range(count), of about `slice_size` and about alike, several at once."""
    if count <= slice_size:
        if count:
            work(0, count)
        return
    # A multiple of four, so that two or four threads have as much to do as each other.
    slice_count = -(-count // (4 * slice_size)) * 4
    take_turns(lambda i: work(i * count // slice_count, (i + 1) * count // slice_count), slice_count)
