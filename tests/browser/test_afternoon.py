"""A head of training's afternoon: who is due, the item that half a class misses, a drill made and flown, tomorrow
planned by keys and by dragging, a record handed to an auditor, a person erased, and all of it in the audit list."""

from __future__ import annotations

import io
import re

import pytest
import vobject
from playwright.sync_api import Browser, Page, expect
from pypdf import PdfReader

from lumenstat.records.database import Database
from lumenstat.records.runs import find_run
from tests.browser.conftest import Server, signed_in
from tests.flights import about, perfect_frost, without
from tests.school import flown, signed

SLIPPED = without(perfect_frost(), about("see", control="wipers"))


@pytest.fixture
def past(server: Server) -> tuple[Server, str, str]:
    """A school in which three of six missed the wipers, one record is signed, and Petra's pass is too old."""
    database = Database(server.database)
    run = signed(database, "ines", SLIPPED)
    for name in ("tobias", "maribel"):
        flown(database, name, SLIPPED)
    for name in ("jonas", "amadou"):
        flown(database, name)
    flown(database, "petra", days_ago=40)
    seal = database.read(lambda session: find_run(session, run).seal)
    database.close()
    return server, run, str(seal)


def test_an_afternoon(browser: Browser, past: tuple[Server, str, str]) -> None:
    server, run, seal = past
    with signed_in(browser, server, "rosamund", expects="status of 422") as head:
        who_is_due(head, server)
        half_of_the_class(head, server)
        a_drill(browser, head, server)
        tomorrow(head, server)
        an_auditor(head, server, run, seal)
        erased(head, server)
        who_changed_what(head, server)


def who_is_due(head: Page, server: Server) -> None:
    head.goto(f"{server.address}/home")
    lapsed = head.locator("li", has_text="Petra Vanterpool")
    expect(lapsed).to_contain_text("Frost on the ramp, lapsed")
    head.click("nav >> text=Courses")
    head.click("text=Cold and dark, basic course")
    row = head.locator("table.rows tr", has_text="Petra Vanterpool").first
    expect(row).to_contain_text("lapsed")
    expect(row).to_contain_text("due")
    due = head.locator("#due tr", has_text="Petra Vanterpool")
    expect(due).to_have_count(2)
    due.filter(has_text="Frost on the ramp").locator("text=Start it").click()
    expect(head.locator("#trainee")).to_have_value(re.compile(r"\d+"))
    assert head.eval_on_selector("#trainee", "s => s.selectedOptions[0].textContent") == "Petra Vanterpool"


def half_of_the_class(head: Page, server: Server) -> None:
    head.goto(f"{server.address}/groups/1")
    head.click("text=Their record")
    head.select_option("[name=exercise]", "frost-on-the-ramp")
    head.click("#items button:has-text('Show')")
    expect(head.locator("#items")).to_contain_text("Half of the class is lost at Wipers")
    first = head.locator("#items tbody tr").first
    expect(first).to_contain_text("Wipers")
    expect(first).to_contain_text("half of the class is lost here")


def a_drill(browser: Browser, head: Page, server: Server) -> None:
    head.click("a:has-text('Ines Okafor-Lund')")
    expect(head.locator("#mastered")).to_contain_text("An item is mastered after 2 assessed runs in a row")
    for box in head.locator("[name=items]").all():
        box.set_checked(box.get_attribute("value") == "frost-on-the-ramp|wipers")
    head.click("button:has-text('Make a drill of those ticked')")
    head.wait_for_url("**/drills/*", timeout=60_000)
    expect(head.locator("ol li")).to_have_count(1)
    with signed_in(browser, server, "ines") as ines:
        ines.goto(f"{server.address}/home")
        ines.click("text=Go to the drill")
        ines.click("text=Fly the next moment")
        ines.wait_for_url("**/station")
        expect(ines.locator("h1 + p")).to_contain_text("Drill, moment 1: Wipers, OFF")
        expect(ines.locator("[data-clock-note]")).to_have_text("starts with the first action")
        expect(ines.locator("[data-begin]")).to_be_visible()
        ines.wait_for_selector("[data-drawn=true]")
        before = ines.inner_text("[data-clock]")
        ines.wait_for_timeout(600)
        assert ines.inner_text("[data-clock]") == before, "the clock stands until the first act"
        ines.click('[data-see="wipers|OFF"]')
        ines.wait_for_url("**/debrief", timeout=30_000)
        expect(ines.locator("[data-outcome=pass]")).to_be_visible(timeout=30_000)
        ines.click("text=The drill")
        expect(ines.locator("ol li")).to_contain_text("Done")
        ines.click("button:has-text('Once more')")
        ines.wait_for_url("**/station")


