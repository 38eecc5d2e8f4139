"""Faces with a material."""

from ...craft import PaintSettings
from ...schema import Kind, choice, flags, number, only_if, reference, switch
from ...schema import colour as colour_setting


class SurfaceSettings(PaintSettings):
    """Draw the faces, lit by the scene's lights."""

    colour: str = colour_setting("#f4ead7", headline=True)
    """The colour of the material, multiplied with the copies' own."""
    roughness: float = number(0.6, soft=(0, 1), hard=(0.02, 1), headline=True)
    """From a sharp gloss to a dull surface."""
    metal: float = number(0, soft=(0, 1), hard=(0, 1))
    """From paper and clay to bare metal."""
    glow: float = number(0, soft=(0, 10), hard=(0, None), headline=True)
    """How strongly it gives off light of its own."""
    glow_colour: str = colour_setting("#ffffff")
    """The colour of its own light, multiplied with the copies' own."""
    shading: str = choice("as the form", ("as the form", "smooth", "flat"))
    """Smooth over the faces, or each face for itself."""
    blend: str = choice("normal", ("normal", "additive"))
    """Cover what is behind, or add light to it."""
    brightness: float = number(1, soft=(0, 2), hard=(0, None))
    """Factor on all the light that leaves it."""
    painted: list = only_if(flags(("colour", "glow"), ("colour", "glow")), paint=("picture", "gradient"))
    """Which of its colours the picture or gradient is multiplied with."""
    glow_where: str = reference("fields")
    """The field that limits the glow."""
    throws: bool = only_if(switch(True), blend=("normal",))
    """Whether it throws shadows. What lets something through by its opacity throws weaker ones."""
    takes: bool = only_if(switch(True), blend=("normal",))
    """Whether shadows are seen on it."""
    mirrors: bool = only_if(switch(True), blend=("normal",))
    """Whether it mirrors the surfaces around, the sharper the less rough it is. From a roughness of 0.5 on, and where
    it is half transparent, it mirrors the sky alone; lines, dots and faces that add light are not seen in it."""


KIND = Kind(
    "surface",
    "look",
    SurfaceSettings,
    None,
    "Surface **{colour}**, roughness **{roughness}**, glow **{glow}**",
    icon="surface",
)
