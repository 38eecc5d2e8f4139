"""The core of Pirouette: evaluates and renders looping motion graphics; knows nothing of the web."""

__version__ = "0.1.0"
