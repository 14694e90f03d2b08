"""The proof of a draft as the builder shows it: figures, findings, the flight as bars, consequences as marks."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from lumenstat.drafting.draft import Draft, Read
from lumenstat.language.wording import phrase
from lumenstat.proving.difference import Difference
from lumenstat.proving.proof import Consequence, Proof
from lumenstat.proving.report import standing_lines
from lumenstat.web.pages.builder_findings import PLACEHOLDER, ShownFinding, findings_of
from lumenstat.web.pages.builder_script import ScriptRow, sections_of
from lumenstat.web.rendering import Context, clock

CHART_WIDTH, CHART_LEFT = 392, 8
GANTT_LEFT, GANTT_WIDTH, GANTT_ROW = 118, 270, 18
NAME_AT_MOST = 19
UNKNOWN = phrase("the model knows nothing of it.")


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
    # Those items cannot be passed by anybody, so they do not count among what can be.
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
    # A flight that ends at once still has a width to divide by.
    end, path = max(proof.ready_at, 1.0), set(proof.critical_path)
    bars: list[SectionBar] = []
    # The proof may be older than the draft: items that are gone have no bar.
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
    # Some five marks, whatever the length.
    step = next((s for s in (30, 60, 120, 300, 600, 1200) if end / s <= 5), 3600)
    ticks = tuple((round(GANTT_LEFT + GANTT_WIDTH * t / end, 1), clock(t)) for t in range(0, int(end) + 1, step))
    return tuple(bars), len(bars) * GANTT_ROW, ticks


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
    # What is worth more points comes first: an author weighs items from the top of this list.
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
