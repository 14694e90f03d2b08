"""The whole job in the browser: started, flown with three slips, judged and debriefed."""

from __future__ import annotations

import os
import signal

from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import PACE_OF_HANDS, Server, signed_in, start_exercise, station_of
from tests.browser.station import Station


def fly_with_three_slips(page: Page, server: Server) -> None:
    """Frost on the ramp: wipers never looked at, the start battery put to AUTO too soon, AC volts judged above."""
    s = Station(page)
    s.answer("log")
    s.answer("outside")
    s.at("hydraulic-pump")
    s.move("hydraulic_pump", "OFF")
    s.at("flap-lever")
    s.move("flap_lever", "16")
    s.see("fuel-pumps", fuel_pump_left="OFF", fuel_pump_right="OFF")
    s.turn_to("gear-lever")
    s.see("gear-lever", gear_lever="DOWN")
    s.turn_to("start-switches")
    s.see("start-switches", start_left="OFF", start_right="OFF")
    s.turn_to("main-at-rest")
    s.move("meter_selector", "MAIN")
    s.call("main-at-rest", "battery_volts", "within")
    s.turn_to("start-at-rest")
    s.move("meter_selector", "START")
    s.call("start-at-rest", "battery_volts", "below")
    s.turn_to("start-decision")
    page.check('input[value="charge"]', force=True)
    s.answer("start-decision")
    s.turn_to("main-on")
    s.move("battery_main", "ON")
    s.move("battery_start", "AUTO")
    s.turn_to("essential-volts")
    s.call("essential-volts", "essential_volts", "within")
    s.turn_to("left-dark")
    s.call("left-dark", "left_volts", "dead")
    s.turn_to("ask-cart")
    page.keyboard.press("g")
    s.turn_to("first-frequency")
    s.lapse_until_one()
    s.call("first-frequency", "plug_hertz", "above")
    s.turn_to("change-cart")
    page.keyboard.press("j")
    s.turn_to("ready")
    s.lapse_until_one()
    page.wait_for_selector('[data-lamp="ground_ready"][data-lit="true"]')
    s.answer("ready")
    s.turn_to("feed")
    s.move("ground_power", "FEED")
    expect(page.locator('[data-zone]:not([data-power="live"])')).to_have_count(0)
    s.move("navigation_lights", "ON")
    s.move("seat_signs", "ON")
    s.move("display_brightness", "FULL")
    page.fill('[data-entry="altimeter_setting"] input', "1026")
    page.click('[data-entry="altimeter_setting"] button')
    page.wait_for_selector('[data-instrument="altimeter_display"] .digits:text("1026")')
    s.turn_to("charged")
    s.lapse_until_one()
    s.answer("charged")
    s.turn_to("start-off")
    s.move("battery_start", "OFF")
    s.wait_exercise_seconds(34, server)
    s.turn_to("start-again")
    s.call("start-again", "battery_volts", "within")
    s.turn_to("start-back")
    s.move("battery_start", "AUTO")
    s.wait_exercise_seconds(55, server)
    s.turn_to("current-falls")
    s.call("current-falls", "battery_amps", "within")
    s.turn_to("ac-volts")
    s.call("ac-volts", "ac_volts", "above")
    s.turn_to("ac-hertz")
    s.call("ac-hertz", "ac_hertz", "within")


