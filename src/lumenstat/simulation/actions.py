"""What can be done to an aircraft: the verbs of a run log that move something, checked and carried out."""

from __future__ import annotations

from lumenstat.documents.airframe import Airframe, Control
from lumenstat.documents.exercise import Fault, Start
from lumenstat.documents.runlog import LogEvent
from lumenstat.documents.values import nearest, position_text
from lumenstat.errors import ActionRefused
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.plan import ticks


def ready(airframe: Airframe, start: Start, faults: tuple[Fault, ...] = ()) -> Aircraft:
    """An aircraft at the beginning of an exercise: what was done before has been done, and time begins at 0."""
    aircraft = Aircraft(airframe, start, faults)
    for line in start.before:
        aircraft.arrive(aircraft.tick + ticks(line.after))
        for name, position in line.set.items():
            set_control(aircraft, name, position)
        if line.hold is not None:
            press(aircraft, line.hold, held=True)
            aircraft.arrive(aircraft.tick + 100)
            press(aircraft, line.hold, held=False)
        if line.request is not None:
            request(aircraft, *line.request)
    aircraft.begin_here()
    return aircraft


def carry_out(aircraft: Aircraft, event: LogEvent) -> None:
    """Let the event happen to the aircraft at its present tick. Raises ActionRefused, with nothing changed."""
    match event.verb:
        case "set":
            set_control(aircraft, event.args["control"], event.args["to"])
        case "guard":
            move_guard(aircraft, event.args["control"], event.args["open"])
        case "press" | "release":
            press(aircraft, event.args["control"], held=event.verb == "press")
        case "request":
            request(aircraft, event.args["service"], event.args["action"])
        case "fault" | "clear":
            set_fault(aircraft, event.args["fault"], arm=event.verb == "fault")
        case "see":
            position_of(control_of(aircraft, event.args["control"]), event.args["position"])
        case "call":
            if event.args["instrument"] not in aircraft.plan.instruments:
                names = list(aircraft.plan.instruments)
                raise ActionRefused(
                    f"there is no instrument {event.args['instrument']!r}{nearest(event.args['instrument'], names)}"
                )
        case _:
            pass


def set_fault(aircraft: Aircraft, name: str, arm: bool) -> None:
    """Let one of the exercise's faults begin, or clear it."""
    board = aircraft.settler.faults
    if name not in board.numbers:
        raise ActionRefused(f"there is no fault {name!r} in this exercise{nearest(name, list(board.numbers))}")
    (board.arm if arm else board.clear)(board.numbers[name])
    aircraft.touched()


def control_of(aircraft: Aircraft, name: str) -> Control:
    """The control of that name."""
    controls = aircraft.plan.controls
    if name not in controls:
        raise ActionRefused(f"there is no control {name!r}{nearest(name, list(controls))}")
    return controls[name]


def position_of(control: Control, to: str | float) -> str | float:
    """The position as the aircraft keeps it, or a refusal that says which there are."""
    if control.kind == "entry":
        try:
            figure = float(to)
        except ValueError:
            raise ActionRefused(f"{control.name} takes a figure, not {to!r}") from None
        least, most = control.minimum or 0.0, control.maximum or 0.0
        if not least <= figure <= most:
            raise ActionRefused(f"{control.name} takes {least:g} to {most:g} {control.unit or ''}".rstrip())
        return figure
    text = str(position_text(to))
    if text not in control.positions:
        raise ActionRefused(f"{control.name} has no position {text!r}; it has {', '.join(control.positions)}")
    return text


def set_control(aircraft: Aircraft, name: str, to: str | float) -> None:
    """Move a control that stays where it is put."""
    control = control_of(aircraft, name)
    if control.kind == "momentary":
        raise ActionRefused(f"{control.name} springs back: press it instead")
    position = position_of(control, to)
    if control.kind == "guarded-toggle" and not aircraft.d[aircraft.plan.d[f"guard.{name}"]]:
        raise ActionRefused(f"the guard of {control.name} is shut; lift it first")
    _put(aircraft, f"control.{name}", position)


def move_guard(aircraft: Aircraft, name: str, is_open: bool) -> None:
    """Lift or close a guard."""
    control = control_of(aircraft, name)
    if control.kind != "guarded-toggle":
        raise ActionRefused(f"{control.name} has no guard")
    _put(aircraft, f"guard.{name}", is_open)


def press(aircraft: Aircraft, name: str, held: bool) -> None:
    """Hold a momentary control in, or let it spring back."""
    control = control_of(aircraft, name)
    if control.kind != "momentary":
        raise ActionRefused(f"{control.name} stays where it is put: set it instead")
    _put(aircraft, f"control.{name}", control.positions[1 if held else 0])


def _put(aircraft: Aircraft, name: str, value: str | float | bool) -> None:
    slot = aircraft.plan.d[name]
    if aircraft.d[slot] != value:
        aircraft.d[slot] = value
        aircraft.touched()


def request(aircraft: Aircraft, service_name: str, action_name: str) -> None:
    """Ask the crew. They answer in any case; what cannot be done now is said, not refused."""
    services = aircraft.plan.airframe.services
    numbers = {service.id: n for n, service in enumerate(services)}
    if service_name not in numbers:
        raise ActionRefused(f"there is no service {service_name!r}{nearest(service_name, list(numbers))}")
    number = numbers[service_name]
    service = services[number]
    actions = {action.id: n for n, action in enumerate(service.actions)}
    if action_name not in actions:
        raise ActionRefused(f"{service.name} has no action {action_name!r}{nearest(action_name, list(actions))}")
    action = service.actions[actions[action_name]]
    aircraft.say("you", action.asked)
    answers = aircraft.settler.answers
    if not answers.heard[number]:
        aircraft.say("ground", service.unheard)
    elif aircraft.settler.pending_service[number] is not None:
        aircraft.say("ground", f"Stand by, still busy with {service.name.lower()}.")
    elif aircraft.d[aircraft.plan.d[f"service.{service.id}"]] not in action.possible_when:
        aircraft.say(
            "ground",
            f"Nothing to do there: {service.name.lower()} is {aircraft.d[aircraft.plan.d[f'service.{service.id}']]}.",
        )
    elif not answers.needs[number][actions[action_name]]:
        aircraft.say("ground", action.needs_answered or "Not yet.")
    else:
        aircraft.settler.begin_service(number, actions[action_name])
        aircraft.touched()
