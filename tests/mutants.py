"""Changes one point of the core at a time and tells which changes no test notices: `make mutants`.

    python -m tests.mutants [COUNT] [SEED]

A change is drawn by seed from every point that can be turned round: a comparison, a sign, an `and`, a figure, a truth,
a `not`. The quick tests about its package run on a copy of the source with that change; where all of them pass, the slow
ones about it run, and then the rest of the quick tests. What still lives is printed with its line, and belongs in `tests/mutants.md` with a
reason, or a test is missing.
"""

from __future__ import annotations

import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src"
TESTS_OF = {
    "network": ("network", "simulation/test_aircraft.py", "reference/test_dc_network.py"),
    "systems": ("systems", "simulation", "reference/test_alignment.py", "reference/test_batteries.py"),
    "simulation": ("simulation", "systems"),
    "items": ("items", "assessment", "runs/test_teaching.py", "documents"),
    "assessment": ("assessment", "items", "reference/test_order_slips.py"),
    "rehearsal": ("rehearsal", "proving"),
    "proving": ("proving", "rehearsal"),
    "records": ("records",),
    "web": ("web/test_security.py", "web/test_guessing.py", "web/test_lessons.py"),
}
ONLY = {"web": ("security.py", "guessing.py")}
SKIPPED = ("migrations", "explaining.py", "leaked.py")
QUICK = ("-m", "not slow")
SECONDS_AT_MOST = 900
BESIDE = ("docs", "assets", "README.md", "CHANGELOG.md", "CONTRIBUTING.md", "pyproject.toml", "Makefile")
"""What tests look for beside the source."""
NO_TESTS = 5
COMPARED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
COUNTED: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult,
}  # fmt: skip


@dataclass(frozen=True)
class Mutant:
    """One change: the file, the line, what it is, and the number of the point in the file's tree."""

    file: Path
    line: int
    says: str
    point: int

    @property
    def package(self) -> str:
        """The package that it is in."""
        return self.file.relative_to(SOURCE / "lumenstat").parts[0]

    def __str__(self) -> str:
        return f"{self.file.relative_to(SOURCE)}:{self.line}: {self.says}"


def _points(tree: ast.AST) -> Iterator[tuple[ast.AST, str]]:
    """Every node that can be turned round, with what would be done to it; always in the same order."""
    for node in ast.walk(tree):
        match node:
            case ast.Compare(ops=[op, *_]) if type(op) in COMPARED:
                yield node, f"{type(op).__name__} becomes {COMPARED[type(op)].__name__}"
            case ast.BinOp(op=op, left=left, right=right) if type(op) in COUNTED and not _is_text(left, right):
                yield node, f"{type(op).__name__} becomes {COUNTED[type(op)].__name__}"
            case ast.BoolOp():
                yield node, "and becomes or" if isinstance(node.op, ast.And) else "or becomes and"
            case ast.UnaryOp(op=ast.Not()):
                yield node, "not is dropped"
            case ast.Constant(value=bool() as value):
                yield node, f"{value} becomes {not value}"
            case ast.Constant(value=int() | float() as figure):
                yield node, f"{figure} becomes {figure + 1}"


def _is_text(*sides: ast.expr) -> bool:
    return any(
        isinstance(s, ast.JoinedStr | ast.List | ast.Tuple)
        or (isinstance(s, ast.Constant) and isinstance(s.value, str))
        for s in sides
    )


def _turned(tree: ast.Module, point: int) -> str:
    """The text of the tree with one point turned round."""
    node = [found for found, _ in _points(tree)][point]
    match node:
        case ast.Compare(ops=ops):
            ops[0] = COMPARED[type(ops[0])]()
        case ast.BinOp(op=op):
            node.op = COUNTED[type(op)]()
        case ast.BoolOp(op=op):
            node.op = ast.Or() if isinstance(op, ast.And) else ast.And()
        case ast.UnaryOp():
            node.op, node.operand = ast.Not(), ast.UnaryOp(ast.Not(), node.operand)
        case ast.Constant(value=value):
            node.value = not value if isinstance(value, bool) else value + 1  # type: ignore[operator]
    return ast.unparse(ast.fix_missing_locations(tree))


