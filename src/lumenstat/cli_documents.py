"""Documents that a command is given by the path of a file."""

from __future__ import annotations

from pathlib import Path

from lumenstat.documents.bundles import Bundle, Library


def library_around(path: Path) -> Library:
    """The shipped library, and before it the documents beside the file and in folders next to it."""
    here = path.resolve().parent
    return Library([here, *(here.parent / kind for kind in ("airframes", "checklists", "exercises"))])


def read_bundle(path: Path) -> Bundle:
    """The exercise at the path with all it refers to."""
    return library_around(path).bundle(path.resolve())
