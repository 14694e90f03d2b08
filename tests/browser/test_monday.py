"""Monday morning from an empty database: set up, six trainees, a sloppy sheet, all started, watched, debriefed, signed."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.browser.conftest import Server, signed_in, station_of

NAMES = ("Ada Quill", "Bo Ferris", "Cyrus Oyelaran", "Dunja Holt", "Esme Tarrant", "Finn Abara")
OWN = "kittens-in-the-hangar"
SHEET = """No.,Item,Set to,CM,Remarks
,BEFORE POWER,,,
1,Technical log,on board,CM1,
,BATTERY POWER,,,
2,BATT MAIN,ON,CM1,feeds the essential bus
3,Essential DC,22.5 to 25.5 V,CM2,
,APU,,,
4,APU BOOST SW,ON,CM1,
5,Sextant,stowed,CM2,"ask Piet"
"""


@pytest.fixture
def empty_server(tmp_path: Path) -> Iterator[Server]:
    running = Server(tmp_path, pace=1.0, school="empty")
    running.start()
    yield running
    running.stop()


@contextmanager
def window(browser: Browser) -> Iterator[Page]:
    """A browser window of nobody yet; what the page complains of fails the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    complaints: list[str] = []
    page.on("pageerror", lambda error: complaints.append(str(error)))
    # A form that is refused (422) or not answered says so itself; the browser writes that down as well.
    said = ("WebSocket", "status of 422", "net::ERR_FAILED")
    page.on(
        "console",
        lambda m: complaints.append(m.text) if m.type == "error" and not any(s in m.text for s in said) else None,
    )
    yield page
    context.close()
    assert complaints == []


class Clicks:
    """Counts what a hand does."""

    def __init__(self, page: Page) -> None:
        self.page, self.count = page, 0

    def click(self, selector: str) -> None:
        self.count += 1
        self.page.click(selector)

    def fill(self, selector: str, text: str) -> None:
        self.count += 1
        self.page.fill(selector, text)


