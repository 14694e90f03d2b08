"""An exercise with everything it refers to, and the digest that pins it for ever."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache, cached_property
from itertools import chain
from pathlib import Path
from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checking import check_airframe
from lumenstat.documents.checking_checklists import check_checklist
from lumenstat.documents.checking_exercises import check_exercise
from lumenstat.documents.checklist import Checklist
from lumenstat.documents.design_rules import RULES
from lumenstat.documents.exercise import Exercise
from lumenstat.documents.loading import Loaded, load_file
from lumenstat.documents.procedure import Procedure, procedure_from, watched_texts
from lumenstat.documents.translating import told_document
from lumenstat.errors import DocumentError, Problem
from lumenstat.language.values import nearest
from lumenstat.language.wording import Names, in_languages
from lumenstat.systems.registry import found_at_start

SHIPPED = Path(__file__).parent.parent / "library"


@dataclass(frozen=True)
class Bundle:
    """An exercise, its airframe and its checklists: all that a run depends on."""

    airframe: Airframe
    checklists: tuple[Checklist, ...]
    exercise: Exercise

    @cached_property
    def canonical_json(self) -> str:
        """The one text that these documents have: keys sorted, defaults written out, no spaces.

        What later releases added is written out only where it is used, so that a digest stays what it was.
        """
        content: dict[str, Any] = {
            "airframe": self.airframe.model_dump(mode="json", by_alias=True),
            "checklists": [c.model_dump(mode="json", by_alias=True) for c in self.checklists],
            "exercise": self.exercise.model_dump(mode="json", by_alias=True),
        }
        return json.dumps(content, sort_keys=True, separators=(",", ":"), ensure_ascii=False)

    @cached_property
    def digest(self) -> str:
        """SHA-256 of the canonical JSON, in hexadecimal."""
        return hashlib.sha256(self.canonical_json.encode()).hexdigest()

    @cached_property
    def _told(self) -> dict[str, Bundle]:
        return {}

    @cached_property
    def _names(self) -> dict[str, Names | None]:
        return {}

    @property
    def title(self) -> str:
        """The exercise's title as everybody may see it, for lists of many exercises."""
        return self.worded(self.exercise.shown)

    def worded(self, text: str) -> str:
        """A text of these documents together with its words of every language, to be told beside other texts."""
        found: dict[str, str] = {}
        for name in self._languages:
            names: Mapping[str, str] = self.names_in(name) or {}
            if text in names:
                found[name] = names[text]
        return in_languages(text, found)

    @cached_property
    def _languages(self) -> tuple[str, ...]:
        every = (self.airframe.texts, *(each.texts for each in self.checklists), self.exercise.texts)
        return tuple(dict.fromkeys(name for each in every for name in each))

    def names_in(self, language: str) -> Names | None:
        """What these documents say, with their own words for it in a language; None where they have none."""
        if language not in self._names:
            texts = (self.airframe.texts, *(each.texts for each in self.checklists), self.exercise.texts)
            found = Names(pair for each in texts for pair in each.get(language, {}).items())
            self._names[language] = found or None
        return self._names[language]

    def told_in(self, language: str) -> Bundle:
        """The same documents as they are shown in a language, each in its own words; what has none stays as it is."""
        # No document brings words of its own for it: nothing to make a second set of.
        if self.names_in(language) is None:
            return self
        if language not in self._told:
            self._told[language] = Bundle(
                told_document(self.airframe, language),
                tuple(told_document(each, language) for each in self.checklists),
                told_document(self.exercise, language),
            )
        return self._told[language]

    @cached_property
    def procedure(self) -> Procedure:
        """The items of all checklists, one after another, and which must come before which."""
        found = found_at_start(self.exercise.start, self.airframe)
        return procedure_from(self.checklists, self.exercise.paper_values | found)

    @cached_property
    def watched(self) -> tuple[str, ...]:
        """Every expression that decides what happens in the exercise, each once."""
        ends = [self.exercise.ends_when] if self.exercise.ends_when is not None else []
        aims = (aim.when for aim in self.exercise.aims)
        return tuple(dict.fromkeys([*watched_texts(self.procedure), *aims, *ends]))

    @staticmethod
    def from_canonical_json(text: str) -> Bundle:
        """Read back what `canonical_json` wrote."""
        content: dict[str, Any] = json.loads(text)
        return Bundle(
            Airframe.model_validate(content["airframe"]),
            tuple(Checklist.model_validate(c) for c in content["checklists"]),
            Exercise.model_validate(content["exercise"]),
        )


BUNDLES_CACHED = 48

_kept: OrderedDict[str, Bundle] = OrderedDict()
_keeping = threading.Lock()


def cached_bundle(digest: str) -> Bundle | None:
    """The bundle of a digest, if it was read in this process lately."""
    with _keeping:
        if (found := _kept.get(digest)) is not None:
            _kept.move_to_end(digest)
        return found


def bundle_for(digest: str, canonical_json: str) -> Bundle:
    """The bundle of a digest, read once in a process: whoever needs it shares it and what is compiled of it."""
    if (kept := cached_bundle(digest)) is not None:
        return kept
    found = Bundle.from_canonical_json(canonical_json)
    with _keeping:
        found = _kept.setdefault(digest, found)
        if len(_kept) > BUNDLES_CACHED:
            _kept.popitem(last=False)
    return found


