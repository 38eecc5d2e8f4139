"""Which assets a scene's JSON names."""

from .. import catalogue

KINDS = catalogue.table(catalogue.STEPS), catalogue.table(catalogue.LOOKS), catalogue.table(catalogue.CLAUSES)


def used_assets(raw: dict) -> set[str]:
    """Return the ids of all assets that a scene names, also by default; what is wrong in the scene is passed over."""
    steps, looks, clauses = KINDS
    asset_ids = set()
    for family, part, table in (
        ("figures", "routine", steps),
        ("figures", "looks", looks),
        ("fields", "clauses", clauses),
    ):
        for thing in raw.get(family) or ():
            for item in thing.get(part) or ():
                kind = table.get(item.get("kind"))
                for name, setting in kind.settings.declared().items() if kind else ():
                    value = (item.get("settings") or {}).get(name, setting.default)
                    if setting.sort == "asset" and isinstance(value, str):
                        asset_ids.add(value)
    return asset_ids
