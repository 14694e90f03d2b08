"""Flights, ledgers and proofs are still what they were when they were kept."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from typing import Any

import pytest

from lumenstat.proving.proof import KINDS
from tests.kept import files
from tests.kept.making import (
    FLOWN_WITH_FAULTS,
    PERFECT,
    SLIPS,
    exercises,
    fault_figures,
    faults_on,
    figures_of,
    flown_log,
    judged,
    ledgers,
    log_of,
    proven,
)
from tests.procedures import shipped

SHARE_THAT_MATTERS, LEAST_THAT_MATTERS = 1e-6, 1e-7
"""What another machine may round otherwise is far smaller, and what anybody could notice is far larger."""
SHOWN = 12


def differences(kept: Any, now: Any, at: str = "") -> Iterator[str]:
    """Where what is now is not what was kept, in words."""
    if isinstance(kept, dict) and isinstance(now, dict):
        for name in sorted({*kept, *now}):
            yield from differences(kept.get(name), now.get(name), f"{at}.{name}")
    elif isinstance(kept, list) and isinstance(now, list) and len(kept) == len(now):
        for n, (one, other) in enumerate(zip(kept, now, strict=True)):
            yield from differences(one, other, f"{at}[{n}]")
    elif isinstance(kept, float) and isinstance(now, int | float):
        if now != pytest.approx(kept, rel=SHARE_THAT_MATTERS, abs=LEAST_THAT_MATTERS):
            yield f"{at}: was {kept}, is {now}"
    elif kept != now:
        yield f"{at}: was {kept!r}, is {now!r}"


def none_of(found: Iterator[str]) -> None:
    shown = [line for line, _ in zip(found, range(SHOWN), strict=False)]
    assert not shown, "\n".join(["not what was kept; where it is meant: `make kept`", *shown])


@cache
def kept_flights() -> dict[str, dict[str, list[float]]]:
    return files.read_table(files.FLIGHTS)


@cache
def kept_faults() -> dict[str, dict[str, list[float]]]:
    return files.read_table(files.FAULTS)


@pytest.mark.parametrize("name", exercises())
def test_every_quantity_of_a_flight_is_what_it_was(name: str) -> None:
    none_of(differences(kept_flights()[name], figures_of(shipped(name), log_of(name, PERFECT))))


@pytest.mark.parametrize("name", FLOWN_WITH_FAULTS)
def test_what_each_fault_does_is_what_it_was(name: str) -> None:
    without = kept_flights()[name]
    for kind, target in faults_on(name):
        was = without | kept_faults().get(f"{name} {kind} {target}", {})
        none_of(differences(was, fault_figures(name, kind, target), f"{kind} of {target}"))


@pytest.mark.parametrize("which", (PERFECT, *SLIPS))
@pytest.mark.parametrize("name", exercises())
def test_a_rehearsal_flies_as_it_did(name: str, which: str) -> None:
    assert flown_log(name, which) == log_of(name, which)


@pytest.mark.parametrize("which", (PERFECT, *SLIPS))
@pytest.mark.parametrize("name", exercises())
def test_the_judge_says_of_a_log_what_it_said(name: str, which: str) -> None:
    none_of(differences(ledgers()[name, which]["ledger"], judged(name, log_of(name, which))))


@pytest.mark.parametrize("name", exercises())
def test_a_proof_finds_what_it_found(name: str) -> None:
    none_of(differences(files.read_proofs()[name], proven(name)))


@pytest.mark.parametrize("name", exercises())
def test_the_judge_gives_a_perfect_flight_everything(name: str) -> None:
    """Said of what is kept, which the judge still says."""
    ledger = ledgers()[name, PERFECT]["ledger"]
    slips = {row["item"]: row["says"] for row in ledger["items"] if row["verdict"] not in ("done", "not-applicable")}
    assert (ledger["outcome"], ledger["percent"], slips) == ("pass", 100.0, {})
    assert [ledger[about] for about in ("extras", "limits", "gates")] == [[], [], []]


@pytest.mark.parametrize("name", exercises())
def test_a_proof_finds_nothing_to_mend(name: str) -> None:
    """Said of what is kept, which a proof still finds."""
    proof = files.read_proofs()[name]
    assert proof["ok"]
    assert [finding for finding in proof["findings"] if finding["severity"] != "notes"] == []
    assert {finding["kind"] for finding in proof["findings"]} <= set(KINDS)
    assert proof["lowest_volts"]
    assert proof["critical_path"]


def test_a_difference_is_told_where_it_is() -> None:
    kept = {"a": [1.0, 2.0], "b": "so", "c": True}
    assert list(differences(kept, {"a": [1.0 + 1e-9, 2.1], "b": "other", "c": True})) == [
        ".a[1]: was 2.0, is 2.1", ".b: was 'so', is 'other'",
    ]  # fmt: skip
    assert list(differences(kept, {"a": [1.0], "b": "so"})) == [".a: was [1.0, 2.0], is [1.0]", ".c: was True, is None"]
