"""The desk's socket: tiles of a lesson's stations as they change, and what the instructor does to one or all of them.

Closed like a station's socket: 4401 signed out, 4403 a foreign page, 4404 no such lesson.
"""

from __future__ import annotations

import asyncio
import contextlib
import json
import logging
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

import anyio
from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from lumenstat.documents.bundles import Bundle
from lumenstat.errors import InputRefused, LumenstatError
from lumenstat.language.intake import read_json
from lumenstat.language.wording import KEEP_PARTS, Words, phrase, retold
from lumenstat.records.exercises import bundle_of
from lumenstat.records.lessons import StationRow, station_rows
from lumenstat.runs.tiles import Tile, standing
from lumenstat.web.live.station import FOREIGN, NO_RUN, SIGNED_OUT
from lumenstat.web.security import SignedSocket, Viewer, same_origin, viewer_of

router = APIRouter()
log = logging.getLogger("lumenstat.desk")

LOOK_SECONDS = 1.0
ALL_VERBS = ("freeze", "resume", "hand", "say", "finish")
"""What is done from the tiles; everything else from the station that is opened."""

State = Literal["waiting", "running", "judging", "ended", "stuck"]


class DeskTile(BaseModel):
    """One station as the desk shows it."""

    model_config = ConfigDict(frozen=True)
    run: str
    number: int
    trainee: str
    instructor: str
    state: State
    outcome: str | None = None
    percent: float | None = None
    seen: bool = False
    linked: bool = False
    t: float = 0.0
    running: bool = False
    frozen: bool = False
    rate: int = 1
    item: Words | None = None
    done: int = 0
    of: int = 0
    idle: float = 0.0
    waiting: bool = False
    behind: float | None = None
    needs: float | None = None
    stuck: bool = False
    slips: int = 0
    word: Words | None = None
    hazards: tuple[Words, ...] = ()
    limits: tuple[Words, ...] = ()
    hand: bool = False
    zones: dict[str, str] = {}


class TilesMessage(BaseModel):
    """Tiles that have changed since the last message; the first has all of them."""

    type: Literal["tiles"] = "tiles"
    tiles: tuple[DeskTile, ...]


