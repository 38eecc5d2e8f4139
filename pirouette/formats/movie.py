"""What the movie formats share: frames of 16 bits into one stream of a container."""

from collections.abc import Iterable
from fractions import Fraction

import av
import numpy as np
from av.video.reformatter import Interpolation

from .whole import whole

# The same bytes on every processor, and colours halved from all pixels.
EXACT = Interpolation.BICUBIC | Interpolation.ACCURATE_RND | Interpolation.BITEXACT | Interpolation.FULL_CHR_H_INP
FULL = {np.dtype(np.uint8): 255, np.dtype(np.uint16): 65535}


def over_black(pixels: np.ndarray) -> np.ndarray:
    """Return (H, W, 3): pixels with straight alpha laid over black, which movies without alpha need."""
    full = FULL[pixels.dtype]
    if (pixels[..., 3] == full).all():
        return np.ascontiguousarray(pixels[..., :3])
    return (pixels[..., :3] * (pixels[..., 3:] / np.float32(full)) + np.float32(0.5)).astype(pixels.dtype)


def write_movie(path, frames: Iterable[np.ndarray], fps, container, codec, pixel_format, options, *, is_even=False):
    """Write (H, W, 4) uint16 frames through an encoder.

    pixel_format  what the encoder takes; its alpha is kept if it has one, else the frames are laid over black
    is_even       odd sizes gain a last row or column, as encoders of half colour resolution need even ones
    """
    has_alpha = pixel_format.startswith(("yuva", "gbrap", "rgba"))
    with whole(path) as draft:
        flags = {"fflags": "+bitexact", **({"movflags": "+faststart"} if container in ("mp4", "mov") else {})}
        with av.open(str(draft), "w", format=container, options=flags) as movie:
            stream = None
            for pixels in frames:
                if is_even:
                    pixels = np.pad(pixels, ((0, pixels.shape[0] % 2), (0, pixels.shape[1] % 2), (0, 0)), "edge")
                if stream is None:
                    stream = movie.add_stream(codec, rate=Fraction(fps).limit_denominator(1001))
                    stream.height, stream.width = pixels.shape[:2]
                    stream.pix_fmt = pixel_format
                    stream.options = options
                    context = stream.codec_context
                    context.color_primaries = context.color_trc = context.colorspace = 1  # BT.709
                whole_pixels = pixels if has_alpha else over_black(pixels)
                frame = av.VideoFrame.from_ndarray(
                    np.ascontiguousarray(whole_pixels), "rgba64le" if has_alpha else "rgb48le"
                )
                movie.mux(
                    stream.encode(frame.reformat(format=pixel_format, dst_colorspace="itu709", interpolation=EXACT))
                )
            if stream is not None:
                movie.mux(stream.encode(None))
