"""Every page and state through an accessibility checker, at no violation.

Source: axe-core 4.12 (Deque Systems), rules tagged WCAG 2.0 to 2.2 A and AA and best practices.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date
from importlib.resources import files

import pytest
from playwright.sync_api import Browser, Page, expect

from lumenstat.records.database import Database
from lumenstat.records.day_plans import plans_from
from lumenstat.standins.today import plan_today
from tests.browser.conftest import Server, signed_in, start_exercise, station_of
from tests.browser.contrast import LABELS_OF_ZONES, faint_words
from tests.browser.station import Station
from tests.flights import about, perfect_frost, without
from tests.school import flown, signed

AXE = files("axe_playwright_python").joinpath("axe.min.js").read_text()
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
ZONE, LAMP = "[aria-labelledby=zone-electrical]", "[data-lamp=gear_nose]"
COLOURS = ["color-contrast", "link-in-text-block"]
"""The rules that another theme can break: the page itself is the same."""
# What is found right is left in the page: there is a lot of it, and it takes longer to bring over than to find.
BROKEN = """async rules => {
  const { violations } = await axe.run({ runOnly: rules, resultTypes: ["violations"] });
  return Object.fromEntries(violations.map(each => [each.id, each.nodes.slice(0, 6).map(node => node.target.join(" "))]));
}"""
TOO_WIDE_BY = "document.documentElement.scrollWidth - document.documentElement.clientWidth"
"""Of what is left beside the scrollbar."""
THEME_IS = "theme => { document.documentElement.dataset.theme = theme; }"
DARK_PAPER = "rgb(20, 23, 31)"
SLIPPED = without(perfect_frost(), about("see", control="wipers"))


def violations(page: Page, colours_alone: bool = False) -> dict[str, list[str]]:
    """By rule, the parts of the page that break it."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE)
    rules = {"type": "rule", "values": COLOURS} if colours_alone else {"type": "tag", "values": TAGS}
    found: dict[str, list[str]] = page.evaluate(BROKEN, rules)
    return found


@pytest.fixture
def school(server: Server) -> Iterator[tuple[Server, dict[str, str]]]:
    """A school with something on every page, and the addresses of what was made."""
    database = Database(server.database)
    run = signed(database, "ines", SLIPPED)
    other = flown(database, "ines", days_ago=3)
    flown(database, "petra", days_ago=40)
    database.write(plan_today)
    (plan,) = database.read(lambda session: plans_from(session, date(2000, 1, 1)))
    names = {"run": run, "other": other, "plan": plan.id}
    database.close()
    yield server, names


HEADS = (
    "/home", "/exercises", "/exercises/frost-on-the-ramp", "/exercises/full-cold-start", "/exercises/frost-on-the-ramp/start-many?group=1",
    "/drafts", "/drafts/sheet", "/runs", "/people", "/people/7", "/people/list", "/people/7/record", "/groups", "/groups/1",
    "/groups/1/record?exercise=frost-on-the-ramp", "/courses", "/courses/1", "/courses/1/change", "/days", "/days/{plan}", "/school",
    "/audit", "/account", "/runs/{run}/debrief", "/runs/{run}/replay?t=300", "/runs/{run}/beside/{other}", "/desk", "/nowhere",
    "/help", "/help/model", "/help?q=riser",
)  # fmt: skip
TRAINEES = ("/home", "/runs", "/people/6/record", "/days/{plan}", "/runs/{run}/debrief", "/account")


def test_every_page_of_a_head_of_training_on_paper_in_the_dark_and_at_twice_the_size(
    browser: Browser, school: tuple[Server, dict[str, str]]
) -> None:
    """1280x800 at 200 % is a page of 640x400: it scrolls down only, but for what scrolls by itself."""
    server, names = school
    on_paper, dark, wide = {}, {}, {}
    with signed_in(browser, server, "rosamund", expects="status of 404") as page:
        for path in HEADS:
            page.goto(f"{server.address}{path.format(**names)}")
            on_paper[path] = violations(page)
            page.evaluate(THEME_IS, "dark")
            dark[path] = violations(page, colours_alone=True)
            page.set_viewport_size({"width": 640, "height": 400})
            wide[path] = page.evaluate(TOO_WIDE_BY)
            page.set_viewport_size({"width": 1280, "height": 800})
    assert {path: found for path, found in on_paper.items() if found} == {}
    assert {path: found for path, found in dark.items() if found} == {}
    assert {path: by for path, by in wide.items() if by > 0} == {}