def _code_only(tree: ast.Module) -> ast.Module:
    """The tree without annotations and decorators, so that points are code that does something when it runs."""
    for node in ast.walk(tree):
        if isinstance(node, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
            node.decorator_list = []
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            node.returns = None
            for arg in (*node.args.args, *node.args.kwonlyargs):
                arg.annotation = None
    return tree


def mutants(count: int, seed: int) -> list[Mutant]:
    """So many, drawn by seed over all points of the core."""
    found = []
    for package in TESTS_OF:
        for file in sorted((SOURCE / "lumenstat" / package).rglob("*.py")):
            if set(SKIPPED) & set(file.parts) or file.name not in ONLY.get(package, (file.name,)):
                continue
            tree = _code_only(ast.parse(file.read_text()))
            for number, (node, says) in enumerate(_points(tree)):
                found.append(Mutant(file, getattr(node, "lineno", 0), says, number))
    return random.Random(seed).sample(found, count)


def lives(mutant: Mutant, copy: Path) -> bool:
    """Whether every test passes on a copy of the source with this change."""
    target = copy / mutant.file.relative_to(SOURCE)
    whole = target.read_text()
    # Annotations are kept in what runs: pydantic reads them.
    tree = ast.parse(whole)
    stripped = _code_only(ast.parse(whole))
    wanted = [node for node, _ in _points(stripped)][mutant.point]
    place = (wanted.lineno, wanted.col_offset, type(wanted))  # type: ignore[attr-defined]
    numbers = [n for n, (node, _) in enumerate(_points(tree)) if (node.lineno, node.col_offset, type(node)) == place]  # type: ignore[attr-defined]
    target.write_text(_turned(tree, numbers[0]))
    try:
        folders = [f"tests/{name}" for name in TESTS_OF[mutant.package]]
        return _passes(copy, *folders, *QUICK) and _passes(copy, *folders, "-m", "slow") and _passes(copy, *QUICK)
    finally:
        target.write_text(whole)


def _passes(copy: Path, *arguments: str) -> bool:
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "-p", "no:xdist", *arguments]
    environment = os.environ | {"PYTHONPATH": str(copy), "PYTHONDONTWRITEBYTECODE": "1"}
    try:
        done = subprocess.run(
            command, cwd=ROOT, env=environment, capture_output=True, timeout=SECONDS_AT_MOST, check=False
        )
    except subprocess.TimeoutExpired:
        return False
    return done.returncode in (0, NO_TESTS)


def _must_run_unchanged(copy: Path) -> None:
    """A copy on which a test fails without a change would notice everything. Ends the program then."""
    if not _passes(copy, *QUICK):
        raise SystemExit("The tests do not pass on a copy without a change, so nothing would be learnt.")


def main() -> None:
    """Try them, two at a time, and print what lives."""
    count, seed = (int(text) for text in [*sys.argv[1:], *("100", "1")[len(sys.argv) - 1 :]][:2])
    drawn = mutants(count, seed)
    copies: Queue[Path] = Queue()
    with tempfile.TemporaryDirectory() as folder:
        for number in range(os.cpu_count() or 1):
            beside = Path(folder) / str(number)
            copies.put(Path(shutil.copytree(SOURCE, beside / "src", ignore=shutil.ignore_patterns("__pycache__"))))
            for name in BESIDE:
                (beside / name).symlink_to(ROOT / name)
        _must_run_unchanged(beside / "src")

        def tried(mutant: Mutant) -> bool:
            copy = copies.get()
            alive = lives(mutant, copy)
            copies.put(copy)
            print("lives  " if alive else "noticed", mutant, flush=True)
            return alive

        with ThreadPoolExecutor(copies.qsize()) as pool:
            alive = sum(pool.map(tried, drawn))
    print(f"{count - alive} of {count} noticed (seed {seed})")


if __name__ == "__main__":
    main()
