"""The points of the core that can be turned round: a comparison, a sign, an `and`, a figure, a truth, a `not`."""

from __future__ import annotations

import ast
import random
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[2]
SOURCE = ROOT / "src"
PACKAGES = ("network", "systems", "simulation", "items", "assessment", "rehearsal", "proving", "records", "web")
ONLY = {"web": ("security.py", "guessing.py")}
SKIPPED = ("migrations", "explaining.py", "leaked.py")
COMPARED: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.Is: ast.IsNot, ast.IsNot: ast.Is, ast.In: ast.NotIn, ast.NotIn: ast.In,
}  # fmt: skip
COUNTED: dict[type[ast.operator], type[ast.operator]] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult,
}  # fmt: skip


@dataclass(frozen=True)
class Mutant:
    """One change: the file, the line, what it is, the number of the point in the file's tree, its statement's lines."""

    file: Path
    line: int
    says: str
    point: int
    statement: range

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
    """The tree without annotations, decorators and `frozen=True` and the like: points do something when they run."""
    for node in ast.walk(tree):
        if isinstance(node, ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef):
            node.decorator_list = []
        if isinstance(node, ast.ClassDef):
            node.keywords = []
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
            node.returns = None
            for arg in (*node.args.args, *node.args.kwonlyargs):
                arg.annotation = None
    return tree


def _headers(tree: ast.Module) -> dict[int, range]:
    """By line, the lines of the statement that it is part of; of a compound one without the statements inside."""
    found: dict[int, range] = {}
    for node in ast.walk(tree):  # from the outside inwards, so what is inside has the last word
        if isinstance(node, ast.stmt):
            inside = [child.lineno for child in ast.walk(node) if isinstance(child, ast.stmt) and child is not node]
            last = node.end_lineno or node.lineno
            header = range(node.lineno, max(min([*inside, last + 1]), node.lineno + 1))
            found |= dict.fromkeys(header, header)
    return found


def mutants(count: int, seed: int) -> list[Mutant]:
    """So many, drawn by seed over all points of the core."""
    found = []
    for package in PACKAGES:
        for file in sorted((SOURCE / "lumenstat" / package).rglob("*.py")):
            if set(SKIPPED) & set(file.parts) or file.name not in ONLY.get(package, (file.name,)):
                continue
            tree = _code_only(ast.parse(file.read_text()))
            headers = _headers(tree)
            for number, (node, says) in enumerate(_points(tree)):
                line = getattr(node, "lineno", 0)
                found.append(Mutant(file, line, says, number, headers.get(line, range(line, line + 1))))
    return random.Random(seed).sample(found, count)


def changed(mutant: Mutant) -> str:
    """The text of the file with this change. Annotations and decorators are kept: pydantic reads them."""
    whole = mutant.file.read_text()
    wanted = [node for node, _ in _points(_code_only(ast.parse(whole)))][mutant.point]
    tree = ast.parse(whole)
    numbers = [n for n, (node, _) in enumerate(_points(tree)) if _place(node) == _place(wanted)]
    return _turned(tree, numbers[0])


def _place(node: ast.AST) -> tuple[int, int, type]:
    return node.lineno, node.col_offset, type(node)  # type: ignore[attr-defined]
