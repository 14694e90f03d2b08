"""Writes everything that is kept anew: `make kept`."""

from __future__ import annotations

from tests.kept import files
from tests.kept.making import (
    FLOWN_WITH_FAULTS,
    PERFECT,
    SLIPS,
    changed,
    exercises,
    fault_figures,
    faults_on,
    figures_of,
    flown_log,
    judged,
    log_of,
    proven,
)
from tests.procedures import shipped


def main() -> None:
    """Logs first, for the flights are flown by them."""
    ledgers = []
    for name in exercises():
        for which in (PERFECT, *SLIPS):
            events = flown_log(name, which)
            log = [event.line() for event in events]
            ledgers.append({"exercise": name, "which": which, "log": log, "ledger": judged(name, events)})
    files.write_lines(files.LEDGERS, ledgers)
    flights = {name: figures_of(shipped(name), log_of(name, PERFECT)) for name in exercises()}
    files.write_table(files.FLIGHTS, flights.items())
    files.write_table(
        files.FAULTS,
        (
            (f"{name} {kind} {target}", changed(fault_figures(name, kind, target), flights[name]))
            for name in FLOWN_WITH_FAULTS
            for kind, target in faults_on(name)
        ),
    )
    files.write_lines(files.PROOFS, ({"exercise": name, "proof": proven(name)} for name in exercises()))


if __name__ == "__main__":
    main()
