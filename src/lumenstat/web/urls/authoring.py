"""Addresses of exercises and drafts."""

from __future__ import annotations

from lumenstat.web.urls.binding import path


def exercises() -> str:
    """The list of exercises."""
    return path("exercises")


def exercises_file(kind: str) -> str:
    """Every exercise as CSV or XLSX."""
    return path("exercises_file", kind=kind)


def brief(exercise_id: str) -> str:
    """An exercise's brief."""
    return path("brief", exercise_id=exercise_id)


def drafts() -> str:
    """Exercises being written."""
    return path("drafts")


def new_draft() -> str:
    """Begins a draft."""
    return path("new_draft")


def builder(draft_id: str) -> str:
    """Where a draft is written and proven."""
    return path("builder", draft_id=draft_id)


def edit_draft(draft_id: str) -> str:
    """Changes a draft."""
    return path("edit_draft", draft_id=draft_id)


def builder_parts(draft_id: str) -> str:
    """The parts of the builder's page as they stand now."""
    return path("builder_parts", draft_id=draft_id)


def start_state(draft_id: str) -> str:
    """How the aircraft of a draft stands at its start."""
    return path("start_state", draft_id=draft_id)


def fairness(draft_id: str) -> str:
    """What the judge would say of every plausible flight of a draft; posted to, they are flown."""
    return path("fairness", draft_id=draft_id)


def prove_draft(draft_id: str) -> str:
    """Begins a proof, or stops it."""
    return path("prove_draft", draft_id=draft_id)


def fly_draft(draft_id: str) -> str:
    """Flies a draft, to try it or to write it by doing."""
    return path("fly_draft", draft_id=draft_id)


def take_flight(draft_id: str) -> str:
    """Makes items of a flight of a draft."""
    return path("take_flight", draft_id=draft_id)


def publish_draft(draft_id: str) -> str:
    """Publishes a proven draft."""
    return path("publish_draft", draft_id=draft_id)


def draft_file(draft_id: str, name: str) -> str:
    """A draft as files and to print: `exercise.yaml`, `checklist-1.yaml`, `bundle.json`, `card`, `card.pdf`."""
    return f"{builder(draft_id)}/{name}"


def proof_flight(draft_id: str) -> str:
    """The perfect flight of a draft, moment by moment."""
    return path("proof_flight", draft_id=draft_id)


def proof_moment(draft_id: str) -> str:
    """The aircraft at one moment of the perfect flight, as JSON."""
    return path("proof_moment", draft_id=draft_id)


def withdraw_exercise(exercise_id: str) -> str:
    """Takes an exercise out of what can be started."""
    return path("withdraw_exercise", exercise_id=exercise_id)


def archive_draft(draft_id: str) -> str:
    """Puts a draft out of the usual list."""
    return path("archive_draft", draft_id=draft_id)


def sheet() -> str:
    """Takes in a checklist from a spreadsheet."""
    return path("sheet")


def sheet_template(kind: str) -> str:
    """A spreadsheet to fill in, as CSV or XLSX."""
    return path("sheet_template", kind=kind)


def approve(exercise_id: str) -> str:
    """Approves the current version of an exercise."""
    return path("approve", exercise_id=exercise_id)
