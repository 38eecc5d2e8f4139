"""Simulations: what follows from the frame before. Here is their time; what they do stands with their kinds.

States are made at whole frames, each from the one before, and kept in the memo under (signature, frame). So a frame
costs the steps from the nearest state that is known, and an edit that the signature does not see costs none. A looping
scene runs in before its first frame, at the times that come round again, until its beginning is forgotten; one that
plays once begins at rest. Between two whole frames lies the blend of their states.
"""

import math

from ..data.key import content_key
from .offers import Offers
from .routines import Run


def state_at(ev, figure, index: int):
    """Return the State of the simulation that is a figure's step at an index, at a moment of the figure's own time."""
    moment = ev.moment
    frame = moment.frame
    if moment.loops and not 0 <= frame <= moment.frame_count:
        frame = moment.wrapped.frame
    whole = math.floor(frame)
    first = -_run_in(ev, figure, index) if moment.loops else 0
    if whole < first:
        # Before a scene that plays once begins, all is at rest.
        return _started(ev, figure, index, frame)
    state = _whole_state(ev, figure, index, whole, first)
    if frame == whole:
        return state
    return state.mixed(_whole_state(ev, figure, index, whole + 1, first), frame - whole)


def _run_in(ev, figure, index) -> int:
    """How many frames a loop runs before its first one: as many as the kind needs, and as the clock says."""
    step = figure.routine[index]
    settles = int(ev.scene.clock.resolve().settle) * ev.moment.frame_count
    resolved = ev.at(ev.moment.at(0.0)).resolve(step.settings, f"figures/{figure.name}/routine/{index}")
    return max(int(step.kind.simulation.run_in(resolved)), settles)


def _whole_state(ev, figure, index, frame, first):
    """The state at a whole frame, from the nearest one before it that is known."""
    signature = ev.signatures.step(figure, index)

    def name(number):
        return content_key("state", signature, number)

    start, state = frame, ev.memo.peek(name(frame))
    while state is None and start > first:
        start -= 1
        state = ev.memo.peek(name(start))
    if state is None:
        state = ev.memo.put(name(first), _started(ev, figure, index, first))
        start = first
    simulation = figure.routine[index].kind.simulation
    for number in range(start + 1, frame + 1):
        ev.check_wanted()
        offers = _offers(ev, figure, index, number)
        state = ev.memo.put(name(number), offers.call(simulation.advance, state=state))
    return state


def _started(ev, figure, index, frame):
    return _offers(ev, figure, index, frame).call(figure.routine[index].kind.simulation.start)


def _offers(ev, figure, index, frame) -> Offers:
    """What is on offer to a step at a frame, which in a loop may lie before the first one."""
    then = ev.at(ev.moment.at(float(frame)).wrapped)
    run = Run.of(then, figure)
    return Offers(run, index, run.shape_before(index))
