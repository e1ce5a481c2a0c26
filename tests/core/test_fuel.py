"""Fuel against ratio: advice, on the scale that was told."""

from __future__ import annotations

import copy

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.cases import demo
from zygometra.core.findings.collect import findings
from zygometra.core.fuel import Fuel, table_of, top_ratio
from zygometra.core.house_rules import rules_for
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.build_file import check

RULES = rules_for("")


@pytest.mark.parametrize(
    ("octane", "scale", "head", "quench", "ends"),
    [
        (91, "RON", "iron", 1.0, (9.0, 9.0)),
        (95, "RON", "iron", 1.0, (10.0, 10.0)),
        (96.5, "RON", "", None, (10.4, 10.4)),  # half way from 10.0 to 10.8
        (98, "RON", "aluminium", 1.0, (11.3, 11.3)),
        (100, "RON", "iron", 1.6, (10.7, 10.7)),
        # AKI 91 is RON 95 to 96.
        (91, "AKI", "iron", 1.0, (10.0, 10.0 + 0.8 / 3)),
        (85, "MON", "iron", 1.0, (9.5, 10.0)),  # RON 93 to 95
        (90, "RON", "iron", 1.0, None),
        (98, "AKI", "iron", 1.0, None),
        (95, "", "iron", 1.0, None),
    ],
)
def test_where_the_table_ends(octane, scale, head, quench, ends):
    found = top_ratio(Fuel(octane, scale), head, quench, RULES)
    assert (found and (found.low, found.high)) == (ends and pytest.approx(ends))


@given(st.floats(91, 100), st.floats(91, 100))
def test_more_octane_never_allows_less(one, other):
    low, high = (top_ratio(Fuel(ron, "RON"), "iron", 1.0, RULES).high for ron in sorted((one, other)))
    assert low <= high
    assert table_of(RULES)[0][1] <= low


def says(**fuel):
    document = copy.deepcopy(demo("pilot-launch")) | {"fuel": fuel}
    build = check(document)
    return {one.code: one for one in findings(build, evaluate(build), RULES)}


def test_a_bare_octane_is_asked_for_its_scale_and_the_rest_is_a_note():
    assert "without its scale" in says(octane=91)["fuel-scale-not-told"].says
    # The launch comes to some 10 to 1.
    over = says(octane=91, scale="RON")["ratio-over-fuel-table"]
    assert over.severity == "note"
    assert "RON 91" in over.says
    assert not {"fuel-scale-not-told", "ratio-over-fuel-table"} & set(says(octane=100, scale="RON"))


def test_the_table_is_the_shops():
    own = rules_for("", {"fuel.95": 9.2})
    assert top_ratio(Fuel(95, "RON"), "iron", 1.0, own).high == 9.2
