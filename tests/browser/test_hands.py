"""Whole exercises flown by keyboard alone, and by touch alone on two sizes of tablet."""

from __future__ import annotations

import time
from functools import partial
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect
from playwright.sync_api import TimeoutError as NotThere

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.runlog import LogEvent
from lumenstat.records.database import Database
from lumenstat.records.exercises import store_bundle
from tests.browser.conftest import Server, signed_in, station_of
from tests.browser.hand import Hand
from tests.browser.station import Station
from tests.flights import PERFECT
from tests.procedures import shipped

FOCUSED = "document.activeElement.closest('[data-part]')?.dataset.part"


class Keyboard(Hand):
    """A hand that only presses keys: nothing is clicked, filled in or focused by the test."""

    def __init__(self, page: Page, bundle: Bundle, server: Server) -> None:
        super().__init__(Station(page), bundle, server)
        self.names = {control.id: control.name for control in bundle.airframe.controls.values()}
        self.names |= {part.id: part.name for part in bundle.airframe.instruments.values()}

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def find(self, part: str) -> None:
        """Go to a part by its name; where two are called alike, on to the next."""
        self.press("f")
        self.page.wait_for_selector('[data-dialog="find"][open]')
        self.page.keyboard.type(self.names[part])
        self.press("Enter")
        for _ in range(120):
            if self.page.evaluate(FOCUSED) == part:
                return
            self.press("Tab")
        raise AssertionError(f"{part} was not reached by keys")

    def turn(self, item: str) -> None:
        """Wait for an item to come up, or go to its line and press Enter."""
        try:
            self.s.at(item, seconds=1.5)
        except NotThere:
            self.press("c")
            for _ in range(150):
                if self.page.evaluate("document.activeElement.dataset.turn") == item:
                    self.press("Enter")
                    break
                self.press("Tab")
            self.s.at(item)

    def move(self, control: str, position: str) -> None:
        element = self.page.locator(f'[data-control="{control}"]')
        positions = (element.get_attribute("data-positions") or "").split("|")
        self.find(control)
        guard = self.page.locator(f'[data-guard="{control}"]')
        if guard.count() and guard.get_attribute("aria-pressed") == "false":
            self.press(" ")
            expect(guard).to_have_attribute("aria-pressed", "true")
            self.press("Tab")
        for _ in range(len(positions)):
            at = element.get_attribute("data-position")
            if at == position:
                return
            self.press("ArrowDown" if positions.index(position) > positions.index(at or "") else "ArrowUp")
            self.page.wait_for_selector(f'[data-control="{control}"]:not([data-position="{at}"])')
        assert element.get_attribute("data-position") == position

    def hold(self, control: str, seconds: float) -> None:
        self.find(control)
        self.page.keyboard.down(" ")
        self.page.wait_for_selector(f'[data-control="{control}"][aria-pressed="true"]')
        time.sleep(seconds)
        self.page.keyboard.up(" ")
        self.page.wait_for_selector(f'[data-control="{control}"][aria-pressed="false"]')

    def call(self, item: str, instrument: str, judgement: str) -> None:
        self.find(instrument)
        reading = "" if judgement == "dead" else self.s.reads(instrument)
        self.press("p")
        self.page.keyboard.type(reading)
        self.press(judgement[0], "Enter")

    def do(self, event: LogEvent) -> None:
        args = event.args
        match event.verb:
            case "confirm" | "respond":
                self.turn(args["item"])
                self.press("Enter")
            case "decide":
                self.turn(args["item"])
                ways = self.page.locator(f'[data-item="{args["item"]}"] fieldset input')
                values = [way.get_attribute("value") for way in ways.all()]
                self.press("c", str(values.index(args["branch"]) + 1), "Enter")
            case "see":
                item = next(each for each in self.verifies if args["control"] in each.all_controls)
                self.turn(item.id)
                written = f"{args['control']}|{args['position']}"
                seen = self.page.locator(f'[data-item="{item.id}"] [data-see]')
                self.press("c", str([each.get_attribute("data-see") for each in seen.all()].index(written) + 1))
            case "call":
                item_id = next(each.id for each in self.checks if each.instrument == args["instrument"])
                self.checks = [each for each in self.checks if each.id != item_id]
                self.turn(item_id)
                self.call(item_id, args["instrument"], args["judgement"])
            case "set" if isinstance(args["to"], float):
                self.find(args["control"])
                self.page.keyboard.type(f"{args['to']:g}")
                self.press("Enter")
            case "set":
                self.move(args["control"], args["to"])
            case "request":
                button = self.page.locator(f'[data-request="{args["service"]}|{args["action"]}"]')
                expect(button).to_be_enabled()
                letter = (button.get_attribute("data-key") or "").lower()
                self.press(letter)
                if button.get_attribute("data-takes-away") is not None:
                    expect(self.page.locator("[data-say]")).to_contain_text(f"press {letter.upper()} once more")
                    self.press(letter)
                expect(button).to_be_disabled()
            case "finish":
                self.press("Shift+F")
                self.page.wait_for_selector('[data-dialog="finish"][open]')
                self.press("Enter")


