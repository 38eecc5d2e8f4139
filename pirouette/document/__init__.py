"""Scenes: reading, checking, saving and migrating them."""

from .read import load_scene, read_scene, save_scene
from .scene import Camera, Clause, Effect, Field, Figure, Guide, Light, Line, Scene, Step

__all__ = [
    "Camera",
    "Clause",
    "Effect",
    "Field",
    "Figure",
    "Guide",
    "Light",
    "Line",
    "Scene",
    "Step",
    "load_scene",
    "read_scene",
    "save_scene",
]
