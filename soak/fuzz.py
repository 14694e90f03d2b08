"""Sends what nobody should: texts, figures, forms, files, edits, messages and addresses made at random from a seed.

Nothing may answer with an error of the server's own (5xx), end a run, or let memory grow.
"""

from __future__ import annotations

import asyncio
import json
import random
import re
import resource
import tempfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any
from urllib.parse import quote

from fastapi.routing import APIRoute
from fastapi.testclient import TestClient

from lumenstat.demo import DEMO_PASSWORD
from lumenstat.documents.loading import load_text
from lumenstat.documents.runlog import VERBS, parse_log
from lumenstat.errors import LumenstatError
from lumenstat.settings import Settings
from lumenstat.web.app import create_app
from lumenstat.web.front import Lumenstat
from lumenstat.web.live.station import _answer
from lumenstat.web.pages.builder_edits import VERBS as EDITS

ORIGIN = {"origin": "http://testserver"}
SELDOM = {"/drafts/{draft_id}/prove", "/sign-out", "/sign-out-everywhere", "/sign-in"}
"""Addresses that start processes, hash passwords or end the fuzzer's own sign-in: one try in some hundreds."""
NASTY = (
    "", " ", "\x00", "\ud800", "\udfff\ud800", "\ufffe", "é", "𝔘", "a" * 5000, "-1", "0", "9" * 400, "1e400", "NaN", "-inf",
    "true", "null", "{}", "[]", "[" * 3000, "'; DROP TABLE runs;--", "<script>", "../../etc/passwd", "%00", "\n\r\t", "=1+1",
    "!!python/object:os.system", "&a [*a]", "held(time > 0, 1)", "since(", "a.b.c", "__import__('os')", "\u202e", "０",
)  # fmt: skip
HOW_MANY_OF_A_KIND = {"requests": 0.3, "messages": 0.45, "edits": 0.03, "logs": 0.19, "documents": 0.03}
NAMES = ("csrf", "page", "id", "item", "verb", "args", "text", "t", "format", "start", "kind", "control", "to")


class Fuzz:
    """Makes things at random; the same ones from the same seed."""

    def __init__(self, seed: int) -> None:
        self.rng = random.Random(seed)

    def text(self) -> str:
        """A text, nasty or ordinary."""
        rng = self.rng
        if rng.random() < 0.6:
            return rng.choice(NASTY)
        return "".join(
            chr(rng.choice((rng.randrange(32, 127), rng.randrange(1, 0x3000)))) for _ in range(rng.randrange(12))
        )

    def figure(self) -> float:
        """A figure of any size."""
        return self.rng.choice(
            (0, -1, 1, 3.5, 2**31, 2**63, 2**64, -(2**63), 10**30, 1e308, 1e-320, self.rng.random() * 100)
        )

    def value(self, depth: int = 0) -> Any:
        """A value as JSON has them."""
        rng = self.rng
        match rng.randrange(8 if depth < 3 else 5):
            case 0 | 1:
                return self.text()
            case 2:
                return self.figure()
            case 3:
                return rng.choice((True, False, None))
            case 4:
                return rng.choice(NAMES)
            case 5 | 6:
                return {rng.choice((*NAMES, self.text())): self.value(depth + 1) for _ in range(rng.randrange(4))}
            case _:
                return [self.value(depth + 1) for _ in range(rng.randrange(4))]

    def mangled(self, text: str) -> str:
        """A text with something put in, taken out or doubled."""
        rng = self.rng
        for _ in range(rng.randrange(1, 4)):
            at = rng.randrange(len(text) + 1)
            match rng.randrange(4):
                case 0:
                    text = text[:at] + self.text() + text[at:]
                case 1:
                    text = text[:at] + text[at + rng.randrange(20) :]
                case 2:
                    text = text[:at] + text[max(0, at - 30) :]
                case _:
                    text = text[:at] + rng.choice("{}[]:,\"'-#&*!|>%@`") + text[at:]
        return text


