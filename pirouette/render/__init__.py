"""From a picture list to a picture: visibility, light, strokes, finish."""

from .render import finish_picture, render_frame, render_light

__all__ = ["finish_picture", "render_frame", "render_light"]
