"""Asynchronous work in a test that is not asynchronous itself."""

from __future__ import annotations

import asyncio
from collections.abc import Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

T = TypeVar("T")


def to_its_end(work: Coroutine[Any, Any, T]) -> T:
    """What it gives, done on a thread of its own: browser tests of the same process leave a loop on the main one."""
    with ThreadPoolExecutor(1) as pool:
        return pool.submit(asyncio.run, work).result()
