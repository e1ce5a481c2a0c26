"""``zygometra plan``: what it prints, and what it refuses, each fault with its place."""

from __future__ import annotations

import copy
import io
import json
import sys

import pytest

from support.cases import demo
from zygometra.cli import main
from zygometra.core.errors import BuildFaults
from zygometra.exchange.build_file import check
from zygometra.exchange.plan_file import plans_document


def plan(document, monkeypatch, capfd):
    monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(json.dumps(document).encode())))
    status = main(["plan", "-"])
    out, err = capfd.readouterr()
    return status, out, err


def test_the_command_prints_plans_and_nothing_else(monkeypatch, capfd):
    status, out, _ = plan(demo("kiln-blower"), monkeypatch, capfd)
    assert status == 0
    told = json.loads(out)
    assert (told["format"], told["version"], told["none_because"]) == ("zygometra.plans", 1, [])
    first = told["plans"][0]
    assert set(first) == {
        "planned",
        "result",
        "yield",
        "cost",
        "minutes",
        "days",
        "metal_cc",
        "irreversible",
        "buys",
        "opens",
        "floor_risk",
        "elsewhere",
        "policy",
        "why",
    }
    assert set(first["policy"]) == {"leave", "read", "yield", "clairvoyant"}
    assert 0 <= first["floor_risk"] <= 1
    again = check({**demo("kiln-blower"), "planned": first["planned"]})
    assert again.planned


def test_no_plan_prints_why(monkeypatch, capfd):
    status, out, _ = plan(demo("hill-climb"), monkeypatch, capfd)
    told = json.loads(out)
    assert (status, told["plans"]) == (0, [])
    assert {"windows", "says", "by", "share", "relaxation"} == set(told["none_because"][0])


def changed(keys, value):
    document = copy.deepcopy(demo("kiln-blower"))
    node = document
    for key in keys[:-1]:
        node = node.setdefault(key, {}) if isinstance(node, dict) else node[key]
    node[keys[-1]] = value
    return document


@pytest.mark.parametrize(
    ("keys", "value", "place", "says"),
    [
        (("levers", "deck_cut", "fixed"), -5, "levers.deck_cut.fixed", "nought or more"),
        (("levers", "deck_cut", "min"), "0.7 mm", "levers.deck_cut.min", "at most max"),
        (("levers", "deck_cut", "needs"), ["crane"], "levers.deck_cut.needs[0]", "set_ups"),
        (("levers", "deck_cut", "banks"), {"B": {"max": 0.1}}, "levers.deck_cut.banks.B", "one of A"),
        (("levers", "head_cut", "level"), True, "levers.head_cut.level", "deck cut only"),
        (("levers", "swap_heads"), {}, "levers.swap_heads", "two banks"),
        (
            ("levers", "parts"),
            [{"kind": "piston", "part": {"wheels": 4}}],
            "levers.parts[0].part.wheels",
            "no such key",
        ),
        (("levers", "parts"), [{"kind": "flywheel", "part": {}}], "levers.parts[0].kind", "piston"),
        (("planning",), {"priority": "prettiest"}, "planning.priority", "cheapest"),
        (("planning",), {"least_yield": 2}, "planning.least_yield", "at most 1"),
        (("planning",), {"apart": {"yield": -1}}, "planning.apart.yield", "nought or more"),
        (("targets", "spread"), {"compression_ratio": "wide"}, "targets.spread.compression_ratio", "number"),
        (("valve_gear", "pitch_radius"), "4 cc", "valve_gear.pitch_radius", "length"),
        (("planned",), [{"op": "fit", "kind": "piston"}], "planned[0].part", "the piston to fit"),
        (
            ("planned",),
            [{"op": "fit", "kind": "piston", "part": {}, "bank": "A"}],
            "planned[0].bank",
            "whole engine",
        ),
        (("planned",), [{"op": "deck_cut", "amount": 0.1, "part": {}}], "planned[0].part", "no part"),
        (("engine", "assembled"), "nearly", "engine.assembled", "complete"),
    ],
)
def test_what_cannot_be_is_told_by_its_place(keys, value, place, says):
    with pytest.raises(BuildFaults) as refused:
        check(changed(keys, value))
    assert place in str(refused.value)
    assert says in str(refused.value)


def test_two_spreads_that_differ_are_a_fault_and_alike_are_not():
    document = changed(("targets", "ratio_spread"), 0.2)
    document["targets"]["spread"] = {"compression_ratio": 0.3}
    with pytest.raises(BuildFaults, match=r"what spread\.compression_ratio says"):
        check(document)
    document["targets"]["spread"]["compression_ratio"] = 0.2
    assert check(document).targets.ratio_spread == 0.2


def test_a_gasket_of_no_thickness_and_a_window_that_its_only_lever_misses_are_faults():
    thin = changed(("levers", "gaskets"), [{"name": "thin", "bore": 85.6}])
    with pytest.raises(BuildFaults, match=r"levers.gaskets\[0\].thickness"):
        plans_document(check(thin))
    narrow = changed(("levers",), {"deck_cut": {"max": 0.5, "tolerance": {"value": 0, "plus_minus": 0.02}}})
    narrow["targets"]["quench"] = {"min": "1.10 mm", "max": "1.11 mm"}
    with pytest.raises(BuildFaults, match=r"targets.quench.*0.01 mm.*±0.02 mm"):
        plans_document(check(narrow))