def test_monday_morning_from_an_empty_database(browser: Browser, empty_server: Server) -> None:
    address = empty_server.address
    with window(browser) as page, window(browser) as trainee, window(browser) as lab:
        hand = Clicks(page)
        # Set up.
        page.goto(address)
        code = re.findall(r"\b[0-9a-f]{8}\b", empty_server.said.read_text())[-1]
        for name, value in (("code", code), ("name", "Hilde Orme"), ("sign_in_name", "hilde"), ("password", OWN)):
            hand.fill(f"[name={name}]", value)
        hand.click("main button[type=submit]")
        page.wait_for_url("**/home")

        # Six trainees by a list.
        hand.click('[aria-label="First steps"] a.button-first')
        hand.fill("textarea[name=text]", "\n".join(NAMES))
        hand.fill("[name=group]", "Monday class")
        hand.click("main button[type=submit]")
        page.wait_for_selector("[data-slip]")
        passwords = dict(
            zip(
                [each.get_attribute("data-slip") or "" for each in page.locator("[data-slip]").all()],
                page.locator("[data-password]").all_inner_texts(),
                strict=True,
            )
        )
        assert len(passwords) == 6

        # An exercise of a sloppy sheet.
        hand.click("nav >> text=Drafts")
        form = '[data-begin="sheet"]'
        hand.fill(f"{form} [name=title]", "Lights of Monday")
        page.set_input_files(f"{form} [name=file]", {"name": "s.csv", "mimeType": "text/csv", "buffer": SHEET.encode()})
        hand.count += 1
        hand.click(f"{form} button")
        page.wait_for_url("**/drafts/*")
        for left in (1, 0):  # the log and the sextant are said, and said so
            hand.click('[data-finding="open"] >> nth=0 >> text=Leave it to say-so')
            expect(page.locator('[data-finding="open"]')).to_have_count(left)
        page.keyboard.press("Shift+P")
        page.wait_for_selector('[data-proof-state="proven"]', timeout=240_000)
        hand.click("[data-publish] button")
        hand.click("[data-unwritten-dialog] [value=publish]")  # its brief is still the one that a new draft has
        page.wait_for_url("**/exercises/*")

        # All of them at once, at a word.
        hand.click("text=Start it for many")
        hand.click("[data-tick-all]")
        hand.click("input[name=together][value=yes]")
        hand.click("text=Start, and open the desk")
        page.wait_for_url("**/desk/*")
        expect(page.locator("[data-tile]")).to_have_count(6)
        desk = page.url

        # One trainee signs in with the slip, one joins by the code at a computer that nobody signed in to.
        trainee.goto(f"{address}/sign-in")
        trainee.fill("#sign_in_name", "ada.quill")
        trainee.fill("#password", passwords["ada.quill"])
        trainee.click("button:has-text('Sign in')")
        trainee.wait_for_url("**/account/password")
        trainee.fill("[name=password]", OWN)
        trainee.fill("[name=again]", OWN)
        trainee.click("main button")
        trainee.click("text=Go to the station")
        trainee.wait_for_selector("[data-frozen]:not([hidden])")
        lab.goto(f"{address}/join")
        second = page.locator("[data-tile]").nth(1)
        lab.fill("[name=code]", second.locator("[data-code] b").inner_text())
        lab.click("text=Go on")
        lab.click("text=Yes, to the station")
        lab.wait_for_selector("[data-frozen]:not([hidden])")
        expect(page.locator("[data-summary]")).to_contain_text("2 linked", timeout=15_000)
        expect(second.locator("[data-code]")).to_be_hidden()

        # The word; somebody acts, somebody raises a hand.
        hand.click("text=Start all")
        trainee.wait_for_selector("[data-frozen]", state="hidden")
        lab.wait_for_selector("[data-frozen]", state="hidden")
        trainee.click('[data-control="battery_main"]')
        lab.keyboard.press("Shift+H")
        expect(second.locator(".alert-hand")).to_be_visible(timeout=10_000)
        first = page.locator("[data-tile]").nth(0)
        expect(first.locator('[data-bus="dc_essential"]').first).to_have_attribute("data-power", "live", timeout=10_000)
        expect(first.locator("[data-slips]")).to_contain_text("1")
        hand.click("[data-tile] >> nth=1 >> text=Hand seen")
        expect(lab.locator("[data-hand]")).to_have_attribute("aria-pressed", "false")

        # Opened by its key: freeze, inject, note, say, give.
        page.keyboard.press("1")
        page.wait_for_url("**/station")
        page.wait_for_selector('[data-log] li:has-text("Main battery: ON")', state="attached")
        page.keyboard.press("f")
        trainee.wait_for_selector("[data-frozen]:not([hidden])")
        hand.count += 2
        hand.fill("[data-do=note] input", "Battery before the log")
        hand.click("text=Pin it at this moment")
        page.select_option("[data-do=fault] select", "bulb_dead|apu_available")
        hand.click("text=Inject it")
        page.wait_for_selector("[data-faults] li:has-text('Dead bulb')")
        hand.fill("[data-do=say] input", "Read the log first")
        hand.click("[data-do=say] button")
        expect(trainee.locator("text=Your instructor: Read the log first").first).to_be_visible()
        page.select_option("[data-do=give] [name=item]", index=0)
        hand.click("text=Give or skip it")
        page.wait_for_selector('[data-log] li:has-text("given, full credit")', state="attached")
        hand.click("[data-freeze]")
        trainee.wait_for_selector("[data-frozen]", state="hidden")
        hand.click("[data-side-tab=verdicts]")
        page.wait_for_selector("[data-verdict]", timeout=60_000)

        # An instructor's hand on the deck moves nothing before it is put there in so many words.
        hand.click("[data-side-tab=do]")
        page.click('[data-control="apu_boost"]', force=True)
        page.wait_for_timeout(300)
        expect(trainee.locator('[data-control="apu_boost"]')).to_have_attribute("data-position", "OFF")
        hand.click("[data-own-hand]")
        hand.click('[data-control="apu_boost"]')
        expect(trainee.locator('[data-control="apu_boost"]')).to_have_attribute("data-position", "ON")

        # The end of it, the debrief, the signature.
        hand.click("[data-open=finish]")
        hand.click("[data-finish]")
        page.wait_for_url("**/debrief", timeout=60_000)
        page.wait_for_selector("[data-outcome]", timeout=60_000)
        acts = page.locator("[data-acts] li").all_inner_texts()
        assert any("Battery before the log" in each for each in acts) and any("Dead bulb" in each for each in acts)
        assert page.locator('[data-act="note"]').count() == 1, "with a mark on the time axis"
        the_form_keeps_what_was_typed(page)
        hand.click("input[name=sure]")
        hand.click("text=Sign this record")
        page.wait_for_selector("[data-signed]")
        page.goto(desk)
        expect(page.locator("[data-tile]").nth(0).locator("text=Debrief")).to_be_visible(timeout=15_000)
        assert hand.count < 60, "a tired instructor counts them"
        print(f"Monday: {hand.count} clicks and fields")


