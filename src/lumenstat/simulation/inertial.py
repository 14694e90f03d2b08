"""What an inertial unit does: check of its backup supply, levelling, finding north, and when it may navigate.

It finds latitude by itself and refuses an entry that disagrees; longitude it cannot find, so it only says that an entry
is not where it was switched off, and takes it when it is entered again.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

from lumenstat.simulation.alignment import (
    TICKS_PER_HOUR,
    UNKNOWN_DEGREES,
    Alignment,
    alignment_figures,
    distance_km,
    hours_after_levelling,
    noise_of,
)
from lumenstat.simulation.calendar import Priority
from lumenstat.simulation.plan import InertialAnswers, ticks
from lumenstat.simulation.unit import Unit

if TYPE_CHECKING:
    from lumenstat.documents.exercise import Start
    from lumenstat.documents.navigation import AlignMode, Inertial
    from lumenstat.simulation.settling import Settler

CHECKED, LEVEL, NAVIGATES, BEST, BACKUP_OUT, HOT = range(6)
EVENTS_EACH = 6
MOVED_DEGREES = 25.0
LONGEST_HOURS = 3.0
NAMES = ("phase", "mode", "notice", "on_backup", "may_navigate", "position_entered", "position_differs")
FINDING = ("levelling", "aligning", "aligned")


class InertialLogic(Unit):
    """One inertial unit."""

    KEPT = (
        "alignment", "entered", "entering", "backup_spent", "on_backup", "hot", "cooled", "moved", "moving", "waiting",
        "level", "coarse", "best",
    )  # fmt: skip

    def __init__(self, settler: Settler, number: int, unit: Inertial, start: Start) -> None:
        self.number, self.unit = number, unit
        self.here = start.place.latitude_degrees, start.place.longitude_degrees
        remembered = start.remembered or start.place
        self.remembered = remembered.latitude_degrees, remembered.longitude_degrees
        self.noise = noise_of(unit, start.outside_celsius)
        slots = settler.aircraft.plan.d
        self.slot = {name: slots[f"inertial.{unit.id}.{name}"] for name in NAMES}
        self.bus_slot = slots[f"bus.{unit.bus}.alive"]
        self.backup_slot = slots[f"bus.{unit.backup_bus}.alive"] if unit.backup_bus else None
        self.gyro_slots = {mode.gyro: slots[f"gyro.{mode.gyro}.erect"] for mode in unit.modes if mode.gyro}
        self.entry_slots = slots[f"control.{unit.latitude_entry}"], slots[f"control.{unit.longitude_entry}"]
        backup = [] if self.backup_slot is None else [self.backup_slot]
        others = (self.bus_slot, *backup, *self.gyro_slots.values(), *self.entry_slots)
        super().__init__(settler, [*self.slot.values(), *others])
        self.alignment = Alignment()
        self.entered: tuple[float, float] | None = None
        self.entering = self.backup_spent = self.on_backup = self.hot = self.waiting = False
        self.level = self.coarse = self.best = self.moving = False
        self.cooled = True
        self.moved = start.moved_since_shutdown
        self.put(phase="off", mode="", notice="")

    @property
    def phase(self) -> str:
        """What the unit is doing."""
        return str(self.aircraft.d[self.slot["phase"]])

    def put(self, **states: str | bool) -> None:
        """Set states of this unit."""
        for name, value in states.items():
            self.aircraft.d[self.slot[name]] = value

    def _after(self, ticks_: int, what: int) -> None:
        self.aircraft.calendar.add(self.aircraft.tick + ticks_, Priority.INERTIAL, self.number * EVENTS_EACH + what)

    def _overtake(self, *events: int) -> None:
        for what in events:
            self.aircraft.calendar.overtake(Priority.INERTIAL, self.number * EVENTS_EACH + what)

    # ---- settling ----------------------------------------------------------------------------------------

    def go_on(self, asked: tuple[bool, ...], modes: tuple[bool, ...], moving: bool) -> None:
        """Go on with what switches and buses say."""
        answers = InertialAnswers(*asked)
        self.moved = self.moved or moving
        if not self._powered(answers.on):
            self._switch_off()
        elif self.hot or self.settler.faults.has("inertial_failed", self.unit.id):
            self._overtake(CHECKED, LEVEL, NAVIGATES, BEST)
            self.alignment = Alignment()
            self.put(phase="failed", may_navigate=False, notice="hot" if self.hot else "")
        elif self.phase in ("off", "failed"):
            self.put(phase="checking")
            self._after(ticks(self.unit.check_seconds), CHECKED)
        else:
            self._find(answers, modes, moving)
        self._cool(answers.cooled)
        self.entering, self.moving = answers.entered, moving

    def _powered(self, on: bool) -> bool:
        d = self.aircraft.d
        main = d[self.bus_slot] is True
        backup = self.backup_slot is not None and d[self.backup_slot] is True
        if main or not on:
            self.backup_spent = False
        on_backup = on and backup and not main and not self.backup_spent
        if on_backup and not self.on_backup:
            self._after(ticks(self.unit.backup_seconds), BACKUP_OUT)
        elif self.on_backup and not on_backup:
            self._overtake(BACKUP_OUT)
        self.on_backup = on_backup
        self.put(on_backup=on_backup or (on and main and backup and self.phase == "checking"))
        return on and (main or on_backup)

    def _switch_off(self) -> None:
        self._overtake(CHECKED, LEVEL, NAVIGATES, BEST)
        self.alignment, self.entered, self.hot, self.waiting = Alignment(), None, False, False
        self.level = self.coarse = self.best = False
        self.put(
            phase="off", mode="", notice="", may_navigate=False, position_entered=False, position_differs=False,
            on_backup=False,
        )  # fmt: skip

    def _find(self, answers: InertialAnswers, modes: tuple[bool, ...], moving: bool) -> None:
        if answers.entered and not self.entering:
            self._enter()
        if self.phase == "navigating":
            if not answers.navigate:
                self._begin(modes, "")
            return
        if self.phase not in FINDING:
            return
        wanted = self._mode(modes)
        if moving or self.moving:
            self._begin(modes, "moved", moving)
        elif self.waiting or wanted.id != self.aircraft.d[self.slot["mode"]]:
            self._begin(modes, "")
        self._say(answers.navigate)

    def _mode(self, wanted: tuple[bool, ...]) -> AlignMode:
        return next((mode for mode, on in zip(self.unit.modes, wanted, strict=True) if on), self.unit.modes[0])

    def _enter(self) -> None:
        d = self.aircraft.d
        latitude, longitude = (float(d[slot]) for slot in self.entry_slots)
        again = self.entered == (latitude, longitude)
        self.entered = latitude, longitude
        far = distance_km(latitude, longitude, *self.remembered) > self.unit.remembered_tolerance_km
        self.put(position_entered=True, position_differs=far and not again)
        self.alignment = replace(self.alignment, position_error_km=distance_km(latitude, longitude, *self.here))

    @property
    def _latitude_refused(self) -> bool:
        if self.entered is None or not self.level:
            return False
        off = abs(self.entered[0] - self.here[0]) > self.unit.latitude_tolerance_degrees
        return off or self.settler.faults.has("inertial_refuses", self.unit.id)

    @property
    def _position_good(self) -> bool:
        differs = self.aircraft.d[self.slot["position_differs"]] is True
        return self.entered is not None and not self._latitude_refused and not differs

    def _begin(self, modes: tuple[bool, ...], notice: str, moving: bool = False) -> None:
        """Start to level and find north anew, unless something stands in the way."""
        mode, unit = self._mode(modes), self.unit
        self._overtake(LEVEL, NAVIGATES, BEST)
        self.level = self.coarse = self.best = False
        self.put(phase="levelling", mode=mode.id, may_navigate=False)
        best, coarse = self._hours(mode)
        if best > LONGEST_HOURS or (abs(self.here[0]) > unit.farthest_latitude_degrees and mode.finds == "gyrocompass"):
            notice = "too far north"
        elif mode.gyro is not None and not self.aircraft.d[self.gyro_slots[mode.gyro]]:
            notice = "no gyro heading"
        self.waiting = moving or notice in ("too far north", "no gyro heading")
        self.put(notice=notice)
        error = self.alignment.position_error_km
        self.alignment = Alignment(position_error_km=error)
        if self.waiting:
            return
        level = ticks(mode.levelling_seconds)
        ends = level + math.ceil(best * TICKS_PER_HOUR)
        now = self.aircraft.tick
        self.alignment = Alignment(
            begun=now,
            level_at=now + level,
            navigates_at=now + level + math.ceil(coarse * TICKS_PER_HOUR),
            best_at=now + ends,
            noise=self.noise,
            bias=unit.bias_degrees_per_hour,
            latitude=self.here[0],
            frozen=None if mode.finds == "gyrocompass" else UNKNOWN_DEGREES,
            position_error_km=error,
        )
        self._after(level, LEVEL)
        self._after(level + math.ceil(coarse * TICKS_PER_HOUR), NAVIGATES)
        self._after(ends, BEST)

    def _hours(self, mode: AlignMode) -> tuple[float, float]:
        """Hours after levelling until best accuracy and until it may navigate."""
        return hours_after_levelling(self.unit, mode, self.noise, self.here[0])

    def _say(self, navigate: bool) -> None:
        """Settle phase, notice and whether it may navigate."""
        if self.waiting:
            return
        good = self._position_good
        self.put(may_navigate=self.coarse and good)
        if self.level:
            missing = "enter position" if self.best and self.entered is None else ""
            self.put(notice="latitude" if self._latitude_refused else missing)
            self.put(phase="aligned" if self.best and good else "aligning")
        if navigate and self.coarse and good:
            error = alignment_figures(self.alignment, self.aircraft.tick)[3]
            self._overtake(BEST)
            self.alignment = replace(self.alignment, begun=-1, frozen=error)
            self.put(phase="navigating")

    def _cool(self, cooled: bool) -> None:
        wants = self.phase == "off" or cooled
        if wants:
            self._overtake(HOT)
        elif self.cooled:
            self._after(ticks(self.unit.hot_after_seconds), HOT)
        self.cooled = wants

    # ---- events ------------------------------------------------------------------------------------------

    def fire(self, what: int) -> None:
        """Something the unit waited for has come."""
        if what == CHECKED and self.phase == "checking":
            self.put(phase="levelling")
            self.waiting = True
        elif what == LEVEL:
            self.level = True
        elif what == NAVIGATES:
            self.coarse = True
            self._know()
        elif what == BEST:
            self.best = True
            self._know()
        elif what == BACKUP_OUT:
            self.backup_spent = True
        elif what == HOT:
            self.hot = True

    def _know(self) -> None:
        """Heading from a gyro or from memory is there all at once; a found one stops to improve at its best."""
        mode = next(mode for mode in self.unit.modes if mode.id == self.aircraft.d[self.slot["mode"]])
        if mode.finds != "gyrocompass":
            moved = MOVED_DEGREES if mode.finds == "stored" and self.moved else 0.0
            self.alignment = replace(self.alignment, frozen=(mode.best_degrees or 0.0) + moved)
        elif self.best:
            error = alignment_figures(self.alignment, self.aircraft.tick)[3]
            self.alignment = replace(self.alignment, frozen=error)
