"""From a scene and a frame to a picture list."""

from .evaluate import evaluate
from .memo import Memo

__all__ = ["Memo", "evaluate"]
