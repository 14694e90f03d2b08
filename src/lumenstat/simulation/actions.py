"""What can be done to an aircraft: the verbs of a run log that move something, checked and carried out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.checking import checker_for
from lumenstat.documents.exercise import Before, Exercise, Fault, Start
from lumenstat.documents.runlog import LogEvent
from lumenstat.errors import ActionRefused, ModelError, Problem, StartRefused
from lumenstat.language import naming
from lumenstat.language.field_words import field_words
from lumenstat.language.sources import Source
from lumenstat.language.values import nearest, position_text
from lumenstat.language.wording import phrase
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.systems.registry import fault_targets
from lumenstat.systems.terms import ticks


def ready(airframe: Airframe, start: Start, faults: tuple[Fault, ...] = ()) -> Aircraft:
    """An aircraft at the beginning of an exercise: what was done before has been done, and time begins at 0."""
    aircraft = Aircraft(airframe, start, faults)
    for number, line in enumerate(start.before):
        aircraft.arrive(aircraft.tick + ticks(line.after))
        try:
            _prepare(aircraft, line)
        except ActionRefused as error:
            raise StartRefused(number, str(error)) from None
    aircraft.begin_here()
    return aircraft


def _prepare(aircraft: Aircraft, line: Before) -> None:
    """Do what one line of `before` says. Raises ActionRefused where it cannot be done."""
    for name, position in line.set.items():
        set_control(aircraft, name, position)
    if line.hold is not None:
        press(aircraft, line.hold, held=True)
        # Held for a second, as a hand would.
        aircraft.arrive(aircraft.tick + 100)
        press(aircraft, line.hold, held=False)
    if line.request is not None:
        service, action = line.request
        refusal = aircraft.units.hindrance("request", {"service": service, "action": action})
        if refusal is not None:
            raise ActionRefused(
                phrase("{service} {action}: {refusal}", service=service, action=action, refusal=refusal)
            )
        request(aircraft, service, action)


def start_problems(airframe: Airframe, exercise: Exercise, source: Source) -> list[Problem]:
    """What is wrong with the start of an exercise that only shows when it is flown: what cannot be done before it."""
    try:
        ready(airframe, exercise.start, exercise.faults)
    except StartRefused as error:
        return [
            source.problem(("start", "before", error.line), phrase("cannot be done then: {error}", error=error.says))
        ]
    except ModelError as error:
        return [source.problem(("start",), str(error))]
    return []


def carry_out(aircraft: Aircraft, event: LogEvent) -> bool:
    """Let the event happen to the aircraft at its present tick; whether it changed anything.

    Raises ActionRefused, with nothing changed.
    """
    if event.verb == "fault":
        begin_fault(aircraft, event.args)
        return True
    if event.verb == "clear":
        clear_fault(aircraft, event.args["fault"])
        return True
    return do(aircraft, event.verb, **event.args)


def carried_out(aircraft: Aircraft, event: LogEvent) -> tuple[bool, bool]:
    """Let the event happen: whether it changed anything, and whether a button that was pressed did anything.

    Only a button that acts by its press alone can be lost: a test that lights nothing is a find. Raises ActionRefused,
    with nothing changed.
    """
    control = event.args.get("control")
    if event.verb != "press" or control not in aircraft.plan.pressed_once:
        return carry_out(aircraft, event), True
    own = naming.control(str(control))
    before = _stands(aircraft, own)
    changed = carry_out(aircraft, event)
    return changed, before != _stands(aircraft, own)


def _stands(aircraft: Aircraft, own: str) -> tuple[object, ...]:
    """Everything but figures and one control, and what is still to come."""
    state = aircraft.state()
    return (
        {name: value for name, value in state.items() if name != own and not isinstance(value, float)},
        aircraft.calendar.due(),
    )


def do(aircraft: Aircraft, verb: str, **args: Any) -> bool:
    """Let somebody do one thing to the aircraft; whether it changed anything."""
    changed = aircraft.units.act(verb, args)
    if changed:
        aircraft.touched()
    return changed


def begin_fault(aircraft: Aircraft, args: Mapping[str, Any]) -> None:
    """Let a fault begin, or wait for its state to come. Raises ActionRefused with nothing changed."""
    board, name = aircraft.faults, str(args["fault"])
    if "kind" in args:
        board.add(defined_fault(aircraft.plan.airframe, args))
    number = board.number(name)
    # With a state to wait for it arms by itself, in the settling that follows.
    if args.get("when") is None:
        board.arm(number)
    aircraft.touched()


def clear_fault(aircraft: Aircraft, name: str) -> None:
    """Take a fault away. Raises ActionRefused where there is none of that name."""
    aircraft.faults.clear(aircraft.faults.number(name))
    aircraft.touched()


def defined_fault(airframe: Airframe, args: Mapping[str, Any]) -> Fault:
    """A fault as an event of a log defines it. Raises ActionRefused that says what would be right."""
    written = {key: args[key] for key in ("kind", "target", "amount", "when") if args.get(key) is not None}
    try:
        fault = Fault.model_validate({"id": args["fault"], **written})
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise ActionRefused(
            phrase("fault.{field}: {wrong}", field=first["loc"][-1], wrong=field_words(first))
        ) from None
    targets = list(fault_targets(airframe)[fault.kind])
    if fault.target not in targets:
        raise ActionRefused(
            phrase(
                "there is no target {target} for {kind}{targets}",
                target=repr(fault.target),
                kind=fault.kind,
                targets=nearest(fault.target, targets),
            )
        )
    if fault.when is not None:
        checker = checker_for(airframe, Source("fault", None, {}))
        checker.logic(("when",), fault.when)
        if checker.problems:
            raise ActionRefused(phrase("fault.when: {problems}", problems=checker.problems[0].says))
    return fault


def controls_of(aircraft: Aircraft) -> dict[str, str]:
    """Where every control stands."""
    d, places = aircraft.d, aircraft.plan.d
    controls = aircraft.plan.airframe.controls
    return {name: str(position_text(d[places[naming.control(name)]])) for name in controls}


def set_control(aircraft: Aircraft, name: str, to: str | float) -> None:
    """Move a control that stays where it is put."""
    do(aircraft, "set", control=name, to=to)


def move_guard(aircraft: Aircraft, name: str, is_open: bool) -> None:
    """Lift or close a guard."""
    do(aircraft, "guard", control=name, open=is_open)


def press(aircraft: Aircraft, name: str, held: bool) -> None:
    """Hold a momentary control in, or let it spring back."""
    do(aircraft, "press" if held else "release", control=name)


def request(aircraft: Aircraft, service: str, action: str) -> bool:
    """Ask the crew; whether they set off. They answer in any case; what cannot be done now is said, not refused."""
    return do(aircraft, "request", service=service, action=action)
