"""Faces with a material."""

from ...craft import PaintSettings
from ...schema import Kind, choice, flags, number, only_if, reference, switch
from ...schema import colour as colour_setting


class SurfaceSettings(PaintSettings):
    """Draw the faces, lit by the scene's lights."""

    groups = {
        "Shadows and mirrors": ("throws", "takes", "mirrors"),
        "Clear": ("clear", "index", "filled", "tint", "tint_depth", "facing", "rim_clear", "rim_index"),
        "Wax": ("wax", "wax_depth", "wax_colour"),
    }
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
    painted: list = only_if(
        flags(("colour", "glow"), ("colour", "glow", "opacity")), paint=("picture", "gradient", "pattern")
    )
    """What the picture, gradient or pattern is multiplied with: its colours, or its opacity by how bright that is;
    then its shadow is that of the whole."""
    glow_where: str = reference("fields")
    """The field that limits the glow."""
    throws: bool = only_if(switch(True), blend=("normal",))
    """Whether it throws shadows. What lets something through by its opacity throws weaker ones."""
    takes: bool = only_if(switch(True), blend=("normal",))
    """Whether shadows are seen on it."""
    clear: float = only_if(number(0, soft=(0, 1), hard=(0, 1)), blend=("normal",))
    """How much light goes through it, bent, instead of being scattered: glass and water have 1. What is half
    transparent is not clear. What adds its light, and lines and dots, are seen through it if they are `mirrored`."""
    index: float = only_if(number(1.5, soft=(1, 2.5), hard=(1, 4)), blend=("normal",))
    """The index of refraction: how strongly it bends light and mirrors. Water has 1.33, glass 1.5, diamond 2.4."""
    filled: bool = only_if(switch(True), blend=("normal",))
    """Whether what is clear is full behind its front, as a drop or a lake; if not it is a thin skin or pane, through
    which one sees straight."""
    tint: str = only_if(colour_setting("#ffffff"), blend=("normal",))
    """The colour that light takes which goes through what is clear: over so deep a way, or at each wall of a skin."""
    tint_depth: float = only_if(number(100, soft=(10, 1000), hard=(1e-3, None)), blend=("normal",), filled=(True,))
    """How long the way is after which light has that colour; on longer ones it becomes darker."""
    facing: float = only_if(number(0, soft=(0, 1), hard=(0, 1)), blend=("normal",))
    """How far, towards the rim, where the surface leans away from the eye, it becomes as the next two say."""
    rim_clear: float = only_if(number(0, soft=(0, 1), hard=(0, 1)), blend=("normal",))
    """How clear it is at the rim."""
    rim_index: float = only_if(number(1.5, soft=(1, 2.5), hard=(1, 4)), blend=("normal",))
    """The index at the rim."""
    wax: float = only_if(number(0, soft=(0, 1), hard=(0, 1)), blend=("normal",), throws=(True,))
    """How much light goes in and wanders beneath the skin, as in wax, skin or leaves: it comes out where a body is
    thin, and ends softly where that turns away from the light. What is clear has none."""
    wax_depth: float = only_if(number(20, soft=(1, 200), hard=(1e-3, None)), blend=("normal",), throws=(True,))
    """How long the way is after which a third of the light in the wax is left. An open sheet is thin everywhere."""
    wax_colour: str = only_if(colour_setting("#ff8a5c"), blend=("normal",), throws=(True,))
    """The colour that light takes on so long a way."""
    mirrors: bool = only_if(switch(True), blend=("normal",))
    """Whether it mirrors the surfaces around, the sharper the less rough it is. From a roughness of 0.5 on, and where
    it is half transparent from one of 0.08 on, it mirrors the sky alone. What adds its light, and lines and dots, are
    seen in it if they are `mirrored`."""
    mirrored: bool = only_if(switch(True), blend=("additive",))
    """Whether it is seen in mirrors, and through what is clear. Proofs and renders show it."""


# Light in wax is looked for this share of its depth beneath the skin; an open sheet is as thick.
BENEATH = 0.3


def is_clear(settings) -> bool:
    """Whether anything is seen through a surface with such settings at a frame."""
    return settings.blend == "normal" and (settings.clear > 0 or settings.facing * settings.rim_clear > 0)


def is_waxy(settings) -> bool:
    """Whether light wanders beneath a surface with such settings at a frame."""
    return settings.blend == "normal" and settings.throws and settings.wax > 0 and not is_clear(settings)


def lets_through(settings) -> bool:
    """Whether a surface with such settings stops a light only in part."""
    return is_clear(settings) or is_waxy(settings)


KIND = Kind(
    "surface",
    "look",
    SurfaceSettings,
    None,
    "Surface **{colour}**, roughness **{roughness}**, glow **{glow}**",
    icon="surface",
    words="material shader faces colour skin glass mirror glossy metal clear emission wax translucent subsurface leaf",
)
