"""The station's socket: JSON objects both ways, as `messages` has them.

Closed with 4401 when signed out, 4403 for a foreign page, 4404 where there is no such run, 4408 for a viewer that could
not keep up, 4429 for one that sends too much.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Awaitable
from typing import Any

import anyio
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from sqlalchemy.orm import Session

from lumenstat.errors import LumenstatError, RecordError, StorageError
from lumenstat.language.wording import Names, phrase
from lumenstat.records.exercises import bundle_of
from lumenstat.records.runs import facts_of, find_run
from lumenstat.runs.seats import Seat, encoded
from lumenstat.web.live.messages import MessageRefused, Open, Ping, read_message
from lumenstat.web.security import SignedSocket, Viewer, same_origin, viewer_of

router = APIRouter()
log = logging.getLogger("lumenstat.station")

ENDED, SIGNED_OUT, FOREIGN, NO_RUN, TOO_SLOW, TOO_MUCH, NOT_NOW = 1000, 4401, 4403, 4404, 4408, 4429, 1013
ENDED_TEXT = encoded({"type": "ended"})
CHECK_SIGN_IN_SECONDS = 15.0
VERBS_OF = {"crew": frozenset({"request"}), "observer": frozenset[str]()}
"""What somebody may do who joined for a part of a run."""
PARTS_SAY = {
    "crew": phrase("From the crew line only the ground crew can be asked."),
    "observer": phrase("You look on in this exercise."),
}
MESSAGES_A_SECOND, MESSAGES_AT_ONCE = 30.0, 120.0
"""More than any hand sends; a page that comes back after a long gap sends all that it kept at once."""


@router.websocket("/runs/{run_id}/socket")
async def station_socket(socket: WebSocket, run_id: str) -> None:
    """Serve one station or one onlooker; one that is gone before it is greeted is nobody's trouble."""
    with contextlib.suppress(WebSocketDisconnect, RuntimeError):
        await _greet(socket, run_id)


async def _greet(socket: WebSocket, run_id: str) -> None:
    # Accepted before it is looked at: only then can it be told why it is closed.
    await socket.accept()
    if not same_origin(socket):
        await socket.close(FOREIGN)
        return
    try:
        viewer = viewer_of(socket)
        if viewer is None:
            await socket.close(SIGNED_OUT)
            return
        run = socket.app.state.database.read(lambda session: facts_of(session, run_id))
        bundle = socket.app.state.database.read(lambda session: bundle_of(session, run.digest))
    except RecordError:
        await socket.close(NO_RUN)
        return
    except StorageError:
        await socket.close(NOT_NOW)
        return
    if not viewer.is_instructor and run.trainee_id != viewer.id:
        await socket.close(NO_RUN)
        return
    if run.state == "ended":
        await socket.send_json({"type": "ended"})
        await socket.close()
        return
    await _serve(
        socket,
        run_id,
        viewer,
        by="trainee" if run.trainee_id == viewer.id else "instructor",
        names=bundle.names_in(viewer.language),
    )


async def _serve(socket: WebSocket, run_id: str, viewer: Viewer, by: str, names: Names | None) -> None:
    hub = socket.app.state.hub
    seat = Seat(flies=by == "trainee", counts=viewer.part is None, language=viewer.language, names=names)
    try:
        await hub.join(run_id, seat)
    except LumenstatError as error:
        log.warning("run %s could not be opened: %s", run_id, error)
        await socket.close(NOT_NOW)
        return
    # Observers and the crew's line may come and go without holding the clock.
    holding = _Holding(socket.app.state, run_id) if seat.flies and seat.counts else None
    if holding is not None:
        await holding.back()
    codes: list[int | None] = []
    signed = SignedSocket(socket)

    async def until_first(part: Awaitable[int | None]) -> None:
        codes.append(await part)
        group.cancel_scope.cancel()

    try:
        async with anyio.create_task_group() as group:
            group.start_soon(until_first, _send(socket, seat))
            group.start_soon(until_first, _receive(socket, seat, run_id, by, signed, viewer.part))
            group.start_soon(until_first, _watch_sign_in(signed))
    finally:
        hub.leave(run_id, seat)
        # Only when the last of several windows is gone.
        if holding is not None and not hub.linked(run_id):
            holding.begin()
    if codes and codes[0] is not None:
        with contextlib.suppress(RuntimeError):
            await socket.close(codes[0])


