"""A proof in the names that outside readers rely on, and in words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from lumenstat.language.values import clock
from lumenstat.language.wording import phrase
from lumenstat.proving.battery_standing import FULL_SHARE
from lumenstat.proving.proof import BatteryStanding, Consequence, Finding, Proof

MARKS = {"stops": "cannot be flown", "warns": "to mend", "notes": "note"}


def proof_json(proof: Proof, consequences: Sequence[Consequence] | None) -> dict[str, Any]:
    """The object that `lumenstat prove --json` prints."""
    report = {
        "ok": proof.ok,
        "ready_at": proof.ready_at,
        "critical_path": list(proof.critical_path),
        "items": [item.model_dump() for item in proof.items],
        "findings": [_finding_json(finding) for finding in proof.findings],
        "lowest_volts": [lowest.model_dump() for lowest in proof.lowest],
        "digest": proof.digest,
    }
    if consequences is not None:
        report["consequences"] = [each.model_dump() for each in consequences if each.change != "at-limit"]
        report["at_limits"] = [
            {"item": each.item, "effect": each.effect, "says": each.says}
            for each in consequences
            if each.change == "at-limit"
        ]
    return report


def _finding_json(finding: Finding) -> dict[str, Any]:
    found = {"item": finding.item, "kind": finding.kind, "severity": finding.severity, "says": finding.says}
    return found if finding.at is None else {**found, "at": finding.at}


def proof_lines(proof: Proof, consequences: Sequence[Consequence] | None) -> Iterator[str]:
    """The same as lines of text."""
    yield f"{'can be flown' if proof.ok else 'cannot be flown as written'}; ready at {proof.ready_at:.1f} s"
    for lowest in proof.lowest:
        yield f"  {lowest.battery}: {lowest.volts:.1f} V at the lowest, at {lowest.at:.0f} s"
    for each in proof.standing:
        yield from (f"  {name}: {value}" for name, value in standing_lines(each))
    yield f"  critical path: {' > '.join(proof.critical_path)}"
    for finding in proof.findings:
        yield f"  {MARKS[finding.severity]}, {finding.item} ({finding.kind}): {finding.says}"
        if finding.remedy is not None:
            yield f"    {finding.remedy.words}."
    for item in proof.items:
        yield f"  {item.item:<20} {item.starts:8.1f} to {item.ends:8.1f} s, slack {item.slack:.1f} s"
    for change in consequences or ():
        yield f"  {change.effect:<12} {change.says}"


def standing_lines(each: BatteryStanding) -> Iterator[tuple[str, str]]:
    """What a start means for a battery: names and values."""
    if each.feeds:
        lasts = phrase("longer than 6 h") if each.lasts is None else clock(each.lasts)
        yield phrase("{bus} on {battery} alone, if nobody goes on", bus=each.feeds, battery=each.battery), lasts
    if each.charge < FULL_SHARE:
        filled = phrase("not in this exercise")
        if each.full_at is not None:
            filled = phrase("{at} after the start", at=clock(each.full_at))
        yield phrase("{battery} at {percent:.0f} %", battery=each.battery, percent=100 * FULL_SHARE), filled
