"""Writes docs/kinds.md from the catalogue."""

from . import catalogue
from .document import things

TITLES = {
    "form": "Forms",
    "repeat": "Repeats",
    "modulate": "Modulators",
    "deform": "Deformers",
    "build": "Builders",
    "simulate": "Simulations",
    "force": "Forces under a step of a simulation, or under a jiggle",
    "clause": "Clauses of fields",
    "finish": "Finishes",
    "look": "Looks",
    "light": "Lights",
}


def picture_name(kind) -> str:
    """Return the name of the file that shows a kind; steps have the shortest, they are looked for most."""
    return f"{kind.id}.png" if catalogue.STEPS.get(kind.id) is kind else f"{kind.group}-{kind.id}.png"


def _range(setting) -> str:
    low, high = setting["hard"]
    if setting["choices"] and setting["sort"] == "choice":
        return ", ".join(setting["choices"])
    if low is None and high is None:
        return ""
    return f"{'' if low is None else f'{low:g}'}…{'' if high is None else f'{high:g}'}"


def _said(value) -> str:
    return {True: "on", False: "off", None: "nothing"}.get(value, value)


def _table(settings) -> list[str]:
    lines = ["| setting | sort | default | allowed | what it is |", "|---|---|---|---|---|"]
    for setting in settings:
        default = setting["default"] if setting["sort"] not in ("gradient", "curve") else "…"
        limits = [f"`{name}` is {' or '.join(map(_said, values))}" for name, values in setting["only_if"].items()]
        only = f" Only if {', '.join(limits)}." if limits else ""
        unit = f" {setting['unit']}" if setting["unit"] else ""
        columns = f"`{setting['name']}`", setting["sort"], f"{default}{unit}", _range(setting), setting["help"] + only
        lines.append(f"| {' | '.join(columns)} |")
    return lines


def markdown() -> str:
    """Return the page of all kinds and things."""
    lines = ["# Kinds", "", "Made from the catalogue by `script/pirouette kinds --markdown`; do not edit by hand.", ""]
    for group, title in TITLES.items():
        lines += [f"## {title}", ""]
        for kind in (kind for kind in catalogue.every_kind() if kind.group == group):
            described = kind.describe()
            shown = [f"![{kind.id}](kinds/{picture_name(kind)})", ""]
            lines += [f"### `{kind.id}`", "", *shown, f"{kind.summary} Reads: “{kind.sentence.replace('**', '')}”.", ""]
            lines += [*_table(described["settings"]), ""]
    lines += ["## Things in a scene", ""]
    for name, settings in things.describe().items():
        lines += [f"### {name}", "", *_table(settings), ""]
    return "\n".join([*lines, *_values(), *_formulas()]).rstrip() + "\n"


SHAPES = {
    "number, integer, vector, colour": "may move: fixed, keyed, a swing or a formula (see scene-format.md). A vector "
    'is a list of three, each of any of these; a colour is `"#rrggbb"`, and a swing or formula of one blends `from` → '
    "`to`",
    "switch": "`true` or `false`",
    "choice, flags": "one of the allowed words; a list of some of them",
    "text": "up to 2000 characters",
    "reference, references, asset": "the id of a thing or asset, or `null`; a list of ids",
    "curve": "2 to 32 points `[in, out]`, both 0 to 1, straight between them: `[[0, 0], [0.5, 0.9], [1, 1]]`; rounded "
    'at those with handles, told from their point: `{"at": [0.5, 0.9], "arrive": [-0.2, -0.1], "leave": [0.2, 0]}`',
    "gradient": '1 to 32 stops: `[{"at": 0, "colour": "#e2553a"}, {"at": 1, "colour": "#f4ead7"}]`',
    "nodes": '1 to 500 points of a curve: `{"at": [x, y, z], "arrive": […], "leave": […]}`; without handles a corner',
}


def _values() -> list[str]:
    lines = ["## Sorts of settings", "", "Only numbers, vectors and colours take keys, swings and formulas.", ""]
    lines += ["| sort | what it holds |", "|---|---|"]
    return [*lines, *(f"| {sort} | {words} |" for sort, words in SHAPES.items()), ""]


def _formulas() -> list[str]:
    words = catalogue.formula_words()
    lines = ["## Formulas", "", "Arithmetic `+ - * / %`, comparisons `< > <= >= == !=` (1 if true, else 0), and:", ""]
    lines += ["| function | gives | for example |", "|---|---|---|"]
    for word in words["functions"].values():
        call, result = word["example"]
        lines.append(f"| `{word['call']}` | {word['words']} | `{call}` is {result:g} |")
    lines += ["", "| name | stands for |", "|---|---|"]
    lines += [f"| `{name}` | {help_text} |" for name, help_text in words["names"].items()]
    return [
        *lines,
        "",
        "Names of copies and points (`index`, `share`, `x`, attributes …) mean something where each has its own value.",
        "Other values of the scene stand in braces: `{Hub.scale.x}`, `{Ribbons.twist.angle}`; `{Hub.world.x}` is where",
        "Hub is in the scene, also while it follows or rides something, and `{Hub.position.x}` is its own setting.",
        "",
    ]
