"""Which bus is alive, on generated contactor states, against reachability in a graph library.

Source: networkx, `descendants` over shut contactors, diodes (one way) and feeds.
"""

from __future__ import annotations

import networkx as nx
from hypothesis import given, settings
from hypothesis import strategies as st

from lumenstat.documents.bundles import Bundle, Library, shipped_exercises
from lumenstat.simulation.aircraft import Aircraft
from lumenstat.simulation.dynamics import Conditions
from lumenstat.systems.electrical.ac_names import root
from lumenstat.systems.electrical.ac_sources import CartsStart
from lumenstat.systems.electrical.batteries import BatteriesSection
from lumenstat.systems.electrical.contactors import ContactorsSection
from lumenstat.systems.electrical.diodes import DiodesSection
from lumenstat.systems.electrical.rectifiers import RectifiersSection

BUNDLE: Bundle = Library().bundle(next(p for p in shipped_exercises() if p.stem == "frost-on-the-ramp"))
AIRCRAFT = Aircraft(BUNDLE.airframe, BUNDLE.exercise.start)
AIRFRAME = BUNDLE.airframe
CONTACTORS = AIRFRAME.section(ContactorsSection).contactors
RECTIFIERS = AIRFRAME.section(RectifiersSection).rectifiers
DC = [bus.id for bus in AIRFRAME.electrical.buses if bus.kind == "dc"]
THRESHOLD = 10.0


@settings(max_examples=3000, deadline=None)
@given(
    shut=st.tuples(*[st.booleans()] * len(CONTACTORS)),
    rectifiers=st.tuples(*[st.booleans()] * len(RECTIFIERS)),
)
def test_a_dc_bus_has_volts_exactly_when_a_source_reaches_it(
    shut: tuple[bool, ...], rectifiers: tuple[bool, ...]
) -> None:
    graph = nx.DiGraph()
    graph.add_nodes_from(["source", *DC])
    for battery in AIRFRAME.section(BatteriesSection).batteries:
        graph.add_edge("source", battery.bus)
    for rectifier, on in zip(RECTIFIERS, rectifiers, strict=True):
        if on:
            graph.add_edge("source", rectifier.output)
    for contactor, is_shut in zip(CONTACTORS, shut, strict=True):
        if is_shut:
            a, b = contactor.between
            graph.add_edge(a, b)
            graph.add_edge(b, a)
    for diode in AIRFRAME.section(DiodesSection).diodes:
        graph.add_edge(diode.anode, diode.cathode)
    reached = nx.descendants(graph, "source")
    dynamics, d = AIRCRAFT.dynamics, AIRCRAFT.d
    for contactor, is_shut in zip(CONTACTORS, shut, strict=True):
        d[AIRCRAFT.plan.d[f"contactor.{contactor.id}.shut"]] = is_shut
    for rectifier in RECTIFIERS:
        d[AIRCRAFT.plan.d[f"bus.{rectifier.input}.alive"]] = True
        d[AIRCRAFT.plan.d[root(rectifier.input)]] = 0.0
    off = [rectifier.id for rectifier, on in zip(RECTIFIERS, rectifiers, strict=True) if not on]
    AIRCRAFT.faults.active = {("rectifier_failed", name): 1.0 for name in off}
    AIRCRAFT.faults.changes += 1
    found = dynamics.conditions(d)
    now = Conditions(found.present, (0.0,) * len(DC), found.held)
    solution = dynamics.solve(list(AIRCRAFT.x), now, dynamics.at_rest())
    for bus, volts in zip(DC, solution.volts, strict=True):
        assert (volts > THRESHOLD) == (bus in reached), bus


@settings(max_examples=400, deadline=None)
@given(
    ground_power=st.sampled_from(["FEED", "OFF"]),
    service_switch=st.sampled_from(["ON", "OFF"]),
    inverter=st.sampled_from(["ON", "OFF"]),
    main=st.sampled_from(["ON", "OFF"]),
    tie=st.sampled_from(["AUTO", "OPEN"]),
    good_cart=st.booleans(),
)
def test_an_ac_bus_is_alive_exactly_when_its_feeds_reach_a_source(
    ground_power: str, service_switch: str, inverter: str, main: str, tie: str, good_cart: bool
) -> None:
    """What the settled aircraft does from its switches, against the feeding lists read as a graph."""
    start = BUNDLE.exercise.start
    carts = start.section(CartsStart).carts["ground"]
    controls = {
        "ground_power": ground_power,
        "ground_service": service_switch,
        "inverter": inverter,
        "battery_main": main,
        "dc_tie": tie,
    }
    changed = start.model_copy(
        update={
            "controls": controls,
            "services": {"ground_power": "plugged"},
            "carts": {"ground": carts[1:] if good_cart else carts[:1]},
        }
    )
    aircraft = Aircraft(BUNDLE.airframe, changed)
    aircraft.arrive(1500)
    state = aircraft.state()
    graph = nx.DiGraph()
    graph.add_nodes_from(["source", "ac_left", "ac_right", "ac_essential", "ac_service", "plug"])
    graph.add_edge("source", "plug")
    if good_cart and ground_power == "FEED":
        graph.add_edges_from([("source", "ac_left"), ("source", "ac_right")])
    if good_cart and service_switch == "ON":
        graph.add_edge("source", "ac_service")
    graph.add_edges_from([("ac_left", "ac_essential"), ("ac_right", "ac_essential"), ("ac_left", "ac_service")])
    if inverter == "ON" and (main == "ON" or (good_cart and ground_power == "FEED")):
        graph.add_edge("source", "ac_essential")
    reached = nx.descendants(graph, "source")
    for bus in ("ac_left", "ac_right", "ac_essential", "ac_service", "plug"):
        assert state[f"bus.{bus}.alive"] == (bus in reached), bus
