"""Brings older scene files to the current version, one version at a time."""

from ..data import Problem, ProblemError

FORMAT = "pirouette-scene"
VERSION = 1

# version: function that returns the scene as the next version has it
MIGRATIONS = {}


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
