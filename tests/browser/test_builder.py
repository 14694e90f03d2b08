"""An exercise built from nothing in the browser, broken, mended with one click, proven, published and flown."""

from __future__ import annotations

import re

from playwright.sync_api import Browser, Page, expect

from lumenstat.documents.bundles import Bundle
from lumenstat.rehearsal.perfect import rehearse
from tests.browser.conftest import Server, signed_in
from tests.browser.hand import Hand
from tests.browser.station import Station

PICKED = (
    ("control", "battery_main"),
    ("instrument", "essential_volts"),
    ("pick-service", "ground_power.connect"),
    ("lamp", "ground_ready"),
    ("control", "ground_power"),
    ("instrument", "left_volts"),
    ("instrument", "ac_volts"),
    ("instrument", "ac_hertz"),
    ("control", "navigation_lights"),
    ("control", "seat_signs"),
    ("control", "apu_boost"),
)


def pick(page: Page, part: str, name: str, count: int) -> None:
    page.keyboard.press("p")
    page.wait_for_selector("[data-pick-dialog][open]")
    target = page.locator(f'[data-pick-dialog] [data-{part}="{name}"]').first
    if not target.is_visible():
        page.click('[data-pick-dialog] [data-tab="1"]')
    target.click()
    expect(page.locator("[data-row-item]")).to_have_count(count)


def prove(page: Page) -> None:
    page.keyboard.press("Shift+P")
    page.wait_for_selector('[data-proof-state="under way"], [data-proof-state="proven"]')
    page.wait_for_selector('[data-proof-state="proven"]', timeout=240_000)


def test_built_broken_mended_proven_published_and_flown(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "ines") as ines:
        odile.goto(f"{server.address}/drafts")
        form = odile.locator("[data-begin=nothing]")
        form.locator("[name=title]").fill("Lights on the bay")
        form.locator("button").click()
        odile.wait_for_url("**/drafts/*")
        for number, (part, name) in enumerate(PICKED, 2):
            pick(odile, part, name, number)
        assert odile.locator("[data-row-item]").count() == 12

        # Broken: Left DC is read before anything feeds it.
        odile.click("[data-row-item=left-dc]")
        odile.wait_for_selector('[data-inspected="item"][data-id="left-dc"]')
        odile.keyboard.press("Alt+ArrowUp")
        expect(odile.locator("[data-row-item]").nth(5)).to_have_attribute("data-row-item", "left-dc")
        prove(odile)
        stop = odile.locator('[data-finding="dead-instrument"][data-severity="stops"]')
        expect(stop).to_contain_text("Left DC is dark when it is to be read")
        assert odile.locator("[data-publish] button").is_disabled()
        stop.locator("[data-remedy]").click()
        expect(odile.locator("[data-row-item]").nth(6)).to_have_attribute("data-row-item", "left-dc")
        # No button: the model flies what was mended by itself, and says what that did.
        expect(odile.locator("[data-difference]")).to_contain_text("Gone: Left DC is dark when it is to be read")

        # Undone and done again, and still there after the browser was closed.
        odile.click("[data-turn=undo]")
        expect(odile.locator("[data-row-item]").nth(5)).to_have_attribute("data-row-item", "left-dc")
        odile.click("[data-turn=redo]")
        expect(odile.locator("[data-row-item]").nth(6)).to_have_attribute("data-row-item", "left-dc")
        odile.locator('[data-field="why"]').press_sequentially("It shows that the rectifier feeds.", delay=30)
        # Typed and not left: it is kept and proven a moment after the last key, and the cursor stays where it was.
        odile.wait_for_selector("[data-saved]:has-text('why of left-dc')")
        odile.wait_for_selector('[data-proof-state="proven"], [data-proof-state="under way"]')
        with odile.expect_response(lambda answer: answer.url.endswith("/edit")):
            odile.locator('[data-field="why"]').press_sequentially(" It does.")
        odile.goto(f"{odile.url.split('?')[0]}?item=left-dc")
        expect(odile.locator('[data-field="why"]')).to_have_value("It shows that the rectifier feeds. It does.")
        assert odile.locator("[data-row-item]").count() == 12

        prove(odile)
        odile.wait_for_selector("[data-chart]", timeout=240_000)
        assert odile.locator('[data-chart] [data-select="main-battery"]').get_attribute("data-effect") == "fails-later"
        content = odile.request.get(odile.url.split("?")[0] + "/bundle.json").text()
        odile.wait_for_selector("[data-publish] button:not([disabled])")
        odile.click("[data-publish] button")
        dialog = odile.locator("[data-unwritten-dialog]")
        expect(dialog).to_contain_text("1 text still stand")
        dialog.locator("[value=back]").click()
        expect(odile.locator('[data-finding="placeholder"]')).to_contain_text('"Say here what the crew find."')
        odile.click("[data-publish] button")
        dialog.locator("[value=publish]").click()
        odile.wait_for_url("**/exercises/lights-on-the-bay")

        odile.select_option("#trainee", label="Ines Okafor-Lund")
        odile.click("button:has-text('Start the exercise')")
        odile.wait_for_url("**/station")
        ines.goto(odile.url)
        ines.wait_for_selector('[data-item][data-state="current"]')
        bundle = Bundle.from_canonical_json(content)
        assert Hand(Station(ines), bundle, server).fly(rehearse(bundle).events) == {}
        assert ines.get_attribute("[data-outcome]", "data-outcome") == "pass"


