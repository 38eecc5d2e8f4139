"""Movies: MP4 with H.264, and animated GIF."""

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from PIL import Image

QUALITY = "16"  # constant rate factor: visually free of loss


def over_black(pixels: np.ndarray) -> np.ndarray:
    """Return (H, W, 3) uint8: pixels with straight alpha laid over black, which movies without alpha need."""
    if (pixels[..., 3] == 255).all():
        return np.ascontiguousarray(pixels[..., :3])
    return (pixels[..., :3] * (pixels[..., 3:].astype(np.float32) / 255) + 0.5).astype(np.uint8)


def write_mp4(path, frames: Iterable[np.ndarray], fps: float) -> None:
    """Write (H, W, 4) uint8 frames as H.264; odd sizes gain a last row or column, as the codec needs even ones."""
    path = Path(path)
    draft = path.with_name(path.name + ".part")
    with av.open(str(draft), "w", format="mp4", options={"movflags": "+faststart"}) as movie:
        stream = None
        for pixels in frames:
            rgb = over_black(pixels)
            rgb = np.pad(rgb, ((0, rgb.shape[0] % 2), (0, rgb.shape[1] % 2), (0, 0)), "edge")
            if stream is None:
                stream = movie.add_stream("libx264", rate=Fraction(fps).limit_denominator(1001))
                stream.height, stream.width = rgb.shape[:2]
                stream.pix_fmt = "yuv420p"
                stream.options = {"crf": QUALITY, "preset": "medium", "threads": "1"}
                context = stream.codec_context
                context.color_primaries = context.color_trc = context.colorspace = 1  # BT.709
            frame = av.VideoFrame.from_ndarray(rgb, "rgb24").reformat(format="yuv420p", dst_colorspace="itu709")
            movie.mux(stream.encode(frame))
        if stream is not None:
            movie.mux(stream.encode(None))
    draft.replace(path)


def write_gif(path, frames: Iterable[np.ndarray], fps: float) -> None:
    """Write (H, W, 4) uint8 frames as an endless GIF with a palette of each frame's own."""
    path = Path(path)
    draft = path.with_name(path.name + ".part")
    pictures = [
        Image.fromarray(over_black(pixels)).quantize(256, dither=Image.Dither.FLOYDSTEINBERG) for pixels in frames
    ]
    # GIF counts hundredths of a second: the rounding is spread, so that the whole lasts as long as it should.
    ends = [round((index + 1) * 100 / fps) for index in range(len(pictures))]
    durations = [(end - begin) * 10 for begin, end in zip([0, *ends], ends, strict=False)]
    pictures[0].save(draft, "GIF", save_all=True, append_images=pictures[1:], duration=durations, loop=0, disposal=1)
    draft.replace(path)
