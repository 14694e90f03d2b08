"""What is wrong with a checklist, found by flying it perfectly: each finding with its item, moment and remedy."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import Procedure, Step
from lumenstat.items.check import CheckItem
from lumenstat.items.controls import SetItem
from lumenstat.items.decide import DecideItem
from lumenstat.items.hold import HoldItem
from lumenstat.items.registry import Item
from lumenstat.items.request import RequestItem
from lumenstat.language import naming
from lumenstat.language.expressions import parse
from lumenstat.language.values import clock, position_text
from lumenstat.language.wording import phrase
from lumenstat.proving.coverage import uncovered
from lumenstat.proving.idle import idle_waits
from lumenstat.proving.proof import Finding, Remedy
from lumenstat.rehearsal.perfect import Acted, Rehearsal
from lumenstat.rehearsal.script import Script
from lumenstat.simulation.flight import Flight

DARK_WORDS = ("dead", "dark", "out", "blank")


@dataclass(frozen=True)
class Finder:
    """A perfect flight, and the same flown once more with everything watched."""

    bundle: Bundle
    procedure: Procedure
    rehearsal: Rehearsal
    flight: Flight
    script: Script

    def findings(self) -> Iterator[Finding]:
        """Everything found and not waived, the gravest first of each item, in the order of the checklist."""
        found = [*self._stuck(), *self._acted(), *self._exceeded(), *self._conditions(), *self._decisions()]
        found += [*self._waits(), *self._too_late(), *self._at_the_end()]
        found += [*self._idle(), *self._never_binds(), *self._faults()]
        numbers = {step.item.id: step.number for step in self.procedure.steps}
        for each in sorted(found, key=lambda finding: numbers[finding.item]):
            if not any(waiver.rule == each.kind for waiver in self._item(each.item).waives):
                yield each

    def _item(self, name: str) -> Item:
        return self.procedure.by_id[name].item

    # ---- what can never be done ----------------------------------------------------------------------------

    def _stuck(self) -> Iterator[Finding]:
        left = {self.procedure.by_id[name].number for name in self.rehearsal.stuck}
        # In the order of the card: the first of a chain is the cause, and the others wait for it.
        behind = [self.procedure.steps[n] for n in sorted(left)]
        for step in behind:
            before = [n for n in left if self.procedure.precedes(n, step.number)]
            if before:
                first = self.procedure.steps[min(before)].item.challenge
                says = phrase(
                    "'{challenge}' never has its turn: '{first}' before it can never be done",
                    challenge=step.item.challenge,
                    first=first,
                )
                yield self._finding(step.item, "cannot-be-reached", says)
            else:
                yield self._never(step)

    def _never(self, step: Step) -> Finding:
        item = step.item
        if item.not_before is not None and self.procedure.by_id[item.not_before.item].item.id in self.rehearsal.stuck:
            says = phrase(
                "it waits for '{challenge}', which is never done", challenge=self._item(item.not_before.item).challenge
            )
            return self._finding(item, "cannot-be-reached", says)
        # It can be done, after longer than anybody waits.
        if (tick := self.rehearsal.later.get(item.id)) is not None:
            says = phrase("it comes only at {at}; nobody waits so long", at=clock(tick / 100))
            return self._finding(item, "comes-late", says)
        why = item.never(self.flight.aircraft.state())
        remedy = None if why.until is None else self._last_true(item, why.until)
        return self._finding(item, why.kind, why.says, remedy=remedy)

    def _last_true(self, item: Item, until: str) -> Remedy | None:
        """If what is waited for was there earlier in the flight, waiting for it belongs before it went away."""
        spans = self.flight.timelines[until].spans(self.flight.end)
        # What was so at the start only, the crew have ended on purpose: there is nothing to wait for before that.
        if not spans or spans[-1][0] == 0:
            return None
        before = [act for act in self.rehearsal.acts if act.ends <= spans[-1][1]]
        if not before:
            return None
        behind = self._item(before[-1].item).challenge
        words = phrase(
            "It was there until {at:.0f} s: move it up, behind '{behind}'", at=spans[-1][1] / 100, behind=behind
        )
        return Remedy(words=words, item=item.id, fields={"move_after": before[-1].item})

    # ---- what was done, and how it went --------------------------------------------------------------------

    def _acted(self) -> Iterator[Finding]:
        for act in self.rehearsal.acts:
            item = self._item(act.item)
            match item:
                case CheckItem():
                    yield from self._read(item, act)
                case SetItem():
                    yield from self._set(item, act)
                case HoldItem() if item.watch is not None:
                    moments = [self.flight.moments[n] for n in range(act.first, act.last)]
                    release = next(m for m in moments if m.event.verb == "release")
                    if not release.flags[self._numbers[item.watch]]:
                        says = phrase("held as long as it may be, `{watch}` does not come", watch=item.watch)
                        yield self._finding(item, "no-indication", says, act.ends)

    @cached_property
    def _numbers(self) -> dict[str, int]:
        return {text: n for n, text in enumerate(self.flight.timelines)}

    def _read(self, item: CheckItem, act: Acted) -> Iterator[Finding]:
        call = next(e for e in self.rehearsal.events[act.first : act.last] if e.verb == "call")
        judgement, name = call.args["judgement"], self.bundle.airframe.instruments[item.instrument].name
        if item.critical and item.if_not is None and not self._decided_next(item):
            says = phrase("it is critical, and nothing says what is to be done where it is not within limits")
            remedy = Remedy(words=phrase("Say what is to be done then"), item=item.id, fields={"if_not": "stop"})
            yield self._finding(item, "check-uncovered", says, act.ends, "notes", remedy)
        if judgement == "within":
            return
        if judgement == "dead":
            # An item that asks for a dark instrument gets what it asks for.
            if not any(word in item.response.lower().split() for word in DARK_WORDS):
                bus = self._bus_of(item.instrument)
                says = phrase(
                    "{name} is dark when it is to be read at {at:.0f} s: {bus} is dead then",
                    name=name,
                    at=act.ends / 100,
                    bus=bus,
                )
                yield self._finding(item, "dead-instrument", says, act.ends, remedy=self._when_alive(item))
            return
        if item.if_not is None and not self._decided_next(item):
            unit = self.bundle.airframe.instruments[item.instrument].unit or ""
            reading = f"{call.args['reading']:g} {unit}".strip()
            says = (
                phrase(
                    "{name} reads {reading}, below its limits, and nothing says what then", name=name, reading=reading
                )
                if judgement == "below"
                else phrase(
                    "{name} reads {reading}, above its limits, and nothing says what then", name=name, reading=reading
                )
            )
            remedy = Remedy(words=phrase("Say what is to be done then"), item=item.id, fields={"if_not": "stop"})
            yield self._finding(item, "out-of-limits", says, act.ends, "warns", remedy)

    def _bus_of(self, instrument: str) -> str:
        bus = self.bundle.airframe.instruments[instrument].bus
        return self.bundle.airframe.buses[bus].name if bus else phrase("its light")

    def _when_alive(self, item: CheckItem) -> Remedy | None:
        """The first act after which the instrument is lit, if there is one later on."""
        number = next(n for n, act in enumerate(self.rehearsal.acts) if act.item == item.id)
        last = len(self.rehearsal.acts) - 1
        for n, act in enumerate(self.rehearsal.acts[number + 1 :], number + 1):
            later = self.flight.moments[act.last].state if n < last else self.flight.aircraft.state()
            if later[naming.reads(item.instrument)] is not None:
                name = self.bundle.airframe.instruments[item.instrument].name
                words = phrase(
                    "Move it behind '{challenge}', when {name} is lit",
                    challenge=self._item(act.item).challenge,
                    name=name,
                )
                return Remedy(words=words, item=item.id, fields={"move_after": act.item})
        return None

    def _decided_next(self, item: CheckItem) -> bool:
        """Whether what follows it at once says what then, or a decision in its section that reads what it reads."""
        own = self.procedure.by_id[item.id]
        after = self.procedure.steps[own.number + 1 :]
        if any(isinstance(s.item, DecideItem | RequestItem) for s in after[:1]):
            return True
        instrument = self.bundle.airframe.instruments[item.instrument]
        shown = {instrument.shows, *instrument.by_position.values()}
        decisions = (s.item for s in after if s.section == own.section and isinstance(s.item, DecideItem))
        return any(shown & parse(branch.when).quantities for each in decisions for branch in each.branches)

    def _set(self, item: SetItem, act: Acted) -> Iterator[Finding]:
        wanted = item.target(self.procedure.papers)
        sets = [m for m in self.flight.moments[act.first : act.last] if m.event.verb == "set"]
        stood = [str(position_text(m.state[naming.control(m.event.args["control"])])) for m in sets]
        if all(position == wanted for position in stood):
            says = phrase("it stands at {wanted} already, so it is looked at and not set", wanted=wanted)
            remedy = Remedy(words=phrase("Only look at it"), item=item.id, fields={"kind": "verify"})
            yield self._finding(item, "changes-nothing", says, act.starts, "warns", remedy)

    # ---- the flight as a whole -----------------------------------------------------------------------------

    def _exceeded(self) -> Iterator[Finding]:
        for each in self.flight.exceedances:
            begun = [act.item for act in self.rehearsal.acts if act.starts <= each.start]
            during = begun[-1] if begun else self.procedure.steps[0].item.id
            says = phrase("flown as written, at {at:.0f} s: {limit}", at=each.start / 100, limit=each.limit.says)
            severity = "stops" if each.limit.severity == "hazard" else "warns"
            yield self._finding(self._item(during), "limit-exceeded", says, each.start, severity)

    def _conditions(self) -> Iterator[Finding]:
        hanging: dict[str, list[Item]] = {}
        for step in self.procedure.steps:
            if step.item.applies_when is not None:
                hanging.setdefault(step.item.applies_when, []).append(step.item)
        for text, items in hanging.items():
            if all(name.startswith("start.") for name in parse(text).quantities):
                continue  # A card serves many starts, and this one is no news.
            spans = self.flight.timelines[text].spans(self.flight.end)
            if not spans:
                # Said once: a decision's whole branch often hangs on one condition.
                also = (
                    phrase(
                        " and {count} more, to '{challenge}', never apply",
                        count=len(items) - 1,
                        challenge=items[-1].challenge,
                    )
                    if items[1:]
                    else phrase(" never applies")
                )
                says = phrase("`{text}` is never true in this exercise, so the item{also}", text=text, also=also)
                yield self._finding(items[0], "never-applies", says, severity="notes")
            elif spans == [(0, self.flight.end)]:
                for item in items:
                    says = phrase("`{text}` is always true in this exercise", text=text)
                    remedy = Remedy(
                        words=phrase("Leave the condition out"), item=item.id, fields={"applies_when": None}
                    )
                    yield self._finding(item, "always-applies", says, severity="notes", remedy=remedy)

    def _waits(self) -> Iterator[Finding]:
        for act in self.rehearsal.acts:
            item = self._item(act.item)
            if item.waits_for is None:
                continue
            spans = self.flight.timelines[item.waits_for].spans(self.flight.end)
            if spans and spans[0][0] == 0 and spans[0][1] >= act.ends:
                says = phrase("`{waits_for}` is so from the start, so nothing is waited for", waits_for=item.waits_for)
                yield self._finding(item, "already-there", says, act.starts, "warns")

    def _too_late(self) -> Iterator[Finding]:
        """Items passed over in the flight whose condition came true after their section had begun."""
        acted = {act.item: act for act in self.rehearsal.acts}
        for step in self.procedure.steps:
            text = step.item.applies_when
            own = [s.item.id for s in self.procedure.steps if s.section == step.section]
            begun = [acted[name].starts for name in own if name in acted]
            if text is None or step.item.id in acted or not begun or step.item.id in self.rehearsal.stuck:
                continue
            comes = next((a for a, b in self.flight.timelines[text].spans(self.flight.end) if a > min(begun)), None)
            if comes is not None:
                after = phrase("after the section began at {at:.0f} s: the item is passed over", at=min(begun) / 100)
                says = phrase("`{text}` comes true at {at:.0f} s, {after}", text=text, at=comes / 100, after=after)
                yield self._finding(step.item, "applies-too-late", says, comes, "warns")

    def _at_the_end(self) -> Iterator[Finding]:
        """Aims that are missed, and an exercise that ends by itself too soon or not at all."""
        exercise, end = self.bundle.exercise, self.flight.end
        last = self._item(self.rehearsal.acts[-1].item) if self.rehearsal.acts else self.procedure.steps[0].item
        for aim in exercise.aims:
            if self.rehearsal.ok and not self.flight.timelines[aim.when].at(self.rehearsal.ready_at):
                yield self._finding(
                    last, "aim-missed", phrase("with everything done rightly it is not so: {aim}", aim=aim.says)
                )
        if exercise.ends_when is None or not self.rehearsal.ok:
            return
        ends = self.flight.timelines[exercise.ends_when].first_true()
        late = next((act for act in self.rehearsal.acts if ends is not None and act.starts > ends), None)
        if ends is None or ends > end:
            says = phrase(
                "`{ends_when}` never comes true, so the exercise does not end by itself", ends_when=exercise.ends_when
            )
            yield self._finding(last, "never-ends", says, severity="warns")
        elif late is not None:
            says = phrase("the exercise ends by itself at {at:.0f} s, before this item has its turn", at=ends / 100)
            yield self._finding(self._item(late.item), "ends-early", says, ends)

    def _idle(self) -> Iterator[Finding]:
        for each in idle_waits(self.script):
            first, last = self._item(each.meanwhile[0]).challenge, self._item(each.meanwhile[-1]).challenge
            named = (
                phrase("'{item}'", item=first)
                if len(each.meanwhile) == 1
                else phrase("{count} items, '{first}' to '{last}',", count=len(each.meanwhile), first=first, last=last)
            )
            says = phrase(
                "the model stands still for {at:.0f} s here, while {named} could be done already",
                at=each.ticks / 100,
                named=named,
            )
            yield self._finding(self._item(each.wait), "idle", says, each.tick, "warns")

    def _never_binds(self) -> Iterator[Finding]:
        """Times to wait that even the quickest hand never has to: what comes before the item takes longer."""
        acted = {act.item: act for act in self.rehearsal.acts}
        for act in self.rehearsal.acts:
            due = self._item(act.item).not_before
            if due is None or due.item not in acted:
                continue
            waited = (act.free - acted[due.item].ends) / 100
            if waited >= due.seconds:
                name = self._item(due.item).challenge
                says = phrase(
                    "its turn comes {waited:.0f} s after '{name}' at the soonest, so {seconds:g} s never bind",
                    waited=waited,
                    name=name,
                    seconds=due.seconds,
                )
                remedy = Remedy(words=phrase("Leave the time out"), item=act.item, fields={"not_before": None})
                yield self._finding(self._item(act.item), "never-binds", says, act.free, "notes", remedy)

    def _faults(self) -> Iterator[Finding]:
        """Faults that never come in a perfect flight: nobody who does it rightly meets them."""
        last = self._item(self.rehearsal.acts[-1].item) if self.rehearsal.acts else self.procedure.steps[0].item
        end = self.rehearsal.ready_at
        for fault in self.bundle.exercise.faults:
            if fault.when is not None:
                begins = self.flight.timelines[fault.when].first_true()
                says = phrase("its condition `{when}` is never true", when=fault.when)
            else:
                begins = None if fault.at is None else round(fault.at * 100)
                says = phrase(
                    "it is set for {at}, and everything is done at {end}", at=clock(fault.at or 0), end=clock(end / 100)
                )
            if begins is None or begins > end:
                yield self._finding(
                    last,
                    "never-armed",
                    phrase("the fault '{id}' never comes: {says}", id=fault.id, says=says),
                    severity="warns",
                )

    def _decisions(self) -> Iterator[Finding]:
        quantities = self.bundle.airframe.quantities
        for step in self.procedure.steps:
            if isinstance(step.item, DecideItem) and (values := uncovered(step.item, quantities)) is not None:
                says = phrase("no branch is right when {values}", values=values)
                yield self._finding(step.item, "decision-uncovered", says, severity="warns")

    def _finding(
        self,
        item: Item,
        kind: str,
        says: str,
        tick: int | None = None,
        severity: str = "stops",
        remedy: Remedy | None = None,
    ) -> Finding:
        at = None if tick is None else tick / 100
        return Finding.model_validate(
            {"item": item.id, "kind": kind, "says": phrase("{says:high}", says=says), "at": at, "severity": severity}
            | {"remedy": remedy}
        )
