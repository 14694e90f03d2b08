"""The expression language: what it says, what it refuses, and that nothing of a document becomes code."""

from __future__ import annotations

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from lumenstat.errors import ExpressionError
from lumenstat.language.expressions import FUNCTIONS, NULL_SAFE, WORDS, Constants, Emitter, Quantity, parse

QUANTITIES = {
    q.name: q
    for q in (
        Quantity("bus.left.volts", "V", "number", ""),
        Quantity("bus.left.alive", "", "truth", ""),
        Quantity("engine.1.speed", "%", "number", ""),
        Quantity("instrument.meter.reads", "V", "number", "", nullable=True),
        Quantity("control.master", "", "text", "", choices=("ON", "OFF")),
        Quantity("contactor.tie.shut", "", "truth", ""),
    )
}


def value_of(text: str, **values: object) -> object:
    constants = Constants()
    named = {name.replace(".", "_"): name for name in QUANTITIES}
    emitter = Emitter(QUANTITIES, lambda name: f"Q[{name!r}]", constants)
    code = emitter.value(parse(text))
    known = {named[key]: value for key, value in values.items()}
    return eval(code, {"Q": known, "S": constants, **NULL_SAFE})


@pytest.mark.parametrize(
    ("text", "values", "expected"),
    [
        ("bus.left.volts > 24", {"bus_left_volts": 25.0}, True),
        ("22 < bus.left.volts <= 24", {"bus_left_volts": 24.0}, True),
        ("22 < bus.left.volts <= 24", {"bus_left_volts": 24.1}, False),
        ("engine.1.speed * 2 + 1 == 21", {"engine_1_speed": 10.0}, True),
        (
            "not contactor.tie.shut and alive(bus.left)",
            {"contactor_tie_shut": False, "bus_left_alive": True},
            True,
        ),
        ('control.master in ("OFF", "ON")', {"control_master": "ON"}, True),
        ('control.master not in ("OFF", "ON")', {"control_master": "ON"}, False),
        ("instrument.meter.reads > 5", {"instrument_meter_reads": None}, False),
        ("instrument.meter.reads < 5", {"instrument_meter_reads": None}, False),
        ("instrument.meter.reads != 5", {"instrument_meter_reads": None}, False),
        ("not (instrument.meter.reads > 5)", {"instrument_meter_reads": None}, True),
        ("instrument.meter.reads + 1 > 0", {"instrument_meter_reads": None}, False),
        ("10 / bus.left.volts > 0", {"bus_left_volts": 0.0}, False),
        ("max(bus.left.volts, 3) == 7", {"bus_left_volts": 7.0}, True),
        ("abs(-bus.left.volts) == 7", {"bus_left_volts": 7.0}, True),
        (
            "alive(bus.left) != contactor.tie.shut",
            {"bus_left_alive": True, "contactor_tie_shut": True},
            False,
        ),
    ],
)
def test_means_what_it_says(text: str, values: dict[str, object], expected: bool) -> None:
    assert value_of(text, **values) is expected


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("bus.left.volt > 24", "did you mean 'bus.left.volts'"),
        ("bus.left.volts > ", "is not an expression"),
        ("bus.left.volts", "a yes or no is needed"),
        ("__import__('os')", "there is no|not an expression|does not have"),
        ("bus.left.volts.__class__", "there is no quantity|does not know"),
        ("lambda: 1", "does not know|not an expression"),
        ("[1, 2][0] == 1", "does not know"),
        ("bus.left.volts > 1 / 0", "divides by zero"),
        ('control.master == "HALF"', "it can be ON, OFF"),
        ('control.master > "ON"', "compare figures"),
        ("bus.left.volts == control.master", "compares a number with a text"),
        ("bus.left.volts and true", "compare it first"),
        ("held(bus.left.volts > 3, 5)", "looks back in time"),
        ("held(bus.left.volts > 3, engine.1.speed)", "needs its seconds as a figure"),
        ("(" * 30 + "1" + ")" * 30, "nested too deeply"),
        ("1 + " * 300 + "1 > 0", "too long"),
        ("x" * 3000, "longer than"),
        ("min(1) == 1", "takes 2 to 8"),
        ("alive(3)", "takes one bus"),
        ('bus.left.volts > 3 # "', "does not know"),
        ('f"{1}" == "1"', "not an expression|there is no"),
        ("since", "since is a function and needs its brackets"),
        ("min > 1", "min is a function"),
        ("alive(since)", "takes one bus"),
        ("peak(rate) > 1", "rate is a function"),
        ("9" * 400 + " > 1", "beyond"),
        ("9" * 400 + ".0 > 1", "beyond"),
        ("held(bus.left.volts > 3, true)", "needs its seconds as a figure"),
    ],
)
def test_refuses_what_is_not_in_the_language(text: str, says: str) -> None:
    with pytest.raises(ExpressionError, match=says):
        Emitter(QUANTITIES, lambda name: "1.0", Constants()).truth(parse(text))


PIECES = [*"()+-*/<>,", "==", "1", "0", "2.5", '"ON"', "bus.left.volts", "control.master", *WORDS, *FUNCTIONS]


@given(st.one_of(st.text(max_size=120), st.lists(st.sampled_from(PIECES), max_size=12).map(" ".join)))
@example("since")
def test_any_text_is_an_expression_or_a_clear_refusal(text: str) -> None:
    try:
        Emitter(QUANTITIES, lambda name: "1.0", Constants()).truth(parse(text))
    except ExpressionError as error:
        assert str(error)


def test_no_word_of_the_document_becomes_code() -> None:
    constants = Constants()
    code = Emitter(QUANTITIES, lambda name: "d[1]", constants).truth(parse('control.master == "ON"'))
    assert set(code) <= set("(d[1]=S0) ")
    assert constants == ["ON"]
