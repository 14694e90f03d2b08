"""The expression language: parsed, bounded, type-checked, and emitted as Python source.

A dotted name is a quantity. A dark instrument reads null, and any comparison with null is false. Generated code
holds slot code given by the caller and constants by number, never a word of the document's text.
"""

from __future__ import annotations

import ast
import re
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal

from lumenstat.errors import ExpressionError
from lumenstat.language.values import nearest

LONGEST_EXPRESSION = 2000
MOST_TOKENS = 400
DEEPEST_BRACKETS = 20
LARGEST_FIGURE = 1e12

Kind = Literal["number", "text", "truth"]

WORDS = {"and", "or", "not", "in", "true", "false"}
PLAIN_FUNCTIONS = {"min": (2, 8), "max": (2, 8), "abs": (1, 1)}
TIME_FUNCTIONS = {"held": 2, "peak": 1, "rate": 1, "since": 1}
FUNCTIONS = PLAIN_FUNCTIONS.keys() | TIME_FUNCTIONS.keys() | {"alive"}

_TOKEN = re.compile(
    r"""(?P<space>\s+)|(?P<text>"[^"\\\n]*"|'[^'\\\n]*')|(?P<number>\d+\.\d+|\d+)
      |(?P<name>[a-z_][a-z0-9_]*(?:\.[a-z0-9_]+)*)|(?P<mark><=|>=|==|!=|[-+*/(),<>])""",
    re.VERBOSE,
)


@dataclass(frozen=True, slots=True)
class Quantity:
    """Something observable: dotted name, unit, what kind of value it has and what it means.

    Of choices that are ids, what the parts are `called`.
    """

    name: str
    unit: str
    kind: Kind
    meaning: str
    nullable: bool = False
    choices: tuple[str, ...] | None = None
    called: tuple[tuple[str, str], ...] = ()

    def words_of(self, value: str) -> str:
        """A value in words: the name of the part, or the choice itself, which keeps its words in other languages."""
        said = next((choice for choice in self.choices or () if choice == value), value)
        return dict(self.called).get(value, said)


@dataclass(frozen=True, slots=True)
class Expression:
    """A parsed expression: its text and its tree, in which names are placeholders listed in `names`."""

    text: str
    tree: ast.expr
    names: tuple[str, ...]

    @property
    def quantities(self) -> frozenset[str]:
        """The dotted names it reads (those inside `alive(...)` included as written)."""
        return frozenset(name for name in self.names if "." in name or name == "time")


def reads(text: str | None, name: str) -> bool:
    """Whether an expression reads a quantity; one that cannot be parsed, which is told elsewhere, reads none."""
    try:
        return text is not None and name in parse(text).names
    except ExpressionError:
        return False


