"""Every address of the application, by the name of its view."""

from __future__ import annotations


def exercises() -> str:
    """The list of exercises."""
    return "/exercises"


def brief(exercise_id: str) -> str:
    """An exercise's brief."""
    return f"/exercises/{exercise_id}"


def start_run(exercise_id: str) -> str:
    """Starts an exercise for a trainee."""
    return f"/exercises/{exercise_id}/start"


def drafts() -> str:
    """Exercises being written."""
    return "/drafts"


def new_draft() -> str:
    """Begins a draft."""
    return "/drafts/new"


def builder(draft_id: str) -> str:
    """Where a draft is written and proven."""
    return f"/drafts/{draft_id}"


def edit_draft(draft_id: str) -> str:
    """Changes a draft."""
    return f"/drafts/{draft_id}/edit"


def builder_parts(draft_id: str) -> str:
    """The parts of the builder's page as they stand now."""
    return f"/drafts/{draft_id}/parts"


def start_state(draft_id: str) -> str:
    """How the aircraft of a draft stands at its start."""
    return f"/drafts/{draft_id}/start-state"


def prove_draft(draft_id: str) -> str:
    """Begins a proof, or stops it."""
    return f"/drafts/{draft_id}/prove"


def fly_draft(draft_id: str) -> str:
    """Flies a draft, to try it or to write it by doing."""
    return f"/drafts/{draft_id}/fly"


def take_flight(draft_id: str) -> str:
    """Makes items of a flight of a draft."""
    return f"/drafts/{draft_id}/take"


def publish_draft(draft_id: str) -> str:
    """Publishes a proven draft."""
    return f"/drafts/{draft_id}/publish"


def draft_file(draft_id: str, name: str) -> str:
    """A draft as files and to print: `exercise.yaml`, `checklist-1.yaml`, `bundle.json`, `card`, `card.pdf`."""
    return f"/drafts/{draft_id}/{name}"


def proof_flight(draft_id: str) -> str:
    """The perfect flight of a draft, moment by moment."""
    return f"/drafts/{draft_id}/flight"


def proof_moment(draft_id: str) -> str:
    """The aircraft at one moment of the perfect flight, as JSON."""
    return f"/drafts/{draft_id}/flight/moment"


def runs() -> str:
    """Runs in progress and debriefs."""
    return "/runs"


def station(run_id: str) -> str:
    """The trainee's station, or the instructor's view of it."""
    return f"/runs/{run_id}/station"


def station_socket(run_id: str) -> str:
    """The station's socket."""
    return f"/runs/{run_id}/socket"


def debrief(run_id: str) -> str:
    """The debrief of an ended run."""
    return f"/runs/{run_id}/debrief"


def replay(run_id: str) -> str:
    """An ended run, moment by moment."""
    return f"/runs/{run_id}/replay"


def moment(run_id: str) -> str:
    """The aircraft at one moment of an ended run, as JSON."""
    return f"/runs/{run_id}/moment"


def fork(run_id: str) -> str:
    """Flies on from a moment of an ended run."""
    return f"/runs/{run_id}/fork"


def override(run_id: str) -> str:
    """Overrides a verdict."""
    return f"/runs/{run_id}/override"


def sign(run_id: str) -> str:
    """Signs a record."""
    return f"/runs/{run_id}/sign"


def ledger_csv(run_id: str) -> str:
    """The ledger as a table."""
    return f"/runs/{run_id}/ledger.csv"


def debrief_pdf(run_id: str) -> str:
    """The debrief on paper."""
    return f"/runs/{run_id}/debrief.pdf"


def trace_csv(run_id: str) -> str:
    """Every quantity over time as a table."""
    return f"/runs/{run_id}/trace.csv"


def import_log() -> str:
    """Takes a run log in and judges it."""
    return "/runs/import"


def compare(run_id: str, other_id: str) -> str:
    """Two runs of one exercise side by side."""
    return f"/runs/{run_id}/beside/{other_id}"


def run_log(run_id: str) -> str:
    """The run log, to keep or to score elsewhere."""
    return f"/runs/{run_id}/log.jsonl"


def sign_in() -> str:
    """The sign-in page."""
    return "/sign-in"


def sign_out() -> str:
    """Ends the sign-in."""
    return "/sign-out"


def sign_out_everywhere() -> str:
    """Ends all sign-ins of whoever is signed in."""
    return "/sign-out-everywhere"


def judge_again(run_id: str) -> str:
    """Has a run judged that could not be judged before."""
    return f"/runs/{run_id}/judge-again"


def judging(run_id: str) -> str:
    """How far the judging of a run is, as JSON."""
    return f"/runs/{run_id}/judging"


def first_instructor() -> str:
    """Where the very first account is made."""
    return "/first-instructor"
