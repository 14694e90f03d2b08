"""Changes one point of the core at a time and tells which changes no test notices: `make mutants`.

    python -m tests.mutants [COUNT] [SEED]

First the tests of the core run on a copy of the source without a change: they must pass, and which of them reach which
line is noted. Then, for each change that is drawn, the tests that reach its line run on a copy that has it, the shortest
first; where all pass, all those about its package, quick and slow, for what is made once is asked of by more tests than
the first; then whatever else reaches the line. What still lives is printed with its line, and belongs in
`tests/mutants.md` with a reason, or a test is missing.
"""

from __future__ import annotations

import compileall
import os
import shutil
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from math import inf
from pathlib import Path
from py_compile import PycInvalidationMode
from queue import Queue

from tests.mutants.points import ROOT, SOURCE, Mutant, changed, mutants
from tests.mutants.reach import MEASURING, PLAIN, TIMES, Reach

TESTS_OF = {
    "network": ("network", "simulation/test_aircraft.py", "reference/test_dc_network.py", "kept"),
    "systems": (
        "systems",
        "simulation",
        "documents",
        "reference/test_alignment.py",
        "reference/test_batteries.py",
        "kept",
    ),
    "simulation": ("simulation", "systems", "kept"),
    "items": ("items", "assessment", "runs/test_teaching.py", "documents", "kept"),
    "assessment": ("assessment", "items", "reference/test_order_slips.py", "kept"),
    "rehearsal": ("rehearsal", "proving", "kept"),
    "proving": ("proving", "rehearsal", "kept"),
    "records": ("records", "web"),
    "web": ("web/test_security.py", "web/test_guessing.py", "web/test_lessons.py"),
}
QUICK = ("-m", "not slow")
NOT_MEASURED = ("browser", "soak", "cli", "drafting", "web")
"""Folders of tests that reach the core only through everything else; of those about a package some are measured all the same."""
SECONDS_AT_MOST = 900
BESIDE = ("docs", "assets", "README.md", "CHANGELOG.md", "CONTRIBUTING.md", "pyproject.toml", "Makefile")
"""What tests look for beside the source."""
NO_TESTS = 5


def lives(mutant: Mutant, copy: Path, reach: Reach) -> bool:
    """Whether every test passes on a copy of the source with this change."""
    target = copy / mutant.file.relative_to(SOURCE)
    whole = target.read_text()
    target.write_text(changed(mutant))
    try:
        first = reach.tests(mutant)
        about = [f"tests/{name}" for name in TESTS_OF[mutant.package]]
        elsewhere = [name for name in reach.tests(mutant, within_seconds=inf) if not name.startswith(tuple(about))]
        return (
            (not first or _passes(copy, *first))
            and _passes(copy, *about, *QUICK)
            and _passes(copy, *about, "-m", "slow")
            and (not elsewhere or _passes(copy, *elsewhere))
        )
    finally:
        target.write_text(whole)


def _passes(copy: Path, *arguments: str, seconds: float = SECONDS_AT_MOST, **variables: str) -> bool:
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", *arguments]
    environment = os.environ | {"PYTHONPATH": str(copy), "PYTHONDONTWRITEBYTECODE": "1"} | variables
    try:
        done = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, timeout=seconds, check=False)
    except subprocess.TimeoutExpired:
        print(f"{seconds:.0f} s were not enough for {' '.join(arguments)[:200]}: it counts as noticed", flush=True)
        return False
    return done.returncode in (0, NO_TESTS)


def _measured(copy: Path, folder: Path) -> Reach:
    """Run the tests of the core on a copy without a change; ends the program where one fails: it would notice all."""
    config, data, times = folder / "measuring.ini", folder / "reached", folder / "times.json"
    config.write_text(f"{PLAIN}data_file = {data}\n")
    folders = [each for each in sorted((ROOT / "tests").iterdir()) if each.is_dir() and each.name not in NOT_MEASURED]
    asked = (*map(str, folders), *(f"tests/{name}" for name in TESTS_OF["web"]), *MEASURING, f"--cov-config={config}")
    asked = (*asked, "-n", str(os.cpu_count() or 1), "--dist", "worksteal")
    if not _passes(copy, *asked, seconds=4 * SECONDS_AT_MOST, **{TIMES: str(times)}):
        raise SystemExit("The tests do not pass on a copy without a change, so nothing would be learnt.")
    reach = Reach.read(data, times, copy)
    if not reach.seconds:
        raise SystemExit("No test ran, so nothing would be learnt.")
    return reach


def main() -> None:
    """Try them, as many at a time as there are cores, and print what lives."""
    count, seed = (int(text) for text in [*sys.argv[1:], *("100", "1")[len(sys.argv) - 1 :]][:2])
    drawn = mutants(count, seed)
    copies: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as folder:
        for number in range(os.cpu_count() or 1):
            beside = Path(folder) / str(number)
            copies.put(Path(shutil.copytree(SOURCE, beside / "src", ignore=shutil.ignore_patterns("__pycache__"))))
            # By its text, not by its time: a change and its undoing can fall into one second.
            compileall.compile_dir(copies.queue[-1], quiet=1, invalidation_mode=PycInvalidationMode.CHECKED_HASH)
            for name in BESIDE:
                (beside / name).symlink_to(ROOT / name)
        reach = _measured(copies.queue[0], Path(folder))

        def tried(mutant: Mutant) -> bool:
            copy = copies.get()
            alive = lives(mutant, copy, reach)
            copies.put(copy)
            print("lives  " if alive else "noticed", mutant, flush=True)
            return alive

        with ThreadPoolExecutor(copies.qsize()) as pool:
            alive = sum(pool.map(tried, drawn))
    print(f"{count - alive} of {count} noticed (seed {seed})")


if __name__ == "__main__":
    main()
