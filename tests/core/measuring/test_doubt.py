"""The doubt of a logbook against a second way of computing it, over every option a reading has."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from support.engines import engine
from support.plain_logbook import RESULTS, PlainLogbook, spread
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.evaluation_file import evaluation_document

FIGURES = ("deck_clearance", "bore", "compression_height", "length", "chamber_volume")
AT = {"rel": 1e-8, "abs": 1e-12}


@st.composite
def documents(draw):
    """A drawn engine whose readings are taken in every way there is."""
    made = engine(
        draw(st.integers(0, 10**6)), coarse=draw(st.booleans()), register=draw(st.sampled_from([0.7, 1, 1.3]))
    )
    document = made.document
    for gauge in document["gauges"].values():
        gauge["compensated"] = draw(st.booleans())
        gauge["material"] = draw(st.sampled_from(["steel", "carbide", "invar"]))
        if draw(st.booleans()):
            gauge["u_travel"] = round(gauge["u"] * draw(st.floats(0.2, 1)), 5)
    if draw(st.booleans()):
        document["parts"]["rod"]["length"]["each"] = True
    for figure in draw(st.lists(st.sampled_from(FIGURES), min_size=1, unique=True)):
        tipped = figure == "deck_clearance" and draw(st.booleans())
        holes = draw(st.lists(st.sampled_from(made.holes), min_size=1, unique=True))
        for _ in range(draw(st.integers(1, 4))):
            for hole in holes:
                reading = made.reading(figure, hole, tipped=tipped, zero=f"z{draw(st.integers(1, 2))}")
                if figure == "bore":
                    reading |= {
                        "depth": draw(st.sampled_from([20, 60])),
                        "axis": draw(st.sampled_from(["pin", "thrust"])),
                    }
                if figure not in ("deck_clearance", "chamber_volume"):
                    if draw(st.booleans()):
                        reading["gauge_temperature"] = draw(st.floats(10, 35))
                    if draw(st.booleans()):
                        reading.pop("temperature")
                document["readings"].append(reading)
    if draw(st.booleans()):
        document["zeros"] = {
            "z2": {"gauge": "depth-1", "before": 0, "after": draw(st.sampled_from([0, 0.001, 0.05]))}
        }
    return document


@settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
@given(documents())
def test_every_figure_agrees_with_the_plain_derivation(document):
    state = evaluation_document(evaluate(read_measured(document)), ())["now"]
    plain = PlainLogbook(document)
    holes = {number: plain.hole(number) for number in plain.holes}
    for row in state["cylinders"]:
        results, moved = holes[row["number"]]
        for name in RESULTS:
            u, dof, k = spread(moved[name])
            assert row[name] == pytest.approx(results[name], rel=1e-9, abs=1e-10), name
            assert row["u"][name] == pytest.approx(u, **AT), name
            assert row["high"][name] - row[name] == pytest.approx(k * u, rel=1e-7, abs=1e-12), name
            if row["dof"][name] is None:
                assert dof > 1e6
            elif row["dof"][name] < 1e6:
                assert row["dof"][name] == pytest.approx(dof, rel=1e-4), name
    for pair, (i, j) in zip(state["pairs"], itertools.combinations(plain.holes, 2), strict=True):
        for name in RESULTS:
            both = holes[i][1][name] + [(key, -by, *rest) for key, by, *rest in holes[j][1][name]]
            assert pair["u"][name] == pytest.approx(spread(both)[0], rel=1e-7, abs=1e-10), (i, j, name)


def test_tipped_both_ways_is_one_reading_of_two_sides():
    document = engine(1).document
    document["readings"] = [
        {
            "id": "r1",
            "figure": "deck_clearance",
            "cylinder": 1,
            "tipped": ["21 thou", "27 thou"],
            "gauge": "depth-1",
        }
    ]
    build = read_measured(document)
    (reading,) = build.logbook.readings
    assert reading.value == pytest.approx(24 * 0.0254)
    assert reading.rock == pytest.approx(3 * 0.0254)
    assert min(reading.tipped) == pytest.approx(21 * 0.0254)
    # The gauge's doubt alone: scatter from the register over √2, and the gauge's own; the rock is no scatter.
    gauge = document["gauges"]["depth-1"]
    scatter = gauge["repeatability"] ** 2 / 2
    expected = scatter + max(0, gauge["resolution"] ** 2 / 24 - scatter / 2) + gauge["u"] ** 2
    assert build.figures["cylinders.1.deck_clearance"].u == pytest.approx(expected**0.5, rel=1e-12)


def test_more_repeats_never_leave_more_doubt_while_the_scatter_stays():
    made = engine(5)
    reading = made.reading("bore", 1)
    last = None
    for count in range(1, 8):
        document = {**made.document, "readings": [{**reading, "id": f"r{i}"} for i in range(count)]}
        u = read_measured(document).figures["cylinders.1.bore"].u
        assert last is None or u <= last
        last = u
    # What the gauge and the thermometer leave stays, however often it is read.
    gauge = made.document["gauges"]["bore-1"]["u"]
    assert last > (gauge**2 + (11e-6 * 88 * 2) ** 2) ** 0.5


def test_unstated_doubt_takes_the_houses_place_or_none():
    document = engine(2).document
    document["readings"] = [{"id": "r1", "figure": "bore", "cylinder": 1, "value": 88.0}]
    assert read_measured(document).figures["cylinders.1.bore"].u == 0
    house = read_measured({**document, "unstated_doubt": "house"}).figures["cylinders.1.bore"]
    # By hand: usual scatter 0.005, the house's ± 0.02 for a measured bore, iron at 20 ± 4 °C.
    expected = 0.005**2 + 0.02**2 / 3 + (11e-6 * 88 * 4) ** 2 / 3
    assert house.u == pytest.approx(expected**0.5, rel=1e-9)


def test_holes_that_nobody_read_take_the_line_of_their_bank():
    made = engine(3)
    document = made.document
    document["mock_up"] = {"sets": "one", "between": "line"}
    for hole, value in ((1, 0.30), (4, 0.36)):
        document["readings"].append({**made.reading("deck_clearance", hole), "value": value})
    figures = read_measured(document).figures
    assert figures["cylinders.2.deck_clearance"].value == pytest.approx(0.32)
    assert figures["cylinders.3.deck_clearance"].value == pytest.approx(0.34)
    ends, between = figures["cylinders.1.deck_clearance"], figures["cylinders.2.deck_clearance"]
    assert between.basis == "mock-up"
    # By hand at a third of the way: 4/9 + 1/9 of the ends' own and of their scatter, all of its own scatter.
    own = next(t.u for t in ends.terms if t.key.startswith("~read"))
    shared = ends.u**2 - own**2 - next((t.u**2 for t in ends.terms if t.key.startswith("~rounding")), 0.0)
    rounding = ends.u**2 - own**2 - shared
    expected = 5 / 9 * (own**2 + rounding + 0.02**2) + 0.02**2 + shared
    assert between.u == pytest.approx(expected**0.5, rel=1e-9)
    # With the stack between, nothing is filled.
    document["mock_up"] = {"between": "stack"}
    assert "cylinders.2.deck_clearance" not in read_measured(document).figures


def test_a_transfer_gauge_is_read_with_a_micrometer():
    document = engine(4).document
    document["gauges"] |= {
        "mic-1": {
            "kind": "micrometer",
            "resolution": 0.001,
            "u": 0.0015,
            "repeatability": 0.002,
            "compensated": True,
        },
        "snap-1": {
            "kind": "transfer gauge",
            "feel": 0.004,
            "repeatability": 0.003,
            "read_with": "mic-1",
            "compensated": True,
        },
    }
    document["readings"] = [
        {"id": f"r{i}", "figure": "bore", "cylinder": 1, "value": v, "gauge": "snap-1", "temperature": 20}
        for i, v in enumerate((88.002, 88.006, 88.004))
    ]
    quantity = read_measured(document).figures["cylinders.1.bore"]
    # s_p² of 3 readings with the register's 0.003 as two degrees: (2·9 + 8)/4·10⁻⁶.
    s2 = (2 * 0.003**2 + 8e-6) / 4
    expected = s2 / 3 + max(0, 1e-6 / 12 - s2 / 2) + 0.0015**2 + 0.004**2 + (11e-6 * 88.004 * 2) ** 2
    assert quantity.u == pytest.approx(expected**0.5, rel=1e-6)
