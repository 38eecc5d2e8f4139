"""Speed of a long shutter: until more moments change nothing, against as many single frames."""

from unittest import mock

import numpy as np

from pirouette.document import read_scene
from pirouette.evaluate import Memo
from pirouette.render import frame as frame_module
from pirouette.render import render_scene
from tests.scenes import LIBRARY, demo

from .measure import line

SIZE = 640, 360
FRAME, SHUTTER = 37, 8
MORE, ALIKE = 64, 1.0


def _streamers(shutter):
    raw = demo("streamers")
    for camera in raw["cameras"]:
        camera["settings"]["shutter"] = shutter
    return read_scene(raw, LIBRARY)


def bench_shutter():
    """*Streamers* with the shutter open for eight frames, and the same moments as frames of their own."""
    memo, moving, still = Memo(), _streamers(SHUTTER), _streamers(0)
    counts = []
    known = frame_module.picture_count

    def counted(pixels, is_disc=False, more=0):
        counts.append(known(pixels, is_disc) + more)
        return counts[-1]

    def exposed():
        return render_scene(moving, FRAME, SIZE, memo=memo).pixels().astype(float)

    with mock.patch.object(frame_module, "picture_count", counted):
        few = exposed()
    count = max(counts)
    with mock.patch.object(frame_module, "picture_count", lambda *told, **named: counted(*told, **named, more=MORE)):
        many = exposed()
    off = np.sqrt(np.mean((few - many) ** 2))
    if off >= ALIKE:
        raise AssertionError(f"{MORE} more moments than {count} change the picture by {off:.2f} of 255")
    moments = FRAME - SHUTTER / 2 + SHUTTER * (np.arange(count) + 0.5) / count

    def one_by_one():
        for moment in moments:
            render_scene(still, moment, SIZE, memo=memo)

    yield line("shutter", exposed, f"{count} single frames", one_by_one, 1.5)


SHUTTERS = {"shutter": bench_shutter}
