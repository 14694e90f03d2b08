"""Riser and deck of every airframe, shipped and written for tests: nothing drawn over anything else, nothing cut."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.bundles import SHIPPED, Library
from lumenstat.documents.loading import load_file
from lumenstat.records.database import Database
from lumenstat.records.exercises import store_bundle
from lumenstat.web.drawing.riser import lay_out, quantities_of_riser
from lumenstat.web.rendering import environment_of, static
from tests.browser.conftest import Server, signed_in, station_of
from tests.browser.station import Station

FOLDER = Path(__file__).parents[1] / "airframes"
AIRFRAMES = (*sorted((SHIPPED / "airframes").glob("*.yaml")), *sorted(FOLDER.glob("*.yaml")))

OVERLAPS = """svg => {
  const seen = element => getComputedStyle(element).visibility === 'visible';
  const box = element => { const r = element.getBoundingClientRect(); return { x: r.left, y: r.top, r: r.right, b: r.bottom }; };
  const texts = [...svg.querySelectorAll('text')].filter(t => seen(t) && t.textContent.trim())
    // A line of type is 14 high, what is printed of it 10.5: the rest is the font's own leading.
    .map(t => { const b = box(t), lead = (b.b - b.y) / 8; return { what: t.textContent.trim(), ...b, y: b.y + lead, b: b.b - lead }; });
  const scale = svg.getBoundingClientRect().width / svg.viewBox.baseVal.width;
  const lines = [];
  for (const wire of svg.querySelectorAll('.rung .wire')) {
    const b = box(wire), middle = b.x;  // hops lie to the right of the line
    lines.push({ what: 'a line of ' + wire.parentElement.dataset.id, x: middle - scale, y: b.y, r: middle + scale, b: b.b });
  }
  for (const rail of svg.querySelectorAll('.rail-line')) {
    const b = box(rail);
    lines.push({ what: 'the rail ' + rail.parentElement.dataset.bus, x: b.x, y: b.y - 2 * scale, r: b.r, b: b.b + 2 * scale });
  }
  for (const symbol of svg.querySelectorAll('.rung .symbol, .cells, .chip circle'))
    lines.push({ what: 'a symbol of ' + (symbol.parentElement.dataset.id ?? symbol.parentElement.dataset.bus), ...box(symbol) });
  const meet = (a, b) => Math.min(a.r, b.r) - Math.max(a.x, b.x) > 0.6 && Math.min(a.b, b.b) - Math.max(a.y, b.y) > 0.6;
  const found = [];
  texts.forEach((a, n) => {
    for (const b of texts.slice(n + 1)) if (meet(a, b)) found.push(`${a.what} / ${b.what}`);
    for (const b of lines) if (meet(a, b)) found.push(`${a.what} / ${b.what}`);
  });
  const frame = box(svg);
  for (const a of texts) if (a.x < frame.x - 1 || a.r > frame.r + 1 || a.y < frame.y - 1 || a.b > frame.b + 1) found.push(`${a.what} is cut`);
  return found;
}"""
CUT = """() => {
  const found = [];
  for (const page of document.querySelectorAll('[data-deck-page]:not([hidden])'))
    if (page.scrollHeight > page.clientHeight + 1) found.push('the deck scrolls');
  if (document.documentElement.scrollHeight > innerHeight + 1) found.push('the page scrolls');
  const foot = document.querySelector('footer').getBoundingClientRect().top;
  const box = e => e.getBoundingClientRect();
  for (const part of document.querySelectorAll('[data-deck-page]:not([hidden]) .part'))
    if (box(part).bottom > foot + 1) found.push(part.dataset.part + ' lies under the crew line');
  const labels = [...document.querySelectorAll('[data-deck-page]:not([hidden]) .control text, [data-deck-page]:not([hidden]) .name, [data-deck-page]:not([hidden]) .readout, [data-deck-page]:not([hidden]) .lamp')]
    .filter(e => e.textContent.trim()).map(e => ({ what: e.textContent.trim(), box: box(e) }));
  labels.forEach((a, n) => { for (const b of labels.slice(n + 1)) {
    const across = Math.min(a.box.right, b.box.right) - Math.max(a.box.left, b.box.left);
    const down = Math.min(a.box.bottom, b.box.bottom) - Math.max(a.box.top, b.box.top);
    if (across > 1 && down > 2.5) found.push(`${a.what} / ${b.what}`);
  } });
  return found;
}"""


def airframe_of(path: Path) -> Airframe:
    document = load_file(path).document
    assert isinstance(document, Airframe)
    return document


def everything_on(airframe: Airframe) -> dict[str, Any]:
    """A state in which every text of the riser is as long as it comes: all alive, hundreds of amperes."""
    riser = lay_out(airframe, "large")
    state: dict[str, Any] = {}
    for name in quantities_of_riser(riser):
        if name.endswith((".alive", ".available", ".shut", ".on")):
            state[name] = True
        elif name.endswith(".volts"):
            state[name] = 115.2
        elif not name.endswith(".fed_by"):
            state[name] = 188.0
    for rail in riser.rails:
        if rail.fed_by:
            state[rail.fed_by] = max(rail.feeders, key=lambda each: len(each[1]))[0]
    return state


@pytest.fixture
def drawn(server: Server) -> Iterator[Server]:
    """A school that also has an exercise on each airframe written for tests of drawings."""
    library = Library([FOLDER, FOLDER / "exercises"])
    database = Database(server.database)
    for name in ("heavy-power-up", "twin-power-up"):
        bundle = library.bundle(FOLDER / "exercises" / f"{name}.yaml")
        database.write(partial(store_bundle, bundle=bundle))
    database.close()
    yield server


def test_no_text_of_a_riser_meets_another_or_a_line(browser: Browser, server: Server) -> None:
    riser = environment_of("en").get_template("riser.html").module.riser  # type: ignore[attr-defined]
    with signed_in(browser, server, "odile") as page:
        found: dict[str, list[str]] = {}
        for path in AIRFRAMES:
            airframe = airframe_of(path)
            for size, width in (("beside", 304), ("large", 640)):
                drawing = lay_out(airframe, size)  # type: ignore[arg-type]
                assert all(rung.anchor for rung in drawing.rungs), f"{path.stem}: every rung has its name"
                page.evaluate(
                    "([html, width]) => { document.body.innerHTML = `<div class='night'>${html}</div>`;"
                    " document.querySelector('.night').style.width = width + 'px'; }",
                    [str(riser(drawing)), width],
                )
                for state in ({}, everything_on(airframe)):
                    page.evaluate(
                        "async ([url, state]) => { const { Riser } = await import(url); new Riser(document).paint(state); }",
                        [static("js/riser.js"), state],
                    )
                    if overlaps := page.locator("svg.riser").evaluate(OVERLAPS):
                        found[f"{path.stem}, {size}, {'alive' if state else 'dead'}"] = overlaps
        assert found == {}


def nothing_cut(page: Page) -> None:
    tabs = page.locator("[data-tab]")
    for number in range(max(1, tabs.count())):
        if tabs.count():
            tabs.nth(number).click()
        assert page.evaluate(CUT) == []
    if tabs.count():
        tabs.first.click()


def test_a_heavy_of_24_buses_is_flown(browser: Browser, drawn: Server) -> None:
    address = station_of(drawn, "heavy-power-up")
    with signed_in(browser, drawn, "ines") as page:
        page.goto(address)
        page.wait_for_selector("[data-drawn=true]")
        nothing_cut(page)
        assert page.locator('[data-riser="beside"] .rail').count() == 24
        beside = page.locator("main + aside")
        assert beside.evaluate("aside => aside.scrollHeight <= aside.clientHeight"), "the riser needs no scrolling"
        s = Station(page)
        for control, position in (
            ("battery_one", "ON"),
            ("battery_two", "ON"),
            ("battery_standby", "AUTO"),
            ("essential", "DC 2"),
            ("ties", "AUTO"),
        ):
            s.move(control, position)
        expect(page.locator('[data-riser="beside"] [data-bus="dc_essential"]')).to_have_attribute("data-alive", "true")
        page.click('[data-request="ground_one|connect"]')
        expect(page.locator('[data-riser="beside"] [data-bus="plug_one"]')).to_have_attribute(
            "data-alive", "true", timeout=20_000
        )
        s.answer("ready")
        s.at("feed")
        s.move("ground_one", "FEED")
        expect(page.locator('[data-riser="beside"] [data-bus="ac_one"] .fed')).to_have_text("from Ground 1")
        page.keyboard.press("r")
        large = page.locator("[data-dialog=riser][open]")
        expect(large.locator('[data-bus-row="ac_one"] [data-on=true]').first).to_have_text("Ground 1")
        expect(large.locator('[data-bus-row="dc_two"]')).to_contain_text("Rectifier 2")
        expect(large.locator('[data-bus-row="ac_two"] [data-load="load.pumps.on"]')).to_have_attribute(
            "data-on", "true"
        )
        for drawing in page.locator("svg.riser").all():
            assert drawing.evaluate(OVERLAPS) == []


def test_a_twin_of_eight_buses_is_flown(browser: Browser, drawn: Server) -> None:
    address = station_of(drawn, "twin-power-up")
    with signed_in(browser, drawn, "ines") as page:
        page.goto(address)
        page.wait_for_selector("[data-drawn=true]")
        nothing_cut(page)
        s = Station(page)
        s.move("battery", "ON")
        s.move("ties", "AUTO")
        page.click('[data-request="ground_power|connect"]')
        s.move("inverters", "ON")
        s.move("fans", "HIGH")
        plug = page.locator('[data-riser="beside"] [data-source="cart"]')
        expect(plug).to_have_attribute("data-alive", "true", timeout=20_000)
        expect(plug).to_contain_text("A")
        expect(page.locator('[data-riser="beside"] [data-bus="ac_right"] .fed')).to_have_text("from Inverter right")
        for drawing in page.locator('[data-riser="beside"]').all():
            assert drawing.evaluate(OVERLAPS) == []


@pytest.mark.parametrize("exercise", ["full-cold-start", "sides-moved-by-hand", "no-light-on-the-right"])
def test_every_page_of_a_shipped_deck_fits(browser: Browser, server: Server, exercise: str) -> None:
    address = station_of(server, exercise)
    with signed_in(browser, server, "ines") as page:
        page.goto(address)
        page.wait_for_selector("[data-drawn=true]")
        nothing_cut(page)
