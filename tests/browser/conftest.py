"""A real server and Debian's Chromium, driven through Playwright."""

from __future__ import annotations

import shutil
import socket
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import Browser, ConsoleMessage, Page, Playwright, expect, sync_playwright
from sqlalchemy.orm import Session

from lumenstat import ENGINE_VERSION
from lumenstat.processes import FORKED, LOADED
from lumenstat.records.database import Database
from lumenstat.records.exercises import current_exercise
from lumenstat.records.lessons import start_single
from lumenstat.records.people import find_person
from lumenstat.records.sign_ins import sign_in
from lumenstat.settings import Settings
from lumenstat.web.security import SIGN_IN
from tests.browser.server import Pace, School, place_to_fork, serve_for_tests

CHROMIUM = shutil.which("chromium-headless-shell") or "/usr/bin/chromium-headless-shell"
"""Without the window that nobody looks at: the whole browser takes half as long again for the same pages."""
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]
PACE = 12.0
# What a page shows has no deadline here: a machine that is busy with other work may take long for it.
PATIENCE_MILLISECONDS = 60_000
expect.set_options(timeout=PATIENCE_MILLISECONDS)
# What hands do takes real time, so that a second's delay of a busy machine is no more than a second of the exercise; and
# the page tells how long a button was held in the hand.
PACE_OF_HANDS = 1.0


# Every server of these tests is a process of its own, forked from one that has loaded the application already.
FORKED.set_forkserver_preload([*LOADED, "tests.browser.server", "tests.browser.warmed"])


class Server:
    """A server process that can be stopped and started again on the same database."""

    def __init__(self, folder: Path, pace: float = PACE, school: School = "demo") -> None:
        self.database, self.said = folder / "lumenstat.sqlite", folder / "said.txt"
        self.pace, self.present_pace, self.school = pace, pace, school
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.address = f"http://127.0.0.1:{self.port}"
        self.was_killed = False

    def start(self) -> None:
        self.present_pace = self.pace
        settings = Settings(
            database=self.database, port=self.port, demo=self.school != "empty", demo_life=self.school == "life"
        )
        self._paces, theirs = FORKED.Pipe()
        args = (settings, self.pace, theirs, self.said, place_to_fork())
        self.process = FORKED.Process(target=serve_for_tests, args=args)
        self.process.start()
        theirs.close()
        for _ in range(600):
            try:
                with urllib.request.urlopen(f"{self.address}/sign-in", timeout=2):
                    return
            except OSError:
                time.sleep(0.05)
        raise AssertionError(f"the server did not come up: {self.said.read_text()}")

    @property
    def pid(self) -> int:
        """The process that serves."""
        assert self.process.pid is not None
        return self.process.pid

    @contextmanager
    def at_pace(self, pace: float) -> Iterator[None]:
        """Let exercise time pass so many times faster than real time for a while, then as before."""
        before = self.present_pace
        self._tell(Pace(pace))
        yield
        self._tell(Pace(before))

    def hurry(self, seconds: float) -> None:
        """Let so many exercise seconds pass as fast as the model flies them, then time as before."""
        self._tell(Pace(self.present_pace, seconds))

    def _tell(self, pace: Pace) -> None:
        self.present_pace = pace.pace
        self._paces.send(pace)
        # What is done next must not happen at the pace before: a hold of a second would last for twelve.
        assert self._paces.poll(20) and self._paces.recv() == pace, "the server did not take the pace"

    @contextmanager
    def records(self) -> Iterator[Database]:
        """Its database, beside it."""
        opened = Database(self.database)
        yield opened
        opened.close()

    def stop(self) -> None:
        self.was_killed = True
        self.process.kill()
        self.process.join(timeout=20)
        self._paces.close()


@pytest.fixture
def server(tmp_path: Path, served_database: Path) -> Iterator[Server]:
    running = Server(tmp_path)
    shutil.copy(served_database, running.database)
    running.start()
    yield running
    running.stop()


def launch(playwright: Playwright) -> Browser:
    """The browser, with scrollbars as its users have them."""
    return playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS, ignore_default_args=["--hide-scrollbars"])


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        launched = launch(playwright)
        yield launched
        launched.close()


@contextmanager
def signed_in(browser: Browser, server: Server, name: str, expects: str = "WebSocket connection") -> Iterator[Page]:
    """A browser window of one person; anything the page complains of fails the test, but what it `expects`.

    They are signed in without the page for it, which has tests of its own: it would take two seconds of every test. What a page asks for at the very moment at which a test kills the server, the browser itself says was cut off.
    """
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    context.set_default_timeout(PATIENCE_MILLISECONDS)
    page = context.new_page()
    complaints: list[str] = []

    def hear(message: ConsoleMessage) -> None:
        text = message.text
        cut_off = server.was_killed and "net::ERR_" in text
        if message.type == "error" and not (cut_off or "WebSocket connection" in text or expects in text):
            complaints.append(text)

    page.on("pageerror", lambda error: complaints.append(str(error)))
    page.on("console", hear)
    with server.records() as database:
        token = database.write(lambda session: sign_in(session, person_of(session, name), hours=12))
    context.add_cookies([{"name": SIGN_IN, "value": token, "url": server.address}])
    page.goto(f"{server.address}/{'exercises' if name == 'odile' else 'runs'}")
    yield page
    context.close()
    assert complaints == []


def start_exercise(page: Page, server: Server, trainee: str = "Ines Okafor-Lund") -> str:
    """The instructor starts the shipped exercise; gives the station's address."""
    page.click("text=Frost on the ramp")
    page.wait_for_url("**/exercises/frost-on-the-ramp")
    page.select_option("#trainee", label=trainee)
    page.click("button:has-text('Start the exercise')")
    page.wait_for_url("**/station")
    return page.url


def person_of(session: Session, sign_in_name: str) -> int:
    """The number of somebody."""
    found = find_person(session, sign_in_name)
    assert found is not None
    return found.id


def station_of(server: Server, exercise: str) -> str:
    """An exercise started for Ines by an instructor who does not look on; gives the station's address."""

    def start(session: Session) -> str:
        digest = current_exercise(session, exercise).digest
        return start_single(session, digest, person_of(session, "ines"), person_of(session, "odile"), ENGINE_VERSION)

    with server.records() as database:
        return f"{server.address}/runs/{database.write(start)}/station"
