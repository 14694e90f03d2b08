"""What the APU's control unit does: self-test, door, start, watch, cool-down and run-down.

A press of START outside `ready` is lost without a word. What shuts the APU down is what its figures do: no speed by
the end of the start limit (hung), too much temperature, oil or fuel pressure that stays away, a starter relay that
drops out.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from lumenstat.network.solving import Branch
from lumenstat.systems.apu.part import Apu
from lumenstat.systems.electrical.buses import alive
from lumenstat.systems.terms import ticks
from lumenstat.systems.turbine import Turbine
from lumenstat.systems.unit import Host, Unit

# Numbers of its events, as the calendar knows them.
SELF_TEST, DOOR, START_LIMIT, COOLED, OIL_CHECK, RESTED = range(6)
OIL_CHECK_SECONDS = 12.0
STATES = (
    "phase", "door", "trouble", "available", "starter", "lit", "oil_low",
    "at_light", "at_cut_out", "at_available", "turning", "too_hot", "oil_up", "fuelled", "relay_volts",
    "charged",
)  # fmt: skip


class ApuUnit(Unit):
    """The control unit of the APU and the turbine under it."""

    SNAPSHOT = ("pressed", "tested", "resting", "moving_to")

    def __init__(self, host: Host, number: int, apu: Apu, turbine: Turbine) -> None:
        layout = host.layout
        self.powered_slot = layout.d[alive(apu.control_bus)]
        super().__init__(host, number, {name: f"apu.{name}" for name in STATES}, [self.powered_slot])
        self.apu, self.turbine = apu, turbine
        self.emf = [0.0]
        self.held_by = ("apu.starter", "apu.lit")
        self._speed_at = layout.x["apu.speed"]
        self._starter_at = layout.branches["apu.starter"]
        charge = apu.accumulator
        self._charge_at = layout.x[f"hydraulic.{charge.system}.psi"] if charge is not None else None
        self._burning, self._oiled, self._load, self._fuel = 0.0, True, 0.0, 1.0
        self.pressed = False
        self.tested = False
        self.resting = False
        self.moving_to = ""
        self.put(phase="off", door="closed", trouble="")

    def begin(self) -> list[float]:
        """Cold and still."""
        return [0.0, self.turbine.ambient_celsius, 0.0]

    def _after(self, seconds: float, what: int) -> None:
        self.later(what, ticks(seconds))

    def _fault(self, kind: str) -> bool:
        return self.host.faults.has(kind, self.apu.id)

    # ---- settling ----------------------------------------------------------------------------------------

    def follow(self, master: bool, pressed: bool, *loaded: bool) -> None:
        """Follow what master, START and the figures say."""
        self._load = sum(load.percent_per_second for load, on in zip(self.apu.shaft_loads, loaded, strict=True) if on)
        powered = self.host.d[self.powered_slot] is True
        # Only the press itself counts: START held through the self-test is lost, as on the aircraft.
        edge, self.pressed = pressed and not self.pressed, pressed
        phase = self.get("phase")
        self._door(powered)
        if phase == "off":
            if master and powered and not self.get("trouble") and not self._fault("apu_out_of_order"):
                self.tested = False
                self.put(phase="testing")
                self._after(self.apu.self_test_seconds, SELF_TEST)
        elif phase in ("testing", "ready"):
            self._before_start(master, powered, edge)
        elif phase == "starting":
            self._start(master, powered)
        elif phase in ("running", "cooling"):
            self._run(master, powered)
        elif phase == "stopping" and not self.get("turning"):
            self.put(phase="closing")
        elif phase == "closing" and self.get("door") == "closed":
            self.put(phase="off")
        if not master and self.get("phase") in ("off", "closing"):
            self.put(trouble="")
        self.put(oil_low=powered and not self.get("oil_up"))

    def _before_start(self, master: bool, powered: bool, edge: bool) -> None:
        if not (master and powered):
            self.never_mind(SELF_TEST)
            self.put(phase="closing")
            return
        ready = self.tested and self.get("door") == "open"
        if edge and self.get("phase") == "ready" and not self.resting and self._draw_charge():
            self.put(phase="starting", starter=True)
            # The starter must cool before another try, whether this one succeeds or not.
            self.resting = True
            self._after(self.apu.start_limit_seconds, START_LIMIT)
            self._after(self.apu.starter.rest_seconds, RESTED)
        elif ready:
            self.put(phase="ready")

    def _draw_charge(self) -> bool:
        """Take what the start needs out of its accumulator; False where that is not charged."""
        charge = self.apu.accumulator
        if charge is None or self._charge_at is None:
            return True
        if not self.get("charged"):
            return False
        x = self.host.x
        # Taken at once, not over the seconds of the start: an attempt that fails has used it too.
        x[self._charge_at] = max(0.0, x[self._charge_at] - charge.uses_psi)
        return True

    def _start(self, master: bool, powered: bool) -> None:
        # Without its control unit it has nothing to tell why it stops but that.
        if not master or not powered:
            self._stop("" if powered else "low volts")
        # The starter's own relay lets go when the bus sags under the start.
        elif self.get("starter") and not self.get("relay_volts"):
            self._stop("low volts")
        elif self.get("too_hot"):
            self._stop("hot")
        else:
            if self.get("at_cut_out"):
                self.put(starter=False)
            fed = self.get("fuelled") and not self._fault("apu_no_light")
            if self.get("at_light") and fed:
                self.put(lit=True)
            # A flame that is starved goes out, and may light again as long as the starter turns it.
            elif not self.get("fuelled"):
                self.put(lit=False)
            if self.get("at_available"):
                self.put(phase="running", available=True, starter=False)
                self.never_mind(START_LIMIT)
                self._after(OIL_CHECK_SECONDS, OIL_CHECK)
        self._fire_stops()

    def _run(self, master: bool, powered: bool) -> None:
        if not powered:
            self._stop("")
        elif not self.get("fuelled"):
            self._stop("no fuel pressure")
        elif self.get("too_hot"):
            self._stop("hot")
        elif not master and self.get("phase") == "running":
            self.put(phase="cooling")
            self._after(self.apu.cool_down_seconds, COOLED)
        # Asked for again while it cools: nothing has stopped yet.
        elif master and self.get("phase") == "cooling":
            self.put(phase="running")
            self.never_mind(COOLED)
        self._fire_stops()

    def _fire_stops(self) -> None:
        if self._fault("apu_fire") and self.get("phase") in ("starting", "running", "cooling"):
            self._stop("fire")

    def _stop(self, trouble: str) -> None:
        self.put(phase="stopping", available=False, starter=False, lit=False, trouble=trouble)
        for what in (START_LIMIT, COOLED, OIL_CHECK):
            self.never_mind(what)

    def _door(self, powered: bool) -> None:
        """The door needs power to move: it opens with the self-test and closes once the APU stands still."""
        # The door follows the phase, not the master: it stays open through the run-down.
        wanted = "closed" if self.get("phase") in ("off", "closing") else "open"
        if self._fault("apu_door_stuck") or not powered:
            if self.moving_to:
                self.moving_to = ""
                self.never_mind(DOOR)
            return
        if self.get("door") != wanted and self.moving_to != wanted:
            self.moving_to = wanted
            self.put(door="moving")
            self._after(self.apu.door_seconds, DOOR)

    # ---- events ------------------------------------------------------------------------------------------

    def fire(self, kind: int, what: int) -> None:
        """Something the control unit waited for has come."""
        match what:
            case 0:
                self.tested = True
            case 1:
                self.put(door=self.moving_to or "moving")
                self.moving_to = ""
            case 2 if self.get("phase") == "starting":
                # Said as the pilot can find it: without fuel pressure nothing else is worth looking
                # for.
                fuel = self.get("fuelled") or self.get("lit")
                self._stop("hung" if fuel else "no fuel pressure")
            case 3 if self.get("phase") == "cooling":
                self._stop("")
            case 4 if self.get("phase") == "running" and self.get("oil_low"):
                self._stop("low oil pressure")
            case 5:
                self.resting = False
            case _:
                pass

    def decides(self) -> object:
        """What is taken off its shaft, and how much fuel it gets."""
        return self._load, self.get("phase") == "starting"

    # ---- the turbine -------------------------------------------------------------------------------------

    def wiring(self) -> list[Branch]:
        """Its starter."""
        return [self.apu.starter.branch(self.host.layout)]

    def hold(self, watts: Mapping[str, float]) -> object:
        """How well it burns, and whether oil pressure comes."""
        strength = self.host.faults.active.get(("apu_hung", self.apu.id), 1.0)
        self._fuel = self.apu.start_fuel if self.get("phase") == "starting" else 1.0
        self._burning = strength * self._fuel if self.get("lit") is True else 0.0
        self._oiled = not self._fault("apu_no_oil")
        return self._burning, self._oiled, self._load

    def rates(
        self, x: Sequence[float], amps: Sequence[float], answers: Sequence[float]
    ) -> tuple[list[float], list[float]]:
        """Speed by starter and burning; temperature and oil pressure lag behind it."""
        speed, burning, drawn = x[self._speed_at], self._burning, amps[self._starter_at]
        turbine = self.turbine
        # Standing still it is exactly at rest, so a cold APU never costs a step.
        if not (speed or burning or drawn):
            return [0.0, turbine.ambient_celsius, 0.0], [0.0]
        let = turbine.governor(speed, self.apu.spool.governed_percent)
        # What hangs on the shaft brakes in proportion to speed, so it never turns it backwards.
        push = self.apu.starter.push(drawn) - self._load * speed / 100
        gain, slope = turbine.acceleration(speed, push, burning, let)
        flow = turbine.fuel(speed, let) * self._fuel if burning else 0.0
        oil = turbine.oil_target(speed) if self._oiled else 0.0
        return [gain, turbine.exhaust_target(speed, flow), oil], [slope]
