"""The one tree of errors. A trainee's mistake is a result and never appears here.

LumenstatError
├── DocumentError      a document cannot be used; holds every problem found, with line and remedy
├── ExpressionError    an expression cannot be used; says where in its text
├── LogError           a run log cannot be read; says which line
├── ActionRefused      an action names something the aircraft or the exercise does not have
│   └── StartRefused   something that was to be done before an exercise begins cannot be done; says which line
├── ModelError         the simulation left the range where it means anything; names quantity and time
├── EditRefused        a change to a draft cannot be made; says what would be right
├── RecordError        a record is in a state that does not allow what was asked
│   ├── NoSuchRecord    there is no such record
│   ├── Overtaken       somebody else changed it in the meantime; nothing of either was lost
│   └── EntryRefused    what was entered cannot be kept; says in which field, and what would be right
├── InputRefused       text or figures that no form, socket, edit or file may hold; says what and where
├── StorageError       the database cannot be opened, read or written now; says why and what would help
└── WorkerError        work done in a process of its own was not finished: it took too long, or its process died
"""

from __future__ import annotations

from dataclasses import dataclass


class LumenstatError(Exception):
    """Anything Lumenstat refuses or cannot do; `str()` is fit to show to its user."""


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing wrong in a document: where it stands and what would be right; `items` are those that it is about where
    it stands beside none of them."""

    file: str
    line: int
    path: str
    says: str
    rule: str | None = None
    items: tuple[str, ...] = ()

    def __str__(self) -> str:
        return f"{self.file}:{self.line}: {self.path or 'document'}: {self.says}"


class DocumentError(LumenstatError):
    """One or more documents cannot be used; nothing of them was kept."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = tuple(problems)
        super().__init__("\n".join(str(p) for p in problems))

    def __reduce__(self) -> tuple[type[DocumentError], tuple[list[Problem]]]:
        return DocumentError, (list(self.problems),)


class ExpressionError(LumenstatError):
    """An expression is not in the language, or names what is not there."""


class LogError(LumenstatError):
    """A run log cannot be read or does not belong to the exercise."""

    def __init__(self, says: str, line: int | None = None) -> None:
        self.line = line
        super().__init__(f"line {line}: {says}" if line is not None else says)


class ActionRefused(LumenstatError):  # noqa: N818 - it names what happened to the action
    """An action was not carried out; the run goes on as before."""


class StartRefused(ActionRefused):
    """Something that was to be done before an exercise begins could not be done: which line of `before`, and why."""

    def __init__(self, line: int, says: str) -> None:
        super().__init__(f"start.before[{line}]: {says}")
        self.line, self.says = line, says


class ModelError(LumenstatError):
    """The simulation stopped because a value means nothing any more."""


class EditRefused(LumenstatError):  # noqa: N818 - it names what happened to the change
    """A change to a draft was not made; the draft is as before."""


class RecordError(LumenstatError):
    """What was asked does not fit the record as it stands."""


class NoSuchRecord(RecordError):  # noqa: N818 - it names what is so with the record
    """There is no such record."""


class Overtaken(RecordError):  # noqa: N818 - it names what happened to the change
    """Somebody else changed the same record in the meantime."""


class EntryRefused(RecordError):  # noqa: N818 - it names what happened to the entry
    """Something entered in a form or a list cannot be kept; `field` names it, where it is about one."""

    def __init__(self, says: str, field: str = "") -> None:
        super().__init__(says)
        self.field = field

    def __reduce__(self) -> tuple[type[EntryRefused], tuple[str, str]]:
        return EntryRefused, (str(self), self.field)


class InputRefused(LumenstatError):  # noqa: N818 - it names what happened to the input
    """Text or figures that cannot be taken in, wherever they came from."""


class StorageError(LumenstatError):
    """The database cannot be opened, read or written now; nothing that was stored is lost by it."""


class WorkerError(LumenstatError):
    """A job in a process of its own did not finish."""
