"""Inertial alignment against the textbook.

Source: earth rate 7.292115e-5 rad/s (WGS 84); textbook gyrocompass azimuth error = east drift / (earth rate x cos
latitude); geographiclib (C. Karney's geodesics on the WGS 84 ellipsoid) for distances between positions.
"""

from __future__ import annotations

import math
import random
import statistics

import pytest
from geographiclib.geodesic import Geodesic

from lumenstat.documents.exercise import Start
from lumenstat.systems.inertial.alignment import azimuth_std_degrees, distance_km, full_alignment_seconds, hours_to
from lumenstat.systems.inertial.part import InertialSection
from tests.simulation.inertial import BUNDLE, aligned_after, on_power, switch_on, wait_for

EARTH_RATE = 7.292115e-5
NOISE, BIAS = 0.00686, 0.004


def textbook_std(latitude: float, hours: float) -> float:
    """Drift in rad/s over the horizontal earth rate, worked in SI units."""
    drift = math.radians(math.hypot(BIAS, NOISE / math.sqrt(hours))) / 3600
    return math.degrees(drift / (EARTH_RATE * math.cos(math.radians(latitude))))


@pytest.mark.parametrize("latitude", [0, 30, 45, 58.4, 70, -52])
@pytest.mark.parametrize("minutes", [1, 4, 12])
def test_azimuth_error_is_the_textbooks(latitude: float, minutes: float) -> None:
    ours = azimuth_std_degrees(NOISE, BIAS, latitude, minutes / 60)
    assert ours == pytest.approx(textbook_std(latitude, minutes / 60), rel=1e-9)


@pytest.mark.parametrize("latitude", [0, 45, 60, 70])
def test_azimuth_error_against_a_simulated_gyro(latitude: float) -> None:
    """Monte Carlo: an east gyro with white noise and a constant bias, averaged for five minutes, 4,000 times over."""
    r = random.Random(int(latitude))
    hours, horizontal = 5 / 60, math.degrees(EARTH_RATE) * 3600 * math.cos(math.radians(latitude))
    errors = []
    for _ in range(4000):
        mean_noise = statistics.fmean(r.gauss(0, NOISE / math.sqrt(hours / 20)) for _ in range(20))
        errors.append(math.degrees(math.atan2(mean_noise + r.gauss(0, BIAS), horizontal)))
    assert statistics.pstdev(errors) == pytest.approx(azimuth_std_degrees(NOISE, BIAS, latitude, hours), rel=0.04)


def test_minutes_by_latitude_rise_as_the_trade_knows_them() -> None:
    """Common practice, no source: about 10 min in mid latitudes, up to 30 in the far north (cp)."""

    def minutes(latitude: float) -> float:
        spread = math.sqrt(1 / math.cos(math.radians(latitude)))
        return 4 + 60 * hours_to(NOISE, BIAS, latitude, 0.1 * spread)

    assert minutes(0) == pytest.approx(8, abs=0.5)
    assert minutes(45) == pytest.approx(10, abs=0.5)
    assert minutes(70) == pytest.approx(17, abs=0.6)
    assert 22 < minutes(78) < 30
    assert math.isinf(minutes(89))


@pytest.mark.parametrize("latitude", [5.0, 40.0, 58.41, 70.0])
def test_the_aircraft_takes_as_long_as_the_formula_says(latitude: float) -> None:
    """The shipped airframe's own figures, solved for time by bisection on the textbook formula."""
    unit = on_power(latitude).plan.airframe.section(InertialSection).inertial[0]
    mode = unit.modes[0]
    assert mode.best_degrees is not None
    wanted = math.radians(mode.best_degrees * math.sqrt(1 / math.cos(math.radians(latitude))))
    low, high = 1.0, 36_000.0
    for _ in range(80):
        middle = (low + high) / 2
        drift = math.hypot(
            unit.bias_degrees_per_hour, unit.random_walk_degrees_per_root_hour / math.sqrt(middle / 3600)
        )
        error = math.radians(drift) / 3600 / (EARTH_RATE * math.cos(math.radians(latitude)))
        low, high = (middle, high) if error > wanted else (low, middle)
    assert aligned_after(latitude) == pytest.approx(mode.levelling_seconds + high, abs=0.6)


@pytest.mark.parametrize(("latitude", "celsius"), [(5.0, 12.0), (58.41, 12.0), (70.0, 12.0), (58.41, -25.0)])
def test_the_builder_promises_what_the_aircraft_takes(latitude: float, celsius: float) -> None:
    """The preview of a start and the flown alignment, which a second formula in the page once told apart."""
    place = {"name": "Somewhere", "latitude_degrees": latitude, "longitude_degrees": -6.93}
    given = BUNDLE.exercise.start.model_dump() | {"place": place, "outside_celsius": celsius}
    promised = full_alignment_seconds(BUNDLE.airframe.section(InertialSection).inertial[0], Start.model_validate(given))
    aircraft = on_power(latitude, outside_celsius=celsius)
    switch_on(aircraft, latitude)
    assert promised == pytest.approx(wait_for(aircraft, "aligned", 3600), abs=0.6)
    far = Start.model_validate(given | {"place": {**place, "latitude_degrees": 85}})
    assert full_alignment_seconds(BUNDLE.airframe.section(InertialSection).inertial[0], far) is None


def test_position_differences_against_the_ellipsoid() -> None:
    """A sphere is within 0.6 % of the ellipsoid anywhere on earth."""
    r = random.Random(4)
    for _ in range(400):
        a = r.uniform(-85, 85), r.uniform(-180, 180)
        b = a[0] + r.uniform(-4, 4), a[1] + r.uniform(-6, 6)
        geodesic = Geodesic.WGS84.Inverse(*a, *b)["s12"] / 1000
        assert distance_km(*a, *b) == pytest.approx(geodesic, rel=0.006, abs=0.01)
