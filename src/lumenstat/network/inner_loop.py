"""The inner loop of a DC network, written out for one set of branches: no lists to walk, no indices to look up.

`kernel(shape)` gives a function `settled(case, emf, volts)`. It finds the volts of a network whose linear part is
already inverted (see `cached.Network`), checks that no branch has left the mode it was assumed in, and gives volts and
amps; where a branch has, only the volts; where the iteration does not settle, None. Written out like this it takes a
quarter of the time of the same loops over lists.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

SETTLED_VOLTS = 1e-5
# However weak the loads are, a round that still moved a bus by this much is not the last.
COARSEST_VOLTS = 1e-2
ROUNDS = 14
# Volts that leap like this run away: the modes are wrong, and more rounds would only overflow.
LOST_VOLTS = 1e3

Found = tuple[list[float], list[float] | None] | None
Kernel = Callable[[tuple[float, ...], Sequence[float], Sequence[float]], Found]


@dataclass(frozen=True, slots=True)
class Shape:
    """What state does not change: the ends of every branch, which are bounded, how many have an EMF, the floors."""

    ends: tuple[tuple[int, int], ...]
    bounded: tuple[int, ...]
    with_emf: int
    floor: tuple[float, ...]


def case_names(shape: Shape) -> list[str]:
    """What a case holds, in order: the change of volts `t` below which it is settled, the inverse `m`, amps pushed `p`,
    load watts `w`, and for each branch ...

    ... its slope on the line `s` (0 off it) and its fixed current `c`; for bounded ones slope `g` and allowed `l`, `h`.
    """
    nodes, branches = range(len(shape.floor)), range(len(shape.ends))
    names = ["t", *(f"m{i}_{j}" for i in nodes for j in nodes)]
    names += [f"p{i}" for i in nodes] + [f"w{i}" for i in nodes]
    names += [f"s{k}" for k in branches] + [f"c{k}" for k in branches]
    return names + [f"{what}{k}" for k in shape.bounded for what in "glh"]


@lru_cache(maxsize=64)
def kernel(shape: Shape) -> Kernel:
    """The function for this shape, made once."""
    space: dict[str, Kernel] = {}
    exec(compile(kernel_source(shape), "<dc kernel>", "exec"), space)  # noqa: S102 - our own text, numbers only
    return space["settled"]


def kernel_source(shape: Shape) -> str:
    """The text of the function, printable for debugging."""
    nodes = range(len(shape.floor))
    lines = [
        "def settled(case, emf, volts):",
        f"    ({', '.join(case_names(shape))},) = case",
        f"    ({', '.join(f'v{i}' for i in nodes)},) = volts",
    ]
    if shape.with_emf:
        lines.append(f"    ({', '.join(f'e{k}' for k in range(shape.with_emf))},) = emf")
    lines += [f"    r{i} = p{i}{_sources(shape, i)}" for i in nodes]
    lines.append(f"    for _ in range({ROUNDS}):")
    for i, floor in enumerate(shape.floor):
        lines.append(
            f"        q{i} = r{i} + w{i} * (v{i} / {floor * floor!r} - 1 / v{i}) if w{i} and v{i} > {floor!r} else r{i}"
        )
    # Rounds share the old volts (Jacobi), so the order of buses cannot change what comes out.
    lines += [f"        n{i} = {' + '.join(f'm{i}_{j} * q{j}' for j in nodes)}" for i in nodes]
    lines.append(f"        change = max({', '.join(f'abs(n{i} - v{i})' for i in nodes)}, 0.0)")
    lines += [f"        v{i} = n{i}" for i in nodes]
    lines += [
        "        if change < t:",
        "            break",
        f"        if not change < {LOST_VOLTS!r}:",
        "            return None",
        "    else:",
        "        return None",
        f"    volts = [{', '.join(f'v{i}' for i in nodes)}]",
    ]
    for k in shape.bounded:
        lines += [f"    if not l{k} <= g{k} * ({_across(shape, k)}) <= h{k}:", "        return volts, None"]
    # Off the line the slope is 0 and the fixed amps stand alone; on it they are 0. One formula serves both.
    amps = [f"s{k} * ({_across(shape, k)}) + c{k}" for k in range(len(shape.ends))]
    return "\n".join([*lines, f"    return volts, [{', '.join(amps)}]", ""])


def settled_below(inverse: Sequence[Sequence[float]], watts: Sequence[float], floor: Sequence[float]) -> float:
    """The change of volts in a round after which the volts are within `SETTLED_VOLTS` of where they tend.

    What is left shrinks each round by the factor with which loads answer volts, at most 2 P / floor^2 through the
    inverse (rows of which are positive); so after a change c it is at most c * factor / (1 - factor).
    """
    answer = [2 * w / (f * f) for w, f in zip(watts, floor, strict=True)]
    factor = max((sum(m * a for m, a in zip(row, answer, strict=True)) for row in inverse), default=0.0)
    # Loads answer volts too strongly for the bound to be of use: the strictest change is asked for.
    if factor >= 0.5:
        return SETTLED_VOLTS
    return min(COARSEST_VOLTS, SETTLED_VOLTS * (1 - factor) / factor) if factor else COARSEST_VOLTS


def _across(shape: Shape, k: int) -> str:
    a, b = shape.ends[k]
    parts = [f"v{a}"] if a >= 0 else []
    parts += [f"-v{b}"] if b >= 0 else []
    parts += [f"+e{k}"] if k < shape.with_emf else []
    return " ".join(parts) or "0.0"


def _sources(shape: Shape, node: int) -> str:
    parts = ""
    for k, (a, b) in enumerate(shape.ends[: shape.with_emf]):
        parts += f" - s{k} * e{k}" if a == node else f" + s{k} * e{k}" if b == node else ""
    return parts
