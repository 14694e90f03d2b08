"""How an inertial unit finds north: gyrocompassing by the textbook, and what is known of heading at any moment.

A level unit senses the earth's rotation. Its horizontal part, earth rate times cos(latitude), points north; a gyro that
drifts east by d turns the found azimuth by d / (earth rate x cos latitude). Averaged over t, white noise N leaves
N / sqrt(t) and a constant bias b leaves b:  std = sqrt(b^2 + N^2 / t) / (earth rate x cos latitude).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from lumenstat.systems.inertial.part import AlignMode, Inertial
from lumenstat.systems.surroundings import Surroundings

EARTH_RATE_DEGREES_PER_HOUR = math.degrees(7.292115e-5) * 3600
"""WGS 84: 7.292115e-5 rad/s."""
EARTH_RADIUS_KM = 6371.0088
TICKS_PER_HOUR = 360_000
COUNTER_FROM = 9
UNKNOWN_DEGREES = 180.0


def azimuth_std_degrees(noise: float, bias: float, latitude_degrees: float, hours: float) -> float:
    """Standard deviation of the found azimuth in degrees: noise in degrees per root hour, bias in degrees per hour."""
    drift = math.sqrt(bias * bias + noise * noise / hours) if hours > 0 else math.inf
    return min(UNKNOWN_DEGREES, math.degrees(drift / horizontal_rate(latitude_degrees)))


def horizontal_rate(latitude_degrees: float) -> float:
    """The part of the earth's rotation that points north, degrees per hour."""
    return EARTH_RATE_DEGREES_PER_HOUR * max(1e-9, math.cos(math.radians(latitude_degrees)))


def hours_to(noise: float, bias: float, latitude_degrees: float, wanted_degrees: float) -> float:
    """Hours of gyrocompassing until the azimuth is known to `wanted_degrees` (std); infinite where it never is."""
    allowed = math.radians(wanted_degrees) * horizontal_rate(latitude_degrees)
    left = allowed * allowed - bias * bias
    return noise * noise / left if left > 0 else math.inf


def noise_of(unit: Inertial, celsius: float) -> float:
    """A unit's random walk at an outside temperature, degrees per root hour: the colder, the more."""
    colder = max(0.0, unit.colder_than_celsius - celsius)
    return unit.random_walk_degrees_per_root_hour * (1 + unit.random_walk_per_degree_colder * colder)


def hours_after_levelling(unit: Inertial, mode: AlignMode, noise: float, latitude: float) -> tuple[float, float]:
    """Hours after levelling until best accuracy and until it may navigate; what is wanted widens with latitude."""
    if mode.finds != "gyrocompass" or mode.best_degrees is None:
        hours = (mode.seconds or 0.0) / 3600
        return hours, hours
    spread = math.sqrt(1 / max(1e-9, math.cos(math.radians(latitude))))
    bias, coarse = unit.bias_degrees_per_hour, mode.navigates_degrees or mode.best_degrees
    best = hours_to(noise, bias, latitude, mode.best_degrees * spread)
    return best, hours_to(noise, bias, latitude, coarse * spread)


def full_alignment_seconds(unit: Inertial, start: Surroundings) -> float | None:
    """From switching on to best accuracy by gyrocompass at a start's place; None where that is refused or not had."""
    mode = next((mode for mode in unit.modes if mode.finds == "gyrocompass"), None)
    latitude = start.place.latitude_degrees
    if mode is None or abs(latitude) > unit.farthest_latitude_degrees:
        return None
    best, _ = hours_after_levelling(unit, mode, noise_of(unit, start.outside_celsius), latitude)
    return unit.check_seconds + mode.levelling_seconds + best * 3600


def distance_km(latitude_a: float, longitude_a: float, latitude_b: float, longitude_b: float) -> float:
    """Great-circle distance on a sphere of the earth's mean radius, within 0.6 % of the geodesic."""
    a, b = math.radians(latitude_a), math.radians(latitude_b)
    half = math.sin((b - a) / 2) ** 2
    half += math.cos(a) * math.cos(b) * math.sin(math.radians(longitude_b - longitude_a) / 2) ** 2
    return 2 * EARTH_RADIUS_KM * math.asin(min(1.0, math.sqrt(half)))


@dataclass(frozen=True, slots=True)
class Alignment:
    """What is fixed while a unit finds north. Ticks; `frozen` is the heading error once it no longer improves."""

    begun: int = -1
    level_at: int = -1
    best_at: int = -1
    noise: float = 0.0
    bias: float = 0.0
    latitude: float = 0.0
    frozen: float | None = UNKNOWN_DEGREES
    position_error_km: float = -1.0


def alignment_figures(alignment: Alignment, tick: int) -> tuple[float, float, float, float, float]:
    """Progress 0 to 1, seconds left, status counter 9 to 0, heading error (degrees) and position error (km)."""
    # Not aligning: what is known was frozen when it ended, or nothing is.
    if alignment.begun < 0:
        known = alignment.frozen if alignment.frozen is not None else UNKNOWN_DEGREES
        done = 1.0 if known < UNKNOWN_DEGREES else 0.0
        return done, 0.0, 0.0 if done else COUNTER_FROM, known, alignment.position_error_km
    whole = alignment.best_at - alignment.begun
    gone = min(whole, tick - alignment.begun)
    progress = gone / whole if whole > 0 else 1.0
    error = alignment.frozen
    if error is None:
        hours = (tick - alignment.level_at) / TICKS_PER_HOUR
        error = azimuth_std_degrees(alignment.noise, alignment.bias, alignment.latitude, hours)
    # Counts down in whole steps, as such units show it.
    counter = float(math.ceil(COUNTER_FROM * (1 - progress)))
    return progress, (whole - gone) / 100, counter, error, alignment.position_error_km
