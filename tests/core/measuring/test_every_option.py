"""Logbooks with every option there is, sound or not: each is refused by its place, or answered in plain numbers."""

from __future__ import annotations

import copy
import json

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from support.cases import demo, vector
from zygometra.core.errors import BuildFaults, ZygometraError
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.measuring.causes import causes
from zygometra.core.measuring.logbook import EMPTY, READABLE
from zygometra.core.measuring.what_next import what_next
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.advice_file import causes_document, next_document
from zygometra.exchange.build_file import check
from zygometra.exchange.evaluation_file import evaluation_document

TYPICAL = {
    "deck_clearance": 0.3,
    "bore": 92.0,
    "length": 148.0,
    "compression_height": 34.2,
    "stroke": 86.0,
    "deck_height": 225.4,
    "chamber_volume": 52.0,
    "crown_volume": 4.5,
    "thickness": 1.2,
    "gasket_bore": 93.5,
    "top_land_height": 6.0,
    "opening_area": 4200.0,
}
BASES = [
    demo("pilot-launch"),
    demo("quarry-loader"),
    demo("hill-climb"),
    vector("veldrin-stroker-inches")["build"],
]
GAUGE = st.fixed_dictionaries(
    {},
    optional={
        "resolution": st.sampled_from([0, 0.01, "0.001 in"]),
        "u": st.sampled_from([0, 0.003, "1 thou"]),
        "u_travel": st.just(0.001),
        "repeatability": st.sampled_from([0, 0.004]),
        "feel": st.just(0.002),
        "read_with": st.sampled_from(["g1", "g2", "nobody"]),
        "compensated": st.booleans(),
    },
)
ANYWHERE = st.fixed_dictionaries(
    {},
    optional={
        "gauge": st.sampled_from(["g1", "g2", "nobody"]),
        "zero": st.sampled_from(["z1", "z2"]),
        "on": st.sampled_from(["rim", "pad", "dome"]),
        "pad_height": st.sampled_from([0.2, "-5 thou"]),
        "axis": st.sampled_from(["pin", "thrust"]),
        "depth": st.sampled_from([20, "2 in"]),
        "clock": st.sampled_from([0, 90]),
        "temperature": st.floats(-20, 60),
        "gauge_temperature": st.floats(-20, 60),
        "conditions": st.sampled_from([{}, {"block": "upright"}, {"block": "inverted", "plate": True}]),
        "at": st.sampled_from(["2026-05-05", "2026-05-04T09:00:00+02:00", "2026-05-06T09:00:00Z"]),
    },
)


@st.composite
def readings(draw, holes, banks):
    figure = draw(st.sampled_from(list(TYPICAL)))
    field, entry = READABLE[figure], {"figure": figure}
    if field.per_cylinder and (figure == "deck_clearance" or draw(st.booleans())):
        entry["cylinder"] = draw(st.sampled_from(holes))
    elif field.per_bank and draw(st.booleans()):
        entry["bank"] = draw(st.sampled_from(banks))
    value = TYPICAL[figure] * (1 + draw(st.sampled_from([0, 0, 1e-4, -1e-3, 0.05])))
    way = draw(st.sampled_from(["value", "tipped", "shots"]))
    if way == "tipped" and figure == "deck_clearance":
        entry["tipped"] = [value - 0.03, f"{value + 0.03} mm"]
    elif way == "shots" and figure.endswith("volume"):
        size = draw(st.sampled_from([2.5, {"value": 2.5, "u": 0.01}]))
        entry["shots"] = {"count": int(value // 2.5), "size": size, "part": round(value % 2.5, 2)}
    else:
        entry["value"] = value
    return entry | draw(ANYWHERE)


@st.composite
def logbooks(draw):
    document = copy.deepcopy(draw(st.sampled_from(BASES)))
    document["unstated_doubt"] = draw(st.sampled_from(["house", "zero"]))
    for part in draw(st.lists(st.sampled_from(["block", "rod", "gasket", "head"]), max_size=1)):
        document["parts"].pop(part, None)
    document["gauges"] = {name: draw(GAUGE) for name in ("g1", "g2")}
    document["zeros"] = {"z1": {"gauge": "g1", "before": 0, "after": draw(st.sampled_from([0, 0.01, 0.5]))}}
    document["mock_up"] = {"between": draw(st.sampled_from(["line", "stack"]))}
    holes = [number for bank in document["engine"]["banks"] for number in bank["cylinders"]]
    banks = [bank["name"] for bank in document["engine"]["banks"]]
    read = draw(st.lists(readings(holes, banks), max_size=14))
    document["readings"] = [{"id": f"r{i}", **one} for i, one in enumerate(read)]
    gone = draw(st.lists(st.sampled_from(range(max(1, len(read)))), max_size=2, unique=True)) if read else []
    document["voided"] = [{"reading": f"r{i}", "why": "slip"} for i in gone]
    return document


@settings(
    max_examples=120, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
)
@given(logbooks())
def test_every_logbook_is_answered_in_plain_numbers_or_refused_by_its_place(document):
    faults = []
    try:
        build = check(document)
    except BuildFaults as refused:
        faults = refused.faults
    if faults:
        assert all(fault.path.startswith(("readings", "gauges")) for fault in faults), faults
        return
    try:
        evaluation = evaluate(build)
    except ZygometraError:
        return
    said = findings(build, evaluation, rules_for(build.school))
    whole = evaluation_document(evaluation, said)
    advice = next_document(what_next(build))
    named = causes_document(causes(build), build.logbook or EMPTY)
    for answer in (whole, advice, named):
        json.dumps(answer, allow_nan=False)
    assert sum(one["share"] for one in advice["readings"]) <= 1 + 1e-9
    for hole in whole["now"]["cylinders"]:
        for result, u in hole["u"].items():
            low, high = hole["low"][result], hole["high"][result]
            assert (u is None) == (low is None) == (high is None)
            assert u is None or (u >= 0 and low <= high)
    if build.in_use is not None:
        counted = [one.id for series in build.in_use.series.values() for one in series.readings]
        aside = [one.reading.id for one in build.in_use.aside]
        assert sorted(counted + aside) == sorted(one["id"] for one in document["readings"])
