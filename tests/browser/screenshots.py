"""Takes the pictures of the main views from the demo data: `make screenshots`."""

from __future__ import annotations

import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from lumenstat.documents.bundles import Library, shipped_exercises
from lumenstat.simulation.trace import Sampler
from tests.browser.conftest import CHROMIUM, FLAGS, Server, signed_in, start_exercise
from tests.browser.station import Station
from tests.browser.test_first_light import fly_with_three_slips
from tests.simulation.test_faults import aircraft as make
from tests.simulation.test_faults import apu_start, on_battery

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def shoot(page: Page, name: str) -> None:
    page.screenshot(path=FOLDER / f"{name}.png")


def apu_starts() -> str:
    """The battery-only start with a strong and with a weak start battery, as one chart."""
    bundle = Library().bundle(next(p for p in shipped_exercises() if p.stem == "frost-on-the-ramp"))
    parts: list[str] = []
    for weakness, dash in ((1.0, ""), (2.8, "6 4")):
        aircraft = on_battery(make(bundle, {"kind": "battery_weak", "target": "start", "amount": weakness}))
        begun = aircraft.tick + 900
        sampler = Sampler(aircraft, 25)
        aircraft.watchers.append(sampler)
        apu_start(aircraft, 30)
        rows = [row for row in sampler.rows if float(str(row["time"])) >= begun / 100]
        for name, high, ink in (
            ("bus.start_hot.volts", 30, "#171a26"),
            ("apu.speed", 110, "#5a49d6"),
            ("apu.exhaust", 700, "#8f5200"),
        ):
            points = " ".join(
                f"{60 + 30 * (float(str(r['time'])) - begun / 100):.1f},{380 - 340 * float(str(r[name])) / high:.1f}"
                for r in rows
            )
            parts.append(
                f'<polyline points="{points}" fill="none" stroke="{ink}" stroke-width="2" stroke-dasharray="{dash}"/>'
            )
    for seconds in range(0, 31, 5):
        parts.append(f'<text x="{60 + 30 * seconds}" y="400" text-anchor="middle">{seconds} s</text>')
    words = (("Start bus, 0 to 30 V", "#171a26"), ("Speed, 0 to 110 %", "#5a49d6"), ("Exhaust, 0 to 700 °C", "#8f5200"))
    for n, (text, ink) in enumerate(words):
        parts.append(f'<text x="{60 + 190 * n}" y="26" fill="{ink}" font-weight="700">{text}</text>')
    parts.append('<text x="640" y="26">solid: good battery; dashed: 2.8 times its resistance</text>')
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="410" font-family="sans-serif" font-size="13">'
        f'<rect width="1000" height="410" fill="#faf7f0"/><path d="M60 380H960M60 40V380" stroke="#171a26"/>{"".join(parts)}</svg>'
    )


def main() -> None:
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        server = Server(Path(folder))
        server.start()
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        try:
            stranger = browser.new_page(viewport={"width": 1280, "height": 800})
            stranger.goto(f"{server.address}/sign-in")
            shoot(stranger, "sign-in")
            with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
                shoot(odile, "exercises")
                address = start_exercise(odile, server)
                odile.goto(f"{server.address}/exercises/frost-on-the-ramp")
                shoot(odile, "brief")
                ines.goto(address)
                Station(ines).at("log")
                shoot(ines, "station-cold")
                fly_with_three_slips(ines)
                ines.wait_for_timeout(600)
                shoot(ines, "station-live")
                ines.click('[data-open="finish"]')
                ines.click("[data-finish]")
                ines.wait_for_url("**/debrief", timeout=60_000)
                ines.wait_for_timeout(400)
                shoot(ines, "debrief")
                odile.goto(f"{server.address}/runs")
                shoot(odile, "runs")
                odile.goto(f"{server.address}/exercises")
                odile.click("text=Battery and APU alone")
                odile.select_option("#trainee", label="Ines Okafor-Lund")
                odile.click("button:has-text('Start the exercise')")
                odile.wait_for_url("**/station")
                ines.goto(odile.url)
                station = Station(ines)
                station.at("outside")
                for control in ("battery_main", "apu_boost", "apu_master"):
                    station.move(control, "ON")
                ines.wait_for_selector('[data-lamp="apu_door"][data-lit="true"]', timeout=20_000)
                ines.focus('[data-control="apu_start"]')
                ines.keyboard.down(" ")
                ines.wait_for_timeout(120)
                ines.keyboard.up(" ")
                ines.wait_for_timeout(900)
                shoot(ines, "station-apu-start")
            chart = browser.new_page(viewport={"width": 1000, "height": 410})
            chart.set_content(apu_starts())
            chart.locator("svg").screenshot(path=FOLDER / "apu-starts.png")
        finally:
            browser.close()
            server.stop()


if __name__ == "__main__":
    main()
