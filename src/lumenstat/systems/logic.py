"""What logic remembers and measures: comparators with hysteresis, timers, latches."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity, reads
from lumenstat.language.values import ExpressionText, Name, Number, Seconds, Text, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.electrical.buses import BusesSection, volts
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import Delay, Threshold, Whole, ticks
from lumenstat.systems.unit import Host, Unit


class Comparator(Written):
    """Turns a figure into a yes or no with hysteresis, for logic to read."""

    id: Name
    quantity: Text
    on_above: Number
    off_below: Number


class Timer(Written):
    """True once its expression has been true for some seconds without a break."""

    id: Name
    when: ExpressionText
    seconds: Seconds


class Latch(Written):
    """Becomes true with `set_when` and stays so until `reset_when`."""

    id: Name
    set_when: ExpressionText
    reset_when: ExpressionText


class LogicSection(Written):
    """The comparators, timers and latches of an aircraft."""

    timers: tuple[Timer, ...] = ()
    latches: tuple[Latch, ...] = ()
    comparators: tuple[Comparator, ...] = ()


class Logic(System):
    """All comparators, timers and latches, with the delays that other systems ask for."""

    SECTION = LogicSection
    EVENTS = ("delay",)

    def __init__(self, section: LogicSection) -> None:
        self.section = section
        self._all_delays: list[Delay] = []

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all."""
        yield cls(airframe.section(LogicSection))

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Known quantities, thresholds apart, expressions over states."""
        section = airframe.section(LogicSection)
        for n, timer in enumerate(section.timers):
            checker.logic(("timers", n, "when"), timer.when)
        for n, latch in enumerate(section.latches):
            checker.logic(("latches", n, "set_when"), latch.set_when)
            checker.logic(("latches", n, "reset_when"), latch.reset_when)
        for n, comparator in enumerate(section.comparators):
            checker.known(("comparators", n, "quantity"), "quantity", comparator.quantity, checker.quantities)
            if comparator.on_above <= comparator.off_below:
                says = "`on_above` must be higher than `off_below`, or it switches without end"
                checker.wrong(("comparators", n), says)

    @classmethod
    def check_whole(cls, airframe: Sections, whole: Whole, checker: Checker) -> None:
        """A load that a comparator switches must not pull that comparator's own bus back over its other threshold."""
        buses = {volts(bus.id): bus for bus in airframe.section(BusesSection).of_kind("dc")}
        # The weakest source is the worst that can be behind the bus.
        ohms = max((path.ohms for path in whole.dc_paths if path.start is None), default=None)
        for n, comparator in enumerate(airframe.section(LogicSection).comparators):
            bus = buses.get(comparator.quantity)
            if bus is None or ohms is None:
                continue
            switched = [load for load in whole.switched_loads if reads(load.when, f"comparator.{comparator.id}")]
            # The sag that the load itself makes, by Ohm's law at the bus's usual volts.
            sag = sum(load.watts for load in switched if load.bus == bus.id) / bus.nominal_volts * ohms
            hysteresis = comparator.on_above - comparator.off_below
            if sag >= hysteresis:
                names = ", ".join(load.id for load in switched)
                checker.wrong(
                    ("comparators", n),
                    f"{names} pulls {bus.id} down by about {sag:.2f} V, more than the hysteresis of "
                    f"{hysteresis:g} V; it would chatter: widen it to {2 * sag:.1f} V",
                    "hysteresis",
                )

    def meet(self, systems: Sequence[System]) -> None:
        """Take on the delays of all systems."""
        self._all_delays = [delay for system in systems for delay in system.delays()]

    def quantities(self) -> Iterator[Quantity]:
        """Timers, latches, comparators."""
        for timer in self.section.timers:
            yield Quantity(
                f"timer.{timer.id}",
                "",
                "truth",
                phrase("{condition} for {seconds:g} s", condition=timer.when, seconds=timer.seconds),
            )
        for latch in self.section.latches:
            yield Quantity(f"latch.{latch.id}", "", "truth", phrase("set by {condition}", condition=latch.set_when))
        for comparator in self.section.comparators:
            says = phrase("{quantity}, with hysteresis", quantity=comparator.quantity)
            yield Quantity(f"comparator.{comparator.id}", "", "truth", says)

    def delays(self) -> Iterator[Delay]:
        """Timers."""
        for timer in self.section.timers:
            yield Delay(f"timer.{timer.id}", timer.when, timer.seconds)

    def thresholds(self) -> Iterator[Threshold]:
        """Comparators."""
        for each in self.section.comparators:
            yield Threshold(each.quantity, f"comparator.{each.id}", each.on_above, each.off_below)

    def conditions(self) -> list[str]:
        """Of delays, then what sets and what resets each latch."""
        latches = [text for latch in self.section.latches for text in (latch.set_when, latch.reset_when)]
        return [delay.when for delay in self._all_delays] + latches

    def unit(self, host: Host, start: Sections, number: int) -> LogicUnit:
        """Delays and latches of one aircraft."""
        return LogicUnit(host, number, self._all_delays, [f"latch.{latch.id}" for latch in self.section.latches])


class LogicUnit(Unit):
    """Delays and latches of one aircraft."""

    SNAPSHOT = ("timing",)

    def __init__(self, host: Host, number: int, delays: Sequence[Delay], latches: Sequence[str]) -> None:
        super().__init__(host, number)
        self._delays = [(host.layout.d[delay.state], ticks(delay.seconds)) for delay in delays]
        self._latches = [host.layout.d[name] for name in latches]
        self.timing: tuple[bool, ...] = (False,) * len(delays)

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Start and stop delays; set and reset latches."""
        d, timed = self.host.d, conditions[: len(self._delays)]
        # Most settles change no delay; then there is nothing to start or stop.
        if timed != self.timing:
            for n, (on, was, (slot, after)) in enumerate(zip(timed, self.timing, self._delays, strict=True)):
                if on and not was:
                    self.later(n, after)
                elif was and not on:
                    self.never_mind(n)
                    d[slot] = False
            self.timing = timed
        latches = iter(conditions[len(self._delays) :])
        for slot in self._latches:
            sets, resets = next(latches), next(latches)
            # Reset wins where both are true, as relays are wired.
            d[slot] = (sets or d[slot] is True) and not resets

    def fire(self, kind: int, what: int) -> None:
        """A delay has passed."""
        self.host.d[self._delays[what][0]] = True
