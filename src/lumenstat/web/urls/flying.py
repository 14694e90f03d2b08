"""Addresses of runs: started, flown, watched, judged, and what leaves of them."""

from __future__ import annotations

from lumenstat.web.urls.binding import path


def start_run(exercise_id: str) -> str:
    """Starts an exercise for a trainee."""
    return path("start_run", exercise_id=exercise_id)


def runs() -> str:
    """Runs in progress and debriefs."""
    return path("runs")


def runs_file(kind: str) -> str:
    """The runs that a list has found as CSV or XLSX."""
    return path("runs_file", kind=kind)


def phone(run_id: str) -> str:
    """The ground crew's line of a run on a phone, or looking on."""
    return path("phone", run_id=run_id)


def station(run_id: str) -> str:
    """The trainee's station, or the instructor's view of it."""
    return path("station", run_id=run_id)


def station_socket(run_id: str) -> str:
    """The station's socket."""
    return path("station_socket", run_id=run_id)


def debrief(run_id: str) -> str:
    """The debrief of an ended run."""
    return path("debrief", run_id=run_id)


def replay(run_id: str) -> str:
    """An ended run, moment by moment."""
    return path("replay", run_id=run_id)


def moment(run_id: str) -> str:
    """The aircraft at one moment of an ended run, as JSON."""
    return path("moment", run_id=run_id)


def fork(run_id: str) -> str:
    """Flies on from a moment of an ended run."""
    return path("fork", run_id=run_id)


def appraise(run_id: str) -> str:
    """Keeps what an instructor says of a run."""
    return path("appraise", run_id=run_id)


def override(run_id: str) -> str:
    """Overrides a verdict."""
    return path("override", run_id=run_id)


def sign(run_id: str) -> str:
    """Signs a record."""
    return path("sign", run_id=run_id)


def ledger_csv(run_id: str) -> str:
    """The ledger as a table."""
    return path("ledger_csv", run_id=run_id)


def debrief_pdf(run_id: str) -> str:
    """The debrief on paper."""
    return path("debrief_pdf", run_id=run_id)


def trace_csv(run_id: str) -> str:
    """Every quantity over time as a table."""
    return path("trace_csv", run_id=run_id)


def import_log() -> str:
    """Takes a run log in and judges it."""
    return path("import_log")


def compare(run_id: str, other_id: str) -> str:
    """Two runs of one exercise side by side."""
    return path("compare", run_id=run_id, other_id=other_id)


def run_log(run_id: str) -> str:
    """The run log, to keep or to score elsewhere."""
    return path("run_log", run_id=run_id)


def judge_again(run_id: str) -> str:
    """Has a run judged that could not be judged before."""
    return path("judge_again", run_id=run_id)


def judging(run_id: str) -> str:
    """How far the judging of a run is, as JSON."""
    return path("judging", run_id=run_id)


def start_many(exercise_id: str) -> str:
    """Starts an exercise for many."""
    return path("start_many", exercise_id=exercise_id)


def desks() -> str:
    """Lessons in the air."""
    return path("desks")


def desk(lesson_id: str) -> str:
    """The desk of a lesson."""
    return path("desk", lesson_id=lesson_id)


def watch(run_id: str) -> str:
    """What is new beside a station, as JSON."""
    return path("watch", run_id=run_id)


def verdicts(run_id: str) -> str:
    """Verdicts so far."""
    return path("verdicts", run_id=run_id)


def hand_over(run_id: str) -> str:
    """Puts another instructor in charge of a run."""
    return path("hand_over", run_id=run_id)


def take_back(run_id: str) -> str:
    """Takes an accidental start back."""
    return path("take_back", run_id=run_id)


def void_run(run_id: str) -> str:
    """Takes a run out of what counts."""
    return path("void_run", run_id=run_id)


def archive_run(run_id: str) -> str:
    """Puts a run out of the usual lists."""
    return path("archive_run", run_id=run_id)


def practise(exercise_id: str) -> str:
    """Flies an exercise by oneself."""
    return path("practise", exercise_id=exercise_id)


def starting(exercise_id: str, key: str) -> str:
    """How far a lesson is that is being made ready."""
    return path("starting", exercise_id=exercise_id, key=key)


def desk_socket(lesson_id: str) -> str:
    """The desk's socket."""
    return path("desk_socket", lesson_id=lesson_id)


def record_file(run_id: str, kind: str) -> str:
    """A judged record as JSON, xAPI statements or ICS."""
    return path("record_file", run_id=run_id, kind=kind)