def the_form_keeps_what_was_typed(page: Page) -> None:
    """What is refused is said beside its field, on the page that stands; put right, it goes through."""
    row = page.locator("tr[data-row]:visible").first
    row.locator("summary:has-text('Override')").click()
    row.locator("[name=points]").fill("0")
    row.locator("[name=reason]").fill(" " * 10)
    row.locator("text=Save").click()
    expect(row.locator('label [data-wrong="reason"]')).to_contain_text("Give the reason in a sentence")
    expect(row.locator("[name=points]")).to_have_value("0")
    expect(row.locator("[name=reason]")).to_be_focused()
    row.locator("[name=reason]").fill("It was said to me.")
    page.route("**/override", lambda route: route.abort())
    row.locator("text=Save").click()
    expect(row.locator('[data-wrong=""]')).to_contain_text("The server does not answer")
    expect(row.locator("[name=reason]")).to_have_value("It was said to me.")
    page.unroute("**/override")
    row.locator("text=Save").click()
    expect(page.locator("[data-overridden]").first).to_contain_text("It was said to me.")


def test_what_is_put_in_before_the_first_action_is_answered_at_once(browser: Browser, server: Server) -> None:
    """Time stands, and neither a fault nor a note moves anything on the deck; another instructor sees them too."""
    with signed_in(browser, server, "odile") as page, signed_in(browser, server, "rosamund") as other:
        page.goto(station_of(server, "frost-on-the-ramp"))
        other.goto(page.url)
        other.click("[data-side-tab=log]")
        expect(other.locator("[data-link]")).to_have_text("Desk linked")
        expect(page.locator("[data-link]")).to_have_text("Desk linked")
        page.wait_for_timeout(1500)  # the first look at the log, which the first frame brings, is over
        page.select_option("[data-do=fault] select", "bulb_dead|apu_available")
        page.click("text=Inject it")
        expect(page.locator("[data-faults] li")).to_contain_text("Dead bulb: APU, Available", timeout=10_000)
        expect(page.locator("[data-faults] li")).to_be_in_viewport(ratio=1.0)
        page.fill("[data-do=fault] [name=when]", "bus.dc_essential.volts > 20")
        page.click("text=Inject it")
        expect(page.locator("text=bus.dc_essential.volts is a figure")).to_be_visible()
        expect(page.locator("[data-do=fault] [name=when]")).to_have_value("bus.dc_essential.volts > 20")
        page.fill("[data-do=fault] [name=when]", "bus.dc_essential.alive")
        page.click("text=Inject it")
        expect(page.locator("[data-faults] li")).to_have_count(2, timeout=10_000)
        page.fill("[data-do=note] input", "A dead bulb for the third one")
        page.click("text=Pin it at this moment")
        page.click("[data-side-tab=log]")
        lines = page.locator("[data-log] li")
        expect(lines).to_have_count(3, timeout=10_000)
        expect(lines.nth(0)).to_contain_text("A dead bulb for the third one")
        expect(lines.nth(2)).to_contain_text("Dead bulb: APU, Available")
        expect(other.locator("[data-log] li")).to_have_count(3, timeout=10_000)
        expect(page.locator("[data-clock]")).to_have_text("T+00:00")


def test_the_desk_is_worked_by_keys_alone(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile:
        odile.goto(f"{server.address}/exercises/frost-on-the-ramp/start-many?group=1")
        odile.click("input[name=together][value=yes]")
        odile.click("text=Start, and open the desk")
        odile.wait_for_url("**/desk/*")
        odile.wait_for_selector('[data-tile][data-power="frozen"], [data-tile][data-state="waiting"]')
        odile.keyboard.press("ArrowRight")
        expect(odile.locator("[data-tile]").nth(0)).to_be_focused()
        odile.keyboard.press("ArrowDown")
        expect(odile.locator("[data-tile]").nth(3)).to_be_focused()
        odile.keyboard.press("?")
        expect(odile.locator('[data-dialog="keys"]')).to_be_visible()
        odile.keyboard.press("Escape")
        odile.keyboard.press("s")
        odile.fill("[data-say-text]", "Good morning")
        odile.keyboard.press("Enter")
        odile.keyboard.press("4")
        odile.wait_for_url("**/station")
        odile.wait_for_selector("[data-log] li:has-text('Good morning')", state="attached")
        odile.keyboard.press("0")
        odile.wait_for_url("**/desk/*")