class Attack:
    """An application of its own with a run, a draft and three people, and what answered wrongly."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.fuzz = Fuzz(seed)
        self.app: Lumenstat = create_app(Settings(database=folder / "fuzz.sqlite", demo=True, idle_minutes=1000))
        self.wrong: list[str] = []
        self.statuses: Counter[int] = Counter()

    def run(self, tries: int) -> dict[str, Any]:
        """So many tries of all kinds; gives what came of them."""
        with TestClient(self.app, headers=ORIGIN, raise_server_exceptions=False) as client:
            self._set_up(client)
            self._some(client, tries // 20)
            before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
            self._some(client, tries - tries // 20)
            after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
            assert client.get("/health").json()["writer"]["alive"]
        statuses = {str(status): count for status, count in sorted(self.statuses.items())}
        return {
            "tries": tries,
            "wrong": len(self.wrong),
            "first_wrong": self.wrong[:5],
            "answers": statuses,
            "megabytes_grown": round(after - before, 1),
        }

    def _set_up(self, client: TestClient) -> None:
        self.people = [TestClient(self.app, headers=ORIGIN, raise_server_exceptions=False) for _ in range(3)]
        for person, name in zip(self.people, (None, "ines", "odile"), strict=True):
            person.portal = client.portal
            if name is not None:
                form = {"csrf": self._token(person, "/sign-in"), "sign_in_name": name, "password": DEMO_PASSWORD}
                assert person.post("/sign-in", data=form, follow_redirects=False).status_code == 303
        odile = self.people[2]
        exercise = "/exercises/guided-power-up"
        number = re.search(r'value="(\d+)">Ines', odile.get(exercise).text)
        form = {"csrf": self._token(odile, exercise), "trainee": number.group(1) if number else ""}
        self.run_id = (
            odile.post(f"{exercise}/start", data=form, follow_redirects=False).headers["location"].split("/")[2]
        )
        form = {"csrf": self._token(odile, "/drafts"), "begins": "copy", "exercise": "guided-power-up"}
        made = odile.post("/drafts/new", data=form, follow_redirects=False)
        self.draft_id = made.headers["location"].split("/")[2]
        self.routes = [(route, method) for route in routes_of(self.app) for method in sorted(route.methods or ())]
        self.log = odile.get(f"/runs/{self.run_id}/log.jsonl").text
        self.text = odile.get(f"/drafts/{self.draft_id}/checklist-1.yaml").text

    @staticmethod
    def _token(person: TestClient, path: str) -> str:
        found = re.search(r'name="csrf"\s+value="([^"]+)"', person.get(path).text)
        return found.group(1) if found else ""

    def _some(self, client: TestClient, tries: int) -> None:
        kinds: dict[str, Callable[[TestClient], None]] = {
            "requests": self._request,
            "edits": self._edit,
            "logs": self._log,
            "documents": self._document,
        }
        for kind, share in HOW_MANY_OF_A_KIND.items():
            if kind == "messages":
                assert client.portal is not None
                client.portal.call(self._messages, int(tries * share))
                continue
            for _ in range(int(tries * share)):
                kinds[kind](client)

    def _note(self, what: str, status: int) -> None:
        self.statuses[status] += 1
        if status >= 500 and status != 503:
            self.wrong.append(f"{status}: {what[:300]}")

    def _request(self, _: TestClient) -> None:
        fuzz, rng = self.fuzz, self.fuzz.rng
        route, method = rng.choice(self.routes)
        if route.path in SELDOM and rng.random() > 0.003:
            return
        person = rng.choice(self.people)
        path = re.sub(r"\{(\w+)\}", lambda m: self._part(m.group(1)), route.path)
        names = [each.alias for each in (*route.dependant.query_params, *route.dependant.body_params)]
        params = {name: fuzz.text().encode("utf-8", "replace").decode() for name in names if rng.random() < 0.7}
        if method == "GET":
            answer = person.get(path, params=params, follow_redirects=False)
        else:
            form = {**params, "csrf": self._csrf(person) if rng.random() < 0.8 else fuzz.text()}
            answer = self._post(person, path, form)
        self._note(f"{method} {path} {params!r}", answer.status_code)

    def _csrf(self, person: TestClient) -> str:
        return self._token(
            person, "/runs" if person is self.people[1] else "/sign-in" if person is self.people[0] else "/drafts"
        )

    def _post(self, person: TestClient, path: str, form: dict[str, str]) -> Any:
        rng, fuzz = self.fuzz.rng, self.fuzz
        content = {name: value.encode("utf-8", "replace") for name, value in form.items()}
        match rng.randrange(4):
            case 0:
                files = {
                    rng.choice(("files", "log")): (
                        rng.choice(("a.yaml", "\u202e.csv")),
                        fuzz.text().encode("utf-8", "replace"),
                    )
                }
                return person.post(path, data=content, files=files, follow_redirects=False)
            case 1:
                raw = "&".join(f"{name}={quote(value)}" for name, value in content.items()).encode()
                kind = {"content-type": "application/x-www-form-urlencoded"}
                return person.post(path, content=raw, headers=kind, follow_redirects=False)
            case 2:
                kind = {
                    "content-type": rng.choice(
                        ("application/json", "multipart/form-data; boundary=x", "text/plain; charset=utf-7")
                    )
                }
                return person.post(
                    path, content=fuzz.text().encode("utf-8", "replace"), headers=kind, follow_redirects=False
                )
            case _:
                return person.post(path, data=content, follow_redirects=False)

    def _part(self, name: str) -> str:
        known = {
            "run_id": self.run_id,
            "other_id": self.run_id,
            "draft_id": self.draft_id,
            "exercise_id": "guided-power-up",
        }
        if self.fuzz.rng.random() < 0.7 and name in known:
            return known[name]
        return quote(self.fuzz.text().encode("utf-8", "replace").decode()[:300], safe="") or "x"

    def _edit(self, _: TestClient) -> None:
        rng, odile = self.fuzz.rng, self.people[2]
        page = odile.get(f"/drafts/{self.draft_id}").text
        edition, csrf = re.search(r'data-edition="(\d+)"', page), re.search(r'name="csrf"\s+value="([^"]+)"', page)
        args: Any = self.fuzz.value()
        if rng.random() < 0.7:
            args = {name: self.fuzz.value(1) for name in ("item", "fields", "kind", "control", "to", "which", "text", "list", "after", "number", "branch", "do", "by", "part", "name", "section", "rule", "reason", "weight")}  # fmt: skip
            args |= (
                {"which": rng.choice(("exercise", "0", "9")), "text": self.fuzz.mangled(self.text)}
                if rng.random() < 0.3
                else {}
            )
        form = {
            "csrf": csrf.group(1) if csrf else "",
            "edition": edition.group(1) if edition else "0",
            "verb": rng.choice((*EDITS, "undo", "redo")),
            "args": json.dumps(args),
        }
        answer = odile.post(f"/drafts/{self.draft_id}/edit", data=form)
        self._note(f"edit {form['verb']} {form['args']}", answer.status_code)
        self._note("the draft's page", odile.get(f"/drafts/{self.draft_id}").status_code)

    def _log(self, _: TestClient) -> None:
        try:
            parse_log(self.fuzz.mangled(self.log + '{"t": 1, "by": "trainee", "set": {"control": "a", "to": "b"}}\n'))
        except LumenstatError:
            self.statuses[422] += 1
        else:
            self.statuses[200] += 1

    def _document(self, _: TestClient) -> None:
        load_text(self.fuzz.mangled(self.text)[:8000], "checklist.yaml")
        self.statuses[200] += 1

    async def _messages(self, tries: int) -> None:
        rng = self.fuzz.rng
        for number in range(tries):
            message: Any = self.fuzz.value()
            if rng.random() < 0.8:
                verb = rng.choice((*VERBS, "open"))
                args = {name: self.fuzz.value(1) for name in ("control", "to", "item", "instrument", "reading", "judgement", "text") if rng.random() < 0.5}  # fmt: skip
                message = {"id": f"f{number}" if rng.random() < 0.9 else self.fuzz.value(), "verb": verb, "args": args}
                if verb in ("finish", "release"):
                    continue
            text = json.dumps(message)
            if rng.random() < 0.2:
                text = self.fuzz.mangled(text)
            answer = await _answer(self.app.state.hub, self.run_id, rng.choice(("trainee", "instructor")), text)
            wrong = answer["type"] not in ("done", "refused") or "Try it again" in str(answer.get("says"))
            self._note(f"message {text}", 500 if wrong else 200)
            if number % 500 == 0:
                await asyncio.sleep(0)


def routes_of(app: Lumenstat) -> list[APIRoute]:
    """Every page and file that the application answers with, by whatever way it was put together."""
    found: list[APIRoute] = []
    left = list(app.routes)
    while left:
        route = left.pop(0)
        if isinstance(route, APIRoute):
            found.append(route)
        left += getattr(getattr(route, "original_router", None), "routes", [])
    return found


def fuzz(tries: int, seed: int = 1) -> dict[str, Any]:
    """So many tries on an application of their own."""
    with tempfile.TemporaryDirectory() as folder:
        return Attack(Path(folder), seed).run(tries)
