"""Which tests reach which line of the core, and how long each takes: measured once, on a copy without a change."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, field
from itertools import accumulate
from pathlib import Path

import pytest
from coverage import CoverageData

from tests.mutants.points import SOURCE, Mutant

TIMES = "MUTANTS_TIMES"
"""The variable that names the file to which a run of pytest writes how long each of its tests took."""
MEASURING = ("-p", "tests.mutants.reach", "--cov=lumenstat", "--cov-context=test", "--cov-report=")
PLAIN = "[run]\nsource = lumenstat\n"
"""Lines, not branches: which tests come by is all that is asked."""
SECONDS_OF_THE_FIRST = 60.0
"""Tests that reach a line are run by name for about so long; most changes are noticed within the first of them."""


@dataclass(frozen=True)
class Reach:
    """What was measured: a folder's coverage data, and seconds by the name of a test."""

    data: CoverageData
    source: Path
    seconds: dict[str, float] = field(default_factory=dict)

    @classmethod
    def read(cls, data: Path, times: Path, source: Path) -> Reach:
        """From the files that a measuring run left."""
        measured = CoverageData(str(data))
        measured.read()
        return cls(measured, source, json.loads(times.read_text()))

    def tests(self, mutant: Mutant, within_seconds: float = SECONDS_OF_THE_FIRST) -> list[str]:
        """Tests that run the changed statement, the shortest first, as many as take so long.

        What is made once for many tests counts for the first of them alone, so those that are left may notice as well.
        """
        file = self.source / mutant.file.relative_to(SOURCE)
        by_line = self.data.contexts_by_lineno(str(file))
        contexts = {context for line in mutant.statement for context in by_line.get(line, ())}
        names = {context.partition("|")[0] for context in contexts} & self.seconds.keys()
        ordered = sorted(names, key=lambda name: self.seconds[name])
        until = accumulate(self.seconds[name] for name in ordered)
        return [name for name, spent in zip(ordered, until, strict=True) if spent <= within_seconds]


class _Timer:
    """Adds up what each test takes, in all its phases, and writes it down at the end."""

    def __init__(self, file: Path) -> None:
        self.file, self.seconds = file, dict[str, float]()

    def pytest_runtest_logreport(self, report: pytest.TestReport) -> None:
        self.seconds[report.nodeid] = self.seconds.get(report.nodeid, 0.0) + report.duration

    def pytest_sessionfinish(self) -> None:
        self.file.write_text(json.dumps(self.seconds))


def pytest_configure(config: pytest.Config) -> None:
    """As a plugin of pytest. The processes that share the work report to the first one, which alone writes."""
    if not hasattr(config, "workerinput") and TIMES in os.environ:
        config.pluginmanager.register(_Timer(Path(os.environ[TIMES])))
