"""One remark on a scene."""

from dataclasses import asdict, dataclass, field


@dataclass(frozen=True)
class Note:
    """One remark: the thing it is about, where in it, and the sentence.

    mend  what would help, as words and a JSON Patch on the scene; or nothing
    """

    name: str
    where: str
    message: str
    code: str
    mend: str = ""
    patch: list = field(default_factory=list)

    def describe(self) -> dict:
        return asdict(self)