class DeskAct(BaseModel):
    """Something done to some runs of the lesson."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    id: str = Field(min_length=1, max_length=64)
    runs: tuple[str, ...] = Field(min_length=1, max_length=60)
    verb: Literal["freeze", "resume", "hand", "say", "finish"]
    args: dict[str, Any] = {}


class DeskAnswer(BaseModel):
    """What came of an act, by run: nothing where it was done, or why it was not."""

    type: Literal["answer"] = "answer"
    id: str | None
    refused: dict[str, Words]


@dataclass
class _Desk:
    """What one desk has been told, and which stations it has seen there."""

    app: Any
    lesson_id: str
    told: dict[str, DeskTile] = field(default_factory=dict)
    seen: set[str] = field(default_factory=set)
    bundles: dict[str, Bundle] = field(default_factory=dict)

    async def changes(self) -> list[DeskTile]:
        """Every tile that has changed."""
        rows = await asyncio.to_thread(
            self.app.state.database.read, lambda session: station_rows(session, self.lesson_id)
        )
        hub = self.app.state.hub
        linked = {row.run_id for row in rows if hub.linked(row.run_id)}
        # Who was here once and is gone is another thing than who never came.
        self.seen |= linked
        flown = [r.run_id for r in rows if r.finished is None and (r.state == "running" or r.run_id in linked)]
        tiles = {tile["run"]: Tile.from_message(tile) for tile in await hub.tiles(flown)} if flown else {}
        # Runs on other servers' processes answer together; one that does not is shown without its figures.
        found = [self._tile(row, tiles.get(row.run_id), row.run_id in linked) for row in rows]
        changed = [tile for tile in found if self.told.get(tile.run) != tile]
        # What was told is what the page shows: only differences are sent.
        self.told = {tile.run: tile for tile in found}
        return changed

    def _tile(self, row: StationRow, tile: Tile | None, linked: bool) -> DeskTile:
        base = DeskTile(
            run=row.run_id,
            number=row.station,
            trainee=row.trainee,
            instructor=row.instructor,
            state=_state(row),
            outcome=row.outcome,
            percent=row.percent,
            seen=row.run_id in self.seen or row.state == "running",
            linked=linked,
        )
        if tile is None:
            return base
        pace = self.app.state.starting.pace(row.like_digest, lambda: self._content(row.like_digest))
        stands, bundle = standing(tile, pace), self._bundle(row.digest)
        return base.model_copy(
            update={
                # Whole seconds, or every tile would change at every look.
                "t": float(int(tile.t)),
                "running": tile.running,
                "frozen": tile.frozen,
                "rate": tile.rate,
                "item": _named(bundle, tile.item),
                "done": tile.done,
                "of": tile.of,
                "idle": float(int(tile.idle)),
                "waiting": tile.waiting,
                "behind": None if stands.behind is None else float(int(stands.behind)),
                "needs": stands.needs,
                "stuck": stands.stuck,
                "slips": tile.slips,
                "word": tile.words[-1] if tile.words else None,
                "hazards": tuple(bundle.worded(each) for each in tile.hazards),
                "limits": tuple(bundle.worded(each) for each in tile.limits),
                "hand": tile.hand,
                "zones": dict(tile.zones),
            }
        )

    def _content(self, digest: str) -> str:
        return self._bundle(digest).canonical_json

    def _bundle(self, digest: str) -> Bundle:
        if digest not in self.bundles:
            self.bundles[digest] = self.app.state.database.read(lambda session: bundle_of(session, digest))
        return self.bundles[digest]


def _named(bundle: Bundle, item: str | None) -> str | None:
    step = bundle.procedure.by_id.get(item or "")
    return item if step is None else f"{step.number + 1} " + bundle.worded(step.item.challenge)


def _state(row: StationRow) -> State:
    if row.state == "ended":
        return "ended"
    if row.finished is not None:
        return "stuck" if row.not_judged else "judging"
    return "running" if row.state == "running" else "waiting"


@router.websocket("/desk/{lesson_id}/socket")
async def desk_socket(socket: WebSocket, lesson_id: str) -> None:
    """Serve one desk."""
    await socket.accept()
    if not same_origin(socket):
        await socket.close(FOREIGN)
        return
    viewer = viewer_of(socket)
    if viewer is None or not viewer.is_instructor:
        await socket.close(SIGNED_OUT)
        return
    desk, signed = _Desk(socket.app, lesson_id), SignedSocket(socket)
    codes: list[int | None] = []

    async def until_first(part: Any) -> None:
        codes.append(await part)
        group.cancel_scope.cancel()

    async with anyio.create_task_group() as group:
        group.start_soon(until_first, _send(socket, desk, signed, viewer.language))
        group.start_soon(until_first, _receive(socket, desk, viewer, signed))
    if codes and codes[0] is not None:
        with contextlib.suppress(RuntimeError):
            await socket.close(codes[0])


async def _send(socket: WebSocket, desk: _Desk, signed: SignedSocket, language: str) -> int | None:
    first = True
    try:
        while signed.still():
            try:
                changed = await desk.changes()
            except LumenstatError as error:
                log.warning("desk %s: %s", desk.lesson_id, error)
                # One bad look is no reason to leave an instructor without a desk; the next one comes in a moment.
                changed = []
            if first and not desk.told:
                return NO_RUN
            if changed or first:
                message = TilesMessage(tiles=tuple(changed))
                await socket.send_text(retold(message.model_dump_json(context=KEEP_PARTS), language))
            first = False
            await asyncio.sleep(LOOK_SECONDS)
    except (WebSocketDisconnect, RuntimeError):
        return None
    return SIGNED_OUT


async def _receive(socket: WebSocket, desk: _Desk, viewer: Viewer, signed: SignedSocket) -> int | None:
    while True:
        try:
            text = await socket.receive_text()
        except (WebSocketDisconnect, RuntimeError, KeyError):
            return None
        if not signed.still():
            return SIGNED_OUT
        answer = await _answer(desk, viewer, text)
        with contextlib.suppress(RuntimeError, WebSocketDisconnect):
            await socket.send_text(retold(answer.model_dump_json(context=KEEP_PARTS), viewer.language))


async def _answer(desk: _Desk, viewer: Viewer, text: str) -> DeskAnswer:
    """Carry an act out on each of its runs; what is refused is said by run."""
    try:
        act = DeskAct.model_validate(read_json(text))
    except (InputRefused, ValidationError, json.JSONDecodeError):
        return DeskAnswer(
            id=None,
            refused={"": phrase("A desk sends an act: id, runs, one of {all_verbs}.", all_verbs=", ".join(ALL_VERBS))},
        )
    refused: dict[str, str] = {}
    # Acts reach only what this desk shows, whatever is sent.
    known = [run for run in act.runs if run in desk.told]
    for run in set(act.runs) - set(known):
        refused[run] = phrase("That run is not in this lesson.")
    results = await asyncio.gather(*(_act(desk, run, act) for run in known))
    refused.update({run: says for run, says in zip(known, results, strict=True) if says is not None})
    return DeskAnswer(id=act.id, refused=refused)


async def _act(desk: _Desk, run: str, act: DeskAct) -> str | None:
    try:
        await desk.app.state.hub.act(run, "instructor", act.verb, act.args, f"{act.id}-{run}"[:64])
    except LumenstatError as error:
        return str(error)
    return None


def schema() -> dict[str, Any]:
    """The JSON Schema of both directions of this socket."""
    outgoing = TypeAdapter(Annotated[TilesMessage | DeskAnswer, Field(discriminator="type")])
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Messages of a desk's socket",
        "incoming": DeskAct.model_json_schema(),
        "outgoing": outgoing.json_schema(),
    }