def test_dark_paper_is_chosen_once_and_kept(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "rosamund") as page:
        page.goto(f"{server.address}/account")
        page.select_option("[name=theme]", "dark")
        page.click("button:has-text('Save')")
        expect(page.locator("html")).to_have_attribute("data-theme", "dark")
        page.goto(f"{server.address}/people")
        expect(page.locator("html")).to_have_attribute("data-theme", "dark")
        assert page.evaluate("getComputedStyle(document.body).backgroundColor") == DARK_PAPER


def all_of(
    page: Page, server: Server, paths: tuple[str, ...], names: dict[str, str]
) -> dict[str, dict[str, list[str]]]:
    wrong = {}
    for path in paths:
        page.goto(f"{server.address}{path.format(**names)}")
        if found := violations(page):
            wrong[path] = found
    return wrong


def test_every_page_of_a_trainee_and_of_nobody(browser: Browser, school: tuple[Server, dict[str, str]]) -> None:
    server, names = school
    with signed_in(browser, server, "ines") as page:
        assert all_of(page, server, TRAINEES, names) == {}
    page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    assert all_of(page, server, ("/sign-in", "/join"), names) == {}
    page.context.close()


DIALOGS: dict[str, Callable[[Page], None]] = {
    "cold": lambda page: None,
    "keys": lambda page: page.keyboard.press("?"),
    "papers": lambda page: page.click("[data-open=papers]"),
    "riser": lambda page: page.keyboard.press("r"),
    "finish": lambda page: page.click("[data-open=finish]"),
}


def test_the_station_cold_live_with_its_dialogs_and_the_panel_beside_it(browser: Browser, server: Server) -> None:
    wrong: dict[str, dict[str, list[str]]] = {}
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
        address = start_exercise(odile, server)
        ines.goto(address)
        ines.wait_for_selector("[data-link]:has-text('Desk linked')")
        for name, opened in DIALOGS.items():
            opened(ines)
            if found := violations(ines):
                wrong[name] = found
            ines.keyboard.press("Escape")
        ines.click("[data-control=battery_main]")
        ines.wait_for_timeout(800)
        for name, page in (("live", ines), ("watched", odile)):
            if found := violations(page):
                wrong[name] = found
    assert wrong == {}


