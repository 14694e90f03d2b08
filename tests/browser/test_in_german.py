"""A trainee whose account is in German: chosen on the page, and kept by page, scripts, link and debrief."""

from __future__ import annotations

import re

from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import Server, signed_in, station_of
from tests.browser.station import Station
from tests.browser.test_accessibility import violations

ENGLISH = re.compile(r"\b(the|and|not|with|your|what|this|comes|which)\b", re.IGNORECASE)


def in_language(page: Page, server: Server, language: str) -> None:
    page.goto(f"{server.address}/account")
    page.select_option("[name=language]", label=language)
    page.click("form[action='/account'] button[type=submit]")
    expect(page.locator("[role=status]")).to_be_visible()


def in_german(page: Page, server: Server) -> None:
    in_language(page, server, "Deutsch")
    expect(page.locator("[role=status]")).to_have_text("Gespeichert.")


def test_a_guided_start_is_flown_and_debriefed_in_german(browser: Browser, server: Server) -> None:
    address = station_of(server, "guided-power-up")
    with signed_in(browser, server, "ines") as ines:
        in_german(ines, server)
        ines.goto(address)
        ines.wait_for_selector("[data-drawn=true]")
        assert ines.get_attribute("html", "lang") == "de"
        expect(ines.locator("[data-link]")).to_have_text("Pult verbunden")
        expect(ines.locator("[data-deck-note]").first).to_contain_text("Alle Felder dunkel")
        expect(ines.locator("main")).to_contain_text("Ground power")  # what is engraved stays
        station = Station(ines)
        assert "Technisches Bordbuch" in ines.inner_text(station.at("log"))
        station.answer("log")
        station.answer("outside")
        station.at("hydraulic-pump")
        station.move("battery_main", "ON")
        word = ines.locator("[data-item='hydraulic-pump'] [data-word]")
        expect(word).to_have_text("Das ist „Main battery“; „Electric hydraulic pump“ kommt zuerst.")
        ines.click("[data-open=finish]")
        note = ines.locator("[data-finish-note]")
        expect(note).to_contain_text(re.compile(r"\d+ Punkte sind offen, der erste ist „Electric hydraulic pump“"))
        assert violations(ines) == {}
        ines.click("[data-finish]")
        ines.wait_for_url("**/debrief")
        expect(ines.locator("[data-outcome]")).to_contain_text("Nicht bestanden", timeout=60_000)
        expect(ines.locator("main")).to_contain_text("Am Ende nicht so: Bodenstrom speist Left AC.")
        ledger = ines.inner_text("table.rows")
        assert "Flap lever" in ledger and "Wie die Klappen stehen" in ledger and "Nie gesehen auf OFF" in ledger
        assert not ENGLISH.search(ines.inner_text("header"))


def test_a_desk_reads_alerts_and_counts_in_german(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile:
        in_german(odile, server)
        odile.goto(f"{server.address}/exercises/frost-on-the-ramp/start-many")
        odile.check("[data-tick-all]")
        odile.click("text=Starten, und das Pult öffnen")
        odile.wait_for_url("**/desk/*")
        expect(odile.locator("[data-summary]")).to_contain_text("0 verbunden, 0 fliegen")
        expect(odile.locator("[data-tile]").first).to_contain_text("noch niemand da")
        expect(odile.locator("[data-tile]").first.locator("[data-freeze]")).to_have_text("Anhalten")
