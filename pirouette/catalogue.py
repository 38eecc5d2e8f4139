"""All kinds, as explicit tables; nothing registers itself."""

from .kinds.builders import subdivide
from .kinds.clauses import between, region
from .kinds.clauses import noise as noise_clause
from .kinds.deformers import bend, displace, twist
from .kinds.finishes import exposure, glow, vignette
from .kinds.forms import box, plane, sphere
from .kinds.lights import key, sky, sun
from .kinds.looks import dots, surface, wire
from .kinds.modulators import drift, shift, shuffle, stagger, tint
from .kinds.repeats import grid, wheel
from .schema import Kind

FORMS = (plane.KIND, box.KIND, sphere.KIND)
REPEATS = (grid.KIND, wheel.KIND)
MODULATORS = (shift.KIND, shuffle.KIND, drift.KIND, stagger.KIND, tint.KIND)
DEFORMERS = (displace.KIND, twist.KIND, bend.KIND)
BUILDERS = (subdivide.KIND,)
STEPS = FORMS + REPEATS + MODULATORS + DEFORMERS + BUILDERS
CLAUSES = (region.KIND, between.KIND, noise_clause.KIND)
FINISHES = (glow.KIND, vignette.KIND, exposure.KIND)
LOOKS = (surface.KIND, wire.KIND, dots.KIND)
LIGHTS = (sun.KIND, key.KIND, sky.KIND)
ALL = STEPS + CLAUSES + FINISHES + LOOKS + LIGHTS


def table(kinds: tuple[Kind, ...]) -> dict[str, Kind]:
    """Return kinds by id; raises ValueError if two share one."""
    found = {kind.id: kind for kind in kinds}
    if len(found) != len(kinds):
        raise ValueError("two kinds of one family share an id")
    return found


def describe() -> dict:
    """Return every kind as plain data, by family."""
    families = {"steps": STEPS, "clauses": CLAUSES, "finishes": FINISHES, "looks": LOOKS, "lights": LIGHTS}
    return {family: [kind.describe() for kind in kinds] for family, kinds in families.items()}
