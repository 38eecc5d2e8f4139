"""From a scene and a frame to a picture list."""

from .checkpoints import Checkpoints
from .evaluator import Evaluator
from .memo import Memo
from .picture import evaluate, frames_known

__all__ = ["Checkpoints", "Evaluator", "Memo", "evaluate", "frames_known"]