def tomorrow(head: Page, server: Server) -> None:
    head.goto(f"{server.address}/groups/1")
    head.click("text=Plan a day")
    head.select_option("[name=exercise] >> nth=0", "frost-on-the-ramp")
    head.fill("[name=rooms]", "Briefing room, Annexe")
    head.click("button:has-text('Plan it')")
    head.wait_for_url(re.compile(r"/days/\w+$"), timeout=60_000)
    expect(head.locator("[role=status]")).to_contain_text("It fits")
    key = head.locator("[data-slot]").first.get_attribute("data-slot")
    assert key is not None
    row = f"#slot-{key} td:first-child"
    begins = head.inner_text(row)
    head.focus(f"[data-slot='{key}']")
    head.keyboard.press("Shift+ArrowRight")
    expect(head.locator(row)).not_to_have_text(begins)
    assert minutes(head.inner_text(row)) - minutes(begins) == 30
    # The focus stays with what was moved: once the page that comes has run its script.
    expect(head.locator(f"[data-slot='{key}']").first).to_be_focused()
    expect(head.locator("[role=status]")).to_contain_text("in two places")
    expect(head.locator("[data-clash]").first).to_be_visible()
    _drag(head, key, -30)
    expect(head.locator(row)).to_have_text(begins)
    expect(head.locator("[role=status]")).to_contain_text("It fits")
    calendar = head.request.get(f"{head.url.split('#')[0]}/plan.ics").text()
    assert len(vobject.readOne(calendar).vevent_list) == head.locator("tbody tr").count()


def minutes(clock: str) -> int:
    return 60 * int(clock[:2]) + int(clock[3:5])


def _drag(page: Page, key: str, by_minutes: int) -> None:
    box = page.locator(f"[data-slot='{key}']").first.bounding_box()
    wide = page.evaluate(
        "() => { const s = document.querySelector('[data-day]');"
        " return s.getBoundingClientRect().width / s.viewBox.baseVal.width * Number(s.dataset.minute) }"
    )
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + by_minutes * wide, y, steps=6)
    page.mouse.up()


def an_auditor(head: Page, server: Server, run: str, seal: str) -> None:
    head.goto(f"{server.address}/runs/{run}/debrief")
    paper = head.request.get(f"{server.address}/runs/{run}/debrief.pdf").body()
    text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(paper)).pages)
    assert seal in re.sub(r"\s", "", text)
    record = head.request.get(f"{server.address}/runs/{run}/record.json").json()
    assert record["signed"] == {**record["signed"], "by": "Odile Marrash", "seal": seal, "whole": True}


def erased(head: Page, server: Server) -> None:
    head.goto(f"{server.address}/people?q=tobias")
    head.click("text=Tobias Arkwell")
    head.click("#erase summary")
    head.fill("#erase [name=name]", "Tobias")
    head.click("text=Erase for good")
    expect(head.locator("[data-wrong=name]")).to_contain_text("Type the name as it stands above")
    head.fill("#erase [name=name]", "Tobias Arkwell")
    head.click("text=Erase for good")
    expect(head.locator("h1")).to_have_text(re.compile(r"Erased person \d+"))
    for path in ("/groups/1/record?exercise=frost-on-the-ramp", "/runs", "/courses/1", "/people"):
        head.goto(f"{server.address}{path}")
        assert "Arkwell" not in head.content(), path


def who_changed_what(head: Page, server: Server) -> None:
    head.goto(f"{server.address}/home")
    head.click("text=Who changed what")
    says = head.inner_text("table.rows")
    assert re.search(r"Rosamund Tegler\s+person\s+Erased person \d+ erased; 1 runs stay", says)
    assert re.search(r"Rosamund Tegler\s+day\s+plan of .*: plan changed", says) and "Arkwell" not in says
