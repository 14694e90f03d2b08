"""A changed flight that comes to stand as the script stood is not flown on; what it says must be what flying on says."""

from __future__ import annotations

import pytest

from lumenstat.proving.consequences import consequence_of, tasks_of
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.rehearsal.script import Script
from tests.simulation.test_contract import bundle

SECONDS_OFF = 5.0
"""By how much what comes of a flight that is ahead may be off (`TICKS_EARLIER`)."""


@pytest.mark.parametrize("name", ["battery-and-apu", "frost-on-the-ramp", "shutdown-to-dark"])
def test_what_is_not_flown_on_would_have_come_to_the_same(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Reference: the same changes flown to their end."""
    exercise = bundle(name)
    script = Script(exercise, rehearse(exercise))
    tasks = tasks_of(script)
    cut = [consequence_of(script, task) for task in tasks]
    stopped: list[bool] = []
    stands = Script._stands_as_before

    def noted(self: Script, n: int) -> bool:
        stopped.append(stands(self, n))
        return False

    monkeypatch.setattr(Script, "_stands_as_before", noted)
    for task, short in zip(tasks, cut, strict=True):
        whole = consequence_of(script, task)
        assert (short.effect, short.says) == (whole.effect, whole.says)
        assert short.seconds == pytest.approx(whole.seconds, abs=SECONDS_OFF)
    assert any(stopped)


def test_a_switch_that_stands_otherwise_is_no_return() -> None:
    exercise = bundle("battery-and-apu")
    script = Script(exercise, rehearse(exercise))
    assert script.as_flown
    aircraft = script.hands.aircraft
    aircraft.arrive(aircraft.tick + 12_000)
    kept = aircraft.snapshot()
    assert aircraft.stands_as(kept, 0, 0)
    for slot in (aircraft.plan.d["control.beacon"], aircraft.plan.d["bus.dc_left.alive"]):
        was, aircraft.d[slot] = aircraft.d[slot], "other"
        assert not aircraft.stands_as(kept, 0, 0)
        aircraft.d[slot] = was
    aircraft.x[0] += 0.02
    assert not aircraft.stands_as(kept, 0, 0)
    aircraft.x[0] -= 0.02
    aircraft.arrive(aircraft.tick + 60)
    assert not aircraft.stands_as(kept, 50, 50)
    assert aircraft.stands_as(kept, 50, 60)
