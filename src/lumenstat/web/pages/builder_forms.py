"""The fields of the builder's forms: which there are for an item of a kind, for a section and for the exercise."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, get_args

from pydantic.fields import FieldInfo

from lumenstat.documents.airframe import Airframe
from lumenstat.drafting.edits import value_at
from lumenstat.items.item import Shown
from lumenstat.items.registry import KINDS, own_keys
from lumenstat.language.code_words import code_words
from lumenstat.language.values import Written
from lumenstat.language.wording import phrase
from lumenstat.systems.registry import names_of, start_fields
from lumenstat.web.rendering import Context

WHO = tuple((who, code_words(who)) for who in ("captain", "first-officer", "both", "either"))
KIND_WORDS = {kind: model.WORD for kind, model in KINDS.items()}


class Field(Context):
    """One field: its path in the document, what it is called, how it is filled in, what stands in it, and what holds
    where nothing does. A wide one takes two columns, a whole one all."""

    name: str
    label: str
    how: str = "text"
    value: str = ""
    options: tuple[tuple[str, str], ...] = ()
    unit: str = ""
    usual: str = ""
    wide: bool = False
    whole: bool = False


class Form(Context):
    """Fields that belong together, under a title."""

    title: str
    fields: tuple[Field, ...]


def item_fields(item: Mapping[str, Any], airframe: Airframe) -> Iterator[Field]:
    """What an item of this kind asks for, beside its words: its own fields, as its room says how they are shown."""
    kind = str(item.get("kind"))
    if kind in KINDS:
        for name in own_keys(kind):
            yield from _shown(item, name, KINDS[kind].model_fields[name], airframe)


def _shown(item: Mapping[str, Any], name: str, field: FieldInfo, airframe: Airframe) -> Iterator[Field]:
    shown = next((each for each in field.metadata if isinstance(each, Shown)), None)
    if shown is not None:
        yield _one(item, name, shown, airframe)
    for part in (field.annotation, *get_args(field.annotation)):
        if isinstance(part, type) and issubclass(part, Written):
            for inner, inner_field in part.model_fields.items():
                yield from _shown(item, f"{name}.{inner}", inner_field, airframe)


def _one(item: Mapping[str, Any], name: str, shown: Shown, airframe: Airframe) -> Field:
    """A field as its room wants it shown."""
    match shown.how:
        case "control":
            # A cycle or a set of several controls names them all; a menu holds only one.
            if item.get("controls"):
                return Field(
                    name="controls", label=phrase("Controls"), value=", ".join(map(str, item["controls"])), wide=True
                )
            return choice(item, name, shown.label, tuple((c.id, c.name) for c in airframe.controls.values()))
        case "position":
            return _to(item, airframe)
        case "instrument":
            return choice(item, name, shown.label, tuple((i.id, i.name) for i in airframe.instruments.values()))
        case "service":
            return choice(item, name, shown.label, tuple((s.id, s.name) for s in airframe.services))
        case "action":
            actions = next((s.actions for s in airframe.services if s.id == item.get("service")), ())
            return choice(item, name, shown.label, tuple((a.id, a.name) for a in actions))
        case "list":
            return Field(name=name, label=shown.label, value=", ".join(map(str, item.get(name, ()))))
        case "figure":
            found = airframe.instruments.get(str(item.get("instrument")))
            return figure(item, name, shown.label, shown.unit.format(unit=found.unit if found else ""))
        case "expression":
            return expression(item, name, shown.label)
        case "area":
            return area(item, name, shown.label)
        case "words":
            return words(item, name, shown.label)


def _to(item: Mapping[str, Any], airframe: Airframe) -> Field:
    to = item.get("to")
    # A position can come off a paper that is handed out: it is written with its colon, so that it can be typed.
    shown = f"paper:{to['paper']}" if isinstance(to, Mapping) else "" if to is None else str(to)
    names = item.get("controls") or [item.get("control")]
    control = airframe.controls.get(str(names[0]))
    if control is None or not control.positions or isinstance(to, Mapping):
        return Field(name="to", label=phrase("To"), value=shown)
    options = tuple((position, position) for position in control.positions)
    return Field(name="to", label=phrase("To"), how="select", value=shown, options=_with_own(options, shown))


def shared_fields(item: Mapping[str, Any], others: tuple[tuple[str, str], ...]) -> tuple[Field, ...]:
    """What every kind of item has beside challenge and response."""
    return (
        menu(item, "who", phrase("Who acts"), WHO, "either"),
        figure(item, "weight", phrase("Weight"), phrase("of 100")),
        flag(item, "critical", phrase("Critical: a miss holds the grade"), usual=False),
        area(item, "why", phrase("Reason")),
        area(item, "caution", phrase("Caution")),
        words(item, "good", phrase("A good indication"), wide=True),
        area({"hints": "\n".join(item.get("hints") or ())}, "hints", phrase("Hints, one a line, up to three")),
        expression(item, "applies_when", phrase("Applies only when")),
        Field(name="after", label=phrase("After, beside its place"), value=", ".join(item.get("after") or ())),
        choice(item, "not_before.item", phrase("Not before"), others),
        figure(item, "not_before.seconds", phrase("plus"), "s"),
        choice(item, "within.item", phrase("Within"), others),
        figure(item, "within.seconds", phrase("at most"), "s"),
        choice(item, "floats_until", phrase("Any time until"), others),
        words(item, "one_of", phrase("One of the alternatives named")),
        choice(item, "of_branch.item", phrase("Only where this decision"), others),
        words(item, "of_branch.branch", phrase("takes this branch")),
    )  # fmt: skip


def section_fields(section: Mapping[str, Any], items: tuple[tuple[str, str], ...]) -> tuple[Field, ...]:
    """What a section asks for."""
    styles = (("read-and-do", phrase("read and do")), ("flow-then-check", phrase("flow, then check")))
    orders = (("strict", phrase("strict order")), ("any", phrase("any order")))
    return (
        words(section, "title", phrase("Title"), wide=True),
        menu(section, "style", phrase("Style"), styles, "read-and-do"),
        menu(section, "order", phrase("Order"), orders, "strict"),
        choice(section, "line_after", phrase("The line is drawn under"), items),
        choice(section, "floats_until", phrase("The whole section any time until"), items),
    )  # fmt: skip


def exercise_forms(content: Mapping[str, Any], airframe: Airframe) -> Iterator[Form]:
    """What an exercise asks for, beside its lists and the controls out of place."""
    yield Form(title=phrase("What it is"), fields=tuple(_running(content)))
    yield Form(title=phrase("Where it stands, and the day"), fields=tuple(_place(content)))
    yield Form(title=phrase("As the crew find it"), fields=tuple(_found(content, airframe)))
    if names_of(airframe)["inertial unit"]:
        yield Form(title=phrase("What the inertial units remember"), fields=tuple(_remembered(content)))


def _running(content: Mapping[str, Any]) -> Iterator[Field]:
    assists = tuple((name, code_words(name)) for name in ("guided", "coached", "examined"))
    lapses = (("off", phrase("never")), ("waits", phrase("while waiting")), ("free", phrase("freely")))
    risers = (("always", phrase("while flying")), ("after", phrase("only afterwards")), ("never", phrase("never")))
    yield words(content, "title", phrase("Title"), wide=True)
    yield words(content, "shown_as", phrase("Title that trainees see"), wide=True)
    yield area(content, "brief", phrase("Brief"))
    yield menu(content, "assist", phrase("Help"), assists, "examined")
    yield menu(content, "time_lapse", phrase("Time-lapse"), lapses, "off")
    links = (("go on", phrase("time goes on")), ("hold", phrase("the clock is held")))
    yield menu(content, "on_lost_link", phrase("While a station is not linked"), links, "go on")
    yield choice(content, "riser", phrase("Trainees see the riser"), risers)
    yield flag(content, "reading_choices", phrase("Tapped instruments offer three figures"), usual=False)
    yield figure(content, "minutes_at_most", phrase("At most"), "min")
    yield figure(content, "pass_mark", phrase("Pass mark"), "%")
    yield expression(content, "ends_when", phrase("Ends by itself when"))


def _place(content: Mapping[str, Any]) -> Iterator[Field]:
    yield words(content, "start.place.name", phrase("Place"), wide=True)
    yield figure(content, "start.place.latitude_degrees", phrase("Latitude"), "°")
    yield figure(content, "start.place.longitude_degrees", phrase("Longitude"), "°")
    yield figure(content, "start.outside_celsius", phrase("Outside"), "°C", usual="15")
    yield figure(content, "start.hours_unpowered", phrase("Unpowered for"), "h", usual="12")
    yield flag(content, "start.first_flight_of_day", phrase("First flight of the day"), usual=True)


def _found(content: Mapping[str, Any], airframe: Airframe) -> Iterator[Field]:
    for each in start_fields(airframe):
        yield figure(content, f"start.{each.path}", each.label, each.unit, usual=each.usual)
    for service in airframe.services:
        states = tuple((state, state) for state in service.states)
        yield choice(content, f"start.services.{service.id}", service.name, states)


def _remembered(content: Mapping[str, Any]) -> Iterator[Field]:
    for name, label, unit in (
        ("name", phrase("Place"), ""),
        ("latitude_degrees", phrase("Latitude"), "°"),
        ("longitude_degrees", phrase("Longitude"), "°"),
    ):
        # What it is without a word of its own stands in the field as a hint: the place itself.
        here = value_of(content, f"start.place.{name}")
        field = figure(content, f"start.remembered.{name}", label, unit, usual=here)
        yield field if unit else field.model_copy(update={"how": "text", "wide": True})
    yield flag(content, "start.moved_since_shutdown", phrase("Moved since it was shut down"), usual=False)


def figures_of_exercise(airframe: Airframe) -> frozenset[str]:
    """The fields of an exercise that hold figures."""
    names = {"minutes_at_most", "pass_mark", "start.outside_celsius", "start.hours_unpowered"}
    for place in ("place", "remembered"):
        names |= {f"start.{place}.latitude_degrees", f"start.{place}.longitude_degrees"}
    return frozenset(names | {f"start.{each.path}" for each in start_fields(airframe)})


def words(content: Mapping[str, Any], name: str, label: str, *, wide: bool = False) -> Field:
    """A field of free text."""
    return Field(name=name, label=label, value=value_of(content, name), wide=wide)


def area(content: Mapping[str, Any], name: str, label: str) -> Field:
    """A field of longer text."""
    return Field(name=name, label=label, how="area", value=value_of(content, name), wide=True)


def flag(content: Mapping[str, Any], name: str, label: str, *, usual: bool) -> Field:
    """A field that is on or off; `usual` is what it is where nothing is written."""
    written = value_at(content, name)
    return Field(name=name, label=label, how="flag", value="true" if (usual if written is None else written) else "")


def menu(content: Mapping[str, Any], name: str, label: str, options: tuple[tuple[str, str], ...], usual: str) -> Field:
    """A field with a menu in which something is always chosen."""
    return Field(name=name, label=label, how="select", value=value_of(content, name) or usual, options=options)


def figure(content: Mapping[str, Any], name: str, label: str, unit: str = "", usual: str = "") -> Field:
    """A field that takes a figure."""
    return Field(name=name, label=label, how="figure", value=value_of(content, name), unit=unit, usual=usual)


def expression(content: Mapping[str, Any], name: str, label: str) -> Field:
    """A field that takes an expression, with menus beside it."""
    return Field(name=name, label=label, how="expression", value=value_of(content, name), wide=True)


def choice(content: Mapping[str, Any], name: str, label: str, options: tuple[tuple[str, str], ...]) -> Field:
    """A field with a menu; nothing chosen takes it away."""
    value = value_of(content, name)
    return Field(name=name, label=label, how="select", value=value, options=(("", "–"), *_with_own(options, value)))


def _with_own(options: tuple[tuple[str, str], ...], value: str) -> tuple[tuple[str, str], ...]:
    known = {option for option, _ in options}
    return (
        options if not value or value in known else (*options, (value, phrase("{value} (there is none)", value=value)))
    )


def value_of(content: Mapping[str, Any], name: str) -> str:
    """What stands at a dotted path, as text."""
    here = value_at(content, name)
    if here is None:
        return ""
    if isinstance(here, bool):
        return "true" if here else ""
    return f"{here:g}" if isinstance(here, float) else str(here)
