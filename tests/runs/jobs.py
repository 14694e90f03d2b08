"""Jobs for a worker process that go wrong in every way."""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.errors import DocumentError, LogError, Problem
from lumenstat.runs import judging


def add(progress: Any, a: int, b: int) -> int:
    progress("adding", 0, 2)
    time.sleep(0.25)
    progress("adding", 1, 2)
    return a + b


def process_id(progress: Any) -> int:
    return os.getpid()


def die(progress: Any) -> None:
    os._exit(3)


def die_once(progress: Any, mark: Path, *rest: Any) -> Any:
    if not mark.exists():
        mark.touch()
        os._exit(3)
    return judging.judge(progress, *rest)


def sleep(progress: Any, seconds: float) -> None:
    time.sleep(seconds)


def refuse(progress: Any) -> None:
    raise LogError("is not what it says", 7)


def refuse_documents(progress: Any) -> None:
    raise DocumentError([Problem("a.yaml", 3, "items[0]", "needs the key 'id'", "rule")])


def fill_memory(progress: Any) -> int:
    return len([bytearray(50_000_000) for _ in range(100)])


def grow(progress: Any, size: int) -> int:
    return len(bytearray(os.urandom(size)))


def nest(progress: Any, depth: int) -> Any:
    return nest(progress, depth + 1)


def read_bundle(progress: Any, content: str) -> str:
    return Bundle.from_canonical_json(content).digest
