"""From a scene to a picture: visibility, light, strokes, layers, shutter and lens, finish."""

from .bands import render_light
from .frame import Rendered, finished, render_scene
from .layers import LAYERS

__all__ = ["LAYERS", "Rendered", "finished", "render_light", "render_scene"]
