"""A trainee's hand: does on the station's page what a log says, with the readings that the page shows."""

from __future__ import annotations

import time
from collections.abc import Sequence

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.check import CheckItem
from lumenstat.items.controls import VerifyItem
from tests.browser.conftest import PACE_OF_HANDS, Server
from tests.browser.station import Station


class Hand:
    """Does on the page what the log says, with its pauses, and with the readings that the page shows."""

    def __init__(self, station: Station, bundle: Bundle, server: Server) -> None:
        self.s, self.page, self.server = station, station.page, server
        steps = bundle.procedure.steps
        self.checks = [step.item for step in steps if isinstance(step.item, CheckItem)]
        self.verifies = [step.item for step in steps if isinstance(step.item, VerifyItem)]

    def hold(self, control: str, seconds: float) -> None:
        """Hold a button at least so long, counted from where the aircraft feels it, and little longer."""
        self.s.reveal(f'[data-part="{control}"]')
        self.page.focus(f'[data-control="{control}"]')
        self.page.keyboard.down(" ")
        self.page.wait_for_selector(f'[data-control="{control}"][aria-pressed="true"]')
        time.sleep(seconds)
        self.page.keyboard.up(" ")
        # The aircraft may feel it let go later than the hand: until then time must not hurry on.
        self.page.wait_for_selector(f'[data-control="{control}"][aria-pressed="false"]')

    def do(self, event: LogEvent) -> None:
        args, s = event.args, self.s
        match event.verb:
            case "confirm" | "respond":
                s.turn_to(args["item"])
                s.answer(args["item"])
            case "decide":
                s.turn_to(args["item"])
                self.page.check(f'{s.at(args["item"])} input[value="{args["branch"]}"]', force=True)
                s.answer(args["item"])
            case "see":
                item = next(i for i in self.verifies if args["control"] in i.all_controls)
                s.turn_to(item.id)
                s.see(item.id, **{args["control"]: args["position"]})
            case "call":
                item_id = next(i.id for i in self.checks if i.instrument == args["instrument"])
                self.checks = [i for i in self.checks if i.id != item_id]
                s.turn_to(item_id)
                s.call(item_id, args["instrument"], args["judgement"])
            case "set":
                if isinstance(args["to"], float):
                    s.enter(args["control"], f"{args['to']:g}")
                else:
                    s.move(args["control"], args["to"])
            case "request":
                self.page.click(f'[data-request="{args["service"]}|{args["action"]}"]:not([disabled])')
            case "finish":
                self.page.click('[data-open="finish"]')
                self.page.click("[data-finish]")

    def fly(self, events: Sequence[LogEvent]) -> dict[str, str]:
        """Do all of it, with its pauses, to the debrief; gives what that says of items that were not simply done.

        Hands move in real time, and only waits are hurried: what is read still holds when it is said, and what has to
        be done within seconds is, on a busy machine too.
        """
        # Each change would be drawn a dozen times on its way; the tests of single acts and of looks see it move.
        self.page.emulate_media(reduced_motion="reduce")
        with self.server.at_pace(PACE_OF_HANDS):
            self._do_all(events)
        self.page.wait_for_url("**/debrief", timeout=60_000)
        rows = self.page.locator("[data-row]").evaluate_all(
            "rows => rows.map(r => [r.dataset.row, r.dataset.verdict, r.textContent.split(/\\s+/).join(' ')])"
        )
        return {item: says for item, verdict, says in rows if verdict not in ("done", "not-applicable")}

    def _do_all(self, events: Sequence[LogEvent]) -> None:
        last = events[0].tick
        for event in events:
            pause = (event.tick - last) / 100
            last = event.tick
            if event.verb == "release":
                self.hold(event.args["control"], pause)
                continue
            # The clock on the page shows whole seconds: one more makes sure of a wait.
            self.s.wait_exercise_seconds(pause + (event.verb == "respond" and pause > 1), self.server)
            self.do(event)
