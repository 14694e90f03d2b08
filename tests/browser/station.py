"""The station as a trainee handles it."""

from __future__ import annotations

import contextlib
import time
from math import ceil

from playwright.sync_api import Page
from playwright.sync_api import TimeoutError as NotThere

from tests.browser.conftest import Server


class Station:
    """Hands and eyes on the station page."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def at(self, item: str, seconds: float = 30) -> str:
        """Wait until the item lies open; gives the selector of its panel."""
        selector = f'[data-item="{item}"][data-state="current"]'
        self.page.wait_for_selector(selector, timeout=seconds * 1000)
        return selector

    def reveal(self, selector: str) -> None:
        """Turn the deck to the page that the part stands on."""
        tabs = self.page.locator("[data-tab]")
        for number in range(tabs.count()):
            if self.page.locator(selector).first.is_visible():
                return
            tabs.nth(number).click()

    def turn_to(self, item: str) -> None:
        """Turn the card to an item, unless it comes up by itself."""
        try:
            self.at(item, seconds=0.15)
        except NotThere:
            # It may come up by itself between the look and the click; then there is no line left to click.
            with contextlib.suppress(NotThere):
                self.page.click(f'[data-turn="{item}"]', timeout=3000)
            self.at(item)

    def answer(self, item: str) -> None:
        self.page.click(f"{self.at(item)} [data-answer]")

    def decide(self, item: str, branch: str) -> None:
        self.page.click(f'{self.at(item)} input[value="{branch}"]')
        self.answer(item)

    def see(self, item: str, **positions: str) -> None:
        for control, position in positions.items():
            self.page.click(f'{self.at(item)} [data-see="{control}|{position}"]')

    def move(self, control: str, position: str) -> None:
        self.reveal(f'[data-part="{control}"]')
        element = self.page.locator(f'[data-control="{control}"]')
        positions = (element.get_attribute("data-positions") or "").split("|")
        if element.locator("[data-index]").count():
            element.locator(f'[data-index="{positions.index(position)}"]').click(force=True)
        else:
            element.click()
        self.page.wait_for_selector(f'[data-control="{control}"][data-position="{position}"]')

    def reads(self, instrument: str) -> str:
        element = self.page.locator(f'[data-instrument="{instrument}"][data-dark="false"] .digits')
        return element.inner_text(timeout=10_000).replace("−", "-")

    def call(self, item: str, instrument: str, judgement: str, reading: str | None = None) -> None:
        panel = self.at(item)
        self.reveal(f'[data-part="{instrument}"]')
        self.page.click(f'[data-instrument="{instrument}"]')
        if judgement != "dead":
            self.page.fill(f"{panel} [data-call-reading]", reading or self.reads(instrument))
        self.page.check(f'{panel} input[value="{judgement}"]', force=True)
        self.answer(item)

    def lapse_until_one(self, seconds: float = 90) -> None:
        """Let time run at ten until it drops to one by itself."""
        self.page.click('[data-rate="10"]:not([disabled])')
        self.page.wait_for_selector('[data-rate="10"][aria-pressed="true"]')
        self.page.wait_for_selector('[data-rate="1"][aria-pressed="true"]', timeout=seconds * 1000)

    def enter(self, control: str, figure: str) -> None:
        self.reveal(f'[data-part="{control}"]')
        self.page.fill(f'[data-entry="{control}"] input', figure)
        self.page.click(f'[data-entry="{control}"] button')

    def seconds(self) -> int:
        minutes, seconds = self.page.inner_text("[data-clock]").removeprefix("T+").split(":")
        return int(minutes) * 60 + int(seconds)

    def wait_until(self, seconds: float, server: Server) -> None:
        """Wait until the clock on the page is there; the wait is hurried, what hands do is not."""
        shown = ceil(seconds)  # the clock on the page shows whole seconds
        if (left := shown - self.seconds()) > 0:
            server.hurry(left)
        while self.seconds() < shown:
            time.sleep(0.05)

    def wait_exercise_seconds(self, seconds: float, server: Server) -> None:
        self.wait_until(self.seconds() + seconds, server)