class _Holding:
    """Holds the clock of a run whose exercise wants that while the trainee's station is not linked.

    What it does stands in the log as the instructor's, with the reason.
    """

    def __init__(self, state: Any, run_id: str) -> None:
        self.state, self.run_id = state, run_id

    def begin(self) -> None:
        """The last station of the trainee has gone: hold the clock, whatever becomes of the socket."""
        task = asyncio.get_running_loop().create_task(self._lost())
        self.state.link_tasks.add(task)
        task.add_done_callback(self.state.link_tasks.discard)

    async def _lost(self) -> None:
        if await asyncio.to_thread(self.state.database.read, self._wants_it) and await self._did("freeze"):
            self.state.held_for_link.add(self.run_id)
            await self._did("note", text="The link to the station was lost: the clock is held.")
            if self.state.hub.linked(self.run_id):
                await self.back()

    async def back(self) -> None:
        """A station of the trainee is there again."""
        if self.run_id in self.state.held_for_link:
            self.state.held_for_link.discard(self.run_id)
            await self._did("note", text="The link is back: the clock goes on.")
            await self._did("resume")

    def _wants_it(self, session: Session) -> bool:
        run = find_run(session, self.run_id)
        return run.state == "running" and run.exercise.bundle.exercise.on_lost_link == "hold"

    async def _did(self, verb: str, **args: str) -> bool:
        try:
            await self.state.hub.act(self.run_id, "instructor", verb, args, None)
        except LumenstatError as error:
            log.info("run %s: no %s as the link came or went: %s", self.run_id, verb, error)
            return False
        return True


async def _send(socket: WebSocket, seat: Seat) -> int | None:
    try:
        while not seat.lost:
            text = await seat.queue.get()
            await socket.send_text(text)
            if text == ENDED_TEXT:
                return ENDED
    except (WebSocketDisconnect, RuntimeError):
        return None
    return TOO_SLOW


async def _watch_sign_in(signed: SignedSocket) -> int:
    """A sign-in that runs out closes the socket, so that nobody acts in the name of somebody who left."""
    while True:
        await asyncio.sleep(CHECK_SIGN_IN_SECONDS)
        if not signed.still():
            return SIGNED_OUT


async def _receive(
    socket: WebSocket, seat: Seat, run_id: str, by: str, signed: SignedSocket, part: str | None
) -> int | None:
    clock = socket.app.state.message_clock
    allowed, last = MESSAGES_AT_ONCE, clock()
    while True:
        try:
            text = await socket.receive_text()
        except (WebSocketDisconnect, RuntimeError):
            return None
        except KeyError:
            # Bytes are no way round a refusal: it is said, and the socket stays.
            seat.send(encoded(_refused(None, phrase("Send text, not bytes."))))
            continue
        now = clock()
        # A bucket that fills again with time: a burst is fine, a flood is not.
        allowed, last = min(MESSAGES_AT_ONCE, allowed + (now - last) * MESSAGES_A_SECOND) - 1, now
        if allowed < 0:
            return TOO_MUCH
        if not signed.still():
            return SIGNED_OUT
        seat.send(encoded(await _answer(socket.app.state.hub, run_id, by, text, part)))


async def _answer(hub: Any, run_id: str, by: str, text: str, part: str | None = None) -> dict[str, Any]:
    """Carry a message out; whatever is wrong with it is said, and the run goes on."""
    try:
        message = read_message(text)
    except MessageRefused as error:
        return _refused(error.client_id, str(error))
    if isinstance(message, Ping):
        return {"type": "pong"}
    if part is not None and (isinstance(message, Open) or message.verb not in VERBS_OF[part]):
        return _refused(None if isinstance(message, Open) else message.id, PARTS_SAY[part])
    if isinstance(message, Open):
        # Opening an item is a courtesy to the teaching; where it fails, the flight does not.
        with contextlib.suppress(LumenstatError):
            await hub.open_item(run_id, message.open)
        return {"type": "done", "id": None}
    client_id = message.id
    try:
        done = await hub.act(run_id, by, message.verb, message.args, client_id, message.held)
    except StorageError as error:
        return _refused(client_id, phrase("This did not happen, for it could not be stored. {error}", error=error))
    except LumenstatError as error:
        return _refused(client_id, str(error))
    # Whatever goes wrong, the trainee learns that this act did not count.
    except Exception:
        log.exception("run %s: an action failed", run_id)
        return _refused(client_id, phrase("That could not be stored, so it did not happen. Try it again."))
    return {"type": "done", "id": client_id, **done}


def _refused(client_id: str | None, says: str) -> dict[str, Any]:
    return {"type": "refused", "id": client_id, "says": says}
