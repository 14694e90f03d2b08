"""What an examined trainee's browser is given, with its developer tools open: what stands on the page, and no more.

The list of what is in sight is read off the page itself (its controls, guards, instruments, lamps, zones, crew), not
from the code that decides what is sent. Every fault that the airframe knows is put in while the frames are kept.
"""

from __future__ import annotations

import json
from typing import Any

from playwright.sync_api import Browser, Page, WebSocket, expect

from lumenstat.systems.registry import fault_targets
from tests.browser.conftest import Server, signed_in
from tests.browser.station import Station
from tests.procedures import shipped

EXERCISE = "start-with-faults"
ON_THE_PAGE = """() => {
  const all = (name) => [...document.querySelectorAll(`[data-${name}]`)].map((e) => e.getAttribute(`data-${name}`));
  return [
    ...all('control').map((id) => `control.${id}`), ...all('entry').map((id) => `control.${id}`),
    ...all('guard').map((id) => `guard.${id}`), ...all('instrument').map((id) => `instrument.${id}.reads`),
    ...all('lamp').map((id) => `lamp.${id}`), ...all('zone').map((bus) => `bus.${bus}.alive`),
    ...all('request').flatMap((each) => { const id = each.split('|')[0]; return [`service.${id}`, `service.${id}.busy`]; }),
  ];
}"""
PUT_IN = """async ([address, faults]) => {
  const socket = new WebSocket(address.replace('http', 'ws'));
  const answers = [];
  await new Promise((done) => socket.addEventListener('open', done, { once: true }));
  socket.addEventListener('message', (event) => { const said = JSON.parse(event.data); if (said.id) answers.push(said.type); });
  for (const [n, args] of faults.entries()) {
    socket.send(JSON.stringify({ id: `f${n}`, verb: 'fault', args }));
    await new Promise((done) => setTimeout(done, 60));
  }
  for (let tries = 0; answers.length < faults.length && tries < 200; tries += 1) await new Promise((done) => setTimeout(done, 100));
  socket.close();
  return answers;
}"""


def frames_of(page: Page) -> list[dict[str, Any]]:
    """Every frame that the page's sockets are sent from now on."""
    kept: list[dict[str, Any]] = []

    def listen(socket: WebSocket) -> None:
        socket.on("framereceived", lambda text: kept.append(json.loads(text)))

    page.on("websocket", listen)
    return kept


def test_an_examined_station_is_given_what_is_in_sight_whatever_goes_wrong(browser: Browser, server: Server) -> None:
    bundle = shipped(EXERCISE)
    assert bundle.exercise.assist == "examined"
    faults = [
        {"fault": f"{kind}-{target}".replace("_", "-").lower(), "kind": kind, "target": target}
        for kind, targets in fault_targets(bundle.airframe).items()
        for target in targets
    ]
    with (
        signed_in(browser, server, "odile") as odile,
        signed_in(browser, server, "ines", expects="Failed to load resource") as ines,
    ):
        odile.goto(f"{server.address}/exercises/{EXERCISE}")
        odile.select_option("#trainee", label="Ines Okafor-Lund")
        odile.click("button:has-text('Start the exercise')")
        odile.wait_for_url("**/station")
        frames = frames_of(ines)
        ines.goto(odile.url)
        ines.wait_for_selector("[data-drawn=true]")
        Station(ines).reveal('[data-part="navigation_lights"]')
        ines.click('[data-control="navigation_lights"]')
        in_sight = set(ines.evaluate(ON_THE_PAGE))
        answers = odile.evaluate(PUT_IN, [odile.url.replace("/station", "/socket"), faults])
        assert len(answers) == len(faults) > 100 and answers.count("done") > 100
        expect(ines.locator("[data-clock]")).not_to_have_text("T+00:00")

        told = {name for frame in frames for name in frame.get("quantities", {})}
        assert told <= in_sight, sorted(told - in_sight)
        assert {key for frame in frames for key in frame} <= {
            "type", "whole", "t", "clock", "quantities", "card", "crew", "hand", "words", "pointed", "id", "number",
        }  # fmt: skip
        assert not [frame["words"] for frame in frames if frame.get("words")], "an examined one is told nothing"
        assert not any(frame["card"].get("ready") or frame["card"].get("hints") for frame in frames if "card" in frame)

        # The page's own source: no reason, no hint, no limit that the card does not print, no fault by name.
        source = ines.request.get(ines.url).text()
        assert "data-why" not in source and "data-hint=" not in source and "data-riser" not in source
        for step in bundle.procedure.steps:
            for secret in (step.item.why, step.item.good, *step.item.hints):
                assert secret is None or secret not in source, f"{step.item.id}: {secret}"
        for fault in bundle.exercise.faults:
            assert fault.kind not in source and f'"{fault.id}"' not in source

        # What could be downloaded meanwhile.
        base = ines.url.removesuffix("/station")
        for name in (
            "log.jsonl",
            "ledger.csv",
            "trace.csv",
            "debrief.pdf",
            "record.json",
            "moment?t=1",
            "verdicts",
            "watch",
        ):
            assert ines.request.get(f"{base}/{name}", max_redirects=0).status >= 300, name
