"""What the builder shows: the script, what is inspected, and the proof, made of a draft as it stands."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.design_rules import RULES
from lumenstat.drafting.abbreviations import shipped_abbreviations
from lumenstat.drafting.draft import Draft, DraftProblem, Read, open_items
from lumenstat.drafting.part_matching import suggestions
from lumenstat.drafting.placeholders import Placeholder, placeholders
from lumenstat.drafting.trees import plain_of
from lumenstat.language.wording import phrase
from lumenstat.proving.difference import Difference
from lumenstat.proving.proof import Consequence, Finding, Proof, Remedy
from lumenstat.proving.report import standing_lines
from lumenstat.web.pages.builder_forms import KIND_WORDS
from lumenstat.web.rendering import Context, clock

CHART_WIDTH, CHART_HEIGHT, CHART_LEFT = 392, 74, 8
GANTT_LEFT, GANTT_WIDTH, GANTT_ROW = 118, 270, 18
NAME_AT_MOST = 19
PLACEHOLDER = "placeholder"
UNKNOWN = phrase("the model knows nothing of it.")
TAGS = {
    "applies_when": phrase("if"), "one_of": phrase("or"), "not_before": phrase("later"),
    "floats_until": phrase("any time"),
}  # fmt: skip
"""What is written before an item in the script where something other than its place says when it is due."""


class ScriptRow(Context):
    """One item of the script, or the head of a branch above its items."""

    number: int
    id: str
    kind: str
    kind_words: str
    challenge: str
    response: str
    critical: bool
    depth: int
    worst: str
    effect: str
    tags: tuple[str, ...] = ()


class ScriptSection(Context):
    """One section of the script."""

    id: str
    title: str
    order: str
    style: str
    line_after: str
    rows: tuple[ScriptRow, ...]


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


class SectionBar(Context):
    """A section in the perfect flight; pixels."""

    title: str
    y: int
    x: float
    width: float
    critical: bool


class ProofMark(Context):
    """One consequence in the chart along the script; pixels."""

    item: str
    x: float
    effect: str
    height: float
    title: str


class Suggested(Context):
    """A weight that a consequence suggests for an item."""

    item: str
    number: int
    challenge: str
    says: str
    effect: str
    weight: float
    critical: bool


class ProofView(Context):
    """The right-hand side."""

    state: str
    doing: str
    done: int
    of: int
    failed: str
    ready: str
    can_pass: int
    items: int
    lowest: str
    lowest_at: str
    findings: tuple[ShownFinding, ...]
    stops: int
    bars: tuple[SectionBar, ...]
    gantt_height: int
    ticks: tuple[tuple[float, str], ...]
    path: tuple[str, ...]
    marks: tuple[ProofMark, ...]
    worst: tuple[Suggested, ...]
    at_limits: tuple[tuple[str, str], ...]
    standing: tuple[tuple[str, str], ...]
    stale: str
    change: str
    differences: tuple[Difference, ...]
    placeholders: int
    publishable: bool
    proven: bool


def sections_of(draft: Draft, worst: Mapping[str, str], effects: Mapping[str, str]) -> tuple[ScriptSection, ...]:
    """The script, numbered through."""
    found, number = [], 0
    for text in draft.checklists:
        for section in plain_of(text).get("sections") or ():
            rows = []
            for item, depth in _walk(section.get("items") or (), 0):
                number += 1
                name, kind = str(item.get("id", "")), str(item.get("kind", ""))
                rows.append(
                    ScriptRow(
                        number=number,
                        id=name,
                        kind=kind,
                        kind_words=KIND_WORDS.get(kind, kind),
                        challenge=str(item.get("challenge", "")),
                        response=str(item.get("response", "")),
                        critical=item.get("critical") is True,
                        depth=depth,
                        worst=worst.get(name, ""),
                        effect=effects.get(name, ""),
                        tags=tuple(word for key, word in TAGS.items() if item.get(key)),
                    )
                )
            found.append(
                ScriptSection(
                    id=str(section.get("id", "")),
                    title=str(section.get("title", "")),
                    order=str(section.get("order", "strict")),
                    style=str(section.get("style", "read-and-do")),
                    line_after=str(section.get("line_after") or ""),
                    rows=tuple(rows),
                )
            )
    return tuple(found)


def _walk(items: Any, depth: int) -> Iterator[tuple[Mapping[str, Any], int]]:
    for item in items:
        yield item, depth
        for branch in item.get("branches") or ():
            yield from _walk(branch.get("items") or (), depth + 1)
        if item.get("if_not"):
            yield from _walk(item["if_not"].get("items") or (), depth + 1)


def findings_of(draft: Draft, read: Read, proof: Proof | None) -> tuple[ShownFinding, ...]:
    """Everything to mend: what the documents say first, then what the model found, then the rules of design."""
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


def proof_view(
    draft: Draft,
    read: Read,
    proof: Proof | None,
    consequences: tuple[Consequence, ...],
    job: Mapping[str, Any],
    stale: str = "",
    since: tuple[str, tuple[Difference, ...]] = ("", ()),
) -> ProofView:
    """The proof of the draft; `job` tells of one that is under way, `stale` of the change that overtook this one.

    `since` is what was changed after the proof before this one, and what that did.

    Of a stale proof the figures and the chart are shown, not its findings: what they say may be mended already.
    """
    findings = findings_of(draft, read, None if stale else proof)
    rows = [row for section in sections_of(draft, {}, {}) for row in section.rows]
    never = {f.item for f in findings if f.severity == "stops"}
    state = "under way" if job.get("doing") else "stale" if stale else "proven" if proof else "unproven"
    lowest = min(proof.lowest, key=lambda each: each.volts, default=None) if proof else None
    stops = sum(finding.severity == "stops" for finding in findings)
    bars, height, ticks = _gantt(read, proof)
    return ProofView(
        state=state,
        doing=str(job.get("doing") or ""),
        done=int(job.get("done") or 0),
        of=int(job.get("of") or 0),
        failed=str(job.get("failed") or ""),
        ready=clock(proof.ready_at) if proof else "–",
        can_pass=len(rows) - len(never - {None}),
        items=len(rows),
        lowest=f"{lowest.volts:.1f} V" if lowest else "–",
        lowest_at=phrase("{battery}, at {at}", battery=lowest.battery, at=clock(lowest.at))
        if lowest
        else phrase("lowest on battery"),
        findings=findings,
        stops=stops,
        bars=bars,
        gantt_height=height,
        ticks=ticks,
        path=proof.critical_path if proof else (),
        marks=tuple(_marks(rows, consequences)),
        worst=tuple(_suggested(rows, read, consequences)),
        at_limits=tuple((each.item, each.says) for each in consequences if each.change == "at-limit"),
        standing=tuple(line for each in proof.standing for line in standing_lines(each)) if proof and not stale else (),
        stale=stale,
        change=since[0] if not stale else "",
        differences=since[1] if not stale else (),
        placeholders=sum(finding.kind == PLACEHOLDER for finding in findings),
        publishable=proof is not None and not stale and proof.ok and stops == 0,
        proven=proof is not None and not stale,
    )


def _gantt(read: Read, proof: Proof | None) -> tuple[tuple[SectionBar, ...], int, tuple[tuple[float, str], ...]]:
    if proof is None or read.bundle is None or not proof.items:
        return (), 0, ()
    procedure = read.bundle.procedure
    end, path = max(proof.ready_at, 1.0), set(proof.critical_path)
    bars: list[SectionBar] = []
    there = [item for item in proof.items if item.item in procedure.by_id]
    for number, section in enumerate(procedure.sections):
        own = [item for item in there if procedure.by_id[item.item].section == number]
        if not own:
            continue
        first, last = min(item.starts for item in own), max(item.ends for item in own)
        x = GANTT_LEFT + GANTT_WIDTH * first / end
        bars.append(
            SectionBar(
                title=section.title if len(section.title) <= NAME_AT_MOST else section.title[: NAME_AT_MOST - 1] + "…",
                y=len(bars) * GANTT_ROW,
                x=round(x, 1),
                width=max(2.0, round(GANTT_WIDTH * (last - first) / end, 1)),
                critical=any(item.item in path for item in own),
            )
        )
    step = next((s for s in (30, 60, 120, 300, 600, 1200) if end / s <= 5), 3600)
    ticks = tuple((round(GANTT_LEFT + GANTT_WIDTH * t / end, 1), clock(t)) for t in range(0, int(end) + 1, step))
    return tuple(bars), len(bars) * GANTT_ROW, ticks


def effects_of(consequences: tuple[Consequence, ...]) -> dict[str, str]:
    """By item: the gravest thing that comes of leaving it out."""
    return {each.item: each.effect for each in consequences if each.change == "left-out"}


def _marks(rows: list[ScriptRow], consequences: tuple[Consequence, ...]) -> Iterator[ProofMark]:
    if not consequences:
        return
    found = {each.item: each for each in consequences if each.change == "left-out"}
    slowest = max((each.seconds for each in found.values() if each.effect == "slower"), default=1.0)
    width = (CHART_WIDTH - 2 * CHART_LEFT) / max(len(rows), 1)
    for row in rows:
        each = found.get(row.id)
        effect = each.effect if each else "none"
        height = 40 * each.seconds / slowest if each and effect == "slower" else 0.0
        title = phrase(
            "{number} {item}: {says}", number=row.number, item=row.challenge, says=each.says if each else UNKNOWN
        )
        yield ProofMark(
            item=row.id, x=round(CHART_LEFT + width * (row.number - 0.5), 1), effect=effect, height=height, title=title
        )


def _suggested(rows: list[ScriptRow], read: Read, consequences: tuple[Consequence, ...]) -> Iterator[Suggested]:
    """Consequences that count, the gravest first; of an item left out or swapped only the graver."""
    grave = {"hazard": 0, "limit": 1, "fails-later": 2, "slower": 3}
    by_id = {row.id: row for row in rows}
    worst: dict[str, Consequence] = {}
    for each in sorted(consequences, key=lambda c: (grave.get(c.effect, 4), c.change)):
        if each.effect in grave and each.item in by_id:
            worst.setdefault(each.item, each)
    for each in worst.values():
        row = by_id[each.item]
        yield Suggested(
            item=each.item,
            number=row.number,
            challenge=row.challenge,
            says=each.says,
            effect=each.effect,
            weight=each.weight,
            critical=each.critical,
        )
