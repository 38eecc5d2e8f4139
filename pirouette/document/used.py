"""What the settings in a scene's JSON lead to, and the same scene with other names for that."""

import copy

from ..catalogue import CLAUSES, FINISHES, FORCES, LIGHTS, LOOKS, STEPS
from .things import CameraSettings, CutSettings, JoiningSettings, OwnTimeSettings, PlaceSettings


def _lines(raw):
    """Yield every line of a scene and the table of its kind; what is wrong in the scene is passed over."""
    figures, fields = raw.get("figures") or (), raw.get("fields") or ()
    steps = [step for figure in figures for step in figure.get("routine") or ()]
    for items, table in (
        (steps, STEPS),
        ((force for step in steps for force in step.get("forces") or ()), FORCES),
        ((look for figure in figures for look in figure.get("looks") or ()), LOOKS),
        ((clause for field in fields for clause in field.get("clauses") or ()), CLAUSES),
        (raw.get("lights") or (), LIGHTS),
        (raw.get("finish") or (), FINISHES),
    ):
        for item in items:
            yield item, table


def settings_in(raw: dict):
    """Yield (settings as they are written, their declarations) of every line and thing of a scene.

    What is wrong in the scene is passed over; settings of which nothing is written are an empty object of their own.
    """
    for item, table in _lines(raw):
        kind = table.get(item.get("kind"))
        if kind:
            yield item.get("settings") or {}, kind.settings.declared()
        yield item.get("joining") or {}, JoiningSettings.declared()
    for family, parts in (
        ("figures", {"place": PlaceSettings, "own_time": OwnTimeSettings, "cut": CutSettings}),
        ("guides", {"place": PlaceSettings}),
        ("cameras", {"settings": CameraSettings}),
    ):
        for thing in raw.get(family) or ():
            for name, model in parts.items():
                yield thing.get(name) or {}, model.declared()


def used_assets(raw: dict) -> set[str]:
    """Return the ids of all assets that a scene names, also by default."""
    asset_ids = set()
    for settings, declared in settings_in(raw):
        for name, setting in declared.items():
            value = settings.get(name, setting.default)
            if setting.sort == "asset" and isinstance(value, str):
                asset_ids.add(value)
    return asset_ids


def with_assets_named(raw: dict, names: dict[str, str]) -> dict:
    """Return a scene that names its assets by other ids, {before: after}; whatever else is called so stays."""
    raw = copy.deepcopy(raw)
    for settings, declared in settings_in(raw):
        for name, setting in declared.items():
            if setting.sort == "asset" and isinstance(settings.get(name), str):
                settings[name] = names.get(settings[name], settings[name])
    return raw


def with_things_named(raw: dict, names: dict[tuple[str, str], str]) -> dict:
    """Return a scene whose settings and lines refer to things by other ids, {(family, id before): id after}."""
    raw = copy.deepcopy(raw)

    def renamed(families, identity):
        return next((names[one, identity] for one in families if (one, identity) in names), identity)

    for settings, declared in settings_in(raw):
        for name, setting in declared.items():
            value = settings.get(name)
            if setting.sort == "reference" and isinstance(value, str):
                settings[name] = renamed(setting.choices, value)
            elif setting.sort == "references" and isinstance(value, list):
                settings[name] = [renamed(setting.choices, one) for one in value]
    for item, _ in _lines(raw):
        if item.get("only_where"):
            item["only_where"] = renamed(("fields",), item["only_where"])
    return raw
