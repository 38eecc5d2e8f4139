"""OpenEXR: linear light in 32-bit floats with alpha, and layers by name, for compositing."""

import numpy as np

from ..schema import Settings, flags, switch
from .format import Format
from .whole import whole

# name of a layer: the names of its channels in the file
CHANNELS = {
    "depth": ("depth.Z",),
    "position": ("position.X", "position.Y", "position.Z"),
    "normal": ("normal.X", "normal.Y", "normal.Z"),
    "motion": ("motion.X", "motion.Y"),
    "ids": ("ids.number",),
}


class ExrOptions(Settings):
    layers: list = flags((), tuple(CHANNELS))
    """Which layers are written beside the light."""
    after_the_finish: bool = switch(False)
    """Write the light after the finish, as it is on screen, instead of before it."""


def write(path, frames, fps, options) -> None:
    """Write a Rendered frame: R, G, B, A premultiplied, and the chosen layers; channels are float32."""
    # Made of code that takes long to load, and only here.
    import OpenEXR

    (rendered,) = frames
    light = rendered.finished if options.after_the_finish else rendered.light
    channels = {name: np.ascontiguousarray(light[..., k], np.float32) for k, name in enumerate("RGBA")}
    for name in options.layers:
        rows = rendered.layers[name].astype(np.float32)
        rows = rows[..., None] if rows.ndim == 2 else rows
        channels.update({channel: np.ascontiguousarray(rows[..., k]) for k, channel in enumerate(CHANNELS[name])})
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with whole(path) as draft, OpenEXR.File(header, channels) as file:
        file.write(str(draft))


FORMAT = Format(
    "exr",
    ".exr",
    "image/x-exr",
    "OpenEXR, linear light",
    "light",
    False,
    write,
    ExrOptions,
    layers=lambda options: options.layers,
)
