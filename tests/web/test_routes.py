"""Who may do what: every route of the application by every role, so that a new one cannot be forgotten."""

from __future__ import annotations

import re
from datetime import date

from fastapi.routing import APIRoute

from lumenstat.demo import DEMO_PEOPLE
from lumenstat.records.day_plans import plans_from
from lumenstat.records.drills import keep_drill
from lumenstat.standins.today import plan_today
from tests.web.conftest import Person, another
from tests.web.test_front import judged_run

STRANGER, OTHER, OWNER, INSTRUCTOR = range(4)
SIGN_IN = 303
"""Somebody who is not signed in is led to the sign-in page."""

OPEN_TO_ALL = {
    "/words/{language}.js",
    "/help",
    "/help/{topic}",
    "/",
    "/sign-in",
    "/sign-in/beside",
    "/first-instructor",
    "/health",
    "/join",
    "/welcome/{token}",
}
TEACHERS_ONLY = {
    "/exercises", "/exercises/{exercise_id}", "/drafts", "/drafts/{draft_id}", "/drafts/{draft_id}/parts",
    "/drafts/{draft_id}/start-state", "/drafts/{draft_id}/fair", "/drafts/{draft_id}/documents.zip", "/drafts/{draft_id}/{name}.yaml",
    "/drafts/{draft_id}/bundle.json", "/drafts/{draft_id}/card", "/drafts/{draft_id}/card.pdf",
    "/drafts/{draft_id}/flight", "/drafts/{draft_id}/flight/moment", "/drafts/sheet/template.{kind}",
    "/people", "/people/{person_id}", "/people/list", "/people/list/template.csv", "/groups", "/groups/{group_id}",
    "/groups/{group_id}/record", "/desk", "/desk/{lesson_id}", "/exercises/{exercise_id}/start-many", "/exercises/{exercise_id}/starting/{key}",
    "/runs/{run_id}/watch", "/runs/{run_id}/verdicts", "/courses", "/courses/{course_id}", "/courses/{course_id}/change",
    "/courses/{course_id}/progress.{kind}", "/courses/{course_id}/archive.zip", "/days",
    "/people.{kind}", "/groups/{group_id}/record.{kind}", "/exercises.{kind}", "/groups.{kind}",
}  # fmt: skip
ONES_OWN = {
    "/people/{person_id}/record", "/people/{person_id}/record.{kind}", "/people/{person_id}/drill/{key}", "/drills/{drill_id}",
    "/days/{plan_id}", "/days/{plan_id}/plan.{kind}", "/runs/{run_id}/record.{kind}",
    "/runs/{run_id}/station", "/runs/{run_id}/phone", "/runs/{run_id}/debrief", "/runs/{run_id}/replay", "/runs/{run_id}/moment",
    "/runs/{run_id}/ledger.csv", "/runs/{run_id}/trace.csv", "/runs/{run_id}/debrief.pdf", "/runs/{run_id}/log.jsonl",
    "/runs/{run_id}/beside/{other_id}", "/runs/{run_id}/judging",
}  # fmt: skip
EVERYBODYS = {"/runs", "/runs.{kind}", "/home", "/account", "/account/password"}
HEADS_ONLY = {"/school", "/school/archive.zip", "/audit", "/audit.{kind}"}
HEADS_FORMS = {
    "/school", "/school/backup", "/school/clear-out", "/school/send-again", "/school/archive", "/people/{person_id}/erase",
}  # fmt: skip
TEACHERS_FORMS = {
    "/exercises/{exercise_id}/start", "/drafts/new", "/drafts/{draft_id}/edit", "/drafts/{draft_id}/fly",
    "/drafts/{draft_id}/take", "/drafts/{draft_id}/publish", "/drafts/{draft_id}/prove", "/drafts/{draft_id}/fair", "/runs/import",
    "/runs/{run_id}/override", "/runs/{run_id}/appraisal", "/runs/{run_id}/sign", "/runs/{run_id}/judge-again",
    "/people", "/people/{person_id}", "/people/slips", "/people/list", "/groups", "/groups/{group_id}",
    "/groups/{group_id}/opened", "/exercises/{exercise_id}/start-many", "/exercises/{exercise_id}/withdraw",
    "/runs/{run_id}/hand-over", "/runs/{run_id}/take-back", "/runs/{run_id}/void", "/runs/{run_id}/archive",
    "/drafts/{draft_id}/archive", "/drafts/sheet", "/courses", "/courses/{course_id}/change", "/courses/{course_id}/people",
    "/days", "/days/{plan_id}/move", "/days/{plan_id}/drop", "/exercises/{exercise_id}/approve",
}  # fmt: skip
OWNERS_FORMS = {"/runs/{run_id}/fork"}
OTHER_FORMS = {
    "/sign-in", "/sign-in/beside", "/first-instructor", "/sign-out", "/sign-out-everywhere", "/join", "/welcome/{token}", "/account",
    "/account/password", "/account/keys", "/account/hints", "/account/other-sign-ins", "/exercises/{exercise_id}/practise", "/people/{person_id}/drill",
    "/drills/{drill_id}/again",
}  # fmt: skip


LEADS_ON = {"/desk": 303, "/exercises/{exercise_id}/starting/{key}": 404, "/people/{person_id}/drill/{key}": 404}
"""What an instructor gets where it is not simply the page."""


def routes(app: object) -> list[tuple[str, str, APIRoute]]:
    from soak.fuzz import routes_of

    return [(method, route.path, route) for route in routes_of(app) for method in sorted(route.methods or ())]  # type: ignore[arg-type]


