"""The station's socket: JSON objects both ways.

In:  {"id": text, "verb": ..., "args": {...}}, a release with {"held": seconds} in the hand beside; or {"open": item}.
Out: {"type": "state", ...} with what changed, {"type": "done", "id"}, {"type": "refused", "id", "says"},
     {"type": "ended"}, {"type": "stopped", "says"}.
Closed with 4401 when signed out, 4403 for a foreign page, 4404 where there is no such run.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
from collections.abc import Awaitable
from typing import Any

import anyio
from fastapi import APIRouter, WebSocket, WebSocketDisconnect

from lumenstat.errors import LumenstatError
from lumenstat.records.runs import find_run
from lumenstat.runs.hub import Hub
from lumenstat.runs.hub import Viewer as HubViewer
from lumenstat.web.security import Viewer, same_origin, viewer_of

router = APIRouter()
log = logging.getLogger("lumenstat.station")

ENDED, SIGNED_OUT, FOREIGN, NO_RUN, TOO_SLOW = 1000, 4401, 4403, 4404, 4408
CHECK_SIGN_IN_SECONDS = 15.0
HELD_LONGEST = 3600


@router.websocket("/runs/{run_id}/socket")
async def station_socket(socket: WebSocket, run_id: str) -> None:
    """Serve one station or one onlooker."""
    await socket.accept()
    if not same_origin(socket):
        await socket.close(FOREIGN)
        return
    viewer = viewer_of(socket)
    if viewer is None:
        await socket.close(SIGNED_OUT)
        return
    try:
        run = socket.app.state.database.read(lambda session: find_run(session, run_id))
    except LumenstatError:
        await socket.close(NO_RUN)
        return
    if not viewer.is_instructor and run.trainee_id != viewer.id:
        await socket.close(NO_RUN)
        return
    if run.state == "ended":
        await socket.send_json({"type": "ended"})
        await socket.close()
        return
    await _serve(socket, run_id, viewer, by="trainee" if run.trainee_id == viewer.id else "instructor")


async def _serve(socket: WebSocket, run_id: str, viewer: Viewer, by: str) -> None:
    hub: Hub = socket.app.state.hub
    seat, whole = hub.join(run_id)
    codes: list[int | None] = []

    async def until_first(part: Awaitable[int | None]) -> None:
        codes.append(await part)
        group.cancel_scope.cancel()

    try:
        async with anyio.create_task_group() as group:
            group.start_soon(until_first, _send(socket, seat, whole))
            group.start_soon(until_first, _receive(socket, hub, seat, run_id, by))
            group.start_soon(until_first, _watch_sign_in(socket))
    finally:
        hub.leave(run_id, seat)
    if codes and codes[0] is not None:
        with contextlib.suppress(RuntimeError):
            await socket.close(codes[0])


async def _send(socket: WebSocket, seat: HubViewer, whole: dict[str, Any]) -> int | None:
    frame = whole
    try:
        while not seat.lost:
            await socket.send_json(frame)
            if frame["type"] == "ended":
                return ENDED
            frame = await seat.queue.get()
    except (WebSocketDisconnect, RuntimeError):
        return None
    return TOO_SLOW


async def _watch_sign_in(socket: WebSocket) -> int:
    """A sign-in that runs out closes the socket, so that nobody acts in the name of somebody who left."""
    while True:
        await asyncio.sleep(CHECK_SIGN_IN_SECONDS)
        if viewer_of(socket) is None:
            return SIGNED_OUT


async def _receive(socket: WebSocket, hub: Hub, seat: HubViewer, run_id: str, by: str) -> int | None:
    while True:
        try:
            text = await socket.receive_text()
        except (WebSocketDisconnect, RuntimeError):
            return None
        except KeyError:
            seat.send({"type": "refused", "id": None, "says": "Send text, not bytes."})
            continue
        if viewer_of(socket) is None:
            return SIGNED_OUT
        seat.send(await _answer(hub, run_id, by, text))


async def _answer(hub: Hub, run_id: str, by: str, text: str) -> dict[str, Any]:
    """Carry a message out; whatever is wrong with it is said, and the run goes on."""
    try:
        message = json.loads(text)
    except (json.JSONDecodeError, RecursionError):
        return _refused(None, "A message is one JSON object.")
    if not isinstance(message, dict):
        return _refused(None, "A message is one JSON object.")
    if isinstance(message.get("open"), str):
        await hub.open_item(run_id, message["open"])
        return {"type": "done", "id": None}
    client_id = message.get("id")
    if not isinstance(client_id, str) or not 1 <= len(client_id) <= 64:
        return _refused(None, "An action needs an `id` of 1 to 64 characters.")
    verb = message.get("verb")
    if not isinstance(verb, str):
        return _refused(client_id, "An action needs a `verb`.")
    held = message.get("held", 0.0)
    if isinstance(held, bool) or not isinstance(held, int | float) or not 0 <= held <= HELD_LONGEST:
        return _refused(client_id, f"`held` is for how many seconds the button was in, 0 to {HELD_LONGEST}.")
    try:
        done = await hub.act(run_id, by, verb, message.get("args", {}), client_id, held)
    except LumenstatError as error:
        return _refused(client_id, str(error))
    except Exception:
        log.exception("run %s: an action failed", run_id)
        return _refused(client_id, "That could not be stored, so it did not happen. Try it again.")
    return {"type": "done", "id": client_id, **done}


def _refused(client_id: str | None, says: str) -> dict[str, Any]:
    return {"type": "refused", "id": client_id, "says": says}
