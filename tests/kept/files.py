"""The files in which it is kept: tables and lines of text, so that a change can be read in a diff."""

from __future__ import annotations

import csv
import json
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

FOLDER = Path(__file__).parent
FLIGHTS, FAULTS, LEDGERS, PROOFS = (
    FOLDER / name for name in ("flights.csv", "faults.csv", "ledgers.jsonl", "proofs.jsonl")
)


def write_table(path: Path, rows: Iterable[tuple[str, Mapping[str, list[float]]]]) -> None:
    """A line for each quantity of each flight: flight, quantity, mean, end."""
    with path.open("w", newline="") as file:
        out = csv.writer(file, lineterminator="\n")
        for flight, figures in rows:
            out.writerows((flight, name, *map(repr, both)) for name, both in figures.items())


def read_table(path: Path) -> dict[str, dict[str, list[float]]]:
    found: dict[str, dict[str, list[float]]] = {}
    with path.open(newline="") as file:
        for flight, name, *both in csv.reader(file):
            found.setdefault(flight, {})[name] = [float(each) for each in both]
    return found


def write_lines(path: Path, rows: Iterable[Mapping[str, Any]]) -> None:
    with path.open("w", encoding="utf-8") as file:
        for row in rows:
            file.write(json.dumps(row, ensure_ascii=False) + "\n")


def read_ledgers() -> dict[tuple[str, str], dict[str, Any]]:
    rows = [json.loads(line) for line in LEDGERS.read_text(encoding="utf-8").splitlines()]
    return {(row["exercise"], row["which"]): row for row in rows}


def read_proofs() -> dict[str, dict[str, Any]]:
    rows = [json.loads(line) for line in PROOFS.read_text(encoding="utf-8").splitlines()]
    return {row["exercise"]: row["proof"] for row in rows}
