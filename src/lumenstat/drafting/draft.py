"""A draft: the YAML texts of an exercise and its checklists, and what they amount to as documents."""

from __future__ import annotations

import hashlib
import json
import re
from dataclasses import dataclass
from functools import cache, cached_property, lru_cache
from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import Bundle, Library, blocking
from lumenstat.documents.checking_checklists import check_checklist
from lumenstat.documents.checking_exercises import check_exercise
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.exercise import Exercise
from lumenstat.documents.loading import Loaded, load_text
from lumenstat.errors import Problem
from lumenstat.language.wording import phrase
from lumenstat.simulation.actions import start_problems


@dataclass(frozen=True)
class Draft:
    """The texts, in YAML, as they are written; comments and all.

    `taken_in` names items of a spreadsheet that nothing on the airframe fitted: they stay open until they are made
    something else or are expressly left to say-so.
    """

    exercise: str
    checklists: tuple[str, ...]
    taken_in: tuple[str, ...] = ()

    def to_json(self) -> str:
        """The draft as it is stored."""
        content: dict[str, Any] = {"exercise": self.exercise, "checklists": self.checklists}
        return json.dumps(content | ({"open": self.taken_in} if self.taken_in else {}), ensure_ascii=False)

    @staticmethod
    def from_json(text: str) -> Draft:
        """Read back what `to_json` wrote."""
        content: dict[str, Any] = json.loads(text)
        return Draft(content["exercise"], tuple(content["checklists"]), tuple(content.get("open", ())))

    @cached_property
    def mark(self) -> str:
        """A short hash of the texts, to tell one state of a draft from another."""
        return hashlib.sha256(self.to_json().encode()).hexdigest()[:16]


@dataclass(frozen=True)
class DraftProblem:
    """Something wrong in a draft: in which text, which line, at which item or section if at one, and the remedy."""

    text: str
    line: int
    path: str
    says: str
    item: str | None
    rule: str | None = None
    stops: bool = True


@dataclass(frozen=True)
class Read:
    """A draft as documents, as far as they can be understood; `bundle` only where it can be flown."""

    airframe: Airframe | None
    exercise: Exercise | None
    checklists: tuple[Checklist, ...]
    problems: tuple[DraftProblem, ...]
    bundle: Bundle | None

    @property
    def digest(self) -> str | None:
        """The digest of the exercise that it amounts to, where it is one."""
        return self.bundle.digest if self.bundle else None


@lru_cache(maxsize=32)
def read_draft(draft: Draft) -> Read:
    """Everything about a draft that can be told without flying it. Airframes are the shipped ones."""
    library = shipped_library()
    loaded = _loaded(draft.exercise, phrase("exercise"))
    exercise = loaded.document if isinstance(loaded.document, Exercise) else None
    problems = [_placed(problem, loaded) for problem in loaded.problems]
    airframe = _airframe(exercise, library)
    # The one problem that no other check can name, since all of them ask the airframe.
    if exercise is not None and airframe is None:
        known = ", ".join(library.ids(Airframe))
        says = phrase("there is no airframe {name}; there is {known}", name=repr(exercise.airframe), known=known)
        problems.append(_placed(loaded.source.problem(("airframe",), says), loaded))
    checklists: list[Checklist] = []
    for number, text in enumerate(draft.checklists):
        each = _loaded(text, phrase("checklist {number}", number=number + 1))
        problems += [_placed(problem, each) for problem in each.problems]
        if isinstance(each.document, Checklist):
            checklists.append(each.document)
            if airframe is not None:
                found = each.caused_here(check_checklist(each.document, airframe, each.source))
                problems += [_placed(p, each) for p in found]
    # Only once each document holds by itself: else every check would say the same again.
    if exercise is not None and airframe is not None and not any(problem.stops for problem in problems):
        found = check_exercise(exercise, airframe, tuple(checklists), loaded.source)
        problems += [_placed(problem, loaded) for problem in found]
        # Flown, for what the start does is not to be seen in its text.
        if exercise.start.before and not any(problem.stops for problem in problems):
            problems += [_placed(p, loaded) for p in start_problems(airframe, exercise, loaded.source)]
    flies = not any(problem.stops for problem in problems)
    bundle = Bundle(airframe, tuple(checklists), exercise) if flies and airframe and exercise else None
    return Read(airframe, exercise, tuple(checklists), tuple(problems), bundle)


@lru_cache(maxsize=256)
def _loaded(text: str, file: str) -> Loaded:
    """A text as a document: an edit changes one of a draft's texts, the others are as they were."""
    return load_text(text, file)


@cache
def shipped_library() -> Library:
    """The shipped documents, loaded once."""
    return Library()


EARLIER_OPEN = "Not matched yet: "
"""How drafts of 0.4 say in a statement that nothing fitted a line."""


def open_items(draft: Draft, read: Read) -> tuple[str, ...]:
    """The items that nothing on the airframe fits so far: lines of a sheet that are still no more than said."""
    items = (item for checklist in read.checklists for section in checklist.sections for item in section.items)
    said = [item for item in items if item.kind == "confirm"]
    return tuple(i.id for i in said if i.id in draft.taken_in or i.statement.startswith(EARLIER_OPEN))


def _airframe(exercise: Exercise | None, library: Library) -> Airframe | None:
    found = library.find(Airframe, exercise.airframe) if exercise else None
    return found.document if found and isinstance(found.document, Airframe) else None


def _placed(problem: Problem, loaded: Loaded) -> DraftProblem:
    stops = bool(blocking([problem]))
    item = _item_at(problem.path, loaded.source.data)
    if item is None and problem.items:
        item = problem.items[0]
    return DraftProblem(problem.file, problem.line, problem.path, problem.says, item, problem.rule, stops)


def _item_at(path: str, data: Any) -> str | None:
    """The id of the innermost item that a dotted path goes through."""
    found, here = None, data
    for part in re.findall(r"[^.\[\]]+", path):
        try:
            here = here[int(part)] if isinstance(here, list) else here[part]
        except (KeyError, IndexError, TypeError, ValueError):
            break
        if isinstance(here, dict) and "kind" in here and isinstance(here.get("id"), str):
            found = here["id"]
    return found
