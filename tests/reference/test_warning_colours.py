"""Colours of lamps on the shipped aircraft.

From memory, unverified: 14 CFR and CS 25.1322, red for warnings that ask for action at once, amber for cautions, and
neither for what is only so.
"""

from __future__ import annotations

from lumenstat.documents.airframe import Airframe
from tests.procedures import shipped

AT_ONCE = {"apu_fire", "takeoff_warning"}
ONLY_SO = {
    "ground_ready", "ground_feeding", "start_charging", "apu_available", "apu_door", "gear_nose", "gear_left", "gear_right",
    "starter_left", "starter_right", "inertial_1_dc", "inertial_2_dc", "inertial_1_ready", "inertial_2_ready", "brake_set",
    "tow_on", "takeoff_ready",
}  # fmt: skip


def airframe() -> Airframe:
    return shipped("full-cold-start").airframe


def test_red_is_for_what_asks_for_action_at_once() -> None:
    assert {lamp.id for lamp in airframe().lamps.values() if lamp.colour == "red"} == AT_ONCE


def test_amber_is_for_what_is_wrong_or_lost_and_nothing_else() -> None:
    others = [lamp for lamp in airframe().lamps.values() if lamp.id not in AT_ONCE]
    assert {lamp.id for lamp in others if lamp.colour != "amber"} == ONLY_SO
