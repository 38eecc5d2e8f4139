"""Two callables measured in turns, so that a noisy machine is noisy for both."""

import statistics
import time

ROUNDS = 5
WARM_SECONDS = 0.5
SECONDS = 1.0


def measure(ours, peer) -> tuple[float, float]:
    """Return the median milliseconds of two callables, run in turns after a warm-up.

    At least five rounds of each, short work for a second: a young process asks for its memory page by page, one that
    has drawn some frames has it.
    """
    times = ([], [])
    _take_turns(ours, peer, 1, WARM_SECONDS, ([], []))
    _take_turns(ours, peer, ROUNDS, SECONDS, times)
    return statistics.median(times[0]), statistics.median(times[1])


def _take_turns(ours, peer, rounds, seconds, times):
    end = time.perf_counter() + seconds
    while len(times[0]) < rounds or time.perf_counter() < end:
        for work, found in zip((ours, peer), times, strict=True):
            began = time.perf_counter()
            work()
            found.append((time.perf_counter() - began) * 1e3)


def line(name, ours, peer_name, peer, goal) -> dict:
    ours_ms, peer_ms = measure(ours, peer)
    ratio = peer_ms / ours_ms
    return {
        "name": name,
        "ours_ms": round(ours_ms, 2),
        "peer": peer_name,
        "peer_ms": round(peer_ms, 2),
        "ratio": round(ratio, 3),
        "goal": round(goal, 4),
        "ok": bool(ratio >= goal),
    }
