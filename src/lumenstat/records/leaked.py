"""Passwords that nobody may take, since everybody who guesses tries them first."""

from __future__ import annotations

from functools import cache


@cache
def _known() -> frozenset[str]:
    """Leaked passwords and common words, from the lists of the package `zxcvbn`; read when first asked for."""
    from zxcvbn.frequency_lists import FREQUENCY_LISTS  # noqa: PLC0415 - large, and only where a password is chosen

    return frozenset(FREQUENCY_LISTS["passwords"])


def is_leaked(password: str, *names: str) -> bool:
    """Whether a password is in the lists, also with figures or marks hung on or a piece repeated, or is a name."""
    plain = password.casefold().strip()
    # Figures and marks hung on are the first thing that a guesser tries.
    stem = plain.strip("0123456789!?.,*#-_+ ")
    own = {part for name in names for part in (name.casefold(), *name.casefold().split()) if part}
    repeated = any(
        len(plain) % size == 0 and plain[:size] * (len(plain) // size) == plain
        for size in range(1, len(plain) // 2 + 1)
    )
    return repeated or plain in _known() or stem in _known() or stem in own or plain in own
