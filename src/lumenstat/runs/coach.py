"""Says at once what an action was worth: for the guided and the coached exercise. It reads like the judge does."""

from __future__ import annotations

from dataclasses import dataclass

from lumenstat.assessment.attempts import Reader
from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Procedure, Step, watched_texts
from lumenstat.documents.runlog import LogEvent
from lumenstat.items.controls import ControlItem
from lumenstat.items.registry import Item
from lumenstat.items.seen import Attempt
from lumenstat.language.values import position_text
from lumenstat.language.wording import phrase
from lumenstat.simulation.flight import Moment

LOOKED_BACK_AT_MOST = 60
"""So many acts about one part: with every act a coach looks through them anew, and a run may have thousands."""
ACTING = ("set", "press", "request")


@dataclass(frozen=True)
class Word:
    """One thing said to the trainee, at a tick, about an item or about none."""

    tick: int
    says: str
    item: str | None = None
    instructs: bool = False
    """It comes from the instructor, so it stays in sight beside the card too."""


class Coach:
    """Watches the moments of a live run.

    `right` holds the items whose latest attempt was right, `slipped` those with a wrong one that is not put right yet.
    """

    def __init__(self, bundle: Bundle, procedure: Procedure) -> None:
        self.procedure = procedure
        self.count = 0
        self.words: list[Word] = []
        self.right: set[str] = set()
        self.slipped: set[str] = set()
        numbers = {text: n for n, text in enumerate(watched_texts(procedure))}
        self.reader = Reader(procedure, bundle.airframe, (), numbers, LOOKED_BACK_AT_MOST)
        self.tests = {each.test_control for each in bundle.airframe.instruments.values()} - {None}

    def note(self, moment: Moment, current: Item | None, answered: set[str]) -> list[Word]:
        """Take a moment in; gives what is to be said about it."""
        self.count += 1
        self.reader.add(moment)
        steps = self.reader.steps_about(moment.event)
        found = [(step, attempt) for step in steps if (attempt := self._attempt(step, moment)) is not None]
        for step, attempt in found:
            if attempt.right:
                # The step that is open can be undone; one that was right before stays so.
                self.right.add(step.item.id)
            elif current is not None and step.item.id == current.id:
                self.right.discard(step.item.id)
        says = self._says(moment, found, current, answered) or self._put_right(found)
        self.slipped |= {step.item.id for step, attempt in found if not attempt.right and attempt.slip}
        word = [Word(moment.event.tick, *says)] if says else []
        self.words += word
        return word

    def _attempt(self, step: Step, moment: Moment) -> Attempt | None:
        """What the moment was as an attempt at an item, if it was one."""
        attempts = self.reader.attempts(step)
        return attempts[-1] if attempts and max(attempts[-1].parts) == moment.index else None

    def _says(
        self, moment: Moment, found: list[tuple[Step, Attempt]], current: Item | None, answered: set[str]
    ) -> tuple[str, str | None] | None:
        if any(attempt.right and current is not None and step.item.id == current.id for step, attempt in found):
            return None
        for step, attempt in found:
            # A right act of another step: a word only if something before it is still open.
            if attempt.right and step.item.id not in answered:
                before = self._still_open_before(step, answered)
                return (
                    (
                        phrase(
                            "That is '{challenge}'; '{before}' comes first.",
                            challenge=self.procedure.named(step.number),
                            before=before,
                        ),
                        step.item.id,
                    )
                    if before
                    else None
                )
        for step, attempt in found:
            if not attempt.right and attempt.slip and current is not None and step.item.id == current.id:
                return attempt.says, step.item.id
        if moment.event.verb in ACTING and not found and not self._asked_for(moment.event):
            return phrase("Nothing on the card asks for that."), None
        return None

    def _put_right(self, found: list[tuple[Step, Attempt]]) -> tuple[str, str | None] | None:
        for step, attempt in found:
            if attempt.right and step.item.id in self.slipped:
                self.slipped.discard(step.item.id)
                return phrase(
                    "'{challenge}' has been put right.", challenge=self.procedure.named(step.number)
                ), step.item.id
        return None

    def _still_open_before(self, step: Step, answered: set[str]) -> str | None:
        for other in self.procedure.steps:
            done = other.item.id in answered or other.item.id in self.right
            if self.procedure.precedes(other.number, step.number) and not done and other.branch is None:
                return self.procedure.named(other.number)
        return None

    def _asked_for(self, event: LogEvent) -> bool:
        """Whether an act can be part of something on the card: one control of several, a test, a meter's selector."""
        # Selectors and tests are used at will, to look and to try.
        control = event.args.get("control")
        if control is None or control in self.reader.selectors or control in self.tests:
            return control is not None
        if event.verb == "press":
            return bool(self.reader.steps_about(event))
        to = str(position_text(event.args["to"]))
        items = [step.item for step in self.reader.steps_about(event)]
        looked_at = any(isinstance(i, ControlItem) and i.target(self.procedure.papers) == to for i in items)
        return looked_at or self.reader.asked_for(control, to)
