"""Charts for docs/model.md, drawn from flights of the model."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from lumenstat.documents.bundles import Library, shipped_exercises
from lumenstat.rehearsal.perfect import rehearse
from lumenstat.simulation.actions import carry_out, ready, request
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.trace import Sampler
from tests.simulation.engines import put, stand, weak
from tests.simulation.test_faults import aircraft as make
from tests.simulation.test_faults import apu_start, on_battery

INK, IRIS, OCHRE = "#171a26", "#5a49d6", "#8f5200"
LEFT, FOOT, WIDE, HIGH = 60, 380, 900, 340
Row = Mapping[str, object]


class Chart:
    """Lines over seconds on paper; every line on a scale of its own that its key names."""

    def __init__(self, seconds: float, every: int) -> None:
        self.per_second = WIDE / seconds
        self.parts = [
            f'<text x="{LEFT + self.per_second * at}" y="400" text-anchor="middle">{at} s</text>'
            for at in range(0, round(seconds) + 1, every)
        ]
        self.keys = LEFT

    def line(self, rows: Iterable[Row], begun: float, name: str, high: float, ink: str, dash: str = "") -> None:
        """One quantity, from `begun` seconds on, 0 to `high`."""
        points = " ".join(
            f"{LEFT + self.per_second * (float(str(r['time'])) - begun):.1f},{FOOT - HIGH * float(str(r[name])) / high:.1f}"
            for r in rows
        )
        self.parts.append(
            f'<polyline points="{points}" fill="none" stroke="{ink}" stroke-width="2" stroke-dasharray="{dash}"/>'
        )

    def key(self, text: str, ink: str = INK) -> None:
        """Say what an ink means."""
        self.parts.append(f'<text x="{self.keys}" y="26" fill="{ink}" font-weight="700">{text}</text>')
        self.keys += 8 * len(text) + 14

    def svg(self, note: str = "") -> str:
        """The drawing."""
        return (
            '<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="410" font-family="sans-serif" font-size="13">'
            f'<rect width="1000" height="410" fill="#faf7f0"/><path d="M60 380H960M60 40V380" stroke="{INK}"/>'
            f'<text x="985" y="26" text-anchor="end" font-size="12">{note}</text>{"".join(self.parts)}</svg>'
        )


def sampled(aircraft: Aircraft, begun: int, fly: Callable[[], object]) -> list[Row]:
    """Rows of a flight from a tick on."""
    sampler = Sampler(aircraft, 25)
    aircraft.watchers.append(sampler)
    fly()
    return [row for row in sampler.rows if float(str(row["time"])) >= begun / 100]


def apu_starts() -> str:
    """The battery-only start with a strong and with a weak start battery, as one chart."""
    bundle = Library().bundle(next(p for p in shipped_exercises() if p.stem == "frost-on-the-ramp"))
    chart = Chart(30, 5)
    for weakness, dash in ((1.0, ""), (2.8, "6 4")):
        aircraft = on_battery(make(bundle, {"kind": "battery_weak", "target": "start", "amount": weakness}))
        begun = aircraft.tick + 900
        rows = sampled(aircraft, begun, lambda: apu_start(aircraft, 30))  # noqa: B023 - called at once
        for name, high, ink in (
            ("bus.start_hot.volts", 30, INK),
            ("apu.speed", 110, IRIS),
            ("apu.exhaust", 700, OCHRE),
        ):
            chart.line(rows, begun / 100, name, high, ink, dash)
    for text, ink in (("Start bus, 0 to 30 V", INK), ("Speed, 0 to 110 %", IRIS), ("Exhaust, 0 to 700 °C", OCHRE)):
        chart.key(text, ink)
    return chart.svg("solid: good battery; dashed: 2.8 times its resistance")


def engine_starts() -> str:
    """A turboprop on ground power, on a good battery, on a weak one with early fuel."""
    chart = Chart(30, 5)
    cases: list[tuple[str, float, list[dict[str, Any]], bool]] = [
        ("2 3", 12, [], True),
        ("", 12, [], False),
        ("6 4", 9.2, [weak(3.2)], False),
    ]
    for dash, fuel_at, faults, cart in cases:
        aircraft = stand("twin-turboprop", *faults)
        if cart:
            request(aircraft, "ground_power", "connect")
            aircraft.arrive(4000)
        put(aircraft, battery="ON", pumps="ON")
        aircraft.arrive(aircraft.tick + 500)
        begun = aircraft.tick

        def start(aircraft: Aircraft = aircraft, fuel_at: float = fuel_at, begun: int = begun) -> None:
            slot, fed = aircraft.plan.a.numbers["engine.1.core_speed"], False
            put(aircraft, start_1="START")
            while aircraft.tick < begun + 3000:
                aircraft.arrive(aircraft.tick + 10)
                if not fed and aircraft.a[slot] >= fuel_at:
                    put(aircraft, condition_1="FEATHER")
                    fed = True

        rows = sampled(aircraft, begun, start)
        for name, high, ink in (
            ("bus.main.volts", 30, INK),
            ("engine.1.core_speed", 110, IRIS),
            ("engine.1.gas_temperature", 900, OCHRE),
        ):
            chart.line(rows, begun / 100, name, high, ink, dash)
    for text, ink in (("Main bus, 0 to 30 V", INK), ("Core, 0 to 110 %", IRIS), ("Gas, 0 to 900 °C", OCHRE)):
        chart.key(text, ink)
    return chart.svg("dotted: cart; solid: battery; dashed: weak battery, early fuel")


def full_start() -> str:
    """The whole cold start as the model flies it."""
    bundle = Library().bundle(next(p for p in shipped_exercises() if p.stem == "full-cold-start"))
    flight = rehearse(bundle)
    aircraft = ready(bundle.airframe, bundle.exercise.start, bundle.exercise.faults)

    def fly() -> None:
        for event in flight.events:
            aircraft.arrive(event.tick)
            carry_out(aircraft, event)

    rows = sampled(aircraft, 0, fly)
    chart = Chart(flight.ready_at / 100, 120)
    for name, high, ink, dash in (
        ("bus.dc_essential.volts", 30, INK, ""),
        ("apu.speed", 110, IRIS, "2 3"),
        ("engine.2.core_speed", 110, IRIS, ""),
        ("engine.1.core_speed", 110, IRIS, "6 4"),
        ("engine.2.gas_temperature", 900, OCHRE, ""),
        ("engine.1.gas_temperature", 900, OCHRE, "6 4"),
        ("inertial.1.progress", 1.2, "#8a816d", ""),
    ):
        chart.line(rows, 0, name, high, ink, dash)
    for text, ink in (
        ("Essential DC, 0 to 30 V", INK),
        ("Cores and APU, 0 to 110 %", IRIS),
        ("Gas, 0 to 900 °C", OCHRE),
    ):
        chart.key(text, ink)
    return chart.svg("dashed: left; dotted: APU; grey: alignment")


CHARTS: dict[str, Callable[[], str]] = {
    "apu-starts": apu_starts,
    "engine-starts": engine_starts,
    "full-start": full_start,
}