def test_every_route_is_in_the_table(odile: Person) -> None:
    found = {(method, path) for method, path, _ in routes(odile.client.app)}
    table = {("GET", path) for path in OPEN_TO_ALL | TEACHERS_ONLY | ONES_OWN | EVERYBODYS | HEADS_ONLY}
    table |= {("POST", path) for path in TEACHERS_FORMS | OWNERS_FORMS | OTHER_FORMS | HEADS_FORMS}
    assert found == table


def test_every_page_by_every_role(odile: Person, ines: Person) -> None:
    run = judged_run(odile, ines)
    tobias = another(odile.client)
    assert tobias.sign_in("tobias") == 303
    roles = (another(odile.client), tobias, ines, odile)
    draft = a_draft(odile)
    LESSON[0] = a_lesson(odile)
    DRILL[0], PLAN[0] = a_drill(odile), a_plan(odile)
    query = {
        "/runs/{run_id}/moment": "?t=1",
        "/drafts/{draft_id}/flight/moment": "?t=1",
        "/groups/{group_id}/record.{kind}": "?exercise=guided-power-up",
    }
    wrong = {}
    for method, path, _ in routes(odile.client.app):
        if method != "GET" or path in OPEN_TO_ALL:
            continue
        address = filled(path, run, draft) + query.get(path, "")
        statuses = [each.client.get(address, follow_redirects=False).status_code for each in roles]
        expected = [SIGN_IN, 403, 403, LEADS_ON.get(path, 200)]
        if path in ONES_OWN:
            own = LEADS_ON.get(path, 303 if path.endswith(("station", "phone")) else 200)
            # Tobias stands in the same class as Ines, so that the day's plan is his too.
            expected = [SIGN_IN, 200 if path.startswith("/days") else 404, own, own]
        elif path in HEADS_ONLY:
            expected = [SIGN_IN, 403, 403, 403]
        elif path in EVERYBODYS:
            expected = [SIGN_IN, 200, 200, 200]
        if statuses != expected:
            wrong[path] = (statuses, expected)
    assert wrong == {}


def test_every_form_by_every_role_that_may_not_send_it(odile: Person, ines: Person) -> None:
    run = judged_run(odile, ines)
    tobias = another(odile.client)
    assert tobias.sign_in("tobias") == 303
    stranger, draft = another(odile.client), a_draft(odile)
    fields = {
        "trainee": "2", "begins": "nothing", "title": "T", "airframe": "rowan-r2", "edition": "0", "verb": "undo", "run": run,
        "item": "log", "verdict": "done", "points": "1", "reason": "For a good reason.", "t": "1",
    }  # fmt: skip
    wrong = {}
    for path in TEACHERS_FORMS | OWNERS_FORMS | HEADS_FORMS:
        files = {"log": ("log.jsonl", b"x")} if path == "/runs/import" else None
        for person, page, expected in (
            (stranger, "/sign-in", {303}),
            (tobias, "/runs", {404} if path in OWNERS_FORMS else {403}),
            (ines, "/runs", {303} if path in OWNERS_FORMS else {403}),
            *(((odile, "/runs", {403}),) if path in HEADS_FORMS else ()),
        ):
            form = {**fields, "csrf": person.token(page)}
            answer = person.client.post(filled(path, run, draft), data=form, files=files, follow_redirects=False)
            led_away = answer.status_code != 303 or "sign-in" in answer.headers["location"] or path in OWNERS_FORMS
            if answer.status_code not in expected or not led_away:
                wrong[path, page] = answer.status_code
    assert wrong == {}


def a_draft(odile: Person) -> str:
    form = {"csrf": odile.token("/drafts"), "begins": "copy", "exercise": "guided-power-up"}
    answer = odile.client.post("/drafts/new", data=form, follow_redirects=False)
    return answer.headers["location"].split("/")[2]


INES = str(1 + next(n for n, (_, name, _) in enumerate(DEMO_PEOPLE) if name == "ines"))
LESSON, DRILL, PLAN = ["none"], ["none"], ["none"]
"""The lesson, the drill and the plan of these addresses."""


def a_drill(odile: Person) -> str:
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    return str(database.write(lambda s: keep_drill(s, int(INES), 3, "Odile Marrash", (), "e")))


def a_plan(odile: Person) -> str:
    database = odile.client.app.state.database  # type: ignore[attr-defined]
    database.write(plan_today)
    return str(database.read(lambda s: plans_from(s, date(2000, 1, 1)))[0].id)


def a_lesson(odile: Person) -> str:
    form = {"csrf": odile.token("/exercises/guided-power-up/start-many"), "trainees": "7"}
    answer = odile.client.post("/exercises/guided-power-up/start-many", data=form, follow_redirects=False)
    return answer.headers["location"].split("/")[2]


def filled(path: str, run: str, draft: str) -> str:
    parts = {
        "run_id": run, "other_id": run, "draft_id": draft, "exercise_id": "guided-power-up", "name": "exercise",
        "drill_id": DRILL[0], "plan_id": PLAN[0], "course_id": "1", "person_id": INES, "group_id": "1", "kind": "csv", "key": "none", "language": "de", "topic": "station", "lesson_id": LESSON[0], "token": "none",
    }  # fmt: skip
    if path.startswith("/runs/"):
        parts["kind"] = "json"
    return re.sub(r"\{(\w+)\}", lambda found: parts[found.group(1)], path)
