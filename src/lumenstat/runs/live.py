"""One exercise in progress: the aircraft, its clock, its log and its card. Knows no socket and no page."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

from lumenstat.documents.bundles import Bundle
from lumenstat.documents.procedure import watched_texts
from lumenstat.documents.runlog import MOST_EVENTS, LogEvent, check_args, flow_done
from lumenstat.errors import ActionRefused
from lumenstat.language import naming
from lumenstat.language.wording import phrase
from lumenstat.runs.clock import RATES, Clock
from lumenstat.runs.coach import Coach, Word
from lumenstat.runs.instructing import told
from lumenstat.runs.open_card import Card
from lumenstat.runs.verbs import AT_ANY_RATE, INSTRUCTOR_VERBS, TRAINEE_VERBS, WHILE_FROZEN, starts_clock
from lumenstat.simulation.actions import carried_out, controls_of, ready
from lumenstat.simulation.flight import Moment, limit_text
from lumenstat.simulation.watching import Watch

# Ticks for each step of a lapse: fast enough, and a wait that ends in between is over by a tenth of a second at most.
LAPSE_STRIDE = 10
DRILL_TICKS = 18_000
"""A moment of a drill that nobody flies to its end is over after so long."""
# A full log can still be ended, and what happens by itself in it kept.
ROOM_TO_END = 10
FROZEN = phrase("The exercise is frozen; your instructor lets it go on.")


@dataclass(frozen=True)
class Applied:
    """An action that was carried out: its event, its number in the log, and the state to go back to."""

    event: LogEvent
    number: int


@dataclass(frozen=True)
class DrillMoment:
    """The one item that a run of a drill is about, and the tick from which the trainee flies."""

    item: str
    tick: int


class LiveRun:
    """A run that is being flown."""

    def __init__(
        self,
        run_id: str,
        bundle: Bundle,
        events: Sequence[LogEvent] = (),
        tick: int = 0,
        drill: DrillMoment | None = None,
    ) -> None:
        self.run_id = run_id
        self.bundle = bundle
        self.clock = Clock()
        self.aircraft = ready(bundle.airframe, bundle.exercise.start, bundle.exercise.faults)
        procedure = bundle.procedure
        self.guided = bundle.exercise.assist == "guided"
        self.card = Card(procedure, self.guided, bundle.exercise.assist == "examined", controls_of(self.aircraft))
        self.coach = Coach(bundle, procedure)
        self.says_so = bundle.exercise.assist != "examined"
        self.words: list[Word] = []
        self.log: list[LogEvent] = []
        self.finished = self.frozen = self.hand_up = False
        self.last_act: int | None = None
        self.pointed: tuple[int, str] | None = None
        self.acts = 0
        self.last_tick = round(bundle.exercise.minutes_at_most * 6000)
        self.called: set[str] = set()
        self.drill = drill
        self._right_before: frozenset[str] = frozenset()
        self._begun: dict[int, tuple[bool, ...]] = {}
        self._called_out: list[str] = []
        items = [step.item for step in self.card.procedure.steps]
        texts = list(watched_texts(procedure))
        self._numbers = {text: n for n, text in enumerate(texts)}
        self._until = {item.id: self._numbers[item.waits_for] for item in items if item.waits_for is not None}
        self._ends = len(texts) if bundle.exercise.ends_when is not None else None
        if bundle.exercise.ends_when is not None:
            texts.append(bundle.exercise.ends_when)
        self.limits = {limit.id: len(texts) + n for n, limit in enumerate(bundle.airframe.limits)}
        texts += [limit_text(limit) for limit in bundle.airframe.limits]
        self.watch = Watch(self.aircraft, texts)
        self.aircraft.watchers.append(self.watch)
        begins = 0 if drill is None else drill.tick
        own: list[LogEvent] = []
        for event in events:
            if drill is not None and event.tick >= begins and not own:
                self._take_over(drill)
            own += [event] if event.tick >= begins else []
            self.aircraft.arrive(event.tick)
            self._apply(event)
        if drill is not None and not own:
            self._take_over(drill)
        # After a crash the heartbeat may be younger than the last act: time that had passed is not flown
        # again.
        self.clock.tick = max(tick, self.aircraft.tick)
        if any(starts_clock(event) for event in own) and not self.finished and not self.frozen:
            self.clock.start()

    def _take_over(self, drill: DrillMoment) -> None:
        """The model has flown to the moment: its words are not for the trainee, and the card lies open there."""
        self.aircraft.arrive(drill.tick)
        self.last_tick = min(self.last_tick, drill.tick + DRILL_TICKS)
        # What the coach said of the model's own flight is nobody's news.
        self.words.clear()
        self._right_before = frozenset(self.coach.right)
        self.card.open(drill.item)

    def _moment_over(self) -> bool:
        """Whether the one item of a drill has been dealt with, in whatever way."""
        if self.drill is None:
            return False
        item = self.drill.item
        return item in self.card.answered or item in self.coach.right - self._right_before

    # ---- time ----------------------------------------------------------------------------------------------

    def advance(self) -> list[LogEvent]:
        """Let the aircraft come up to the clock. Gives the events that happen by themselves on the way."""
        if self.finished or not self.clock.running:
            return []
        # However long the server slept, a run ends at its last minute.
        end = self.last_tick
        now = min(self.clock.now(), end)
        made = []
        at = self.aircraft.tick
        while at < now:
            if self.clock.rate == 1:
                self.aircraft.advance(now)
                break
            # In short strides, to notice in time that there is something to do again.
            at = min(now, at + LAPSE_STRIDE * self.clock.rate)
            before = self._something_to_do()
            self.aircraft.advance(at)
            # The trainee is there again at once, at the rate at which hands work.
            if self._something_to_do() != before:
                self.clock.set_rate(1, at)
                made.append(self._append(LogEvent(at, "instructor", "rate", {"times": 1})))
                break
        if now >= end or (self._ends is not None and self.watch.now()[self._ends]):
            made.append(self._finish(now))
        return made

    def _finish(self, tick: int) -> LogEvent:
        tick = max(tick, self.aircraft.tick)
        self.aircraft.arrive(tick)
        return self._append(LogEvent(tick, "instructor", "finish", {}))

    def _something_to_do(self) -> tuple[object, ...]:
        """Changes as soon as the trainee could do something: a wait is over, or the crew have answered."""
        flags = self.watch.peek(self.aircraft.tick, self.aircraft.a)
        return tuple(flags[n] for n in self._until.values()), len(self.aircraft.crew)

    def rates_allowed(self, figures: list[float] | None = None) -> tuple[int, ...]:
        """At which rates time may pass now; `figures` are those of the present tick where they are known."""
        match self.bundle.exercise.time_lapse:
            case "free":
                return RATES
            case "waits" if self.waiting(figures):
                return RATES
            case _:
                return (1,)

    def _rates_for(self, by: str) -> tuple[int, ...]:
        """An instructor may shorten a wait in any exercise."""
        return RATES if by == "instructor" and self.waiting() else self.rates_allowed()

    def waiting(self, figures: list[float] | None = None) -> bool:
        """Whether the crew are busy or the open item waits for something that is not there yet."""
        if self.aircraft.units.busy:
            return True
        item = self.card.current
        if item is None or item.id not in self._until:
            return False
        known = self.figures() if figures is None else figures
        return not self.watch.peek(self.clock.now(), known)[self._until[item.id]]

    def open_item(self, item: str) -> bool:
        """Turn the card to an item; False where there is none."""
        self.acts += 1
        return self.card.open(item)

    # ---- actions -------------------------------------------------------------------------------------------

    def act(self, by: str, verb: str, args: Any) -> Applied:
        """Carry out an action now. Raises ActionRefused or LogError with nothing changed."""
        checked = self._checked(by, verb, args)
        # The clock may be behind the aircraft by a stride.
        tick = max(self.clock.now(), self.aircraft.tick)
        if self.clock.rate > 1 and verb not in AT_ANY_RATE:
            self.clock.set_rate(1)
            self.aircraft.arrive(tick)
            self._append(LogEvent(tick, "instructor", "rate", {"times": 1}))
        self.aircraft.arrive(tick)
        event = LogEvent(tick, by, verb, checked)
        self._apply(event)
        # Before whatever follows from the act: this one is acknowledged under its own number.
        number = len(self.log) - 1
        self._record_called_out(tick)
        if verb == "give" and checked["credit"] in ("full", "half"):
            self._hand_over_controls(tick, checked["item"])
        if starts_clock(event) and not self.frozen:
            self.clock.start()
        if self._moment_over() and not self.finished:
            self._finish(tick)
        if self.finished or self.frozen:
            self.clock.stop()
        return Applied(event, number)

    def _checked(self, by: str, verb: str, args: Any) -> dict[str, Any]:
        """What goes with an act, where it may be done now."""
        if self.finished:
            raise ActionRefused(phrase("This exercise has ended."))
        allowed = INSTRUCTOR_VERBS if by == "instructor" else TRAINEE_VERBS
        if verb not in allowed:
            raise ActionRefused(
                phrase(
                    "{verb} cannot be done from here; there is {allowed}.",
                    verb=repr(verb),
                    allowed=", ".join(sorted(allowed)),
                )
            )
        if self.frozen and by != "instructor" and verb not in WHILE_FROZEN:
            raise ActionRefused(FROZEN)
        # Before anything is moved: what is refused has changed nothing.
        checked = check_args(verb, args)
        # Room is kept for what ends the run, however full its log is.
        if len(self.log) >= MOST_EVENTS - ROOM_TO_END and verb != "finish":
            raise ActionRefused(
                phrase("This run's log is full: {most:,} acts are kept. End the exercise.", most=MOST_EVENTS)
            )
        if verb == "note" and by != "instructor" and flow_done(checked) is None:
            raise ActionRefused(phrase("Only that a flow is done can be noted; more cannot be done from here."))
        self._check(by, verb, checked)
        return checked

    def _hand_over_controls(self, tick: int, name: str) -> None:
        """An item that is given is done by the instructor's hand, as far as it moves controls."""
        item = self.card.procedure.by_id[name].item
        for control, position in item.moves(self.card.papers):
            if position is None or self.aircraft.state().get(naming.control(control)) == position:
                continue
            if self.aircraft.state().get(naming.guard(control)) is False:
                self._apply(LogEvent(tick, "instructor", "guard", {"control": control, "open": True}))
            self._apply(LogEvent(tick, "instructor", "set", {"control": control, "to": position}))

    def still_held(self, control: str, seconds: float) -> float:
        """For how many more seconds a button is in that a hand held for so long; news of its press may come late."""
        moves = (e for e in reversed(self.log) if e.verb in ("press", "release") and e.args["control"] == control)
        last = next(moves, None)
        if last is None or last.verb == "release":
            return 0.0
        return max(0.0, (last.tick - self.clock.now()) / 100 + seconds)

    def _check(self, by: str, verb: str, args: dict[str, Any]) -> None:
        if verb in ("freeze", "resume") and (verb == "freeze") == self.frozen:
            raise ActionRefused(
                phrase("The exercise is frozen already.") if self.frozen else phrase("The exercise is not frozen.")
            )
        if verb == "point" and args["part"] not in self._parts:
            raise ActionRefused(phrase("There is no part {part} on this deck.", part=repr(args["part"])))
        if "item" in args and args["item"] not in self.card.procedure.by_id:
            raise ActionRefused(phrase("There is no item {item} on this card.", item=repr(args["item"])))
        if self.guided and verb in ("respond", "confirm"):
            self._check_said(args["item"])
        if verb == "rate" and args["times"] not in self._rates_for(by):
            raise ActionRefused(phrase("Time-lapse runs only while there is nothing to do but wait."))
        if verb == "hint":
            item = self.card.procedure.by_id[args["item"]].item
            if self.bundle.exercise.assist == "examined" or args["level"] > len(item.hints):
                raise ActionRefused(phrase("There is no such hint here."))
        if verb == "decide":
            branches = [b.id for b in getattr(self.card.procedure.by_id[args["item"]].item, "branches", ())]
            if args["branch"] not in branches:
                raise ActionRefused(
                    phrase(
                        "That decision has no branch {branch}; it has {branches}.",
                        branch=repr(args["branch"]),
                        branches=", ".join(branches),
                    )
                )

    def _check_said(self, item_id: str) -> None:
        """A guided exercise goes on only when the step is truly there."""
        item = self.card.current
        if item is None or item.id != item_id:
            raise ActionRefused(phrase("Another step is open; this one has its turn later."))
        if item.id in self._until and not self.watch.now()[self._until[item.id]]:
            raise ActionRefused(phrase("It is not there yet. {response}.", response=item.good or item.response))
        if not item.SAID and item.id not in self.card.right:
            raise ActionRefused(
                phrase("'{challenge}' is not done yet: {response}.", challenge=item.challenge, response=item.response)
            )

    def _apply(self, event: LogEvent) -> None:
        state = self.aircraft.reading()
        flags = self.watch.now()
        changed, took = carried_out(self.aircraft, event)
        accepted = changed or event.verb != "request"
        if event.by == "instructor":
            self._told(event)
        else:
            self._coached(Moment(self.coach.count, event, state, flags, accepted, took=took))
        if event.verb == "hand":
            self.hand_up = event.args["up"]
        if event.verb == "rate":
            self.clock.set_rate(int(event.args["times"]), max(event.tick, self.aircraft.tick))
        if event.verb == "call":
            self._note_called(str(event.args["instrument"]))
        self._append(event)
        self._pass_over()

    def _coached(self, moment: Moment) -> None:
        """Let the coach see what the trainee did; an examined one is told nothing of it."""
        self.last_act = moment.event.tick
        self.card.right = self.coach.right
        right = set(self.coach.right)
        words = self.coach.note(moment, self.card.current, self.card.answered)
        if not self.says_so:
            return
        self.words += words
        for name in self.coach.right - right:
            # A section begins with the first act that belongs to one of its own items, as a judge has it.
            self._begun.setdefault(self.card.procedure.by_id[name].section, moment.flags)
        self._called_out = [word.says for word in words] if self.guided else []

    def _told(self, event: LogEvent) -> None:
        """What an instructor does in a trainee's exercise is said to the trainee, unless it is for the record alone."""
        match event.verb:
            case "freeze":
                self.frozen = True
            case "resume":
                self.frozen = False
            case "point":
                self.pointed = (len(self.log), str(event.args["part"]))
        if (says := told(event, self.bundle)) is not None:
            self.words.append(Word(event.tick, says, instructs=True))

    def _record_called_out(self, tick: int) -> None:
        """What was called out at a guided station stands in its log."""
        for says in self._called_out:
            self._append(LogEvent(tick, "instructor", "note", {"text": f"called out: {says}"}))
        self._called_out = []

    def _pass_over(self) -> None:
        """A guided card passes over what did not apply when its section began, or does not now if it has not begun."""
        while self.guided and (item := self.card.current) is not None:
            flags = self._begun.get(self.card.procedure.by_id[item.id].section) or self.watch.now()
            if item.applies_when is None or flags[self._numbers[item.applies_when]]:
                return
            self.card.pass_over(item.id)
            self.acts += 1

    def _append(self, event: LogEvent) -> LogEvent:
        self.log.append(event)
        self.acts += 1
        self.card.note(event)
        if event.verb == "finish":
            self.finished = True
            self.clock.stop()
        return event

    def _note_called(self, name: str) -> None:
        """Which bus was read: a hot bus shows its volts on the riser once it has been called."""
        instrument = self.bundle.airframe.instruments[name]
        shown = instrument.shows
        if instrument.selector is not None:
            position = self.aircraft.d[self.aircraft.plan.d[naming.control(instrument.selector)]]
            shown = instrument.by_position.get(str(position))
        if (bus := self.aircraft.plan.volts_of.get(shown or "")) is not None:
            self.called.add(bus)

    @property
    def _parts(self) -> Collection[str]:
        airframe = self.bundle.airframe
        return {*airframe.controls, *airframe.instruments, *airframe.lamps}

    # ---- looking -------------------------------------------------------------------------------------------

    def figures(self) -> list[float]:
        """The aircraft's figures at the present tick."""
        if not self.clock.running:
            return self.aircraft.a
        return self.aircraft.peek(max(self.clock.now(), self.aircraft.tick))

    @property
    def hidden(self) -> frozenset[str]:
        """What is to be read off an instrument before it is shown anywhere else: the volts of hot buses."""
        hot = {bus.id for bus in self.bundle.airframe.electrical.buses if bus.hot}
        return frozenset(naming.bus_volts(bus) for bus in hot - self.called)