def test_a_whole_exercise_by_keyboard_alone(browser: Browser, server: Server) -> None:
    name = "apu-and-ground-power-away"
    address = station_of(server, name)
    with signed_in(browser, server, "ines") as ines:
        ines.goto(address)
        ines.wait_for_selector('[data-drawn=true] [data-item][data-state="current"]')
        assert Keyboard(ines, shipped(name), server).fly(PERFECT[name]()) == {}
        assert ines.get_attribute("[data-outcome]", "data-outcome") == "pass"


def test_keys_are_another_or_none_without_alt(browser: Browser, server: Server) -> None:
    address = station_of(server, "guided-power-up")
    with signed_in(browser, server, "ines", expects="status of 422") as ines:
        ines.goto(f"{server.address}/account")
        ines.fill("#key_find", "o")
        ines.click("button:has-text('Save keys')")
        assert "taken already" in ines.inner_text("#keys")
        ines.fill("#key_find", "x")
        ines.uncheck("[name=single_keys]")
        ines.click("button:has-text('Save keys')")
        ines.goto(address)
        ines.wait_for_selector("[data-drawn=true]")
        find = ines.locator('[data-dialog="find"]')
        ines.keyboard.press("x")
        ines.keyboard.press("f")
        expect(find).to_be_hidden()
        ines.keyboard.press("Alt+x")
        expect(find).to_be_visible()
        ines.keyboard.press("Escape")
        assert "Alt X" in ines.inner_text("main")
        letters = [each.get_attribute("data-key") for each in ines.locator("[data-request]").all()]
        assert "X" not in letters


def test_guided_leads_the_focus_from_step_to_step(browser: Browser, server: Server) -> None:
    address = station_of(server, "guided-power-up")
    with signed_in(browser, server, "ines") as ines:
        ines.goto(address)
        ines.wait_for_selector("[data-drawn=true]")
        s = Station(ines)
        for item in ("log", "outside"):
            s.at(item)
            ines.keyboard.press("Enter")
        s.at("hydraulic-pump")
        expect(ines.locator("[data-told]")).to_contain_text("Electric hydraulic pump")
        assert ines.evaluate("document.activeElement.dataset.see") == "hydraulic_pump|ON"
        ines.keyboard.press("2")
        expect(ines.locator("[data-told]")).to_contain_text("It is there; Enter goes on.")
        ines.keyboard.press("Enter")
        s.at("flap-lever")


