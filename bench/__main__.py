"""Measures, prints one table and writes `bench/results.json`. Figures are medians of several runs in this process."""

from __future__ import annotations

import json
import platform
import subprocess
from collections.abc import Callable
from pathlib import Path

from bench import circuits, desk, judging, serving
from bench.starts import FULL, Start25, truth_millivolts
from bench.timing import seconds_of
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.simulation.aircraft import Aircraft

RESULTS = Path(__file__).parent / "results.json"
FLIGHTS = 41
"""So many that a median spans a second or two: shorter spells of a shared machine are fast or slow as a whole."""


def per_call(job: Callable[[], object], calls: int = 2000) -> float:
    """Seconds of one call."""

    def many() -> None:
        for _ in range(calls):
            job()

    return seconds_of(many, 5) / calls


def measure() -> list[dict[str, object]]:
    """Every figure with its name and unit."""
    start = Start25()
    rows: list[tuple[str, float, str]] = []
    rows.append(("core_speed", start.seconds / seconds_of(start.fly, FLIGHTS), "x"))
    full = Start25(name=FULL)
    rows.append(("core_speed_full_start", full.seconds / seconds_of(full.fly, FLIGHTS), "x"))
    rows.append(("plain_loop", 1000 * seconds_of(plain_loop), "ms, the machine's own speed at that moment"))
    rows.append(("rehearse_full_start", seconds_of(lambda: rehearse(full.bundle), 3), "s"))
    wide = Start25(widened=True)
    rows.append(("core_speed_17_buses", wide.seconds / seconds_of(wide.fly, FLIGHTS), "x"))
    rows.append(("expressions_17_buses", float(wide.expressions), "count"))
    rows.append(("core_error", truth_millivolts(), "mV"))
    for name in ("charge", "crank"):
        circuit = circuits.CIRCUITS[name]()
        ours = seconds_of(circuit.ours)
        rows.append((f"{name}_vs_ngspice", seconds_of(circuit.ngspice, 3) / ours, "x"))
        if name == "charge":
            rows.append(("charge_vs_lsoda", seconds_of(circuit.lsoda, 3) / ours, "x"))
    rows += judging.measure(full)
    rows += serving.measure(full)
    rows += desk.measure(full)
    aircraft = start.halfway()
    rows.append(("peek_share", 100 * 10 * per_call(lambda: look(aircraft), 500), "percent"))
    rows.append(("snapshot", 1e6 * per_call(aircraft.snapshot), "us"))
    return [{"name": name, "value": round(value, 4), "unit": unit} for name, value, unit in rows]


def plain_loop() -> None:
    """A million rounds of nothing: beside it speeds measured at different times can be compared."""
    for _ in range(1_000_000):
        pass


def look(aircraft: Aircraft) -> None:
    """What a live station asks for ten times a second."""
    aircraft.peek(aircraft.tick + 7)


def main() -> None:
    """Measure and keep."""
    rows = measure()
    commit = subprocess.run(["git", "rev-parse", "--short", "HEAD"], capture_output=True, text=True, check=False)
    rows.append({"name": "machine", "value": f"{platform.machine()}, Python {platform.python_version()}", "unit": ""})
    rows.append({"name": "commit", "value": commit.stdout.strip() or "unknown", "unit": ""})
    RESULTS.write_text(json.dumps(rows, indent=2) + "\n")
    for row in rows:
        print(f"{row['name']:<22} {row['value']!s:>16} {row['unit']}")


if __name__ == "__main__":
    main()
