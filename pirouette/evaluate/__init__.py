"""From a scene and a frame to a picture list."""

from .evaluator import Evaluator
from .memo import Memo
from .picture import evaluate

__all__ = ["Evaluator", "Memo", "evaluate"]