class Touch(Hand):
    """A hand of fingers only: taps, a pad for figures, holds that drift; no key and no mouse."""

    def __init__(self, page: Page, bundle: Bundle, server: Server) -> None:
        super().__init__(Station(page), bundle, server)
        self.fingers = page.context.new_cdp_session(page)

    def tap(self, selector: str) -> None:
        self.page.locator(selector).first.tap()

    def reveal(self, part: str) -> None:
        selector = f'[data-part="{part}"]'
        for number in range(self.page.locator("[data-tab]").count()):
            if self.page.locator(selector).is_visible():
                break
            self.tap(f'[data-tab="{number}"]')
        self.page.locator(selector).scroll_into_view_if_needed()

    def turn(self, item: str) -> None:
        try:
            self.s.at(item, seconds=1.5)
        except NotThere:
            self.tap(f'[data-turn="{item}"]')
            self.s.at(item)

    def move(self, control: str, position: str) -> None:
        self.reveal(control)
        element = self.page.locator(f'[data-control="{control}"]')
        positions = (element.get_attribute("data-positions") or "").split("|")
        guard = self.page.locator(f'[data-guard="{control}"]')
        if guard.count() and guard.get_attribute("aria-pressed") == "false":
            guard.tap()
            expect(guard).to_have_attribute("aria-pressed", "true")
        for _ in positions:
            if (at := element.get_attribute("data-position")) == position:
                return
            element.tap()
            self.page.wait_for_selector(f'[data-control="{control}"]:not([data-position="{at}"])')
        assert element.get_attribute("data-position") == position

    def finger(self, kind: str, x: float = 0, y: float = 0) -> None:
        points = [] if kind == "touchEnd" else [{"x": x, "y": y}]
        self.fingers.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

    def hold(self, control: str, seconds: float) -> None:
        """Hold a button, and let the finger drift by 42 px meanwhile."""
        self.reveal(control)
        box = self.page.locator(f'[data-control="{control}"]').bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.finger("touchStart", x, y)
        self.page.wait_for_selector(f'[data-control="{control}"][aria-pressed="true"]')
        for drift in range(1, 8):
            self.finger("touchMove", x + drift, y - 6 * drift)
            time.sleep(seconds / 7)
        self.finger("touchEnd")
        self.page.wait_for_selector(f'[data-control="{control}"][aria-pressed="false"]')

    def call(self, item: str, instrument: str, judgement: str) -> None:
        panel = f'[data-item="{item}"]'
        self.reveal(instrument)
        reading = "" if judgement == "dead" else self.s.reads(instrument)
        self.tap(f'[data-instrument="{instrument}"]')
        for figure in reading.lstrip("-"):
            self.tap(f'{panel} [data-pad="{figure}"]')
        if reading.startswith("-"):
            self.tap(f'{panel} [data-pad="−"]')
        self.tap(f'{panel} label:has(input[value="{judgement}"])')
        self.tap(f"{panel} [data-answer]")

    def do(self, event: LogEvent) -> None:
        args = event.args
        match event.verb:
            case "confirm" | "respond":
                self.turn(args["item"])
                self.tap(f'[data-item="{args["item"]}"] [data-answer]')
            case "decide":
                self.turn(args["item"])
                self.tap(f'[data-item="{args["item"]}"] label:has(input[value="{args["branch"]}"])')
                self.tap(f'[data-item="{args["item"]}"] [data-answer]')
            case "see":
                item = next(each for each in self.verifies if args["control"] in each.all_controls)
                self.turn(item.id)
                self.tap(f'[data-item="{item.id}"] [data-see="{args["control"]}|{args["position"]}"]')
            case "call":
                item_id = next(each.id for each in self.checks if each.instrument == args["instrument"])
                self.checks = [each for each in self.checks if each.id != item_id]
                self.turn(item_id)
                self.call(item_id, args["instrument"], args["judgement"])
            case "set":
                self.move(args["control"], args["to"])
            case "request":
                self.tap(f'[data-request="{args["service"]}|{args["action"]}"]:not([disabled])')
            case "finish":
                self.tap('[data-open="finish"]')
                self.tap("[data-finish]")


IN_VIEW = """() => ['[data-clock]', '[data-open=finish]', '[data-card]', '.requests', '[data-crew]', '[data-deck]'].filter(name => {
  const r = document.querySelector(name).getBoundingClientRect();
  return r.width < 20 || r.height < 10 || r.left < 0 || r.top < 0 || r.right > innerWidth + 1 || r.bottom > innerHeight + 1;
}).concat(document.documentElement.scrollHeight > innerHeight + 1 ? ['the page scrolls'] : [],
  document.documentElement.scrollWidth > innerWidth + 1 ? ['the page scrolls sideways'] : [])"""
SMALL = """() => [...document.querySelectorAll('button, [role=slider], [role=switch], a, select, input:not([type=radio])')].filter(e => {
  const r = e.getBoundingClientRect();
  return e.checkVisibility() && r.width > 0 && (r.width < 23.5 || r.height < 23.5) && getComputedStyle(e).display !== 'inline';
}).map(e => e.outerHTML.slice(0, 80))"""


@pytest.mark.parametrize("width,height", [(1024, 768), (768, 1024)])
def test_a_whole_exercise_by_touch(browser: Browser, server: Server, width: int, height: int) -> None:
    name = "apu-and-ground-power-away"
    address = station_of(server, name)
    with signed_in(browser, server, "ines") as signed:
        context = browser.new_context(
            viewport={"width": width, "height": height}, has_touch=True, storage_state=signed.context.storage_state()
        )
        ines = context.new_page()
        ines.goto(address)
        ines.wait_for_selector('[data-drawn=true] [data-item][data-state="current"]')
        ines.locator("[data-clock]").tap()
        assert ines.evaluate(IN_VIEW) == []
        assert ines.evaluate(SMALL) == []
        hand = Touch(ines, shipped(name), server)
        ines.locator('.on-tablets[data-open="riser"]').tap()
        expect(ines.locator("[data-dialog=riser] [data-riser=large]")).to_be_visible()
        ines.locator("[data-dialog=riser] button:has-text('Close')").tap()
        assert hand.fly(PERFECT[name]()) == {}
        assert ines.get_attribute("[data-outcome]", "data-outcome") == "pass"
        context.close()


