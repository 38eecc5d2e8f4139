"""What is wrong with a scene, said for people: where, what, and what is allowed."""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing wrong: a path into the scene, a sentence and a code that never changes."""

    path: str
    message: str
    code: str

    def __str__(self) -> str:
        return f"{self.words} [{self.code}]"

    @property
    def words(self) -> str:
        """Where and what, for people."""
        return f"{self.path}: {self.message}" if self.path else self.message

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
