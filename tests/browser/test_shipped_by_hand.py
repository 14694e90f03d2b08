"""The other shipped exercises, flown in the browser action by action, end without a slip."""

from __future__ import annotations

import pytest
from playwright.sync_api import Browser

from tests.browser.conftest import Server, signed_in, station_of
from tests.browser.hand import Hand
from tests.browser.station import Station
from tests.flights import PERFECT
from tests.procedures import shipped


@pytest.mark.parametrize(
    "name",
    [
        "apu-and-ground-power-away",
        "apu-loop-open",
        "shutdown-to-dark",
        "full-cold-start",
        "slot-to-make",
        "no-light-on-the-right",
    ],
)
def test_flown_by_hand_without_a_slip(browser: Browser, server: Server, name: str) -> None:
    with signed_in(browser, server, "ines") as ines:
        ines.goto(station_of(server, name))
        ines.wait_for_selector('[data-item][data-state="current"]')
        assert Hand(Station(ines), shipped(name), server).fly(PERFECT[name]()) == {}
        assert ines.get_attribute("[data-outcome]", "data-outcome") == "pass"
        assert ines.locator("[data-limits] [data-limit]").count() == 0


def test_guided_shows_each_part_and_goes_on_when_told(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "ines") as ines:
        ines.goto(station_of(server, "guided-power-up"))
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
        ines.focus('[data-control="hydraulic_pump"]')
        ines.keyboard.press("Enter")
        s.at("flap-lever")
        pump = ines.get_attribute('[data-control="hydraulic_pump"]', "data-position")
        assert pump == "OFF", "what the card offers goes before what the switch in focus would do"
        for item, control, position in (("flap-lever", "flap_lever", "0"), ("gear-lever", "gear_lever", "DOWN")):
            s.see(item, **{control: position})
            ines.click(f'[data-continue="{item}"]')
        s.at("fuel-levers")
        assert ines.locator('[data-deck-page="1"]').is_visible()
        assert ines.locator(".guided").count() == 2
        ines.click("[data-open=finish]")
        ines.wait_for_selector("[data-finish-note]:has-text('items are open, the first is \"Fuel levers')")
        ines.keyboard.press("Escape")
        ines.click('[data-item="wipers"] [data-turn]')
        assert ines.locator('[data-item="fuel-levers"][data-state="current"]').count() == 1


def test_a_flow_is_done_on_the_deck_before_its_check_is_read(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "ines") as ines:
        ines.goto(station_of(server, "full-start-by-flows"))
        ines.wait_for_selector('[data-flow="safety-flow"]:not([hidden])')
        assert not ines.locator('[data-section="safety-flow"]').is_visible()
        ines.click('[data-flow-done="safety-flow"]')
        s = Station(ines)
        s.at("outside")
        s.answer("outside")
        s.at("hydraulics")
