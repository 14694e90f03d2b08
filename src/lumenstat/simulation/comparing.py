"""The comparators that the APU and engines bring with them: figure, state, on above, off below."""

from __future__ import annotations

from lumenstat.documents.airframe import Airframe
from lumenstat.documents.engines import FIGURES, Engine

Row = tuple[str, str, float, float]

ENGINE_STATES = (
    "phase", "trouble", "starter", "fuel", "lit", "running", "feathered",
    "at_fuel", "at_light", "at_cut_out", "at_idle", "turning", "too_hot", "oil_up", "fuelled", "relay_volts",
)  # fmt: skip
"""The states of an engine that its logic keeps, those of its comparators included."""


def apu_comparators(airframe: Airframe) -> list[Row]:
    """Those of the APU, if there is one."""
    apu = airframe.apu
    if apu is None:
        return []
    volts = f"bus.{apu.starter.bus}.volts"
    rows = [
        ("apu.speed", "apu.at_light", apu.lights_off_percent, apu.lights_off_percent * 0.7),
        ("apu.speed", "apu.at_cut_out", apu.starter.cuts_out_percent, apu.starter.cuts_out_percent * 0.9),
        ("apu.speed", "apu.at_available", apu.available_percent, apu.available_percent * 0.92),
        ("apu.speed", "apu.turning", 6.0, 4.0),
        ("apu.exhaust", "apu.too_hot", apu.hottest_celsius, apu.hottest_celsius * 0.9),
        ("apu.oil", "apu.oil_up", apu.oil.low_below_psi * 1.1, apu.oil.low_below_psi),
        (f"fuel.{apu.feed}.psi", "apu.fuelled", apu.feed_psi, apu.feed_psi * 0.7),
        (volts, "apu.relay_volts", apu.starter.relay_pulls_in_volts, apu.starter.relay_drops_out_volts),
    ]
    if (charge := apu.accumulator) is not None:
        rows.append((f"hydraulic.{charge.system}.psi", "apu.charged", charge.needs_psi, charge.needs_psi * 0.9))
    return rows


def engine_comparators(engine: Engine) -> list[Row]:
    """Those of one engine, by the parts it has."""
    names, at = FIGURES[engine.kind], f"engine.{engine.id}"
    speed = f"{at}.{names.speed}"
    rows = [
        (speed, "at_idle", engine.idle_percent, engine.idle_percent * 0.9),
        (speed, "turning", 3.0, 2.0),
        (f"{at}.{names.temperature}", "too_hot", engine.hottest_celsius, engine.hottest_celsius * 0.9),
    ]
    if engine.automatic is not None:
        rows.append((speed, "at_fuel", engine.automatic.fuel_at_percent, engine.automatic.fuel_at_percent * 0.9))
    if engine.oil is not None:
        rows.append((f"{at}.{names.oil}", "oil_up", engine.oil.low_below_psi * 1.1, engine.oil.low_below_psi))
    if (turns := engine.air_starter or engine.starter) is not None:
        rows.append((speed, "at_cut_out", turns.cuts_out_percent, turns.cuts_out_percent * 0.95))
    if (ignition := engine.ignition) is not None:
        rows.append((speed, "at_light", ignition.lights_off_percent, ignition.lights_off_percent * 0.7))
        rows.append((f"fuel.{ignition.feed}.psi", "fuelled", ignition.feed_psi, ignition.feed_psi * 0.7))
    if (starter := engine.starter) is not None:
        relay = starter.relay_pulls_in_volts, starter.relay_drops_out_volts
        rows.append((f"bus.{starter.bus}.volts", "relay_volts", *relay))
    return [(figure, f"{at}.{state}", on, off) for figure, state, on, off in rows]
