"""What an instrument shows is what is judged and what is sent to the page, to the last figure."""

from __future__ import annotations

from decimal import ROUND_HALF_EVEN, Decimal

from hypothesis import given
from hypothesis import strategies as st

from lumenstat.documents.bundles import Bundle
from lumenstat.items.readings import shown_figure
from lumenstat.runs.live import LiveRun
from lumenstat.runs.view import View
from lumenstat.simulation.reading import as_shown
from lumenstat.web.pages.station import shown_quantities

FIGURES = st.floats(min_value=-2000, max_value=2000)


@given(FIGURES, st.integers(0, 3))
def test_it_is_the_nearest_figure_with_so_many_decimals(figure: float, decimals: int) -> None:
    """Against exact decimal arithmetic."""
    exact = Decimal(figure).quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_EVEN)
    assert shown_figure(figure, decimals) == float(exact)


def test_the_page_gets_what_the_judge_sees(frost: Bundle) -> None:
    """25.04996 V once stood on the deck as 25.1, by way of 25.05, and was judged as 25.0."""
    instrument = frost.airframe.instruments["battery_volts"]
    assert instrument.decimals == 1
    live = LiveRun("r", frost)
    live.act("trainee", "set", {"control": "meter_selector", "to": "MAIN"})
    aircraft = live.aircraft
    slot = aircraft.plan.a.numbers[instrument.by_position["MAIN"]]
    aircraft.a[slot] = 25.04996
    frame = View(live, shown_quantities(frost)).changes()
    assert frame is not None
    assert frame["quantities"]["instrument.battery_volts.reads"] == 25.0
    assert as_shown(aircraft.plan, aircraft.state())["instrument.battery_volts.reads"] == 25.0
    assert shown_figure(25.04996, instrument.decimals) == 25.0
