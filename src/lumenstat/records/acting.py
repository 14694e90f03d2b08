"""Who acts: the person on whose behalf something is being changed, for the audit list."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import TypeVar

from sqlalchemy.orm import Session

T = TypeVar("T")
BY = "by"
"""Under this name a session knows on whose behalf it changes something."""


@dataclass
class Actor:
    """Somebody who acts; without a name until it is known who asks."""

    name: str = ""


actor: ContextVar[Actor | None] = ContextVar("actor", default=None)
"""Who acts in this request; a request's threads share one `Actor`."""


@contextmanager
def acting_as(name: str) -> Iterator[None]:
    """Change things in a name."""
    token = actor.set(Actor(name))
    try:
        yield
    finally:
        actor.reset(token)


def in_the_name_of(job: Callable[[Session], T]) -> Callable[[Session], T]:
    """A change that is carried out later, on another thread, on behalf of whoever acts now."""
    # Read now: the writer's thread has a context of its own, in which nobody acts.
    acts = actor.get()
    name = acts.name if acts is not None else ""

    def carried_out(session: Session) -> T:
        session.info[BY] = name
        return job(session)

    return carried_out
