"""Which assets a scene's JSON names, and the same scene with other names for them."""

import copy

from ..catalogue import CLAUSES, FINISHES, FORCES, LIGHTS, LOOKS, STEPS


def _items(raw):
    """Yield every line of a scene with its kind; what is wrong in the scene is passed over."""
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
            kind = table.get(item.get("kind"))
            if kind:
                yield item, kind


def used_assets(raw: dict) -> set[str]:
    """Return the ids of all assets that a scene names, also by default."""
    asset_ids = set()
    for item, kind in _items(raw):
        for name, setting in kind.settings.declared().items():
            value = (item.get("settings") or {}).get(name, setting.default)
            if setting.sort == "asset" and isinstance(value, str):
                asset_ids.add(value)
    return asset_ids


def with_assets_named(raw: dict, names: dict[str, str]) -> dict:
    """Return a scene that names its assets by other ids, {before: after}; whatever else is called so stays."""
    raw = copy.deepcopy(raw)
    for item, kind in _items(raw):
        settings = item.get("settings") or {}
        for name, setting in kind.settings.declared().items():
            if setting.sort == "asset" and isinstance(settings.get(name), str):
                settings[name] = names.get(settings[name], settings[name])
    return raw
