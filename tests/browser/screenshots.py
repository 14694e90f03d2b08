"""Takes the pictures of the main views from the demo data: `make screenshots`."""

from __future__ import annotations

import tempfile
from pathlib import Path

from playwright.sync_api import Browser, Page, sync_playwright

from tests.browser.charts import CHARTS
from tests.browser.conftest import Server, launch, signed_in, start_exercise
from tests.browser.station import Station
from tests.browser.test_first_light import fly_with_three_slips
from tests.browser.test_in_german import in_german, in_language

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def shoot(page: Page, name: str) -> None:
    # What helps at a first time is read and put away.
    for hint in page.locator("[data-hint-form]:not([hidden]) button").all():
        hint.click()
    page.screenshot(path=FOLDER / f"{name}.png")


def shoot_builder(page: Page, server: Server) -> None:
    """The full start as a draft: proven, each item left out, one item broken so that there is something to mend."""
    page.goto(f"{server.address}/drafts")
    form = page.locator("[data-begin=copy]")
    form.locator("[name=exercise]").select_option("apu-and-ground-power-away")
    form.locator("[name=title]").fill("The APU takes over, our way")
    form.locator("button").click()
    page.wait_for_url("**/drafts/*")
    page.click('[data-row-item="ac-volts"]')
    page.wait_for_selector('[data-inspected="item"][data-id="ac-volts"]')
    page.keyboard.press("Alt+ArrowUp")
    page.wait_for_selector("[data-saved]:has-text('moved ac-volts up')")
    page.keyboard.press("Shift+P")
    page.wait_for_selector("[data-chart]", timeout=120_000)
    page.wait_for_timeout(1500)
    shoot(page, "builder")
    draft = page.url
    page.goto(f"{draft}/card")
    shoot(page, "card")


UNTIL_A_CLASS_HAS_LIFE_SECONDS = 80
RECORD = "/people/7/record"
"""The record of the second trainee of the demo school."""


def shoot_the_school(browser: Browser, folder: Path) -> None:
    """The demo as it opens: its past made, its class in the air, a hand up, somebody stuck, a link lost."""
    server = Server(folder, pace=1.0, school="life")
    server.start()
    try:
        with signed_in(browser, server, "odile") as odile:
            odile.wait_for_timeout(1000 * UNTIL_A_CLASS_HAS_LIFE_SECONDS)
            for path, name in (("/home", "home"), ("/runs", "runs"), ("/courses/1", "course"), (RECORD, "record")):
                odile.goto(f"{server.address}{path}")
                shoot(odile, name)
            odile.goto(f"{server.address}/days")
            odile.click("table.rows a")
            odile.wait_for_selector("[data-slot]")
            shoot(odile, "day")
            odile.goto(f"{server.address}/desk")
            odile.wait_for_selector("[data-pace]:has-text('the model')", timeout=60_000)
            odile.wait_for_timeout(1500)
            shoot(odile, "desk")
            odile.keyboard.press("1")
            odile.wait_for_url("**/station")
            odile.click("[data-side-tab=log]")
            odile.wait_for_timeout(2000)
            shoot(odile, "watch")
    finally:
        server.stop()


def main() -> None:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        server.start()
        browser = launch(playwright)
        try:
            with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
                shoot(odile, "exercises")
                address = start_exercise(odile, server)
                ines.goto(address)
                Station(ines).at("log")
                shoot(ines, "station-cold")
                fly_with_three_slips(ines, server)
                ines.wait_for_timeout(600)
                shoot(ines, "station-live")
                ines.click('[data-open="finish"]')
                ines.click("[data-finish]")
                ines.wait_for_url("**/debrief", timeout=60_000)
                ines.wait_for_timeout(400)
                shoot(ines, "debrief")
                ines.goto(ines.url.replace("/debrief", "/replay?t=610"))
                ines.wait_for_selector('[data-shown="610"]')
                ines.wait_for_timeout(400)
                shoot(ines, "replay")
                odile.goto(f"{server.address}/exercises")
                odile.click("text=Battery and APU alone")
                odile.select_option("#trainee", label="Ines Okafor-Lund")
                odile.click("button:has-text('Start the exercise')")
                odile.wait_for_url("**/station")
                ines.goto(odile.url)
                station = Station(ines)
                station.at("log")
                for control in ("battery_main", "apu_boost", "apu_master"):
                    station.move(control, "ON")
                ines.wait_for_selector('[data-lamp="apu_door"][data-lit="true"]', timeout=20_000)
                ines.focus('[data-control="apu_start"]')
                ines.keyboard.down(" ")
                ines.wait_for_timeout(120)
                ines.keyboard.up(" ")
                ines.wait_for_timeout(900)
                for name, picture in (("guided-power-up", "station-guided"), ("engines-to-dark", "station-engines")):
                    odile.goto(f"{server.address}/exercises/{name}")
                    odile.select_option("#trainee", label="Ines Okafor-Lund")
                    odile.click("button:has-text('Start the exercise')")
                    odile.wait_for_url("**/station")
                    ines.goto(odile.url)
                    station = Station(ines)
                    if name == "guided-power-up":
                        in_german(ines, server)
                        ines.goto(odile.url)
                        for item in ("log", "outside"):
                            station.answer(item)
                        station.at("hydraulic-pump")
                        station.move("battery_main", "ON")
                    else:
                        station.at("brake")
                        ines.keyboard.press("d")
                    ines.wait_for_timeout(500)
                    shoot(ines, picture)
                    if name == "guided-power-up":
                        in_language(ines, server, "English")
            with signed_in(browser, server, "odile") as odile:
                shoot_builder(odile, server)
            school = Path(folder) / "school"
            school.mkdir()
            shoot_the_school(browser, school)
            chart = browser.new_page(viewport={"width": 1000, "height": 410})
            for name, draw in CHARTS.items():
                chart.set_content(draw())
                chart.locator("svg").screenshot(path=FOLDER / f"{name}.png")
        finally:
            browser.close()
            server.stop()


if __name__ == "__main__":
    main()
