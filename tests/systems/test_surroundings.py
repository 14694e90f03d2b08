"""What a start says of the place and the weather, and what it means where it says nothing."""

from __future__ import annotations

from lumenstat.systems.surroundings import Surroundings

PLACE = {"name": "Varrow Sound, stand 7", "latitude_degrees": 58.41, "longitude_degrees": -6.93}


def test_a_start_that_says_no_more_than_its_place_is_a_mild_first_flight_after_a_night() -> None:
    start = Surroundings.model_validate({"place": PLACE})
    assert (start.outside_celsius, start.hours_unpowered, start.first_flight_of_day) == (15.0, 12.0, True)