def test_an_instrument_that_is_tapped_offers_near_figures_where_the_exercise_allows(
    browser: Browser, server: Server
) -> None:
    whole = shipped("frost-on-the-ramp")
    offering = whole.exercise.model_copy(update={"id": "near-figures", "title": "Near", "reading_choices": True})
    database = Database(server.database)
    database.write(partial(store_bundle, bundle=Bundle(whole.airframe, whole.checklists, offering)))
    database.close()
    for name in ("frost-on-the-ramp", "near-figures"):
        address = station_of(server, name)
        with signed_in(browser, server, "ines") as ines:
            ines.goto(address)
            ines.wait_for_selector("[data-drawn=true]")
            station = Station(ines)
            station.turn_to("main-at-rest")
            station.move("meter_selector", "MAIN")
            shown = station.reads("battery_volts")
            near = ines.locator('[data-item="main-at-rest"] [data-near-figure]')
            ines.click('[data-instrument="battery_volts"]')
            if name == "frost-on-the-ramp":
                expect(near).to_have_count(0)
                continue
            figures = [each.replace("−", "-") for each in near.all_inner_texts()]
            assert shown in figures and sorted(figures, key=float) == figures and len(set(figures)) == 3
            assert all(0.3 < abs(float(each) - float(shown)) < 2 for each in figures if each != shown)
            assert ines.evaluate("document.documentElement.scrollHeight <= innerHeight + 1"), "the page does not scroll"
            ines.select_option('[data-item="main-at-rest"] [data-call-instrument]', "left_volts")
            expect(near.first).to_be_hidden()
            ines.click('[data-instrument="battery_volts"]')
            figures = [each.replace("−", "-") for each in near.all_inner_texts()]
            near.nth(figures.index(shown)).click()
            expect(ines.locator('[data-item="main-at-rest"] [data-call-reading]')).to_have_value(shown)
            ines.check('[data-item="main-at-rest"] input[value="within"]', force=True)
            station.answer("main-at-rest")
            ines.wait_for_selector('[data-item="main-at-rest"]:not([data-state="current"])')
            expect(ines.locator("[data-answered]")).to_have_text("1")


PHONE: Any = {"width": 390, "height": 844}


def test_a_phone_is_the_crew_line_and_another_looks_on(browser: Browser, server: Server) -> None:
    address = station_of(server, "guided-power-up")
    with signed_in(browser, server, "odile") as odile:
        odile.goto(address)
        code = odile.inner_text("[data-code]")
    with signed_in(browser, server, "ines") as ines:
        ines.goto(address)
        ines.wait_for_selector("[data-drawn=true]")
        phones = []
        for part in ("crew", "observer"):
            phone = browser.new_context(viewport=PHONE, has_touch=True).new_page()
            phone.goto(f"{server.address}/join")
            phone.fill("[name=code]", code)
            phone.check(f"[name=part][value={part}]")
            phone.click("button:has-text('Go on')")
            phone.click("button:has-text('Join')")
            phone.wait_for_url("**/phone")
            expect(phone.locator("[data-link]")).to_have_text("Linked to the desk")
            assert phone.evaluate("document.documentElement.scrollWidth <= innerWidth")
            assert phone.request.get(address).status == 403, "a phone is not the station"
            phones.append(phone)
        crew, observer = phones
        s = Station(ines)
        s.answer("log")
        s.at("outside")
        for phone in phones:
            expect(phone.locator("[data-open-item=outside]")).to_be_visible()
        assert observer.locator("[data-request]").count() == 0
        crew.locator('[data-request="ground_power|connect"]').tap()
        for page in (ines, crew, observer):
            expect(page.locator("[data-crew]")).to_contain_text("Ground, please connect ground power.")
        s.move("battery_main", "ON")
        expect(observer.locator("[data-lit]")).not_to_have_text("0")
        for phone in phones:
            phone.context.close()


@pytest.mark.parametrize("size", [(1280, 800), (1024, 768), (768, 1024)])
def test_an_examined_station_without_a_riser_keeps_card_deck_and_finish(
    browser: Browser, server: Server, size: tuple[int, int]
) -> None:
    """Where no riser is shown the deck takes its column, and nothing else goes with it."""
    address = station_of(server, "no-light-on-the-right")
    with signed_in(browser, server, "ines") as page:
        page.set_viewport_size({"width": size[0], "height": size[1]})
        page.goto(address)
        page.wait_for_selector("[data-drawn=true]")
        for selector in (
            '[data-item][data-state="current"]',
            "[data-clock]",
            "[data-open=finish]",
            "[data-control=battery]",
        ):
            expect(page.locator(selector).first).to_be_in_viewport()
        box = page.locator("main").bounding_box()
        assert box is not None and box["x"] + box["width"] == size[0]
        for label in page.locator("[data-deck-page]:not([hidden]) .control text").all():
            where = label.bounding_box()
            assert where is not None and box["x"] <= where["x"] and where["x"] + where["width"] <= size[0]
