"""A small record store for statements, to try the sending with: it keeps them in a file, and refuses what is wrong.

It stands in for a school's own. It takes xAPI 1.0.3 statements at `/statements`, with a key as Basic authorisation,
answers a statement that it has already as the rules say, and can be told to be out of order for the first few calls.
"""

from __future__ import annotations

import base64
import hmac
import json
import sqlite3
import threading
import uuid
from contextlib import closing
from pathlib import Path
from typing import Any

from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

VERSION_HEADER = "X-Experience-API-Version"
LARGEST_BYTES = 2_000_000
NEEDED = ("actor", "verb", "object")
SHOWN_AT_MOST = 100
TABLE = "CREATE TABLE IF NOT EXISTS statements (id TEXT PRIMARY KEY, content TEXT, taken INTEGER)"


class StatementFile:
    """The statements in a SQLite file of their own."""

    def __init__(self, path: Path) -> None:
        self.path, self._lock = path, threading.Lock()
        with closing(self._open()) as connection, connection:
            connection.execute(TABLE)

    def _open(self) -> sqlite3.Connection:
        return sqlite3.connect(self.path, timeout=10)

    def take(self, statements: list[dict[str, Any]]) -> str | None:
        """Keep all of them or none; what is in the way is said. One that is kept already, word for word, is fine."""
        with self._lock, closing(self._open()) as connection:
            for each in statements:
                text = json.dumps(each, sort_keys=True)
                row = connection.execute("SELECT content FROM statements WHERE id = ?", (each["id"],)).fetchone()
                if row is not None and row[0] != text:
                    connection.rollback()
                    return f"statement {each['id']} is kept already and says something else"
                connection.execute(
                    "INSERT INTO statements VALUES (?, ?, 1) ON CONFLICT (id) DO UPDATE SET taken = taken + 1",
                    (each["id"], text),
                )
            connection.commit()
        return None

    def all(self) -> list[tuple[dict[str, Any], int]]:
        """Every statement, with how often it came."""
        with closing(self._open()) as connection:
            rows = connection.execute("SELECT content, taken FROM statements ORDER BY rowid").fetchall()
        return [(json.loads(content), taken) for content, taken in rows]


def problem_of(statement: object) -> str | None:
    """What is wrong with a statement, if anything is."""
    if not isinstance(statement, dict):
        return "a statement is an object"
    try:
        uuid.UUID(str(statement.get("id")))
    except ValueError:
        return f"{statement.get('id')!r} is no id of a statement"
    for name in NEEDED:
        if not isinstance(statement.get(name), dict):
            return f"statement {statement['id']} has no {name}"
    if "://" not in str(statement["verb"].get("id")) or "://" not in str(statement["object"].get("id")):
        return f"statement {statement['id']}: verb and object are named by an address"
    scaled = statement.get("result", {}).get("score", {}).get("scaled", 0)
    if not isinstance(scaled, int | float) or not -1 <= scaled <= 1:
        return f"statement {statement['id']}: a scaled score goes from -1 to 1"
    return None


def record_store(path: Path, key: str, out_of_order: int = 0) -> Starlette:
    """The record store; the first `out_of_order` calls are answered with 503."""
    kept, calls = StatementFile(path), {"left": out_of_order}

    def refused(request: Request) -> Response | None:
        sent = request.headers.get("authorization", "").removeprefix("Basic ")
        if not hmac.compare_digest(sent.encode(), base64.b64encode(key.encode())):
            return JSONResponse({"error": "that key is not known here"}, 401)
        if not request.headers.get(VERSION_HEADER, "").startswith("1.0"):
            return JSONResponse({"error": f"{VERSION_HEADER} 1.0.x is needed"}, 400)
        return None

    async def take(request: Request) -> Response:
        if (answer := refused(request)) is not None:
            return answer
        if calls["left"] > 0:
            calls["left"] -= 1
            return JSONResponse({"error": "out of order at the moment"}, 503)
        body = await request.body()
        if len(body) > LARGEST_BYTES:
            return JSONResponse({"error": "that is too much at once"}, 413)
        try:
            read = json.loads(body)
        except ValueError:
            return JSONResponse({"error": "that is no JSON"}, 400)
        statements = read if isinstance(read, list) else [read]
        if problem := next((each for each in map(problem_of, statements) if each), None):
            return JSONResponse({"error": problem}, 400)
        if conflict := kept.take(statements):
            return JSONResponse({"error": conflict}, 409)
        return JSONResponse([each["id"] for each in statements], headers={VERSION_HEADER: "1.0.3"})

    def show(request: Request) -> Response:
        if (answer := refused(request)) is not None:
            return answer
        found = [statement for statement, _ in kept.all()][-SHOWN_AT_MOST:]
        return JSONResponse({"statements": found, "more": ""}, headers={VERSION_HEADER: "1.0.3"})

    routes = [Route("/statements", take, methods=["POST"]), Route("/statements", show, methods=["GET"])]
    app = Starlette(routes=routes)
    app.state.kept = kept
    return app
