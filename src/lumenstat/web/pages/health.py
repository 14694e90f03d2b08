"""Whether the server is well: for a monitor that asks now and then. Nothing in it is a secret."""

from __future__ import annotations

import os
from datetime import timedelta
from pathlib import Path
from typing import Any

from fastapi import APIRouter, Request, Response
from fastapi.responses import JSONResponse

from lumenstat.errors import StorageError
from lumenstat.records.marks import LAST_BACKUP, mark
from lumenstat.records.people import now

router = APIRouter()

SLOWEST_COMMIT_SECONDS = 5.0
LEAST_FREE_BYTES = 200_000_000
OLDEST_BACKUP = timedelta(days=2)


@router.get("/health")
def health(request: Request) -> Response:
    """One JSON object: `ok`, what is wrong in words, and the figures. 503 where people cannot work."""
    state = request.app.state
    parts: dict[str, dict[str, Any]] = {
        "writer": _writer(state.database.writer),
        "judges": {"waiting": state.judges.waiting, "replaced": state.judges.worker.replaced},
        "disk": _disk(state.settings.database),
        "backup": {},
        "runs": _runs(state.hub),
    }
    try:
        parts["backup"] = _backup(request)
    # A database that cannot be read is a finding, and no reason to say nothing about the rest.
    except StorageError as error:
        parts["database"] = {"grave": str(error)}
    grave = [each["grave"] for each in parts.values() if "grave" in each]
    warns = [each["warns"] for each in parts.values() if "warns" in each]
    return JSONResponse({"ok": not grave, "says": grave + warns, **parts}, 503 if grave else 200)


def _writer(writer: Any) -> dict[str, Any]:
    found: dict[str, Any] = {"alive": writer.failed is None, "waiting": writer.waiting}
    if writer.failed is not None:
        found["grave"] = "Nothing can be stored any more; the server is ending."
    elif writer.busy_seconds > SLOWEST_COMMIT_SECONDS:
        found["grave"] = f"The disk has taken nothing for {writer.busy_seconds:.0f} s."
    return found


def _runs(hub: Any) -> dict[str, Any]:
    """How many runs are live, and how late beats came: all but a hundredth of them, and the latest of all."""
    late = sorted(hub.lateness)
    most, nearly = (late[-1], late[int(0.99 * len(late))]) if late else (0.0, 0.0)
    return {"open": hub.open_count, "late_p99_ms": round(1000 * nearly, 1), "late_most_ms": round(1000 * most, 1)}


def _disk(path: Path) -> dict[str, Any]:
    try:
        room = os.statvfs(path.resolve().parent)
    except OSError as error:
        return {"grave": f"The disk cannot be looked at: {error.strerror}."}
    # What this user may still take, not what root could.
    free = room.f_bavail * room.f_frsize
    found: dict[str, Any] = {"free_bytes": free}
    if free < LEAST_FREE_BYTES:
        found["warns"] = f"The disk has {free / 1e6:.0f} MB left."
    return found


def _backup(request: Request) -> dict[str, Any]:
    last = request.app.state.database.read(lambda session: mark(session, LAST_BACKUP))
    if last is None:
        return {"age_hours": None, "warns": "There is no backup yet."}
    age = now() - last[1]
    found: dict[str, Any] = {"age_hours": round(age.total_seconds() / 3600, 1)}
    if age > OLDEST_BACKUP:
        found["warns"] = f"The last good backup is {age.days} days old."
    return found