def test_both_people_and_exactly_the_three_slips(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
        address = start_exercise(odile, server)
        ines.reload()
        ines.click("text=Go to the station")
        ines.wait_for_url(address)
        assert ines.evaluate("document.documentElement.scrollWidth") <= 1280
        fly_with_three_slips(ines, server)
        expect(odile.locator("[data-clock]")).not_to_have_text("T+00:00")
        ines.click('[data-open="finish"]')
        ines.click("[data-finish]")
        for page in (ines, odile):
            page.wait_for_url("**/debrief", timeout=60_000)
            assert page.evaluate("document.documentElement.scrollWidth") <= 1280
            rows = page.locator("[data-row]").evaluate_all("rows => rows.map(r => [r.dataset.row, r.dataset.verdict])")
            slips = {item: verdict for item, verdict in rows if verdict not in ("done", "not-applicable")}
            assert slips == {"wipers": "omitted", "start-auto": "out-of-order", "ac-volts": "wrong"}
            assert page.locator("[data-extras] [data-effect]").count() == 0
            assert page.locator("[data-limits] [data-limit]").count() == 0
            assert page.get_attribute("[data-outcome]", "data-outcome") == "pass"
            assert page.inner_text("[data-percent]") == "95.1"
        visible = ines.locator("[data-row]:visible")
        expect(visible).to_have_count(3)
        ines.click("button:has-text('All, 34')")
        expect(visible).to_have_count(34)


def test_a_lost_server_shows_and_nothing_is_lost_when_it_comes_back(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "ines") as ines:
        ines.goto(station_of(server, "frost-on-the-ramp"))
        station = Station(ines)
        station.answer("log")
        station.answer("outside")
        station.at("hydraulic-pump")
        server.stop()
        expect(ines.locator("[data-lost]")).to_be_visible(timeout=10_000)
        ines.evaluate("document.querySelector('[data-control=\"hydraulic_pump\"]').click()")
        server.start()
        expect(ines.locator("[data-lost]")).to_be_hidden(timeout=20_000)
        ines.wait_for_selector('[data-control="hydraulic_pump"][data-position="OFF"]')
        expect(ines.locator("[data-answered]")).to_have_text("3")


def test_the_horn_is_heard_as_long_as_it_is_lit(browser: Browser, server: Server) -> None:
    """Dark it is silent; held with power it sounds, and the page says so too."""
    with signed_in(browser, server, "ines") as ines:
        ines.goto(station_of(server, "frost-on-the-ramp"))
        station = Station(ines)
        station.at("log")
        horn = ines.locator('[data-control="horn_test"]')
        horn.focus()
        with server.at_pace(PACE_OF_HANDS):
            ines.keyboard.down(" ")
            ines.wait_for_selector('[data-control="horn_test"][aria-pressed="true"]')
            assert ines.locator('[data-sounding="horn"]').count() == 0
            ines.keyboard.up(" ")
        station.move("battery_main", "ON")
        horn.focus()
        with server.at_pace(PACE_OF_HANDS):
            ines.keyboard.down(" ")
            ines.wait_for_selector('[data-sounding="horn"]')
            ines.keyboard.up(" ")
        ines.wait_for_selector('[data-sounding=""]')
        assert ines.locator('[data-lamp="horn"]').get_attribute("data-lit") == "false"


def test_the_keyboard_is_enough(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "ines") as ines:
        ines.goto(station_of(server, "frost-on-the-ramp"))
        station = Station(ines)
        station.at("log")
        ines.keyboard.press("Enter")
        station.at("outside")
        ines.keyboard.press("Enter")
        station.at("hydraulic-pump")
        ines.keyboard.press("f")
        ines.keyboard.type("electric pump")
        ines.keyboard.press("Enter")
        expect(ines.locator('[data-control="hydraulic_pump"]')).to_be_focused()
        ines.keyboard.press("Space")
        ines.wait_for_selector('[data-control="hydraulic_pump"][data-position="OFF"]')
        expect(ines.locator('[data-control="hydraulic_pump"]')).to_have_attribute("aria-checked", "false")
        station.at("flap-lever")
        lever = ines.locator('[data-control="flap_lever"]')
        lever.focus()
        ines.keyboard.press("ArrowDown")
        ines.wait_for_selector('[data-control="flap_lever"][data-position="8"]')
        ines.keyboard.press("ArrowDown")
        ines.wait_for_selector('[data-control="flap_lever"][data-position="16"]')
        expect(lever).to_have_attribute("aria-valuetext", "16")
        ines.keyboard.press("?")
        expect(ines.locator('[data-dialog="keys"]')).to_be_visible()


def test_signed_out_at_the_station_and_back_to_the_same_run(browser: Browser, server: Server) -> None:
    address = station_of(server, "frost-on-the-ramp")
    with signed_in(browser, server, "ines", "403 (Forbidden)") as ines:
        ines.goto(address)
        station = Station(ines)
        station.answer("log")
        station.at("outside")
        cookies = [c for c in ines.context.cookies() if c["name"] != "lumenstat_sign_in"]
        ines.context.clear_cookies()
        ines.context.add_cookies(cookies)  # type: ignore[arg-type]
        server.stop()
        server.start()
        expect(ines.locator("[data-signing]")).to_be_visible(timeout=20_000)
        sign_in_beside(ines, "odile", "frost-on-the-ramp")
        expect(ines.locator("[data-signing-wrong]")).to_contain_text("opened by somebody else")
        sign_in_beside(ines, "ines", "frost-on-the-ramp")
        # The page was never left: the card stands where it stood, and goes on.
        station.answer("outside")
        expect(ines.locator("[data-answered]")).to_have_text("2")


def sign_in_beside(page: Page, name: str, password: str) -> None:
    page.fill("[data-signing-form] [name=sign_in_name]", name)
    page.fill("[data-signing-form] [name=password]", password)
    page.click("[data-signing-form] button")


def without_sign_in(page: Page) -> None:
    cookies = [c for c in page.context.cookies() if c["name"] != "lumenstat_sign_in"]
    page.context.clear_cookies()
    page.context.add_cookies(cookies)  # type: ignore[arg-type]


def test_what_is_typed_outlives_a_sign_in_that_ends(browser: Browser, server: Server) -> None:
    """A form and the builder: it is said, one signs in beside it, and what was typed is sent as it stood."""
    with signed_in(browser, server, "odile", "403 (Forbidden)") as odile:
        odile.goto(f"{server.address}/drafts")
        odile.fill("[data-begin=copy] [name=title]", "Typed before it ended")
        # As if the page had stood there for a while.
        odile.evaluate("document.querySelector('meta[name=signed-in]').dataset.fresh = 0")
        without_sign_in(odile)
        odile.click("[data-begin=copy] button[type=submit]")
        expect(odile.locator("[data-signing]")).to_be_visible()
        sign_in_beside(odile, "odile", "frost-on-the-ramp")
        odile.wait_for_selector("[data-builder]")
        assert "Typed before it ended" in odile.title()
        # Everything is drawn and proven before the sign-in ends, so that nothing but what is typed asks the server.
        expect(odile.locator("[data-ready]")).to_be_visible(timeout=60_000)
        expect(odile.locator("[data-proof-state=proven]")).to_be_visible(timeout=60_000)
        without_sign_in(odile)
        field = odile.locator('[data-inspector] [data-field="challenge"]')
        field.fill("Words typed into a page that nobody is signed in to")
        field.press("Tab")
        expect(odile.locator("[data-signing]")).to_be_visible()
        sign_in_beside(odile, "odile", "frost-on-the-ramp")
        expect(odile.locator("[data-script]")).to_contain_text("Words typed into a page")
        # Asked, and all is well: a form goes its way.
        odile.evaluate("document.querySelector('meta[name=signed-in]').dataset.fresh = 0")
        odile.click("form[action$='/fly'] button")
        odile.wait_for_url("**/station")


def test_a_refusal_is_said_and_the_deck_stays_true(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "ines") as ines:
        ines.goto(station_of(server, "frost-on-the-ramp"))
        Station(ines).at("log")
        ines.locator('[data-control="dc_tie"]').click()
        expect(ines.locator("[data-say]")).to_have_text("the guard of DC tie is shut; lift it first")
        expect(ines.locator('[data-control="dc_tie"]')).to_have_attribute("data-position", "AUTO")
        ines.click('[data-guard="dc_tie"]')
        ines.wait_for_selector('[data-guard="dc_tie"][aria-pressed="true"]')
        ines.locator('[data-control="dc_tie"]').click()
        ines.wait_for_selector('[data-control="dc_tie"][data-position="OPEN"]')


def test_the_apu_started_by_hand_takes_the_buses(browser: Browser, server: Server) -> None:
    """Battery and APU alone: buttons held with the mouse and with the keyboard, fire test first."""
    with signed_in(browser, server, "ines") as ines:
        ines.goto(station_of(server, "battery-and-apu"))
        s = Station(ines)
        s.answer("log")
        s.answer("outside")
        s.see("pump", hydraulic_pump="OFF")
        s.see("generator-off", apu_generator="OFF")
        s.at("main-at-rest")
        s.move("meter_selector", "MAIN")
        s.call("main-at-rest", "battery_volts", "within")
        s.at("start-at-rest")
        s.move("meter_selector", "START")
        s.call("start-at-rest", "battery_volts", "within")
        s.decide("go", "power-up")
        s.at("main-on")
        s.move("battery_main", "ON")
        s.at("fire-test")
        box = ines.locator('[data-control="fire_test"]').bounding_box()
        assert box is not None
        ines.mouse.move(box["x"] + 20, box["y"] + 20)
        ines.mouse.down()
        ines.wait_for_selector('[data-lamp="apu_fire"][data-lit="true"]')
        s.wait_exercise_seconds(4, server)
        ines.mouse.up()
        s.at("boost")
        s.move("apu_boost", "ON")
        s.move("apu_master", "ON")
        ines.wait_for_selector('[data-lamp="apu_door"][data-lit="true"]')
        s.at("start")
        ines.focus('[data-control="apu_start"]')
        with server.at_pace(PACE_OF_HANDS):
            ines.keyboard.down(" ")
            ines.wait_for_selector('[data-control="apu_start"][aria-pressed="true"]')
            ines.wait_for_timeout(700)
            ines.keyboard.up(" ")
            ines.wait_for_selector('[data-control="apu_start"][aria-pressed="false"]')
        ines.wait_for_selector('[data-lamp="apu_available"][data-lit="true"]', timeout=20_000)
        s.answer("available")
        s.move("apu_generator", "ON")
        s.at("ac-volts")
        expect(ines.locator('[data-zone="dc_right"][data-power="live"]').first).to_be_visible()
        s.call("ac-volts", "ac_volts", "within")
        s.move("battery_start", "AUTO")
        s.move("meter_selector", "OFF")
        ines.click('[data-open="finish"]')
        ines.click("[data-finish]")
        ines.wait_for_url("**/debrief", timeout=60_000)
        rows = ines.locator("[data-row]").evaluate_all("rows => rows.map(r => [r.dataset.row, r.dataset.verdict])")
        assert {item for item, verdict in rows if verdict not in ("done", "not-applicable")} == set()
        assert ines.get_attribute("[data-outcome]", "data-outcome") == "pass"


def test_a_home_page_that_is_left_open_shows_what_comes(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
        ines.goto(f"{server.address}/home")
        expect(ines.locator("[data-refresh=now]")).to_contain_text("Nothing waits for you")
        start_exercise(odile, server)
        expect(ines.locator("[data-refresh=now]")).to_contain_text("Frost on the ramp", timeout=20_000)
        ines.click("text=Go to the station")
        ines.wait_for_url("**/station")


def test_a_desk_that_falls_silent_is_said_within_seconds_and_nothing_late_is_done(
    browser: Browser, server: Server
) -> None:
    with signed_in(browser, server, "ines") as ines:
        ines.goto(station_of(server, "frost-on-the-ramp"))
        expect(ines.locator("[data-link]")).to_have_text("Desk linked")
        os.kill(server.pid, signal.SIGSTOP)
        try:
            expect(ines.locator("[data-lost]")).to_be_visible(timeout=5_000)
            expect(ines.locator("[data-lost]")).to_contain_text("nothing heard for 3 seconds")
            ines.evaluate("document.querySelector('[data-control=battery_main]').click()")
            expect(ines.locator("[data-say]")).to_contain_text("The desk is not heard. That was not done")
        finally:
            os.kill(server.pid, signal.SIGCONT)
        expect(ines.locator("[data-lost]")).to_be_hidden(timeout=20_000)
        expect(ines.locator("[data-link]")).to_have_text("Desk linked")
        ines.wait_for_timeout(500)
        expect(ines.locator("[data-answered]")).to_have_text("0")
