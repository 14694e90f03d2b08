"""Contactors: join two DC buses, after the time they take to pull in, and let go after that to drop out."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from typing import Self

from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import ExpressionText, Name, Part, Positive, Seconds, Written
from lumenstat.language.wording import phrase
from lumenstat.network.solving import Branch
from lumenstat.systems.layout import Layout
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import BranchName, DcPath, FaultKind, RiserJoint, ticks
from lumenstat.systems.unit import Host, Unit


class CurrentLimit(Written):
    """What a contactor's charge limiter lets pass towards one of its ends."""

    amps: Positive
    toward: Name


class Contactor(Part):
    """Joins two DC buses while its logic is true, after its pull-in time."""

    between: tuple[Name, Name]
    closes_when: ExpressionText
    pull_in_seconds: Seconds = 0.05
    drop_out_seconds: Seconds = 0.02
    resistance_mohm: Positive = 1.0
    limit: CurrentLimit | None = None


class ContactorsSection(Written):
    """The contactors of an aircraft."""

    contactors: tuple[Contactor, ...] = ()


def shut(contactor: str) -> str:
    """The state that tells whether a contactor is shut."""
    return f"contactor.{contactor}.shut"


class Contactors(System):
    """All contactors. They move by events of their own, so two that interlock can never both close."""

    SECTION = ContactorsSection
    FAULTS = (
        FaultKind("contactor_stuck_open", phrase("contactor stuck open")),
        FaultKind("limiter_failed", phrase("current limiter failed"), rewires=True),
    )
    EVENTS = ("contactor",)

    def __init__(self, contactors: tuple[Contactor, ...]) -> None:
        self.contactors = contactors

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all contactors."""
        yield cls(airframe.section(ContactorsSection).contactors)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """Between two DC buses, with logic; a limit points to one of them."""
        contactors = airframe.section(ContactorsSection).contactors
        checker.unique(("electrical", "contactors"), "part", [each.id for each in contactors])
        for n, contactor in enumerate(contactors):
            at = "electrical", "contactors", n
            for end in contactor.between:
                checker.refers((*at, "between"), "DC bus", end)
            # A loop from a bus to itself carries nothing and makes the network's equations singular.
            if contactor.between[0] == contactor.between[1]:
                checker.wrong(at, f"both ends are {contactor.between[0]}; a contactor stands between two buses")
            if contactor.limit is not None:
                toward = contactor.limit.toward
                checker.known((*at, "limit", "toward"), "end of this contactor", toward, contactor.between)
            checker.logic((*at, "closes_when"), contactor.closes_when)

    @classmethod
    def dc_paths(cls, airframe: Sections) -> Iterator[DcPath]:
        """Both ways."""
        for each in airframe.section(ContactorsSection).contactors:
            a, b = each.between
            yield DcPath(a, b)
            yield DcPath(b, a)

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Contactors, and those with a limiter."""
        contactors = airframe.section(ContactorsSection).contactors
        return {
            "contactor_stuck_open": {each.id: each.name for each in contactors},
            "limiter_failed": {each.id: each.name for each in contactors if each.limit is not None},
        }

    def quantities(self) -> Iterator[Quantity]:
        """Whether it is shut, and current through."""
        for each in self.contactors:
            yield Quantity(shut(each.id), "", "truth", phrase("contactor {each} is shut", each=each.name))
            meaning = phrase("current through {each}, away from {between}", each=each.name, between=each.between[0])
            yield Quantity(f"contactor.{each.id}.amps", "A", "number", meaning)

    def riser_joints(self) -> Iterator[RiserJoint]:
        """One each; current counts away from its first end."""
        for each in self.contactors:
            amps = f"contactor.{each.id}.amps"
            yield RiserJoint("contactor", each.id, each.name, each.between, shut(each.id), amps)

    def conditions(self) -> list[str]:
        """When each closes."""
        return [each.closes_when for each in self.contactors]

    def branches(self) -> Iterator[BranchName]:
        """One each, there while it is shut."""
        for each in self.contactors:
            yield BranchName(f"contactor.{each.id}", has_emf=False, present=shut(each.id))

    def outputs(self, layout: Layout) -> Iterator[tuple[str, str]]:
        """Amps of the branches."""
        for each in self.contactors:
            yield f"contactor.{each.id}.amps", layout.code("amps", f"contactor.{each.id}")

    def unit(self, host: Host, start: Sections, number: int) -> ContactorsUnit:
        """The contactors of one aircraft."""
        return ContactorsUnit(host, number, self.contactors)


class ContactorsUnit(Unit):
    """Contactors with the commands that are on their way to them."""

    SNAPSHOT = ("commands",)

    def __init__(self, host: Host, number: int, contactors: tuple[Contactor, ...]) -> None:
        super().__init__(host, number)
        self._contactors = contactors
        self._slots = [host.layout.d[shut(each.id)] for each in contactors]
        self.commands: tuple[bool, ...] = (False,) * len(contactors)

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Set off what is asked and not commanded yet."""
        faults = self.host.faults
        # A stuck contactor is asked for and not commanded, so with faults the two differ for good.
        if conditions == self.commands and not faults.active:
            return
        commands = list(self.commands)
        for n, contactor in enumerate(self._contactors):
            want = conditions[n] and not faults.has("contactor_stuck_open", contactor.id)
            if want != commands[n]:
                commands[n] = want
                self.later(n, ticks(contactor.pull_in_seconds if want else contactor.drop_out_seconds))
        self.commands = tuple(commands)

    def fire(self, kind: int, what: int) -> None:
        """One has moved."""
        self.host.d[self._slots[what]] = self.commands[what]

    def wiring(self) -> list[Branch]:
        """Both ways without bounds, but for a limiter that works."""
        return [self._branch(each) for each in self._contactors]

    def _branch(self, contactor: Contactor) -> Branch:
        a, b = (self.host.layout.nodes[end] for end in contactor.between)
        low, high = -math.inf, math.inf
        if contactor.limit is not None and not self.host.faults.has("limiter_failed", contactor.id):
            # The limiter acts one way only: a battery charges through it slowly and gives all it has.
            toward_b = contactor.limit.toward == contactor.between[1]
            low, high = (low, contactor.limit.amps) if toward_b else (-contactor.limit.amps, high)
        return Branch(a, b, 1000 / contactor.resistance_mohm, low, high)
