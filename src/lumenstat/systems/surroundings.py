"""Where an aircraft stands and what the day is like: what every system may ask of an exercise's start."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from lumenstat.language.values import Flag, NotNegative, Number, Text, Written


class Place(Written):
    """Where the aircraft stands."""

    name: Text
    latitude_degrees: Annotated[Number, Field(ge=-90, le=90)]
    longitude_degrees: Annotated[Number, Field(ge=-180, le=180)]


class Surroundings(Written):
    """The place, the temperature, and how long the aircraft stood."""

    place: Place
    outside_celsius: Annotated[Number, Field(ge=-60, le=60)] = 15.0
    hours_unpowered: NotNegative = 12.0
    first_flight_of_day: Flag = True
