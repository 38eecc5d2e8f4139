"""All kinds, as explicit tables; nothing registers itself."""

from .data.attribute import ATTRIBUTES
from .kinds.builders import cut, edges, extrude, meld, points, ribbon, shards, struts, subdivide, trail, trim, tube, web
from .kinds.clauses import angle, beat, between, near, order, region, within
from .kinds.clauses import noise as noise_clause
from .kinds.clauses import picture as picture_clause
from .kinds.clauses import rule as rule_clause
from .kinds.curves import bolt, circle, helix, line, path, polygon
from .kinds.deformers import (
    bend,
    bulge,
    burst,
    cling,
    displace,
    follow,
    inflate,
    jiggle,
    morph,
    relax,
    rule_points,
    shear,
    smear,
    stretch,
    taper,
    tie,
    twist,
    wave,
)
from .kinds.finishes import blur, colour, curves, exposure, fade, flare, fringe, glow, grain, vignette
from .kinds.forces import drag, gravity, gust, pull, stick, stream, whirl
from .kinds.forms import (
    artwork,
    box,
    capsule,
    cone,
    cylinder,
    disc,
    lettering,
    model,
    others,
    plane,
    pyramid,
    sphere,
    terrain,
    torus,
)
from .kinds.lights import key, sky, sun, surroundings
from .kinds.looks import dots, surface, wire
from .kinds.modulators import aim, drift, hide, keep_size, lag, make_room, rule, shift, shuffle, stagger, tint
from .kinds.repeats import afterimage, along, grid, row, scatter, wheel
from .kinds.simulations import strands, swarm
from .schema import Kind
from .values.formula import NAME_WORDS
from .values.functions import FUNCTIONS

FORMS = (plane.KIND, box.KIND, sphere.KIND, cylinder.KIND, cone.KIND, pyramid.KIND, torus.KIND, disc.KIND, capsule.KIND,
         terrain.KIND, lettering.KIND, artwork.KIND, model.KIND, others.KIND)  # fmt: skip
CURVES = (line.KIND, circle.KIND, polygon.KIND, helix.KIND, path.KIND, bolt.KIND)
REPEATS = (row.KIND, grid.KIND, wheel.KIND, along.KIND, scatter.KIND, afterimage.KIND)
MODULATORS = (shift.KIND, shuffle.KIND, drift.KIND, stagger.KIND, rule.KIND, aim.KIND, lag.KIND, tint.KIND,
              keep_size.KIND, make_room.KIND, hide.KIND)  # fmt: skip
DEFORMERS = (displace.KIND, twist.KIND, bend.KIND, taper.KIND, bulge.KIND, shear.KIND, stretch.KIND, wave.KIND,
             inflate.KIND, rule_points.KIND, relax.KIND, cling.KIND, follow.KIND, morph.KIND, tie.KIND,
             burst.KIND, jiggle.KIND, smear.KIND)  # fmt: skip
BUILDERS = (subdivide.KIND, extrude.KIND, tube.KIND, ribbon.KIND, struts.KIND, web.KIND, shards.KIND, cut.KIND,
            meld.KIND, edges.KIND, trim.KIND, points.KIND, trail.KIND)  # fmt: skip
SIMULATIONS = (swarm.KIND, strands.KIND)
STEPS = FORMS + CURVES + REPEATS + MODULATORS + DEFORMERS + BUILDERS + SIMULATIONS
FORCES = (gust.KIND, pull.KIND, stream.KIND, whirl.KIND, gravity.KIND, drag.KIND, stick.KIND)
CLAUSES = (region.KIND, between.KIND, angle.KIND, noise_clause.KIND, rule_clause.KIND, near.KIND, within.KIND,
           order.KIND, beat.KIND, picture_clause.KIND)  # fmt: skip
FINISHES = (
    glow.KIND,
    flare.KIND,
    blur.KIND,
    fringe.KIND,
    vignette.KIND,
    colour.KIND,
    exposure.KIND,
    curves.KIND,
    grain.KIND,
    fade.KIND,
)
LOOKS = (surface.KIND, wire.KIND, dots.KIND)
LIGHTS = (sun.KIND, key.KIND, sky.KIND, surroundings.KIND)
ALL = STEPS + FORCES + CLAUSES + FINISHES + LOOKS + LIGHTS


def table(kinds: tuple[Kind, ...]) -> dict[str, Kind]:
    """Return kinds by id; raises ValueError if two share one."""
    by_id = {kind.id: kind for kind in kinds}
    if len(by_id) != len(kinds):
        raise ValueError("two kinds of one family share an id")
    return by_id


def describe() -> dict:
    """Return every kind as plain data, by family."""
    families = {
        "steps": STEPS,
        "forces": FORCES,
        "clauses": CLAUSES,
        "finishes": FINISHES,
        "looks": LOOKS,
        "lights": LIGHTS,
    }
    return {family: [kind.describe() for kind in kinds] for family, kinds in families.items()}


def formula_words() -> dict:
    """Return the names and functions of formulas, and the attributes, as plain data."""
    functions = {
        name: {"call": f"{name}({function.arguments})", "words": function.words, "example": list(function.example)}
        for name, function in FUNCTIONS.items()
    }
    attributes = {attribute.name: attribute.words for attribute in ATTRIBUTES.values()}
    return {"names": NAME_WORDS, "functions": functions, "attributes": attributes}
