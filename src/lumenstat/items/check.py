"""`check`: an instrument read aloud and judged."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Literal

from lumenstat.items.item import ItemBase, Key, Shown, Way
from lumenstat.items.readings import Expect, meaning_of, shown_figure
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
from lumenstat.language.values import DocumentId, ExpressionText, Flag, Name, Positive, Since, Text, Written
from lumenstat.language.wording import phrase
from lumenstat.systems.panel.part import Instrument, PanelsSection
from lumenstat.systems.system import Sections

if TYPE_CHECKING:
    from lumenstat.items.item import AnyItem

PACE_SECONDS = 2.5
"""How long a brisk trainee takes to read aloud. Our own figure, no source."""
WORDS = {
    "within": phrase("within limits"),
    "below": phrase("below limits"),
    "above": phrase("above limits"),
    "dead": phrase("dead"),
}


class Belongs(Written):
    """When a limit belongs: a reading taken at another moment is itself the slip."""

    when: Annotated[ExpressionText, Shown(phrase("Only while"), "expression")]
    says: Annotated[Text, Shown(phrase("Because"), "words")]


class Otherwise(Written):
    """What is to be done when a reading is not within limits. Its items count only then."""

    id: DocumentId
    says: Text
    items: tuple[AnyItem, ...] = ()
    stop: Annotated[Flag, Since("0.3")] = False
    """The exercise is to end here, after these items."""


class CheckItem(ItemBase):
    """Read an instrument aloud and judge it."""

    WORD = phrase("Check")
    ICON = "M1.5 7a5.5 5.5 0 1 0 11 0a5.5 5.5 0 1 0 -11 0M7 7L10 4"
    kind: Literal["check"]
    instrument: Annotated[Name, Shown(phrase("Instrument"), "instrument")]
    expect: Expect
    read_tolerance: Annotated[Positive, Shown(phrase("Misread by"), "figure", "{unit}")]
    moment: Belongs | None = None
    if_not: Otherwise | None = None

    # ---- the document ------------------------------------------------------------------------------------

    def check(self, path: Path_, airframe: Sections, checker: Checker) -> None:
        """An instrument that there is, and something to expect of it."""
        instruments = airframe.section(PanelsSection).instruments
        checker.known((*path, "instrument"), "instrument", self.instrument, instruments)
        if self.expect.model_dump(exclude_none=True) == {}:
            checker.wrong((*path, "expect"), phrase("needs a `min`, a `max`, `equals` or a `paper`"))
        low, high = self.expect.min, self.expect.max
        if low is not None and high is not None and low > high:
            checker.wrong(
                (*path, "expect"),
                phrase("`min` {low:g} is above `max` {high:g}, so nothing is within limits", low=low, high=high),
            )
        if self.moment is not None:
            checker.truth((*path, "moment", "when"), self.moment.when, over_time=True)

    def watched(self) -> Iterator[str]:
        """Its moment."""
        if self.moment is not None:
            yield self.moment.when

    def ways(self) -> Iterator[Way]:
        """What follows where it is not within limits."""
        if self.if_not is not None:
            yield Way(
                self.if_not.id,
                phrase("If not: {if_not}", if_not=self.if_not.says),
                self.if_not.items,
                ("if_not", "items"),
                self.if_not.stop,
            )

    def answers(self) -> Iterator[Key]:
        """A call of its instrument in its moment."""
        yield ("call", self.instrument, self.moment.when if self.moment else "")

    def parts(self) -> tuple[Part, ...]:
        """Its instrument."""
        return (("instrument", self.instrument),)

    def papers(self) -> Iterator[str]:
        """The value that is expected."""
        if self.expect.paper is not None:
            yield self.expect.paper

    # ---- a run that is judged ----------------------------------------------------------------------------

    def attempts(self, crew: Sequence[EventMoment], seen: Seen) -> list[Attempt]:
        """Every call of the instrument."""
        return [self._call(moment, seen) for moment in crew if did(moment, "call", instrument=self.instrument)]

    def _call(self, moment: EventMoment, seen: Seen) -> Attempt:
        instrument = seen.instruments[self.instrument]
        shown = moment.state[naming.reads(self.instrument)]
        in_moment = self.in_moment(moment, seen)
        figure = shown if isinstance(shown, int | float) else None
        verdict = judge_call(self, instrument, moment.event.args, figure, in_moment, seen.papers)
        text = phrase("dark") if figure is None else f"{figure:.{instrument.decimals}f} {instrument.unit}"
        evidence = [(instrument.name, text)]
        # What stood between the instrument and the eye: a selector that shows another bus, a dimmer turned down.
        for control in (instrument.selector, instrument.dimmer):
            if control is not None:
                evidence.append((seen.controls[control].name, str(moment.state[naming.control(control)])))
        # What told of the instrument something that it did not show is a slip whenever it was said.
        false = not verdict.right and _is_false(self, instrument, moment.event.args, figure)
        return attempt(moment, verdict.right, verdict.says, evidence=tuple(evidence), false=false)

    def omitted_says(self, crew: Sequence[EventMoment], end: Mapping[str, Any], seen: Seen) -> str:
        """That it was not called out."""
        return phrase("{name} was never called out for this item.", name=seen.instruments[self.instrument].name)

    def in_moment(self, moment: EventMoment, seen: Seen) -> bool:
        """Whether a moment is the one to which its limits belong."""
        return self.moment is None or seen.flag(moment, self.moment.when)

    def taken_way(self, end: EventMoment | None, seen: Seen, true: Callable[[str], bool]) -> str | None:
        """What follows where the reading at a moment was not within limits."""
        if end is None or self.if_not is None or not self.in_moment(end, seen):
            return None
        shown = end.state[naming.reads(self.instrument)]
        if isinstance(shown, int | float) and self.meaning(shown, seen) == "within":
            return None
        return self.if_not.id

    def meaning(self, shown: float, seen: Seen | PerfectHands) -> str:
        """What a reading means: within, below or above."""
        exact = shown_figure(shown, seen.instruments[self.instrument].decimals)
        return meaning_of(exact, self.expect, seen.papers, self.read_tolerance)

    # ---- a run in progress -------------------------------------------------------------------------------

    def answered_by(self, event: LoggedEvent, card: Answers) -> bool:
        """By a call of its instrument; one that is not within limits brings its own items."""
        if event.verb != "call" or event.args["instrument"] != self.instrument:
            return False
        if self.if_not is not None and event.args.get("judgement") != "within":
            card.take(self.id, self.if_not.id)
        return True

    # ---- the perfect flight ------------------------------------------------------------------------------

    def there(self, hands: PerfectHands, meaning: str = "within", sight: Any = None) -> bool:
        """Whether its moment is there and the reading has this meaning."""
        in_moment = self.moment is None or hands.flag(self.moment.when, sight)
        return in_moment and self.reading_means(hands, sight) == meaning

    def means(self, hands: PerfectHands, sight: Any = None) -> str:
        """What its reading means, in its moment."""
        in_moment = self.moment is None or hands.flag(self.moment.when, sight)
        return self.reading_means(hands, sight) if in_moment else ""

    def reading_means(self, hands: PerfectHands, sight: Any = None) -> str:
        """What the instrument's reading means, now or as seen: within, below, above or dead."""
        shown = hands.reads(self.instrument, sight)
        return "dead" if shown is None else self.meaning(shown, hands)

    def perform(self, hands: PerfectHands) -> str | None:
        """Read it aloud and judge it, as it stands when the words are out."""
        hands.pass_time(PACE_SECONDS)
        shown, means = hands.reads(self.instrument), self.reading_means(hands)
        args: dict[str, Any] = {"instrument": self.instrument, "judgement": means}
        if shown is not None:
            args["reading"] = shown_figure(shown, hands.instruments[self.instrument].decimals)
        hands.event("call", 0.0, **args)
        return self.if_not.id if self.if_not and means != "within" else ""

    def missing(self, hands: PerfectHands) -> Missing:
        """What it shows instead."""
        shown, instrument = hands.reads(self.instrument), hands.instruments[self.instrument]
        if shown is None:
            says = phrase("at '{item}' {name} is dark", item=self.challenge, name=instrument.name)
        else:
            figure = f"{shown:.{instrument.decimals}f} {instrument.unit or ''}".strip()
            says = phrase("at '{item}' {name} reads {figure}", item=self.challenge, name=instrument.name, figure=figure)
        return Missing("reading", says)

    def never(self, end: Mapping[str, Any]) -> Never:
        """It can never be read."""
        when = self.moment.when if self.moment else phrase("its instrument can be read")
        return Never("never-readable", phrase("`{when}` never comes true, so it can never be read", when=when))


