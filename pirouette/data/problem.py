"""What is wrong with a scene, said for people: where, what, and what is allowed."""

from dataclasses import dataclass

# What stands in each list of a scene, as it is called when one of it is spoken of.
MEMBERS = {
    "figures": "figure",
    "fields": "field",
    "guides": "guide",
    "lights": "light",
    "cameras": "camera",
    "routine": "line",
    "forces": "force",
    "looks": "look",
    "clauses": "clause",
    "finish": "effect",
    "nodes": "point",
    "keys": "key",
}
NAMED = ("figures", "fields", "guides", "lights", "cameras")


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing wrong: a path into the scene, a sentence and a code that never changes."""

    path: str
    message: str
    code: str

    def __str__(self) -> str:
        return f"{self.path}: {self.message} [{self.code}]" if self.path else f"{self.message} [{self.code}]"

    @property
    def words(self) -> str:
        """Where and what, for people."""
        return f"{self.where}: {self.message}" if self.path else self.message

    @property
    def where(self) -> str:
        """The path as people say it, counted from 1: "Ball, line 2 (grid)" for figures/Ball/routine/1 (grid)."""
        parts = [part for part in self.path.split("/") if part]
        # A path through the file tells a thing by its number, one in words by its name, which may be a number, too.
        is_pointer = "settings" in parts
        said = []
        for before, part, after in zip(("", *parts), parts, (*parts[1:], ""), strict=False):
            number, _, kind = part.partition(" ")
            if before in NAMED and not is_pointer:
                said.append(part)
            elif number.isdecimal():
                said.append(f"{MEMBERS.get(before, 'number')} {int(number) + 1}{' ' + kind if kind else ''}")
            elif not (part == "settings" or (part in NAMED and after) or (part in MEMBERS and after[:1].isdecimal())):
                said.append(part.replace("_", " "))
        return ", ".join(said)

    def within(self, path: str) -> "Problem":
        """Return the same problem with its path put below another one."""
        return Problem("/".join(part for part in (path, self.path) if part), self.message, self.code)


class ProblemError(ValueError):
    """All problems of one document or computation at once."""

    def __init__(self, problems):
        self.problems = (problems,) if isinstance(problems, Problem) else tuple(problems)
        super().__init__("\n".join(str(problem) for problem in self.problems))

    @property
    def words(self) -> str:
        """All problems, a line each, for people."""
        return "\n".join(problem.words for problem in self.problems)

    def __reduce__(self):
        return type(self), (self.problems,)

    def within(self, path: str) -> "ProblemError":
        return type(self)(problem.within(path) for problem in self.problems)


class TooMuch(ProblemError):
    """What is asked for is right, but takes more time or memory than there is for it."""

    @property
    def is_memory(self) -> bool:
        return any(problem.code.endswith(".memory") for problem in self.problems)


class Cancelled(Exception):
    """The result is not wanted any more."""