def test_the_builder_and_its_proof(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as page:
        page.goto(f"{server.address}/drafts")
        form = page.locator("[data-begin=copy]")
        form.locator("[name=exercise]").select_option("guided-power-up")
        form.locator("[name=title]").fill("Copy")
        form.locator("button").click()
        page.wait_for_url("**/drafts/*")
        page.wait_for_timeout(800)
        found = {"builder": violations(page)}
        page.keyboard.press("Shift+P")
        page.wait_for_selector("[data-chart]", timeout=120_000)
        found["proven"] = violations(page)
        count, faint = faint_words(page)
        assert count > 5 and faint == []
        page.goto(f"{page.url}/card")
        found["card"] = violations(page)
        assert {name: each for name, each in found.items() if each} == {}


def test_labels_of_dark_and_lit_zones_have_contrast(browser: Browser, server: Server) -> None:
    address = station_of(server, "frost-on-the-ramp")
    with signed_in(browser, server, "ines") as ines:
        ines.goto(address)
        ines.wait_for_selector("[data-drawn=true]")
        assert ines.evaluate(LABELS_OF_ZONES) == []
        Station(ines).move("battery_main", "ON")
        ines.wait_for_selector('.zone[data-power="live"]')
        ines.wait_for_timeout(400)
        assert ines.evaluate(LABELS_OF_ZONES) == []


DRAWN = ("/runs/{run}/debrief", "/runs/{run}/replay?t=300", "/days/{plan}", "/people/6/record")


@pytest.mark.parametrize("theme", ["paper", "dark"])
def test_words_in_drawings_have_contrast(browser: Browser, school: tuple[Server, dict[str, str]], theme: str) -> None:
    server, names = school
    with signed_in(browser, server, "rosamund") as page:
        page.goto(f"{server.address}/account")
        page.select_option("[name=theme]", theme)
        page.click("button:has-text('Save')")
        expect(page.locator("html")).to_have_attribute("data-theme", theme)
        for path in DRAWN:
            page.goto(f"{server.address}{path.format(**names)}")
            page.wait_for_load_state("networkidle")
            count, faint = faint_words(page)
            assert count > 5 and faint == [], path


def test_words_of_the_riser_have_contrast_cold_and_live(browser: Browser, server: Server) -> None:
    address = station_of(server, "frost-on-the-ramp")
    with signed_in(browser, server, "ines") as ines:
        ines.goto(address)
        ines.wait_for_selector("[data-drawn=true]")
        for power in ("dead", "live"):
            ines.keyboard.press("r")
            count, faint = faint_words(ines)
            assert count > 20 and faint == [], power
            ines.keyboard.press("Escape")
            if power == "dead":
                Station(ines).move("battery_main", "ON")
                ines.wait_for_selector('.zone[data-power="live"]')


def test_the_station_at_twice_the_size_loses_nothing(browser: Browser, server: Server) -> None:
    """1280x800 at 200 % is a page of 640x400: every part can be reached by scrolling down, none sideways."""
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
        address = start_exercise(odile, server)
        ines.set_viewport_size({"width": 640, "height": 400})
        ines.goto(address)
        ines.wait_for_selector("[data-drawn=true]")
        assert ines.evaluate(TOO_WIDE_BY) <= 0
        for name in (
            "[data-clock]",
            '[data-open="finish"]',
            "[data-crew]",
            '[data-control="battery_main"]',
            '[data-part="wipers"]',
        ):
            part = ines.locator(name).first
            part.scroll_into_view_if_needed()
            box = part.bounding_box()
            assert box is not None and box["x"] >= 0 and box["x"] + box["width"] <= 641, name
        assert ines.locator("[data-clock]").bounding_box()["y"] < 400, "the clock stays in view"  # type: ignore[index]
        # Under the clock that stays in view a target may be half covered until one scrolls on.
        ines.evaluate("scrollTo(0, 0)")
        assert violations(ines) == {}


def test_lamps_that_light_are_said_where_that_is_wanted(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
        address = start_exercise(odile, server)
        ines.goto(f"{server.address}/account")
        ines.check("[name=announces_lamps]")
        ines.click("button:has-text('Save keys')")
        ines.goto(address)
        ines.wait_for_selector("[data-drawn=true]")
        assert ines.inner_text("[data-lit-told]") == ""
        Station(ines).move("battery_main", "ON")
        expect(ines.locator("[data-lit-told]")).to_contain_text("lamp lit")
        name = ines.get_attribute('[data-instrument="essential_volts"]', "aria-label") or ""
        assert name.startswith("Essential DC, Buses, ") and name.endswith(" V")


def test_forced_colours_leave_every_state_to_be_seen(browser: Browser, server: Server) -> None:
    """Where the system forces its own colours: what is lit, alive, open or pressed differs by more than a colour."""
    address = station_of(server, "guided-power-up")
    with signed_in(browser, server, "ines") as page:
        page.emulate_media(forced_colors="active")
        page.goto(address)
        page.wait_for_selector("[data-drawn=true]")
        assert page.evaluate("matchMedia('(forced-colors: active)').matches")
        line = "each => getComputedStyle(document.querySelector(each)).borderTopStyle"
        fill = "each => getComputedStyle(document.querySelector(each)).backgroundColor"
        dark_zone, dark_lamp = page.evaluate(line, ZONE), page.evaluate(fill, LAMP)
        s = Station(page)
        s.move("battery_main", "ON")
        expect(page.locator(ZONE)).to_have_attribute("data-power", "live")
        assert (dark_zone, page.evaluate(line, ZONE)) == ("dashed", "solid")
        expect(page.locator(LAMP)).to_have_attribute("data-lit", "true")
        assert page.evaluate(fill, LAMP) != dark_lamp, "a lamp keeps its own light"
        assert violations(page) == {}
