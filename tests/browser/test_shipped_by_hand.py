"""The other shipped exercises, flown in the browser action by action, end without a slip."""

from __future__ import annotations

import time

import pytest
from playwright.sync_api import Browser

from lumenstat.documents.bundles import Library, shipped_exercises
from lumenstat.documents.checklist import CheckItem, VerifyItem
from lumenstat.documents.procedure import procedure_of
from lumenstat.documents.runlog import LogEvent
from tests.browser.conftest import Server, signed_in
from tests.browser.station import Station
from tests.flights import PERFECT


class Hand:
    """Does on the page what the log says, with its pauses, and with the readings that the page shows."""

    def __init__(self, station: Station, name: str) -> None:
        self.s, self.page = station, station.page
        bundle = Library().bundle(next(p for p in shipped_exercises() if p.stem == name))
        steps = procedure_of(bundle).steps
        self.checks = [step.item for step in steps if isinstance(step.item, CheckItem)]
        self.verifies = [step.item for step in steps if isinstance(step.item, VerifyItem)]

    def until(self, seconds: float) -> None:
        while self.s.seconds() < seconds:
            time.sleep(0.05)

    def felt(self, event: LogEvent) -> None:
        """A hold is counted from where the aircraft feels the button, which a busy machine does late."""
        if event.verb == "release":
            self.page.wait_for_selector(f'[data-control="{event.args["control"]}"][aria-pressed="true"]')

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
            case "press":
                s.reveal(f'[data-part="{args["control"]}"]')
                self.page.focus(f'[data-control="{args["control"]}"]')
                self.page.keyboard.down(" ")
            case "release":
                self.page.keyboard.up(" ")
            case "request":
                self.page.click(f'[data-request="{args["service"]}|{args["action"]}"]:not([disabled])')
            case "finish":
                self.page.click('[data-open="finish"]')
                self.page.click("[data-finish]")


@pytest.mark.parametrize("name", ["apu-and-ground-power-away", "apu-loop-open", "shutdown-to-dark", "full-cold-start"])
def test_flown_by_hand_without_a_slip(browser: Browser, server: Server, name: str) -> None:
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
        odile.goto(f"{server.address}/exercises/{name}")
        odile.select_option("#trainee", label="Ines Okafor-Lund")
        odile.click("button:has-text('Start the exercise')")
        odile.wait_for_url("**/station")
        ines.goto(odile.url)
        ines.wait_for_selector('[data-item][data-state="current"]')
        hand = Hand(Station(ines), name)
        events = PERFECT[name]()
        last = events[0].tick
        for event in events:
            pause = (event.tick - last) / 100
            last = event.tick
            if timed := pause > 1 and event.verb in ("release", "respond"):
                hand.felt(event)
            # The clock on the page shows whole seconds: one more makes sure of a hold that has a least time.
            hand.until(hand.s.seconds() + pause + timed)
            hand.do(event)
        ines.wait_for_url("**/debrief", timeout=60_000)
        rows = ines.locator("[data-row]").evaluate_all("rows => rows.map(r => [r.dataset.row, r.dataset.verdict])")
        slips = {item: verdict for item, verdict in rows if verdict not in ("done", "not-applicable")}
        assert slips == {}
        assert ines.get_attribute("[data-outcome]", "data-outcome") == "pass"
        assert ines.locator("[data-limits] [data-limit]").count() == 0


def test_guided_shows_each_part_and_goes_on_when_told(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
        odile.goto(f"{server.address}/exercises/guided-power-up")
        odile.select_option("#trainee", label="Ines Okafor-Lund")
        odile.click("button:has-text('Start the exercise')")
        odile.wait_for_url("**/station")
        ines.goto(odile.url)
        s = Station(ines)
        for item in ("log", "outside"):
            s.answer(item)
        s.at("hydraulic-pump")
        ines.wait_for_selector('.guided[data-part="hydraulic_pump"]')
        ines.keyboard.press(".")
        assert ines.evaluate("document.activeElement.dataset.control") == "hydraulic_pump"
        s.move("battery_main", "ON")
        ines.wait_for_selector("[data-item='hydraulic-pump'] [data-word]:has-text(\"That is 'Main battery'\")")
        s.move("battery_main", "OFF")
        s.see("hydraulic-pump", hydraulic_pump="OFF")
        ines.wait_for_selector('[data-continue="hydraulic-pump"]:not([hidden])')
        ines.keyboard.press("Enter")
        s.at("flap-lever")
        for item, control, position in (("flap-lever", "flap_lever", "0"), ("gear-lever", "gear_lever", "DOWN")):
            s.see(item, **{control: position})
            ines.click(f'[data-continue="{item}"]')
        s.at("fuel-levers")
        assert ines.locator('[data-deck-page="1"]').is_visible()
        assert ines.locator(".guided").count() == 2
        ines.click('[data-item="wipers"] [data-turn]')
        assert ines.locator('[data-item="fuel-levers"][data-state="current"]').count() == 1


def test_a_flow_is_done_on_the_deck_before_its_check_is_read(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
        odile.goto(f"{server.address}/exercises/full-start-by-flows")
        odile.select_option("#trainee", label="Ines Okafor-Lund")
        odile.click("button:has-text('Start the exercise')")
        odile.wait_for_url("**/station")
        ines.goto(odile.url)
        ines.wait_for_selector('[data-flow="safety-flow"]:not([hidden])')
        assert not ines.locator('[data-section="safety-flow"]').is_visible()
        ines.click('[data-flow-done="safety-flow"]')
        s = Station(ines)
        s.at("outside")
        s.answer("outside")
        s.at("hydraulics")