@dataclass(frozen=True)
class CallVerdict:
    """Whether a call counts, and the sentence that says why."""

    right: bool
    says: str


def judge_call(
    item: CheckItem,
    instrument: Instrument,
    call: Mapping[str, Any],
    shown: float | None,
    in_moment: bool,
    papers: Mapping[str, float | str],
) -> CallVerdict:
    """Judge one call at the state in which it was made.

    `shown` is what the instrument showed, null if it was dark. It fails on the first of: instrument dead, reading not
    what it showed, reading taken at the wrong moment, judgement not what the reading means.
    """
    unit = instrument.unit
    judged, reading = call["judgement"], call.get("reading")
    # Before what it showed: the right figure of the wrong moment is still another figure.
    if item.moment is not None and not in_moment:
        return CallVerdict(
            False,
            phrase(
                "{instrument} was read at the wrong moment; this limit belongs to another: {moment}.",
                instrument=instrument.name,
                moment=item.moment.says,
            ),
        )
    if shown is None:
        if judged == "dead":
            return CallVerdict(True, phrase("{instrument} was dark and was called dead.", instrument=instrument.name))
        return CallVerdict(
            False, phrase("{instrument} was dark; there was nothing to read.", instrument=instrument.name)
        )
    exact = f"{shown:.{instrument.decimals}f}"
    # Calling a live instrument dead is wrong whatever it showed.
    if judged == "dead" or reading is None:
        return CallVerdict(
            False,
            phrase(
                "Called dead, but {instrument} was alive and showed {exact} {unit}.",
                instrument=instrument.name,
                exact=exact,
                unit=unit,
            ),
        )
    if _misread(item, instrument, reading, shown):
        return CallVerdict(
            False,
            phrase(
                "Called {reading:g} {unit}, but {instrument} showed {exact} {unit}.",
                reading=reading,
                unit=unit,
                instrument=instrument.name,
                exact=exact,
            ),
        )
    means = meaning_of(shown_figure(shown, instrument.decimals), item.expect, papers, item.read_tolerance)
    if judged != means:
        return CallVerdict(
            False,
            phrase(
                "{instrument} showed {exact} {unit} and was judged {judged}; it was {means}.",
                instrument=instrument.name,
                exact=exact,
                unit=unit,
                judged=WORDS[judged],
                means=WORDS[means],
            ),
        )
    return CallVerdict(
        True,
        phrase(
            "Showed {exact} {unit}, called {reading:g}, judged {judged}.",
            exact=exact,
            unit=unit,
            reading=reading,
            judged=WORDS[judged],
        ),
    )


def _is_false(item: CheckItem, instrument: Instrument, call: Mapping[str, Any], shown: float | None) -> bool:
    """Whether a call told of the instrument what that did not show, in whatever moment."""
    reading = call.get("reading")
    if shown is None or call["judgement"] == "dead" or reading is None:
        return bool((shown is None) != (call["judgement"] == "dead"))
    return _misread(item, instrument, reading, shown)


def _misread(item: CheckItem, instrument: Instrument, reading: float, shown: float) -> bool:
    """Whether a figure is further from what stands on the instrument than the document allows."""
    off = abs(reading - shown_figure(shown, instrument.decimals))
    # Two figures of few decimals have a difference of many: 116 and 117.5 are 1.5 apart, and not a hair more.
    return bool(off > item.read_tolerance) and not math.isclose(off, item.read_tolerance, abs_tol=1e-9)