@cache
def _load_shipped(path: Path) -> Loaded:
    """A shipped file, read once in a process: it does not change."""
    return load_file(path)


class Library:
    """Documents found in folders by their kind and id; the shipped ones are always there."""

    def __init__(self, folders: Iterable[Path] = ()) -> None:
        self.folders = tuple(folders)
        self._loaded: dict[Path, Loaded] = {}
        self._checked: dict[Path, list[Problem]] = {}

    def load(self, path: Path) -> Loaded:
        """Load a file once."""
        if path.is_relative_to(SHIPPED):
            return _load_shipped(path)
        if path not in self._loaded:
            self._loaded[path] = load_file(path)
        return self._loaded[path]

    def find(self, kind: type[Airframe] | type[Checklist], name: str) -> Loaded | None:
        """The first document of that kind and id: those of the folders before the shipped ones."""
        for loaded in chain(self._in_folders(), self._shipped_as(kind, name), self._shipped()):
            if isinstance(loaded.document, kind) and loaded.document.id == name:
                return loaded
        return None

    def ids(self, kind: type[Airframe] | type[Checklist]) -> list[str]:
        """Ids of all documents of that kind."""
        return [each.document.id for each in self._all() if isinstance(each.document, kind)]

    def _all(self) -> Iterable[Loaded]:
        yield from self._in_folders()
        yield from self._shipped()

    def _in_folders(self) -> Iterable[Loaded]:
        for folder in self.folders:
            for path in sorted(folder.glob("*.yaml")):
                yield self.load(path)

    def _shipped(self) -> Iterable[Loaded]:
        return (self.load(path) for path in sorted(SHIPPED.glob("*/*.yaml")))

    def _shipped_as(self, kind: type[Airframe] | type[Checklist], name: str) -> Iterable[Loaded]:
        """The shipped file that is called like the document, before all others are read for it."""
        path = SHIPPED / f"{kind.__name__.lower()}s" / f"{name}.yaml"
        return (self.load(each) for each in (path,) if each.exists())

    def check(self, path: Path) -> list[Problem]:
        """Every problem of one file: how it is written, and what it means beside what it refers to."""
        if path not in self._checked:
            self._checked[path] = self._check(path)
        return list(self._checked[path])

    def _check(self, path: Path) -> list[Problem]:
        loaded = self.load(path)
        problems = list(loaded.problems)
        match loaded.document:
            case Airframe() as airframe:
                problems += loaded.caused_here(check_airframe(airframe, loaded.source))
            case Checklist() as checklist:
                airframe_found = self._airframe(checklist.airframe, loaded, problems)
                if airframe_found is not None:
                    problems += loaded.caused_here(check_checklist(checklist, airframe_found, loaded.source))
            case Exercise() as exercise:
                problems += loaded.caused_here(self._check_exercise(exercise, loaded))
            case None:
                pass
        # Two checks may find the same; by line, as an author goes through a file.
        return sorted(set(problems), key=lambda p: (p.line, p.path))

    def _airframe(self, name: str, of: Loaded, problems: list[Problem]) -> Airframe | None:
        found = self.find(Airframe, name)
        if found is None:
            says = f"there is no airframe {name!r}{nearest(name, self.ids(Airframe))}"
            problems.append(of.source.problem(("airframe",), says))
            return None
        return found.document if isinstance(found.document, Airframe) else None

    def _check_exercise(self, exercise: Exercise, loaded: Loaded) -> list[Problem]:
        problems: list[Problem] = []
        airframe = self._airframe(exercise.airframe, loaded, problems)
        checklists = []
        for n, name in enumerate(exercise.checklists):
            found = self.find(Checklist, name)
            if found is None:
                says = f"there is no checklist {name!r}{nearest(name, self.ids(Checklist))}"
                problems.append(loaded.source.problem(("checklists", n), says))
            elif isinstance(found.document, Checklist):
                checklists.append(found.document)
        if airframe is not None:
            problems += check_exercise(exercise, airframe, tuple(checklists), loaded.source)
        return problems

    def bundle(self, path: Path) -> Bundle:
        """The exercise at the path with all it refers to. Raises DocumentError with the problems of every file."""
        problems = blocking(self.check(path))
        loaded = self.load(path)
        exercise = loaded.document
        if exercise is not None and not isinstance(exercise, Exercise):
            problems.append(loaded.source.problem(("format",), "is not an exercise; give an exercise document"))
        if problems or not isinstance(exercise, Exercise):
            # The exercise alone first: problems of the files it names would hide its own.
            raise DocumentError(problems)
        files = [self.find(Airframe, exercise.airframe)]
        files += [self.find(Checklist, name) for name in exercise.checklists]
        for each in files:
            if each is not None:
                problems += blocking(self.check(Path(each.source.file)))
        if problems:
            raise DocumentError(problems)
        documents = [each.usable() for each in files if each is not None]
        (airframe,) = (each for each in documents if isinstance(each, Airframe))
        return Bundle(airframe, tuple(each for each in documents if isinstance(each, Checklist)), exercise)


def blocking(problems: list[Problem]) -> list[Problem]:
    """Those for which a document cannot be used; what only breaks a rule of design can be."""
    return [problem for problem in problems if problem.rule not in RULES]


def shipped_exercises() -> list[Path]:
    """The exercises that come with Lumenstat."""
    return sorted((SHIPPED / "exercises").glob("*.yaml"))
