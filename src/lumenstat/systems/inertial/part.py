"""Inertial units and gyros in an airframe document."""

from __future__ import annotations

from typing import Literal

from lumenstat.language.values import (
    ExpressionText,
    Flag,
    Name,
    NotNegative,
    Part,
    PartNumber,
    Positive,
    Seconds,
    Written,
)
from lumenstat.language.wording import phrase
from lumenstat.systems.surroundings import Place


class AlignMode(Part):
    """One way to find north. Levelling comes first; then

    gyrocompass   until the azimuth is known to `best_degrees`, which takes the longer the farther north
    gyro          heading from a gyro: `seconds`, known to `best_degrees`
    stored        heading kept since shutdown: `seconds`, known to `best_degrees` if nobody moved the aircraft
    """

    when: ExpressionText = "true"
    finds: Literal["gyrocompass", "gyro", "stored"]
    levelling_seconds: Positive
    seconds: Positive | None = None
    best_degrees: Positive | None = None
    navigates_degrees: Positive | None = None
    gyro: Name | None = None


class Inertial(Part):
    """An inertial unit. It finds latitude by itself and longitude not."""

    id: PartNumber
    bus: Name
    backup_bus: Name | None = None
    backup_seconds: Seconds = 0.0
    on_when: ExpressionText
    navigate_when: ExpressionText
    check_seconds: Seconds = 5.0
    modes: tuple[AlignMode, ...]
    random_walk_degrees_per_root_hour: Positive
    bias_degrees_per_hour: NotNegative
    colder_than_celsius: float = 0.0
    random_walk_per_degree_colder: NotNegative = 0.0
    farthest_latitude_degrees: Positive = 78.0
    latitude_entry: Name
    longitude_entry: Name
    entered_when: ExpressionText
    latitude_tolerance_degrees: Positive = 0.5
    remembered_tolerance_km: Positive = 10.0
    cooled_when: ExpressionText | None = None
    hot_after_seconds: Seconds = 600.0


class Gyro(Part):
    """A gyro that is erect some time after its power came."""

    bus: Name
    erect_seconds: Seconds


class InertialSection(Written):
    """The inertial units and gyros of an aircraft, and when it moves."""

    inertial: tuple[Inertial, ...] = ()
    gyros: tuple[Gyro, ...] = ()
    moves_when: ExpressionText | None = None


class InertialStart(Written):
    """Where the units were shut down, and whether somebody moved the aircraft since."""

    remembered: Place | None = None
    moved_since_shutdown: Flag = False


PHASES = (
    phrase("off"),
    phrase("checking"),
    phrase("levelling"),
    phrase("aligning"),
    phrase("aligned"),
    phrase("navigating"),
    phrase("failed"),
)
NOTICES = ("", "enter position", "latitude", "moved", "too far north", "no gyro heading", "hot")
