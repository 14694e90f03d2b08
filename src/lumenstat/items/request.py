"""`request`: something asked of the crew outside."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Annotated, Any, Literal

from lumenstat.items.item import ItemBase, Key, Shown
from lumenstat.items.seen import (
    Answers,
    Attempt,
    EventMoment,
    LoggedEvent,
    Missing,
    Never,
    Part,
    PerfectHands,
    Seen,
    attempt,
    did,
)
from lumenstat.language import naming
from lumenstat.language.checker import Checker
from lumenstat.language.sources import Path_
from lumenstat.language.values import Name
from lumenstat.language.wording import phrase
from lumenstat.systems.services import ServicesSection
from lumenstat.systems.system import Sections


class RequestItem(ItemBase):
    """Ask the crew outside for something."""

    WORD = phrase("Request")
    ICON = "M2 3H12V9H7L4 12V9H2Z"
    NEVER = phrase("Never asked for.")
    kind: Literal["request"]
    service: Annotated[Name, Shown(phrase("Service"), "service")]
    action: Annotated[Name, Shown(phrase("To"), "action")]

    def check(self, path: Path_, airframe: Sections, checker: Checker) -> None:
        """A service and an action that there are."""
        services = {service.id: service for service in airframe.section(ServicesSection).services}
        if checker.refers((*path, "service"), "service", self.service):
            actions = [action.id for action in services[self.service].actions]
            checker.known((*path, "action"), phrase("action of {service}", service=self.service), self.action, actions)

    def answers(self) -> Iterator[Key]:
        """Just that request."""
        yield ("request", self.service, self.action)

    def parts(self) -> tuple[Part, ...]:
        """Its service."""
        return (("service", self.service),)

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """Every such request."""
        asked = [m for m in crew if did(m, "request", service=self.service, action=self.action)]
        return [self._request(moment) for moment in asked]

    def _request(self, moment: EventMoment) -> Attempt:
        says = (
            phrase("Asked, but it could not be done: {refusal:low}", refusal=moment.refusal)
            if moment.refusal
            else phrase("Asked, and the crew went to do it.")
        )
        stood = str(moment.state[naming.service(self.service)])
        return attempt(moment, moment.accepted, says, evidence=((self.service, stood),))

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """By asking for it."""
        args = event.args
        return event.verb == "request" and bool(args["service"] == self.service and args["action"] == self.action)

    def there(self, hands: PerfectHands, meaning: str = "within", sight: Any = None) -> bool:
        """Whether it would be heard, and done, if it were asked for now."""
        return hands.can("request", service=self.service, action=self.action)

    def perform(self, hands: PerfectHands) -> str | None:
        """Ask for it."""
        hands.event("request", service=self.service, action=self.action)
        return None

    def missing(self, hands: PerfectHands) -> Missing:
        """It can not be asked for."""
        return Missing("request", phrase("'{challenge}' can no longer be asked for", challenge=self.challenge))

    def never(self, end: Mapping[str, Any]) -> Never:
        """The crew cannot do it, or cannot be called."""
        state = end[naming.service(self.service)]
        says = phrase(
            "{service} stands at '{state}': the crew cannot {action} it, or nobody can call them",
            service=self.service,
            state=state,
            action=self.action,
        )
        return Never("cannot-ask", says)
