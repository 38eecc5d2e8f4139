"""The core of Pirouette: evaluates and renders looping motion graphics; knows nothing of the web."""

import os

# Kernels share the processors among themselves; threads of numpy's own would spin beside them, and cost their time.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
