"""All kinds, as explicit tables; nothing registers itself.

A kind's file is called as the kind is. It is read when that kind is first asked for, so that a command that needs a few
kinds does not wait for a hundred.
"""

from collections.abc import Iterator, Mapping
from importlib import import_module

from .data.attribute import ATTRIBUTES
from .schema import Kind
from .values.formula import NAME_WORDS
from .values.functions import FUNCTIONS


class Kinds(Mapping):
    """Kinds by id, in the order in which they are offered."""

    def __init__(self, folders: dict[str, str]):
        """folders  in which folder of kinds/ the file of each id is"""
        self._folders, self._known = folders, {}

    def __getitem__(self, identity: str) -> Kind:
        if identity not in self._known:
            module = import_module(f".kinds.{self._folders[identity]}.{identity}", __package__)
            self._known[identity] = module.KIND
        return self._known[identity]

    def __contains__(self, identity) -> bool:
        return identity in self._folders

    def __iter__(self) -> Iterator[str]:
        return iter(self._folders)

    def __len__(self) -> int:
        return len(self._folders)

    def __or__(self, more: "Kinds") -> "Kinds":
        """Return both, these first; raises ValueError if two share an id."""
        if shared := self._folders.keys() & more._folders.keys():
            raise ValueError(f"two kinds of one family are called {', '.join(sorted(shared))}")
        return Kinds({**self._folders, **more._folders})


def _kinds(folder: str, ids: str) -> Kinds:
    return Kinds(dict.fromkeys(ids.split(), folder))


FORMS = _kinds(
    "forms", "plane box sphere cylinder cone pyramid torus disc capsule terrain lettering artwork model others"
)
CURVES = _kinds("curves", "line circle polygon helix path bolt")
REPEATS = _kinds("repeats", "row grid wheel along scatter afterimage")
MODULATORS = _kinds("modulators", "shift shuffle drift stagger rule aim lag tint keep_size make_room hide")
DEFORMERS = _kinds(
    "deformers",
    "displace twist bend taper bulge shear stretch wave inflate rule_points relax cling follow morph tie burst jiggle "
    "smear",
)
BUILDERS = _kinds("builders", "subdivide extrude tube ribbon struts web shards cut meld edges trim points trail")
SIMULATIONS = _kinds("simulations", "swarm strands")
STEPS = FORMS | CURVES | REPEATS | MODULATORS | DEFORMERS | BUILDERS | SIMULATIONS
FORCES = _kinds("forces", "gust pull stream whirl gravity drag stick")
CLAUSES = _kinds("clauses", "region between angle noise rule near within order beat picture")
FINISHES = _kinds("finishes", "glow flare blur fringe vignette colour exposure curves grain fade")
LOOKS = _kinds("looks", "surface wire dots")
LIGHTS = _kinds("lights", "sun key sky surroundings")
FAMILIES = {
    "steps": STEPS,
    "forces": FORCES,
    "clauses": CLAUSES,
    "finishes": FINISHES,
    "looks": LOOKS,
    "lights": LIGHTS,
}


def every_kind() -> list[Kind]:
    """Return the kinds of all families; ids are told apart within a family only."""
    return [kind for family in FAMILIES.values() for kind in family.values()]


def describe() -> dict:
    """Return every kind as plain data, by family."""
    return {name: [kind.describe() for kind in family.values()] for name, family in FAMILIES.items()}


def formula_words() -> dict:
    """Return the names and functions of formulas, and the attributes, as plain data."""
    functions = {
        name: {"call": f"{name}({function.arguments})", "words": function.words, "example": list(function.example)}
        for name, function in FUNCTIONS.items()
    }
    attributes = {attribute.name: attribute.words for attribute in ATTRIBUTES.values()}
    return {"names": NAME_WORDS, "functions": functions, "attributes": attributes}
