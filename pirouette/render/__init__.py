"""From a scene to a picture: visibility, light, strokes, layers, shutter and lens, finish."""

from .bands import Part, render_light
from .frame import Rendered, finished, render_scene
from .framing import framing
from .layers import LAYERS

__all__ = ["LAYERS", "Part", "Rendered", "finished", "framing", "render_light", "render_scene"]
