"""The crew outside: what they can be asked for, how long it takes, and what they answer."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Annotated, Any, Self

from lumenstat.errors import ActionRefused
from lumenstat.language import naming
from lumenstat.language.checker import Checker
from lumenstat.language.expressions import Quantity
from lumenstat.language.values import ExpressionText, Name, Part, Seconds, Since, Text, Written, nearest
from lumenstat.language.wording import phrase
from lumenstat.systems.electrical.ac_names import carts_brought
from lumenstat.systems.system import Sections, System
from lumenstat.systems.terms import FaultKind, ticks
from lumenstat.systems.unit import Host, Unit


class ServiceAction(Part):
    """Something that can be asked of the crew outside, how long it takes and what they say.

    While it lasts the service may be in a state of its own (`meanwhile`), and somebody stands at the places it is
    `near`. Without what it `needs` they only answer.
    """

    possible_when: tuple[Name, ...]
    leaves: Name
    seconds: Seconds
    asked: Text
    answered: Text
    meanwhile: Name | None = None
    needs: ExpressionText | None = None
    needs_answered: Text | None = None
    brings_next_cart_of: Name | None = None
    near: Annotated[tuple[Name, ...], Since("0.4")] = ()


class Lapse(Written):
    """What ends a state by itself: a clearance lapses when anyone goes near."""

    when: ExpressionText
    ends: Name
    leaves: Name
    says: Text


class Service(Part):
    """What the ground crew do. `states` begins with the state of an aircraft left alone.

    They do it only if they hear it: `heard_when` says by what, and `unheard` tells whoever called into silence.
    """

    heard_when: ExpressionText | None = None
    unheard: Text = "Nobody hears you."
    states: tuple[Name, ...]
    actions: tuple[ServiceAction, ...]
    lapse: Annotated[Lapse | None, Since("0.4")] = None


def people_at(place: str) -> str:
    """The state that tells whether somebody of the crew outside stands at a place."""
    return f"people.{place}"


def places_of(services: Sequence[Service]) -> tuple[str, ...]:
    """Every place where the crew outside may stand, each once."""
    return tuple(dict.fromkeys(p for service in services for action in service.actions for p in action.near))


class ServicesSection(Written):
    """What can be asked of the crew outside."""

    services: tuple[Service, ...] = ()

    def names_of_request(self, service: str, action: str) -> tuple[str, str]:
        """What a service and one of its actions are called; their ids where the airframe has none of them."""
        found = next((each for each in self.services if each.id == service), None)
        if found is None:
            return service, action
        return found.name, {each.id: each.name for each in found.actions}.get(action, action)


class ServicesStart(Written):
    """Services that begin in another state than an aircraft left alone."""

    services: dict[Name, Name] = {}


class Services(System):
    """All services."""

    SECTION = ServicesSection
    START = ServicesStart
    FAULTS = (FaultKind("service_undone", phrase("service said to be done, and not done")),)
    EVENTS = ("service",)

    def __init__(self, services: tuple[Service, ...]) -> None:
        self.services = services

    @classmethod
    def of(cls, airframe: Sections) -> Iterable[Self]:
        """One for all services."""
        yield cls(airframe.section(ServicesSection).services)

    @classmethod
    def check(cls, airframe: Sections, checker: Checker) -> None:
        """States and carts that there are."""
        for n, service in enumerate(airframe.section(ServicesSection).services):
            checker.logic(("services", n, "heard_when"), service.heard_when)
            if (lapse := service.lapse) is not None:
                checker.logic(("services", n, "lapse", "when"), lapse.when)
                for key, state in (("ends", lapse.ends), ("leaves", lapse.leaves)):
                    checker.known(("services", n, "lapse", key), "state", state, service.states)
            for m, action in enumerate(service.actions):
                at = "services", n, "actions", m
                for state in (*action.possible_when, action.leaves):
                    checker.known(at, "state", state, service.states)
                if action.brings_next_cart_of is not None:
                    checker.refers(at, "ground supply", action.brings_next_cart_of)
                checker.logic((*at, "needs"), action.needs)
                if action.meanwhile is not None:
                    checker.known((*at, "meanwhile"), "state of the service", action.meanwhile, service.states)

    @classmethod
    def check_start(cls, start: Sections, airframe: Sections, checker: Checker) -> None:
        """Services and states that there are."""
        services = {service.id: service for service in airframe.section(ServicesSection).services}
        for name, state in start.section(ServicesStart).services.items():
            if checker.refers(("start", "services", name), "service", name):
                checker.known(("start", "services", name), f"state of {name}", state, services[name].states)

    @classmethod
    def names(cls, airframe: Sections) -> Mapping[str, Sequence[str]]:
        """Services."""
        return {"service": [service.id for service in airframe.section(ServicesSection).services]}

    @classmethod
    def fault_targets(cls, airframe: Sections) -> Mapping[str, Mapping[str, str]]:
        """Services."""
        return {"service_undone": {service.id: service.name for service in airframe.section(ServicesSection).services}}

    def quantities(self) -> Iterator[Quantity]:
        """State, whether the crew are at work, and where somebody stands."""
        for each in self.services:
            yield Quantity(
                naming.service(each.id), "", "text", phrase("state of {each}", each=each.name), choices=each.states
            )
            yield Quantity(
                naming.service_busy(each.id), "", "truth", phrase("the crew are at work on {each}", each=each.name)
            )
        for place in places_of(self.services):
            yield Quantity(
                people_at(place), "", "truth", phrase("somebody of the crew outside is at: {place}", place=place)
            )

    def conditions(self) -> list[str]:
        """Whether each service is heard, then whether each action has what it needs, then what lapses."""
        needs = [action.needs or "true" for service in self.services for action in service.actions]
        lapses = [service.lapse.when if service.lapse else "false" for service in self.services]
        return [service.heard_when or "true" for service in self.services] + needs + lapses

    def unit(self, host: Host, start: Sections, number: int) -> ServicesUnit:
        """The crew outside one aircraft."""
        return ServicesUnit(host, number, self.services, start.section(ServicesStart).services)


class ServicesUnit(Unit):
    """The crew outside one aircraft. They answer in any case; what cannot be done now is said, not refused."""

    SNAPSHOT = ("pending",)
    VERBS = ("request",)

    def __init__(self, host: Host, number: int, services: Sequence[Service], begun: Mapping[str, str]) -> None:
        super().__init__(host, number)
        self._services = services
        self._numbers = {service.id: n for n, service in enumerate(services)}
        self._states = [host.layout.d[naming.service(service.id)] for service in services]
        self._busy = [host.layout.d[naming.service_busy(service.id)] for service in services]
        self._people = [(place, host.layout.d[people_at(place)]) for place in places_of(services)]
        self._conditions: tuple[bool, ...] = ()
        self._first_needs: list[int] = []
        # The conditions come in one row: whether each is heard, then what each action needs.
        first = len(services)
        for service in services:
            self._first_needs.append(first)
            first += len(service.actions)
        self.pending: tuple[int | None, ...] = (None,) * len(services)
        for service, slot in zip(services, self._states, strict=True):
            host.d[slot] = begun.get(service.id, service.states[0])

    def settle(self, conditions: tuple[bool, ...]) -> None:
        """Know who is heard and what is at hand, and let lapse what does."""
        self._conditions = conditions
        lapsing = conditions[-len(self._services) :]
        for service, slot, lapses in zip(self._services, self._states, lapsing, strict=True):
            lapse = service.lapse
            if lapse is not None and lapses and self.host.d[slot] == lapse.ends:
                self.host.d[slot] = lapse.leaves
                self.host.say("ground", lapse.says)

    def act(self, verb: str, args: Mapping[str, Any]) -> bool:
        """Ask the crew for something."""
        number, action = self._asked(args)
        self.host.say("you", self._services[number].actions[action].asked)
        refusal = self.hindrance(verb, args)
        if refusal is not None:
            self.host.say("ground", refusal)
            return False
        self.set_off(number, action)
        return True

    def _asked(self, args: Mapping[str, Any]) -> tuple[int, int]:
        """The numbers of a service and its action. Raises ActionRefused where there is no such."""
        name = args["service"]
        if name not in self._numbers:
            raise ActionRefused(
                phrase(
                    "there is no service {name}{numbers}", name=repr(name), numbers=nearest(name, list(self._numbers))
                )
            )
        number = self._numbers[name]
        service = self._services[number]
        actions = {action.id: n for n, action in enumerate(service.actions)}
        if args["action"] not in actions:
            near = nearest(args["action"], list(actions))
            raise ActionRefused(
                phrase(
                    "{service} has no action {action}{near}",
                    service=service.name,
                    action=repr(args["action"]),
                    near=near,
                )
            )
        return number, actions[args["action"]]

    @property
    def busy(self) -> bool:
        """Whether they are at work."""
        return any(pending is not None for pending in self.pending)

    def hindrance(self, verb: str, args: Mapping[str, Any]) -> str | None:
        """What they would say instead of doing it; None where they would do it."""
        number, action = self._asked(args)
        service = self._services[number]
        state = self.host.d[self._states[number]]
        # Nobody hears a dead interphone, so this comes before whatever else stands in the way.
        if not self._conditions[number]:
            return service.unheard
        if self.pending[number] is not None:
            return phrase("Stand by, still busy with {service}.", service=service.name.lower())
        if state not in service.actions[action].possible_when:
            return phrase("Nothing to do there: {service} is {state}.", service=service.name.lower(), state=state)
        if not self._conditions[self._first_needs[number] + action]:
            return service.actions[action].needs_answered or phrase("Not yet.")
        return None

    def set_off(self, number: int, action: int) -> None:
        """The crew set off to do something; it is done when its time has passed."""
        self._pend(number, action)
        asked = self._services[number].actions[action]
        if asked.meanwhile is not None:
            self.host.d[self._states[number]] = asked.meanwhile
        self.host.d[self._busy[number]] = True
        self.later(number, ticks(asked.seconds))

    def fire(self, kind: int, what: int) -> None:
        """They have done it, or a fault made it be undone."""
        pending = self.pending[what]
        if pending is None:
            return
        service = self._services[what]
        action = service.actions[pending]
        self._pend(what, None)
        d = self.host.d
        d[self._busy[what]] = False
        # The crew say what they think they did; only a look at the aircraft tells.
        undone = self.host.faults.use_up("service_undone", service.id)
        d[self._states[what]] = action.possible_when[0] if undone else action.leaves
        if action.brings_next_cart_of is not None:
            slot = self.host.layout.d[carts_brought(action.brings_next_cart_of)]
            d[slot] = int(d[slot]) + 1
        self.host.say("ground", action.answered)

    def _pend(self, number: int, action: int | None) -> None:
        self.pending = (*self.pending[:number], action, *self.pending[number + 1 :])
        at_work = zip(self._services, self.pending, strict=True)
        near = {place for service, n in at_work if n is not None for place in service.actions[n].near}
        for place, slot in self._people:
            self.host.d[slot] = place in near
