"""What can be done to a live run, by whom and when: the verbs of its log."""

from __future__ import annotations

from lumenstat.documents.runlog import LogEvent

ACTING = frozenset({"set", "guard", "press", "release", "request"})
TRAINEE_VERBS = ACTING | {"see", "call", "decide", "respond", "confirm", "hint", "rate", "note", "hand", "finish"}
INSTRUCTOR_VERBS = ACTING | {
    "freeze", "resume", "give", "say", "point", "hand", "hand-over", "fault", "clear", "rate", "note", "finish",
}  # fmt: skip
WHILE_FROZEN = frozenset({"hand", "release"})
"""What a trainee may do in a frozen exercise: a button that was held springs back."""
AT_ANY_RATE = frozenset({"rate", "hint", "note", "say", "point", "hand", "hand-over", "give"})
"""What can be done while time passes faster, without slowing it."""
STARTS_NOTHING = frozenset({"hand", "hint"})
"""What a trainee can do without the clock starting."""


def starts_clock(event: LogEvent) -> bool:
    """Whether time passes from an event on: a trainee has begun, or the instructor gave the word."""
    return event.verb == "resume" if event.by == "instructor" else event.verb not in STARTS_NOTHING
