"""What the APU's control unit does: self-test, door, start, watch, cool-down and run-down.

A press of START outside `ready` is lost without a word. What shuts the APU down is what its figures do: no speed by
the end of the start limit (hung), too much temperature, oil or fuel pressure that stays away, a starter relay that
drops out.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from lumenstat.simulation.calendar import Priority
from lumenstat.simulation.plan import ticks
from lumenstat.simulation.unit import Unit

if TYPE_CHECKING:
    from lumenstat.documents.systems import Apu
    from lumenstat.simulation.settling import Settler

SELF_TEST, DOOR, START_LIMIT, COOLED, OIL_CHECK, RESTED = range(6)
OIL_CHECK_SECONDS = 12.0
NAMES = (
    "phase", "door", "trouble", "available", "starter", "lit", "oil_low",
    "at_light", "at_cut_out", "at_available", "turning", "too_hot", "oil_up", "fuelled", "relay_volts",
)  # fmt: skip


class ApuLogic(Unit):
    """The control unit of the APU."""

    KEPT = ("pressed", "tested", "resting", "moving_to")

    def __init__(self, settler: Settler, apu: Apu) -> None:
        self.apu = apu
        slots = settler.aircraft.plan.d
        self.slot = {name: slots[f"apu.{name}"] for name in (*NAMES, "charged")}
        self.powered_slot = slots[f"bus.{apu.control_bus}.alive"]
        super().__init__(settler, [*self.slot.values(), self.powered_slot])
        self.pressed = False
        self.tested = False
        self.resting = False
        self.moving_to = ""
        for name, value in (("phase", "off"), ("door", "closed"), ("trouble", "")):
            self.aircraft.d[self.slot[name]] = value

    def get(self, name: str) -> object:
        """A state of the APU."""
        return self.aircraft.d[self.slot[name]]

    def put(self, **states: str | bool) -> None:
        """Set states of the APU."""
        for name, value in states.items():
            self.aircraft.d[self.slot[name]] = value

    def _after(self, seconds: float, what: int) -> None:
        self.aircraft.calendar.add(self.aircraft.tick + ticks(seconds), Priority.APU, what)

    def _fault(self, kind: str) -> bool:
        return self.settler.faults.has(kind, self.apu.id)

    # ---- settling ----------------------------------------------------------------------------------------

    def go_on(self, master: bool, pressed: bool) -> None:
        """Go on with what master, START and the figures say."""
        powered = self.aircraft.d[self.powered_slot] is True
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
            self.aircraft.calendar.overtake(Priority.APU, SELF_TEST)
            self.put(phase="closing")
            return
        ready = self.tested and self.get("door") == "open"
        if edge and self.get("phase") == "ready" and not self.resting and self._draw_charge():
            self.put(phase="starting", starter=True)
            self.resting = True
            self._after(self.apu.start_limit_seconds, START_LIMIT)
            self._after(self.apu.starter.rest_seconds, RESTED)
        elif ready:
            self.put(phase="ready")

    def _draw_charge(self) -> bool:
        """Take what the start needs out of its accumulator; False where that is not charged."""
        charge = self.apu.accumulator
        if charge is None:
            return True
        if not self.get("charged"):
            return False
        systems = [system.id for system in self.aircraft.plan.airframe.hydraulics.systems]
        place = self.aircraft.flows.first_target + systems.index(charge.system)
        self.aircraft.x[place] = max(0.0, self.aircraft.x[place] - charge.uses_psi)
        return True

    def _start(self, master: bool, powered: bool) -> None:
        if not master or not powered:
            self._stop("" if powered else "low volts")
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
            elif not self.get("fuelled"):
                self.put(lit=False)
            if self.get("at_available"):
                self.put(phase="running", available=True, starter=False)
                self.aircraft.calendar.overtake(Priority.APU, START_LIMIT)
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
        elif master and self.get("phase") == "cooling":
            self.put(phase="running")
            self.aircraft.calendar.overtake(Priority.APU, COOLED)
        self._fire_stops()

    def _fire_stops(self) -> None:
        if self._fault("apu_fire") and self.get("phase") in ("starting", "running", "cooling"):
            self._stop("fire")

    def _stop(self, trouble: str) -> None:
        self.put(phase="stopping", available=False, starter=False, lit=False, trouble=trouble)
        for what in (START_LIMIT, COOLED, OIL_CHECK):
            self.aircraft.calendar.overtake(Priority.APU, what)

    def _door(self, powered: bool) -> None:
        """The door needs power to move: it opens with the self-test and closes once the APU stands still."""
        wanted = "closed" if self.get("phase") in ("off", "closing") else "open"
        if self._fault("apu_door_stuck") or not powered:
            if self.moving_to:
                self.moving_to = ""
                self.aircraft.calendar.overtake(Priority.APU, DOOR)
            return
        if self.get("door") != wanted and self.moving_to != wanted:
            self.moving_to = wanted
            self.put(door="moving")
            self._after(self.apu.door_seconds, DOOR)

    # ---- events ------------------------------------------------------------------------------------------

    def fire(self, what: int) -> None:
        """Something the control unit waited for has come."""
        match what:
            case 0:
                self.tested = True
            case 1:
                self.put(door=self.moving_to or "moving")
                self.moving_to = ""
            case 2 if self.get("phase") == "starting":
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

    @property
    def strength(self) -> float:
        """The share of its power that burning gives."""
        return self.settler.faults.active.get(("apu_hung", self.apu.id), 1.0)
