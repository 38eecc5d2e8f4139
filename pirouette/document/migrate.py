"""Brings older scene files to the current version, one version at a time."""

import re

from ..data import Problem, ProblemError

FORMAT = "pirouette-scene"
VERSION = 5

SEED = re.compile(r"\bseed\b(?![^{]*\})")


def without_seed(raw: dict) -> dict:
    """Version 1 to 2: the name `seed` was always 0 in formulas; now it is a number of each copy's own."""

    def walk(value):
        if isinstance(value, list):
            return [walk(member) for member in value]
        if not isinstance(value, dict):
            return value
        migrated = {name: walk(part) for name, part in value.items()}
        is_formula = value.get("sort") == "formula" or set(value) == {"id", "name", "text"}
        if is_formula and isinstance(value.get("text"), str):
            migrated["text"] = SEED.sub("0", value["text"])
        return migrated

    return walk(raw)


# What version 2 took for granted: kind -> settings that now are others unless they are given.
ONCE = {
    "sun": {"shadows": False, "brightness": 2},
    "key": {"shadows": False},
    "sky": {"shadows": False, "brightness": 0.6},
    "exposure": {"transform": "filmic"},
}


def lit_as_before(raw: dict) -> dict:
    """Version 2 to 3: lights throw shadows and are dimmer, and bright light rolls off otherwise, if not told."""

    def told(thing):
        if not isinstance(thing, dict) or not isinstance(thing.get("settings", {}), dict):
            return thing
        kind = thing.get("kind")
        once = ONCE.get(kind, {}) if isinstance(kind, str) else {}
        return {**thing, "settings": {**once, **thing.get("settings", {})}}

    lists = {name: raw[name] for name in ("lights", "finish") if isinstance(raw.get(name), list)}
    return {**raw, **{name: [told(thing) for thing in things] for name, things in lists.items()}}


def mirrors_as_before(raw: dict) -> dict:
    """Version 3 to 4: surfaces mirror what is around, if not told; before, the sky alone."""
    return _with_looks(raw, lambda kind, _: {"mirrors": False} if kind == "surface" else {})


def seen_in_mirrors_as_before(raw: dict) -> dict:
    """Version 4 to 5: lines, dots and faces that add light are seen in mirrors, if not told; before, none was."""

    def once(kind, settings):
        is_seen = kind in ("wire", "dots") or (kind == "surface" and settings.get("blend") == "additive")
        return {"mirrored": False} if is_seen else {}

    return _with_looks(raw, once)


def _with_looks(raw, once):
    """A scene whose looks have what `once`(kind, settings) says, where they do not say otherwise."""

    def told(look):
        if not isinstance(look, dict) or not isinstance(look.get("settings", {}), dict):
            return look
        kept = look.get("settings", {})
        settings = {**once(look.get("kind"), kept), **kept}
        return {**look, "settings": settings} if settings else look

    def dressed(figure):
        if not isinstance(figure, dict) or not isinstance(figure.get("looks"), list):
            return figure
        return {**figure, "looks": [told(look) for look in figure["looks"]]}

    figures = raw.get("figures")
    return {**raw, "figures": [dressed(figure) for figure in figures]} if isinstance(figures, list) else raw


# version: function that returns the scene as the next version has it
MIGRATIONS = {1: without_seed, 2: lit_as_before, 3: mirrors_as_before, 4: seen_in_mirrors_as_before}


def migrate(raw: dict, migrations=MIGRATIONS, current: int = VERSION) -> dict:
    """Return a scene of the current version; raises ProblemError for another format or a newer version."""
    if raw.get("format") != FORMAT:
        raise ProblemError(Problem("format", f"{raw.get('format')!r} is not {FORMAT!r}", "scene.format"))
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or not 1 <= version <= current:
        raise ProblemError(Problem("version", f"{version!r} is unknown; allowed 1 to {current}", "scene.version"))
    while version < current:
        raw = {**migrations[version](raw), "version": version + 1}
        version += 1
    return raw
