"""Pictures that are only shown for a moment: soon made and soon read."""

import io

import numpy as np
from PIL import Image

QUALITY = 88


def quick_bytes(pixels: np.ndarray) -> bytes:
    """Return (H, W, 4) uint8 pixels with straight alpha as a JPEG, or as a WebP where any of them is clear."""
    out = io.BytesIO()
    if pixels[..., 3].min() == 255:
        Image.fromarray(pixels[..., :3]).save(out, "JPEG", quality=QUALITY, subsampling=0)
    else:
        Image.fromarray(pixels).save(out, "WEBP", quality=QUALITY, method=0)
    return out.getvalue()
