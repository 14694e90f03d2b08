"""What a draft has to be mended of, by its documents, by the model and by the rules of design."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.design_rules import RULES
from lumenstat.drafting.abbreviations import shipped_abbreviations
from lumenstat.drafting.draft import Draft, DraftProblem, Read, open_items
from lumenstat.drafting.part_matching import suggestions
from lumenstat.drafting.placeholders import Placeholder, placeholders
from lumenstat.language.wording import phrase
from lumenstat.proving.proof import Finding, Proof, Remedy
from lumenstat.web.pages.builder_script import sections_of
from lumenstat.web.rendering import Context

PLACEHOLDER = "placeholder"


class ShownFinding(Context):
    """A finding as it is shown, with what mends it."""

    item: str | None
    number: int | None
    challenge: str
    kind: str
    severity: str
    says: str
    at: float | None
    remedies: tuple[Remedy, ...]
    waivable: bool
    source: str


def findings_of(draft: Draft, read: Read, proof: Proof | None) -> tuple[ShownFinding, ...]:
    """Everything to mend: what the documents say first, then what the model found, then the rules of design."""
    # By the rows of the script, for a document's problem may name an item that the last edit took away.
    numbers = {row.id: row for section in sections_of(draft, {}, {}) for row in section.rows}

    def shown(item: str | None, **more: Any) -> ShownFinding:
        row = numbers.get(item or "")
        return ShownFinding(
            item=item if row else None,
            number=row.number if row else None,
            challenge=row.challenge if row else "",
            **{"at": None, "remedies": (), "waivable": False, "source": ""} | more,
        )

    written = [_of_problem(problem, shown) for problem in read.problems]
    unmatched = list(_unmatched(draft, read, shown))
    unwritten = [_of_placeholder(each, shown) for each in placeholders(draft)]
    modelled = [_of_finding(finding, shown) for finding in (proof.findings if proof else ())]
    grave = {"stops": 0, "warns": 1, "notes": 2}
    return tuple(sorted([*written, *unmatched, *unwritten, *modelled], key=lambda each: grave[each.severity]))


def _of_placeholder(left: Placeholder, shown: Any) -> ShownFinding:
    where = left.field.replace("_", " ") + ("" if left.item else phrase(" of the exercise"))
    found: ShownFinding = shown(
        left.item,
        kind=PLACEHOLDER,
        severity="warns",
        says=phrase('"{text}" still stands as {where}.', text=left.text, where=where),
    )
    return found


def _of_problem(problem: DraftProblem, shown: Any) -> ShownFinding:
    rule = RULES.get(problem.rule or "")
    severity = "stops" if problem.stops else "notes"
    where = "" if problem.item else phrase("{text}, line {line}: ", text=problem.text, line=problem.line)
    # A question has its mark already.
    says = where + phrase("{says:high}", says=problem.says) + ("" if problem.says.endswith("?") else ".")
    found: ShownFinding = shown(
        problem.item,
        kind=problem.rule or phrase("cannot be used"),
        severity=severity,
        says=says,
        waivable=rule is not None and problem.item is not None,
        source=rule.source if rule else "",
    )
    return found


def _of_finding(finding: Finding, shown: Any) -> ShownFinding:
    remedies = (finding.remedy,) if finding.remedy else ()
    found: ShownFinding = shown(
        finding.item,
        kind=finding.kind,
        severity=finding.severity,
        says=phrase("{says:bare}.", says=finding.says),
        at=finding.at,
        remedies=remedies,
        # An instrument that is dead, or that tells nothing, may be the very point of an exercise.
        waivable=finding.severity != "stops" or finding.kind in ("dead-instrument", "no-indication"),
    )
    return found


def _unmatched(draft: Draft, read: Read, shown: Any) -> Iterator[ShownFinding]:
    if read.airframe is None:
        return
    left_open = open_items(draft, read)
    for checklist in read.checklists:
        for section in checklist.sections:
            for item in section.items:
                if item.id in left_open:
                    yield shown(
                        item.id,
                        kind="open",
                        severity="stops",
                        says=phrase(
                            "Nothing on {airframe} was found for '{challenge}: {response}'.",
                            airframe=read.airframe.name,
                            challenge=item.challenge,
                            response=item.response,
                        ),
                        remedies=tuple(_meant(read.airframe, item.id, item.challenge, item.response)),
                    )


def _meant(airframe: Airframe, item: str, challenge: str, response: str) -> Iterator[Remedy]:
    for words, fields in suggestions(airframe, shipped_abbreviations().spelled_out(challenge), response):
        given = {key: value for key, value in fields.items() if key not in ("challenge", "response", "who")}
        yield Remedy(words=phrase("It is the {words}", words=words), item=item, fields={"become": json.dumps(given)})
    yield Remedy(words=phrase("Leave it to say-so"), item=item, fields={"say_so": "yes"})
