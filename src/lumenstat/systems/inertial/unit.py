"""What an inertial unit does: check of its backup supply, levelling, finding north, and when it may navigate.

It finds latitude by itself and refuses an entry that disagrees; longitude it cannot find, so it only says that an entry
is not where it was switched off, and takes it when it is entered again.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from lumenstat.language import naming
from lumenstat.systems.electrical.buses import alive
from lumenstat.systems.inertial.alignment import (
    TICKS_PER_HOUR,
    UNKNOWN_DEGREES,
    Alignment,
    alignment_figures,
    distance_km,
    hours_after_levelling,
    noise_of,
)
from lumenstat.systems.inertial.part import AlignMode, Inertial, InertialStart
from lumenstat.systems.surroundings import Surroundings
from lumenstat.systems.system import Sections
from lumenstat.systems.terms import ticks
from lumenstat.systems.unit import Host, Unit

CHECKED, LEVEL, NAVIGATES, BEST, BACKUP_OUT, HOT = range(6)
MOVED_DEGREES = 25.0
LONGEST_HOURS = 3.0
STATES = ("phase", "mode", "notice", "on_backup", "may_navigate", "position_entered", "position_differs")
FINDING = ("levelling", "aligning", "aligned")


class InertialUnit(Unit):
    """One inertial unit."""

    SNAPSHOT = (
        "alignment", "entered", "entering", "backup_spent", "on_backup", "hot", "cooled", "moved", "moving", "waiting",
        "level", "coarse", "best",
    )  # fmt: skip

    def __init__(self, host: Host, number: int, unit: Inertial, start: Sections) -> None:
        self.unit = unit
        place = start.section(Surroundings).place
        found = start.section(InertialStart)
        remembered = found.remembered or place
        self.here = place.latitude_degrees, place.longitude_degrees
        self.remembered = remembered.latitude_degrees, remembered.longitude_degrees
        self.noise = noise_of(unit, start.section(Surroundings).outside_celsius)
        d = host.layout.d
        self.bus_slot = d[alive(unit.bus)]
        self.backup_slot = d[alive(unit.backup_bus)] if unit.backup_bus else None
        self.gyro_slots = {mode.gyro: d[f"gyro.{mode.gyro}.erect"] for mode in unit.modes if mode.gyro}
        self.entry_slots = d[naming.control(unit.latitude_entry)], d[naming.control(unit.longitude_entry)]
        backup = [] if self.backup_slot is None else [self.backup_slot]
        others = (self.bus_slot, *backup, *self.gyro_slots.values(), *self.entry_slots)
        super().__init__(host, number, {name: f"inertial.{unit.id}.{name}" for name in STATES}, others)
        self.alignment = Alignment()
        self._unmoving: Sequence[float] | None = None
        self.entered: tuple[float, float] | None = None
        self.entering = self.backup_spent = self.on_backup = self.hot = self.waiting = False
        self.level = self.coarse = self.best = self.moving = False
        self.cooled = True
        self.moved = found.moved_since_shutdown
        self.put(phase="off", mode="", notice="")

    @property
    def phase(self) -> str:
        """What the unit is doing."""
        return str(self.host.d[self.slot["phase"]])

    # ---- settling ----------------------------------------------------------------------------------------

    def follow(self, *conditions: bool) -> None:
        """Follow what switches and buses say: on, navigate, entered, cooled, moves, then a mode each."""
        on, navigate, entered, cooled, moves, *modes = conditions
        moving = moves or self.host.faults.has("aircraft_nudged", "aircraft")
        # Remembered until it begins anew: a nudge of a second spoils what was measured before it.
        self.moved = self.moved or moving
        if not self._powered(on):
            self._switch_off()
        elif self.hot or self.host.faults.has("inertial_failed", self.unit.id):
            # Nothing that it was about to do happens any more.
            self.never_mind(CHECKED, LEVEL, NAVIGATES, BEST)
            self.alignment = Alignment()
            self.put(phase="failed", may_navigate=False, notice="hot" if self.hot else "")
        elif self.phase in ("off", "failed"):
            self.put(phase="checking")
            self.later(CHECKED, ticks(self.unit.check_seconds))
        else:
            self._find(navigate, entered, tuple(modes), moving)
        self._cool(cooled)
        # What was so before is needed to see an entry, or a movement, begin and end.
        self.entering, self.moving = entered, moving

    def _powered(self, on: bool) -> bool:
        d = self.host.d
        main = d[self.bus_slot] is True
        backup = self.backup_slot is not None and d[self.backup_slot] is True
        # Its own bus, or switching it off, gives the backup its full time again.
        if main or not on:
            self.backup_spent = False
        on_backup = on and backup and not main and not self.backup_spent
        if on_backup and not self.on_backup:
            self.later(BACKUP_OUT, ticks(self.unit.backup_seconds))
        elif self.on_backup and not on_backup:
            self.never_mind(BACKUP_OUT)
        self.on_backup = on_backup
        self.put(on_backup=on_backup or (on and main and backup and self.phase == "checking"))
        return on and (main or on_backup)

    def _switch_off(self) -> None:
        self.never_mind(CHECKED, LEVEL, NAVIGATES, BEST)
        self.alignment, self.entered, self.hot, self.waiting = Alignment(), None, False, False
        self.level = self.coarse = self.best = False
        self.put(
            phase="off", mode="", notice="", may_navigate=False, position_entered=False, position_differs=False,
            on_backup=False,
        )  # fmt: skip

    def _find(self, navigate: bool, entered: bool, modes: tuple[bool, ...], moving: bool) -> None:
        if entered and not self.entering:
            self._enter()
        if self.phase == "navigating":
            # Switched back to aligning, it begins anew from the place that it knows.
            if not navigate:
                self._begin(modes, "")
            return
        if self.phase not in FINDING:
            return
        wanted = self._mode(modes)
        if moving or self.moving:
            self._begin(modes, "moved", moving)
        elif self.waiting or wanted.id != self.host.d[self.slot["mode"]]:
            self._begin(modes, "")
        self._say(navigate)

    def _mode(self, wanted: tuple[bool, ...]) -> AlignMode:
        return next((mode for mode, on in zip(self.unit.modes, wanted, strict=True) if on), self.unit.modes[0])

    def _enter(self) -> None:
        d = self.host.d
        latitude, longitude = (float(d[slot]) for slot in self.entry_slots)
        # Longitude cannot be sensed: told the same place twice, the unit believes it.
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
        return off or self.host.faults.has("inertial_refuses", self.unit.id)

    @property
    def _position_good(self) -> bool:
        differs = self.host.d[self.slot["position_differs"]] is True
        return self.entered is not None and not self._latitude_refused and not differs

    def _begin(self, modes: tuple[bool, ...], notice: str, moving: bool = False) -> None:
        """Start to level and find north anew, unless something stands in the way."""
        mode, unit = self._mode(modes), self.unit
        # Near a pole the Earth's turn has hardly a part that points north.
        self.never_mind(LEVEL, NAVIGATES, BEST)
        self.level = self.coarse = self.best = False
        self.put(phase="levelling", mode=mode.id, may_navigate=False)
        best, coarse = self._hours(mode)
        # It stays at levelling until what stands in its way is gone.
        if best > LONGEST_HOURS or (abs(self.here[0]) > unit.farthest_latitude_degrees and mode.finds == "gyrocompass"):
            notice = "too far north"
        elif mode.gyro is not None and not self.host.d[self.gyro_slots[mode.gyro]]:
            notice = "no gyro heading"
        self.waiting = moving or notice in ("too far north", "no gyro heading")
        self.put(notice=notice)
        error = self.alignment.position_error_km
        self.alignment = Alignment(position_error_km=error)
        if self.waiting:
            return
        level = ticks(mode.levelling_seconds)
        ends = level + math.ceil(best * TICKS_PER_HOUR)
        now = self.host.tick
        self.alignment = Alignment(
            begun=now,
            level_at=now + level,
            best_at=now + ends,
            noise=self.noise,
            bias=unit.bias_degrees_per_hour,
            latitude=self.here[0],
            frozen=None if mode.finds == "gyrocompass" else UNKNOWN_DEGREES,
            position_error_km=error,
        )
        self.later(LEVEL, level)
        self.later(NAVIGATES, level + math.ceil(coarse * TICKS_PER_HOUR))
        self.later(BEST, ends)

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
            error = alignment_figures(self.alignment, self.host.tick)[3]
            self.never_mind(BEST)
            # From here on it no longer improves: what it knows of heading now is what it flies with.
            self.alignment = replace(self.alignment, begun=-1, frozen=error)
            self.put(phase="navigating")

    def _cool(self, cooled: bool) -> None:
        wants = self.phase == "off" or cooled
        if wants:
            self.never_mind(HOT)
        elif self.cooled:
            self.later(HOT, ticks(self.unit.hot_after_seconds))
        self.cooled = wants

    # ---- events ------------------------------------------------------------------------------------------

    # It begins to find once what switches say is looked at next.
    def fire(self, kind: int, what: int) -> None:
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
        mode = next(mode for mode in self.unit.modes if mode.id == self.host.d[self.slot["mode"]])
        if mode.finds != "gyrocompass":
            moved = MOVED_DEGREES if mode.finds == "stored" and self.moved else 0.0
            self.alignment = replace(self.alignment, frozen=(mode.best_degrees or 0.0) + moved)
        elif self.best:
            error = alignment_figures(self.alignment, self.host.tick)[3]
            self.alignment = replace(self.alignment, frozen=error)

    # ---- what it shows -----------------------------------------------------------------------------------

    def decides(self) -> object:
        """How far it is."""
        return self.alignment

    def hold(self, watts: Mapping[str, float]) -> object:
        """How far it is; what it shows of it, where that does not move."""
        self._unmoving = alignment_figures(self.alignment, 0) if self.alignment.begun < 0 else None
        return self.alignment

    def outputs(self, tick: int, x: Sequence[float], volts: Sequence[float], amps: Sequence[float]) -> Sequence[float]:
        """Progress, seconds left, counter, heading error, position error."""
        return alignment_figures(self.alignment, tick) if self._unmoving is None else self._unmoving
