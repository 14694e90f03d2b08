"""Every address of the application, by the name of its route."""

from __future__ import annotations

from starlette.routing import Router

_routes: list[Router] = []


def bind(routes: Router) -> None:
    """Build addresses from these routes; said once when the application is put together."""
    _routes[:] = [routes]


def _path(name: str, **parts: str) -> str:
    return str(_routes[0].url_path_for(name, **parts))


def exercises() -> str:
    """The list of exercises."""
    return _path("exercises")


def brief(exercise_id: str) -> str:
    """An exercise's brief."""
    return _path("brief", exercise_id=exercise_id)


def start_run(exercise_id: str) -> str:
    """Starts an exercise for a trainee."""
    return _path("start_run", exercise_id=exercise_id)


def drafts() -> str:
    """Exercises being written."""
    return _path("drafts")


def new_draft() -> str:
    """Begins a draft."""
    return _path("new_draft")


def builder(draft_id: str) -> str:
    """Where a draft is written and proven."""
    return _path("builder", draft_id=draft_id)


def edit_draft(draft_id: str) -> str:
    """Changes a draft."""
    return _path("edit_draft", draft_id=draft_id)


def builder_parts(draft_id: str) -> str:
    """The parts of the builder's page as they stand now."""
    return _path("builder_parts", draft_id=draft_id)


def start_state(draft_id: str) -> str:
    """How the aircraft of a draft stands at its start."""
    return _path("start_state", draft_id=draft_id)


def prove_draft(draft_id: str) -> str:
    """Begins a proof, or stops it."""
    return _path("prove_draft", draft_id=draft_id)


def fly_draft(draft_id: str) -> str:
    """Flies a draft, to try it or to write it by doing."""
    return _path("fly_draft", draft_id=draft_id)


def take_flight(draft_id: str) -> str:
    """Makes items of a flight of a draft."""
    return _path("take_flight", draft_id=draft_id)


def publish_draft(draft_id: str) -> str:
    """Publishes a proven draft."""
    return _path("publish_draft", draft_id=draft_id)


def draft_file(draft_id: str, name: str) -> str:
    """A draft as files and to print: `exercise.yaml`, `checklist-1.yaml`, `bundle.json`, `card`, `card.pdf`."""
    return f"{builder(draft_id)}/{name}"


def proof_flight(draft_id: str) -> str:
    """The perfect flight of a draft, moment by moment."""
    return _path("proof_flight", draft_id=draft_id)


def proof_moment(draft_id: str) -> str:
    """The aircraft at one moment of the perfect flight, as JSON."""
    return _path("proof_moment", draft_id=draft_id)


def runs() -> str:
    """Runs in progress and debriefs."""
    return _path("runs")


def station(run_id: str) -> str:
    """The trainee's station, or the instructor's view of it."""
    return _path("station", run_id=run_id)


def station_socket(run_id: str) -> str:
    """The station's socket."""
    return _path("station_socket", run_id=run_id)


def debrief(run_id: str) -> str:
    """The debrief of an ended run."""
    return _path("debrief", run_id=run_id)


def replay(run_id: str) -> str:
    """An ended run, moment by moment."""
    return _path("replay", run_id=run_id)


def moment(run_id: str) -> str:
    """The aircraft at one moment of an ended run, as JSON."""
    return _path("moment", run_id=run_id)


def fork(run_id: str) -> str:
    """Flies on from a moment of an ended run."""
    return _path("fork", run_id=run_id)


def appraise(run_id: str) -> str:
    """Keeps what an instructor says of a run."""
    return _path("appraise", run_id=run_id)


def override(run_id: str) -> str:
    """Overrides a verdict."""
    return _path("override", run_id=run_id)


def sign(run_id: str) -> str:
    """Signs a record."""
    return _path("sign", run_id=run_id)


def ledger_csv(run_id: str) -> str:
    """The ledger as a table."""
    return _path("ledger_csv", run_id=run_id)


def debrief_pdf(run_id: str) -> str:
    """The debrief on paper."""
    return _path("debrief_pdf", run_id=run_id)


def trace_csv(run_id: str) -> str:
    """Every quantity over time as a table."""
    return _path("trace_csv", run_id=run_id)


def import_log() -> str:
    """Takes a run log in and judges it."""
    return _path("import_log")


def compare(run_id: str, other_id: str) -> str:
    """Two runs of one exercise side by side."""
    return _path("compare", run_id=run_id, other_id=other_id)


def run_log(run_id: str) -> str:
    """The run log, to keep or to score elsewhere."""
    return _path("run_log", run_id=run_id)


def sign_in() -> str:
    """The sign-in page."""
    return _path("sign_in")