def parse(text: str) -> Expression:
    """Parse an expression. Raises ExpressionError that says what is not in the language."""
    if len(text) > LONGEST_EXPRESSION:
        raise ExpressionError(f"is longer than {LONGEST_EXPRESSION} characters; split it into comparators")
    source, names = _rewrite(text)
    try:
        # Python's own parser, over text in which every name is a placeholder; what it gives is checked node by node.
        tree = ast.parse(source, mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        raise ExpressionError(
            f'{text!r} is not an expression; write for instance `bus.dc_left.volts > 24 and not control.x == "ON"`'
        ) from None
    _refuse_unknown_syntax(tree, names)
    return Expression(text, tree, tuple(names))


def _rewrite(text: str) -> tuple[str, list[str]]:
    """Replace every dotted name by a placeholder, so that `engine.1.speed` is one name and words stay words."""
    names: list[str] = []
    parts: list[str] = []
    at, depth, tokens = 0, 0, 0
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None:
            raise ExpressionError(f"does not know {text[at]!r} at character {at + 1} of {text!r}")
        at = match.end()
        word = match.group()
        # Counted before anything is parsed, for the parser goes as deep as it is led.
        if match.lastgroup != "space":
            tokens += 1
        depth += (word == "(") - (word == ")")
        if depth > DEEPEST_BRACKETS or tokens > MOST_TOKENS:
            raise ExpressionError("is nested too deeply or too long; split it into comparators")
        if match.lastgroup == "name" and word not in WORDS | FUNCTIONS:
            parts.append(f"q{len(names)}")
            names.append(word)
        else:
            parts.append({"true": "True", "false": "False"}.get(word, " " if match.lastgroup == "space" else word))
    return "".join(parts).strip(), names


def _refuse_unknown_syntax(node: ast.expr, names: list[str]) -> None:
    match node:
        case ast.BoolOp(values=values):
            parts = values
        case ast.UnaryOp(op=ast.Not() | ast.USub(), operand=operand):
            parts = [operand]
        case ast.BinOp(left=left, op=ast.Add() | ast.Sub() | ast.Mult() | ast.Div(), right=right):
            parts = [left, right]
            # Another divisor may become nothing only as the aircraft flies; then the result is null.
            if isinstance(node.op, ast.Div) and isinstance(right, ast.Constant) and right.value == 0:
                raise ExpressionError("divides by zero; give a figure other than 0")
        case ast.Compare(left=left, comparators=others):
            parts = [left, *others]
        case ast.Call(func=ast.Name(id=name), args=args, keywords=[]):
            _check_call(name, args, names)
            parts = [] if name == "alive" else args
        case ast.Tuple(elts=elts):
            if not elts or not all(isinstance(e, ast.Constant) for e in elts):
                raise ExpressionError(
                    '`in` needs a list of texts or figures in brackets, like (1, 2) or ("ON", "AUTO")'
                )
            parts = []
        # Beyond it a product could overflow, and every figure after it would be lost.
        case ast.Constant(value=int() | float() as value) if abs(value) > LARGEST_FIGURE:
            raise ExpressionError(f"has a figure beyond {LARGEST_FIGURE:.0e}; nothing in an aircraft is that large")
        case ast.Name(id=name) if name in FUNCTIONS:
            raise ExpressionError(f"{name} is a function and needs its brackets, like {name}(...)")
        case ast.Constant(value=bool() | int() | float() | str()) | ast.Name():
            parts = []
        case _:
            raise ExpressionError(f"uses something the language does not have ({type(node).__name__.lower()})")
    for part in parts:
        _refuse_unknown_syntax(part, names)


def _check_call(name: str, args: list[ast.expr], names: list[str]) -> None:
    if name == "alive":
        if len(args) != 1 or not isinstance(args[0], ast.Name) or args[0].id in FUNCTIONS:
            raise ExpressionError("alive(...) takes one bus, lamp or instrument, like alive(bus.dc_left)")
        return
    least, most = PLAIN_FUNCTIONS.get(name, (TIME_FUNCTIONS.get(name, -1),) * 2)
    if least < 0:
        raise ExpressionError(f"there is no function {name!r}")
    if not least <= len(args) <= most:
        raise ExpressionError(f"{name}(...) takes {least if least == most else f'{least} to {most}'} values")
    if name == "held" and not (isinstance(args[1], ast.Constant) and type(args[1].value) in (int, float)):
        raise ExpressionError("held(expression, seconds) needs its seconds as a figure")
    if name in ("peak", "rate") and not isinstance(args[0], ast.Name):
        raise ExpressionError(f"{name}(...) takes the name of one quantity")


class Constants(list[str]):
    """Text constants of generated code, each once; `S[n]` in it is the one of number `n`. Safe between threads."""

    def __init__(self) -> None:
        super().__init__()
        self._numbers: dict[str, int] = {}
        self._lock = threading.Lock()

    def number(self, value: str) -> int:
        """The number of a constant, which is added where it is new."""
        with self._lock:
            if value not in self._numbers:
                self.append(value)
                self._numbers[value] = len(self) - 1
            return self._numbers[value]


@dataclass
class Emitter:
    """Turns expressions into Python source.

    `code_of(name)` gives the slot code of a quantity; `constants` collects text constants, emitted as `S[n]`;
    `timed(function, source, seconds)` gives the code of an expression over time, or refuses by raising.
    """

    quantities: Mapping[str, Quantity]
    code_of: Callable[[str], str]
    constants: Constants
    timed: Callable[[str, str, float, bool], str] | None = None
    _names: tuple[str, ...] = field(default=(), repr=False)

    def truth(self, expression: Expression) -> str:
        """Source of a yes-or-no expression. Raises ExpressionError when it is not one."""
        code, kind, _ = self._emit(expression.tree, expression.names)
        if kind != "truth":
            raise ExpressionError(f"{expression.text!r} gives a {kind}; a yes or no is needed, like `... > 24`")
        return code

    def value(self, expression: Expression) -> str:
        """Source of an expression of any kind."""
        return self._emit(expression.tree, expression.names)[0]

    def _quantity(self, name: str) -> Quantity:
        found = self.quantities.get(name)
        if found is None:
            raise ExpressionError(f"there is no quantity {name!r}{nearest(name, list(self.quantities))}")
        return found

    def _emit(self, node: ast.expr, names: tuple[str, ...]) -> tuple[str, Kind, bool]:
        match node:
            case ast.Constant(value=bool() as value):
                return repr(value), "truth", False
            case ast.Constant(value=str() as value):
                return f"S[{self.constants.number(value)}]", "text", False
            case ast.Constant(value=int() | float() as value):
                return repr(float(value)), "number", False
            case ast.Name(id=placeholder):
                quantity = self._quantity(names[int(placeholder[1:])])
                return self.code_of(quantity.name), quantity.kind, quantity.nullable
            case ast.BoolOp(op=op, values=values):
                word = " and " if isinstance(op, ast.And) else " or "
                return "(" + word.join(self._truth(v, names) for v in values) + ")", "truth", False
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                return f"(not {self._truth(operand, names)})", "truth", False
            case ast.UnaryOp(operand=operand):
                code, null = self._number(operand, names)
                return (f"neg({code})" if null else f"(-{code})"), "number", null
            case ast.BinOp():
                return self._arithmetic(node, names)
            case ast.Compare():
                return self._compare(node, names), "truth", False
            case ast.Call(func=ast.Name(id=name), args=args):
                return self._call(name, args, names)
            case _:
                raise ExpressionError("a list in brackets only stands after `in`")

    def _truth(self, node: ast.expr, names: tuple[str, ...]) -> str:
        code, kind, _ = self._emit(node, names)
        if kind != "truth":
            raise ExpressionError(f"`and`, `or` and `not` join yes or no, not a {kind}; compare it first")
        return code

    def _number(self, node: ast.expr, names: tuple[str, ...]) -> tuple[str, bool]:
        code, kind, null = self._emit(node, names)
        if kind != "number":
            raise ExpressionError(f"calculates with a {kind}; only figures can be calculated with")
        return code, null

    def _arithmetic(self, node: ast.BinOp, names: tuple[str, ...]) -> tuple[str, Kind, bool]:
        (left, null_left), (right, null_right) = (
            self._number(node.left, names),
            self._number(node.right, names),
        )
        if isinstance(node.op, ast.Div):
            # Always, since a divisor that is no constant may be nothing.
            return f"div({left}, {right})", "number", True
        word, mark = {ast.Add: ("add", "+"), ast.Sub: ("sub", "-"), ast.Mult: ("mul", "*")}[type(node.op)]
        if null_left or null_right:
            return f"{word}({left}, {right})", "number", True
        return f"({left} {mark} {right})", "number", False

    def _compare(self, node: ast.Compare, names: tuple[str, ...]) -> str:
        sides = [node.left, *node.comparators]
        pairs = zip(sides, node.ops, sides[1:], strict=False)
        return "(" + " and ".join(self._pair(a, op, b, names) for a, op, b in pairs) + ")"

    def _pair(self, left: ast.expr, op: ast.cmpop, right: ast.expr, names: tuple[str, ...]) -> str:
        if isinstance(op, ast.In | ast.NotIn):
            if not isinstance(right, ast.Tuple):
                raise ExpressionError('`in` needs a list in brackets, like ("ON", "AUTO")')
            either = " or ".join(self._pair(left, ast.Eq(), each, names) for each in right.elts)
            return f"(not ({either}))" if isinstance(op, ast.NotIn) else f"({either})"
        code_a, kind_a, null_a = self._emit(left, names)
        code_b, kind_b, null_b = self._emit(right, names)
        # A lamp is never equal to a voltage: such a comparison is a slip, not a false one.
        if kind_a != kind_b:
            raise ExpressionError(f"compares a {kind_a} with a {kind_b}")
        same = isinstance(op, ast.Eq | ast.NotEq)
        if not same and kind_a != "number":
            raise ExpressionError(f"`<` and `>` compare figures; compare a {kind_a} with == or !=")
        self._check_choice(left, right, names)
        word, mark = _COMPARISONS[type(op)]
        if null_a or null_b:
            return f"{word}({code_a}, {code_b})"
        return f"({code_a} {mark} {code_b})"

    def _check_choice(self, left: ast.expr, right: ast.expr, names: tuple[str, ...]) -> None:
        for side, other in ((left, right), (right, left)):
            if isinstance(side, ast.Name) and isinstance(other, ast.Constant):
                quantity = self._quantity(names[int(side.id[1:])])
                if quantity.choices is not None and other.value not in quantity.choices:
                    has = ", ".join(quantity.choices)
                    raise ExpressionError(f"{quantity.name} is never {other.value!r}; it can be {has}")

    def _call(self, name: str, args: list[ast.expr], names: tuple[str, ...]) -> tuple[str, Kind, bool]:
        if name == "alive":
            subject = names[int(args[0].id[1:])]  # type: ignore[attr-defined]
            quantity = self._quantity(f"{subject}.alive")
            return self.code_of(quantity.name), "truth", False
        if name in PLAIN_FUNCTIONS:
            parts = [self._number(arg, names) for arg in args]
            joined = ", ".join(code for code, _ in parts)
            null = any(null for _, null in parts)
            return (f"n{name}({joined})" if null else f"{name}({joined})"), "number", null
        if self.timed is None:
            raise ExpressionError(f"{name}(...) looks back in time, which contactor and load logic cannot; use a delay")
        if name in ("held", "since"):
            seconds = float(args[1].value) if name == "held" else 0.0  # type: ignore[attr-defined]
            code = self.timed(name, self._truth(args[0], names), seconds, False)
            return code, "truth" if name == "held" else "number", name == "since"
        code, null = self._number(args[0], names)
        return self.timed(name, code, 0.0, null), "number", True


_COMPARISONS: dict[type[ast.cmpop], tuple[str, str]] = {
    ast.Lt: ("lt", "<"),
    ast.LtE: ("le", "<="),
    ast.Gt: ("gt", ">"),
    ast.GtE: ("ge", ">="),
    ast.Eq: ("eq", "=="),
    ast.NotEq: ("ne", "!="),
}


def _with_null(operation: Callable[..., object], otherwise: object) -> Callable[..., object]:
    def guarded(*values: object) -> object:
        return otherwise if None in values else operation(*values)

    return guarded


def _divide(a: float, b: float) -> float | None:
    return None if b == 0 else a / b


NULL_SAFE: dict[str, Callable[..., object]] = {
    "lt": _with_null(lambda a, b: a < b, False),
    "le": _with_null(lambda a, b: a <= b, False),
    "gt": _with_null(lambda a, b: a > b, False),
    "ge": _with_null(lambda a, b: a >= b, False),
    "eq": _with_null(lambda a, b: a == b, False),
    "ne": _with_null(lambda a, b: a != b, False),
    "add": _with_null(lambda a, b: a + b, None),
    "sub": _with_null(lambda a, b: a - b, None),
    "mul": _with_null(lambda a, b: a * b, None),
    "div": _with_null(_divide, None),
    "neg": _with_null(lambda a: -a, None),
    "nmin": _with_null(min, None),
    "nmax": _with_null(max, None),
    "nabs": _with_null(abs, None),
}
"""The helpers that emitted code calls where a value can be null."""
