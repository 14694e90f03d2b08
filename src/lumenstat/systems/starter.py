"""An electric starter: a DC motor whose back-EMF grows with the speed of what it turns."""

from __future__ import annotations

from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_
from lumenstat.language.values import Name, Positive, Seconds, Written
from lumenstat.network.solving import GROUND, Branch
from lumenstat.systems.electrical.buses import volts
from lumenstat.systems.layout import Layout
from lumenstat.systems.terms import BranchName, Threshold


class Starter(Written):
    """A DC motor on a bus: draws (volts - back-EMF) / resistance, and turns by what it draws."""

    bus: Name
    resistance_mohm: Positive
    back_emf_volts_per_percent: Positive
    percent_per_second_per_kiloamp: Positive
    relay_pulls_in_volts: Positive
    relay_drops_out_volts: Positive
    cuts_out_percent: Positive
    rest_seconds: Seconds = 60.0

    def push(self, amps: float) -> float:
        """Percent per second that it gives at this current."""
        return self.percent_per_second_per_kiloamp * amps / 1000

    def branch_name(self, name: str, present: str, speed: str) -> BranchName:
        """Its branch, there while the state `present` is true; its EMF works against the bus."""
        # From the bus to ground, so what it generates by turning stands against the current: minus.
        return BranchName(name, has_emf=True, present=present, back_emf=(speed, -self.back_emf_volts_per_percent))

    def branch(self, layout: Layout) -> Branch:
        """From its bus to ground; it gives nothing back."""
        # Its clutch slips when the engine turns it faster; as a generator it would hold the engine back.
        return Branch(layout.nodes[self.bus], GROUND, 1000 / self.resistance_mohm, low=0.0)

    def relay(self, state: str) -> Threshold:
        """Volts enough to hold its relay."""
        return Threshold(volts(self.bus), state, self.relay_pulls_in_volts, self.relay_drops_out_volts)

    def check(self, path: Path_, checker: Checker) -> None:
        """On a DC bus, with a relay that pulls in above where it drops out."""
        checker.refers((*path, "bus"), "DC bus", self.bus)
        if self.relay_pulls_in_volts <= self.relay_drops_out_volts:
            checker.wrong(path, "the relay must pull in at more volts than it drops out at")