def sign_out() -> str:
    """Ends the sign-in."""
    return _path("sign_out")


def sign_out_everywhere() -> str:
    """Ends all sign-ins of whoever is signed in."""
    return _path("sign_out_everywhere")


def judge_again(run_id: str) -> str:
    """Has a run judged that could not be judged before."""
    return _path("judge_again", run_id=run_id)


def judging(run_id: str) -> str:
    """How far the judging of a run is, as JSON."""
    return _path("judging", run_id=run_id)


def first_instructor() -> str:
    """Where the very first account is made."""
    return _path("first_instructor")


def home() -> str:
    """Everybody's home page."""
    return _path("home")


def people() -> str:
    """The list of people."""
    return _path("people")


def add_person() -> str:
    """Adds one person."""
    return _path("add_person")


def person(person_id: str) -> str:
    """One person."""
    return _path("person", person_id=person_id)


def change_person(person_id: str) -> str:
    """Changes a person."""
    return _path("change_person", person_id=person_id)


def print_slips() -> str:
    """Makes slips with first passwords or links."""
    return _path("print_slips")


def class_list() -> str:
    """Takes in a class list."""
    return _path("class_list")


def class_list_template() -> str:
    """A class list to fill in."""
    return _path("class_list_template")


def groups() -> str:
    """All groups."""
    return _path("groups")


def add_group() -> str:
    """Adds a group."""
    return _path("add_group")


def group(group_id: str) -> str:
    """One group."""
    return _path("group", group_id=group_id)


def change_group(group_id: str) -> str:
    """Changes a group."""
    return _path("change_group", group_id=group_id)


def open_exercises(group_id: str) -> str:
    """Chooses what a group may practise."""
    return _path("open_exercises", group_id=group_id)


def account() -> str:
    """One's own account."""
    return _path("account")


def own_password() -> str:
    """Changes one's own password."""
    return _path("own_password")


def end_other_sign_ins() -> str:
    """Ends one's sign-ins elsewhere."""
    return _path("end_other_sign_ins")


def welcome(token: str) -> str:
    """Where the link of a slip leads."""
    return _path("welcome", token=token)


def join() -> str:
    """Joins a run by its code."""
    return _path("join")


def start_many(exercise_id: str) -> str:
    """Starts an exercise for many."""
    return _path("start_many", exercise_id=exercise_id)


def desks() -> str:
    """Lessons in the air."""
    return _path("desks")


def desk(lesson_id: str) -> str:
    """The desk of a lesson."""
    return _path("desk", lesson_id=lesson_id)


def watch(run_id: str) -> str:
    """What is new beside a station, as JSON."""
    return _path("watch", run_id=run_id)


def verdicts(run_id: str) -> str:
    """Verdicts so far."""
    return _path("verdicts", run_id=run_id)


def hand_over(run_id: str) -> str:
    """Puts another instructor in charge of a run."""
    return _path("hand_over", run_id=run_id)


def take_back(run_id: str) -> str:
    """Takes an accidental start back."""
    return _path("take_back", run_id=run_id)


def void_run(run_id: str) -> str:
    """Takes a run out of what counts."""
    return _path("void_run", run_id=run_id)


def archive_run(run_id: str) -> str:
    """Puts a run out of the usual lists."""
    return _path("archive_run", run_id=run_id)


def practise(exercise_id: str) -> str:
    """Flies an exercise by oneself."""
    return _path("practise", exercise_id=exercise_id)


def withdraw_exercise(exercise_id: str) -> str:
    """Takes an exercise out of what can be started."""
    return _path("withdraw_exercise", exercise_id=exercise_id)


def archive_draft(draft_id: str) -> str:
    """Puts a draft out of the usual list."""
    return _path("archive_draft", draft_id=draft_id)


def starting(exercise_id: str, key: str) -> str:
    """How far a lesson is that is being made ready."""
    return _path("starting", exercise_id=exercise_id, key=key)


def desk_socket(lesson_id: str) -> str:
    """The desk's socket."""
    return _path("desk_socket", lesson_id=lesson_id)


def sheet() -> str:
    """Takes in a checklist from a spreadsheet."""
    return _path("sheet")


def sheet_template(kind: str) -> str:
    """A spreadsheet to fill in, as CSV or XLSX."""
    return _path("sheet_template", kind=kind)


def logbook(person_id: str) -> str:
    """A person's record."""
    return _path("logbook", person_id=person_id)


def logbook_file(person_id: str, kind: str) -> str:
    """A person's logbook as CSV or XLSX."""
    return _path("logbook_file", person_id=person_id, kind=kind)


def class_record(group_id: str) -> str:
    """A class's record."""
    return _path("class_record", group_id=group_id)
