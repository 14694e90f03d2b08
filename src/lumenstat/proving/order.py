"""Findings that need no flight: an order that cannot be kept, or items that one action could answer."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lumenstat.errors import Problem

ORDER_RULES = ("circle", "chain")


def order_findings(problems: Sequence[Problem]) -> list[dict[str, Any]]:
    """The problems as findings where all of them are about order; nothing where a document cannot be used at all."""
    if not problems or any(problem.rule not in ORDER_RULES for problem in problems):
        return []
    return [
        {"item": _first_named(problem.says), "kind": "order", "severity": "stops", "says": problem.says}
        for problem in problems
    ]


def _first_named(says: str) -> str:
    parts = says.split("'")
    return parts[1] if len(parts) > 2 else says.removeprefix("the order goes in a circle through ").split(",")[0]
