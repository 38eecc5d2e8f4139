"""Writes docs/kinds.md from the catalogue."""

from . import catalogue
from .document import things

TITLES = {
    "form": "Forms",
    "repeat": "Repeats",
    "modulate": "Modulators",
    "deform": "Deformers",
    "build": "Builders",
    "clause": "Clauses of fields",
    "finish": "Finishes",
    "look": "Looks",
    "light": "Lights",
}


def _range(setting) -> str:
    low, high = setting["hard"]
    if setting["choices"] and setting["sort"] == "choice":
        return ", ".join(setting["choices"])
    if low is None and high is None:
        return ""
    return f"{'' if low is None else f'{low:g}'}…{'' if high is None else f'{high:g}'}"


def _table(settings) -> list[str]:
    lines = ["| setting | sort | default | allowed | what it is |", "|---|---|---|---|---|"]
    for setting in settings:
        default = setting["default"] if setting["sort"] not in ("gradient", "curve") else "…"
        limits = [f"`{name}` is {' or '.join(values)}" for name, values in setting["only_if"].items()]
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
        for kind in (kind for kind in catalogue.ALL if kind.group == group):
            described = kind.describe()
            lines += [f"### `{kind.id}`", "", f"{kind.summary} Reads: “{kind.sentence.replace('**', '')}”.", ""]
            lines += [*_table(described["settings"]), ""]
    lines += ["## Things in a scene", ""]
    for name, settings in things.describe().items():
        lines += [f"### {name}", "", *_table(settings), ""]
    return "\n".join(lines).rstrip() + "\n"
