"""Formulas written once and used in several places of a scene."""

from ..data import Problem, ProblemError

MAX_FORMULAS = 200


def shared_texts(raw) -> dict[str, str]:
    """Return the texts of a scene's shared formulas by id; raises ProblemError with all that is wrong."""
    items = raw.get("formulas", [])
    if not isinstance(items, list) or len(items) > MAX_FORMULAS:
        raise ProblemError(Problem("formulas", f"allowed a list of up to {MAX_FORMULAS}", "scene.list"))
    texts, problems = {}, []
    for index, item in enumerate(items):
        path = f"formulas/{index}"
        if not isinstance(item, dict) or set(item) != {"id", "name", "text"}:
            problems.append(Problem(path, "allowed an object with id, name and text", "scene.object"))
        elif not all(isinstance(item[name], str) and item[name].strip() for name in item):
            problems.append(Problem(path, "allowed texts that are not empty", "scene.formula"))
        elif item["id"] in texts:
            problems.append(Problem(f"{path}/id", f"“{item['id']}” is used twice", "scene.id-twice"))
        else:
            texts[item["id"]] = item["text"]
    if problems:
        raise ProblemError(problems)
    return texts


def use_shared(raw: dict, may_use: bool = True) -> dict:
    """Return the scene with the text of each shared formula written where it is used.

    may_use  False if it is known that none is
    """
    texts = shared_texts(raw)
    problems = []

    def walk(value, path):
        if isinstance(value, list):
            return [walk(member, f"{path}/{index}") for index, member in enumerate(value)]
        if not isinstance(value, dict):
            return value
        if value.get("sort") == "formula" and "shared" in value:
            name = value["shared"]
            if not isinstance(name, str) or name not in texts:
                known = ", ".join(texts) or "none yet"
                problems.append(
                    Problem(path, f"there is no shared formula {name!r}; there are {known}", "formula.shared")
                )
                return value
            return {**{key: part for key, part in value.items() if key != "shared"}, "text": texts[name]}
        return {key: walk(member, f"{path}/{key}".strip("/")) for key, member in value.items()}

    filled = walk(raw, "") if may_use and _uses_shared(raw) else raw
    if problems:
        raise ProblemError(problems)
    return filled


def _uses_shared(value) -> bool:
    if isinstance(value, dict):
        return "shared" in value or any(_uses_shared(part) for part in value.values())
    return isinstance(value, list) and any(_uses_shared(part) for part in value)