def test_a_second_writer_is_told_and_shown_both(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile, signed_in(browser, server, "odile", "409") as other:
        odile.goto(f"{server.address}/drafts")
        form = odile.locator("[data-begin=copy]")
        form.locator("[name=exercise]").select_option("shutdown-to-dark")
        form.locator("button").click()
        odile.wait_for_url("**/drafts/*")
        other.goto(odile.url)
        odile.fill('[data-field="why"]', "Hers.")
        odile.locator('[data-field="why"]').blur()
        odile.wait_for_selector("[data-saved]:has-text('why of')")
        other.fill('[data-field="why"]', "His.")
        other.locator('[data-field="why"]').blur()
        dialog = other.locator("[data-overtaken-dialog]")
        expect(dialog).to_be_visible()
        expect(dialog).to_contain_text("Odile Marrash changed this draft in the meantime")
        other.click("[data-overtaken-again]")
        expect(other.locator('[data-field="why"]')).to_have_value("His.")
        odile.reload()
        expect(odile.locator('[data-field="why"]')).to_have_value("His.")


def test_what_a_start_is_like_is_written_line_by_line(browser: Browser, server: Server) -> None:
    """Done before it begins, out of service, a fault, and a grade: added, filled in, taken out again, and still there."""
    with signed_in(browser, server, "odile") as odile:
        odile.goto(f"{server.address}/drafts")
        form = odile.locator("[data-begin=copy]")
        form.locator("[name=exercise]").select_option("shutdown-to-dark")
        form.locator("button").click()
        odile.wait_for_url("**/drafts/*")
        odile.goto(f"{odile.url}?item=exercise")

        def write(name: str, text: str) -> None:
            odile.fill(f'[data-field="{name}"]', text)
            odile.locator(f'[data-field="{name}"]').blur()
            odile.wait_for_selector(f"[data-saved]:has-text('{name} of the exercise')")

        lines = odile.locator('[data-list="start.before"] [data-drop]').count()
        odile.click('[data-append="start.before"]')
        expect(odile.locator('[data-list="start.before"] [data-drop]')).to_have_count(lines + 1)
        odile.select_option(f'[data-field="start.before.{lines}.hold"]', label="Lamp test")
        odile.wait_for_selector("[data-saved]:has-text('hold of the exercise')")
        write(f"start.before.{lines}.set", "wipers SLOW, beacon ON")
        odile.click('[data-append="start.out_of_service"]')
        odile.select_option('[data-field="start.out_of_service.0.kind"]', "load_failed")
        expect(odile.locator('[data-field="start.out_of_service.0.kind"]')).to_have_value("load_failed")
        odile.select_option('[data-field="start.out_of_service.0.target"]', index=1)
        write("start.out_of_service.0.says", "Light does not come on, deferred")
        odile.click('[data-append="bands"]')
        write("bands.3.words", "Nearly there")
        odile.click('[data-list="bands"] [data-drop][data-number="0"]')
        odile.wait_for_selector("[data-saved]:has-text('took a line out of bands')")
        odile.reload()
        expect(odile.locator(f'[data-field="start.before.{lines}.set"]')).to_have_value("wipers SLOW, beacon ON")
        expect(odile.locator('[data-field="bands.2.words"]')).to_have_value("Nearly there")
        document = odile.request.get(odile.url.split("?")[0] + "/exercise.yaml").text()
        assert "Light does not come on, deferred" in document and "kind: load_failed" in document


def test_what_is_called_out_by_doing_becomes_an_item(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile:
        odile.goto(f"{server.address}/drafts")
        form = odile.locator("[data-begin=nothing]")
        form.locator("[name=title]").fill("By doing")
        form.locator("button").click()
        odile.wait_for_url("**/drafts/*")
        draft = odile.url.split("?")[0]
        odile.click("button:has-text('Fly it')")
        odile.wait_for_url("**/station")
        odile.wait_for_selector("[data-drawn=true]")
        s = Station(odile)
        s.move("meter_selector", "MAIN")
        reads = s.reads("battery_volts")
        odile.click('[data-instrument="battery_volts"]')
        dialog = odile.locator('[data-dialog="call"]')
        dialog.locator("[name=reading]").fill(reads)
        dialog.locator("label:has(input[value=within])").click()
        dialog.locator("button[value=call]").click()
        expect(dialog).to_be_hidden()
        odile.click('[data-open="finish"]')
        odile.click("[data-finish]")
        odile.wait_for_url("**/debrief")
        assert "it counts in nobody's record" in odile.inner_text("main")
        odile.click("[data-draft]")
        odile.wait_for_url(f"{draft}*")
        odile.click("[data-take] button")
        odile.wait_for_url(f"{draft}*")
        rows = odile.locator("[data-row-item]")
        expect(rows).to_have_count(3)
        expect(rows.nth(2)).to_have_attribute("aria-label", re.compile(r"Check: .*battery.* to .* V", re.IGNORECASE))


def test_a_proof_that_is_stopped_stays_stopped_until_the_draft_changes(browser: Browser, server: Server) -> None:
    with signed_in(browser, server, "odile") as odile:
        odile.goto(f"{server.address}/drafts")
        form = odile.locator("[data-begin=copy]")
        form.locator("[name=exercise]").select_option("frost-on-the-ramp")
        form.locator("button").click()
        odile.wait_for_url("**/drafts/*")
        odile.locator("[data-stop-proof]").click()
        state = odile.locator("[data-proof-state]")
        expect(state).not_to_have_attribute("data-proof-state", "under way")
        for _ in range(20):
            odile.wait_for_timeout(100)
            assert state.get_attribute("data-proof-state") != "under way", "it does not begin again by itself"
        odile.fill('[data-field="why"]', "Another reason.")
        expect(state).to_have_attribute("data-proof-state", re.compile("under way|proven"))
