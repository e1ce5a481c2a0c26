"""Totals that people state beside their parts, and the term that would explain a difference."""

from __future__ import annotations

import copy

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.cases import vector
from support.strategies import documents
from zygometra.core.build.document import read_document
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.stack.explained import explanations
from zygometra.exchange.build_file import check


def tarnbeck(**changed):
    """Vc 66.069 cc, ratio 9.653; the chamber known to 0.2 cc, the gasket to 0.01 mm."""
    document = vector("tarnbeck-plain")["build"] | changed
    document["unstated_doubt"] = "zero"
    document["parts"] = {
        **document["parts"],
        "head": {**document["parts"]["head"], "chamber_volume": {"value": 52, "u": 0.2}},
        "gasket": {**document["parts"]["gasket"], "thickness": {"value": 1.2, "u": 0.01}},
    }
    return check(document)


def found(**changed):
    build = tarnbeck(**changed)
    return {f.code: f for f in findings(build, evaluate(build), rules_for(""))}


def test_a_clearance_volume_that_is_not_the_sum_names_the_likeliest_term():
    # 2 cc too much: the chamber by 10 of its own doubts, the gasket by 2/(π/4·93.5²/1000)/0.01 = 29 of its.
    says = found(stated={"clearance_volume": 68.069})["stated-total-differs"].says
    assert "the stated clearance volume 68.07 cc is not what its parts give, 66.07 cc" in says
    assert "with the chamber volume 2.00 cc larger" in says


def test_a_ratio_that_is_not_the_sum_names_the_likeliest_term():
    # A chamber of 50 would give (571.69 + 64.07)/64.07 = 9.923; along its slope it would be 2.06 cc.
    says = found(stated={"compression_ratio": 9.923})["stated-total-differs"].says
    assert "the stated compression ratio 9.92" in says
    assert "chamber volume 2.00 cc smaller" in says


def test_totals_that_agree_within_doubt_are_not_spoken_of():
    read = {"value": 66.5, "u": 0, "basis": "measured"}
    assert "stated-total-differs" not in found(stated={"clearance_volume": read, "compression_ratio": 9.65})
    assert "stated-total-differs" not in found(stated={"piston_clearance": "0.05 mm"})


@given(st.floats(-1, 1))
def test_a_sum_of_the_same_figures_is_compared_without_their_doubt(off):
    exact = evaluate(tarnbeck()).now.holes[0].outcome.clearance
    differs = "stated-total-differs" in found(stated={"clearance_volume": exact + off})
    if abs(abs(off) - 0.002 * exact) > 1e-6:
        assert differs == (abs(off) > 0.002 * exact)


@given(st.floats(-6, 6))
def test_the_threshold_is_three_doubts_or_two_in_a_thousand(off):
    outcome = evaluate(tarnbeck()).now.holes[0].outcome
    exact, u = outcome.clearance, outcome.doubts.clearance.u
    assert 3 * u > 0.002 * exact
    read = {"value": exact + off * u, "u": 0, "basis": "measured"}
    differs = "stated-total-differs" in found(stated={"clearance_volume": read})
    if abs(abs(off) - 3) > 1e-6:
        assert differs == (abs(off) > 3)


@pytest.mark.parametrize(("given_cc", "differs"), [(8.239, False), (9.5, True)])
def test_a_gasket_volume_beside_its_dimensions_is_compared_and_the_dimensions_count(given_cc, differs):
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["gasket"]["volume"] = {"value": given_cc, "u": 0.05}
    build = check(document)
    evaluation = evaluate(build)
    codes = {f.code for f in findings(build, evaluation, rules_for(""))}
    # π/4·93.5²·1.2/1000
    assert evaluation.now.holes[0].outcome.terms.gasket == pytest.approx(8.2394, abs=1e-4)
    assert ("stated-total-differs" in codes) == differs


def test_a_volume_stands_in_where_dimensions_are_missing():
    document = vector("tarnbeck-plain")["build"]
    expected = evaluate(read_document(document)).now.holes[0].outcome
    gasket, bore = document["parts"]["gasket"], document["parts"]["block"]
    del gasket["bore"]
    gasket["volume"] = expected.terms.gasket
    bore["swept_volume"] = expected.swept
    outcome = evaluate(check(document)).now.holes[0].outcome
    assert outcome.compression_ratio == pytest.approx(expected.compression_ratio, rel=1e-12)
    del document["parts"]["crank"]["stroke"]
    document["cylinders"] = {"1": {"deck_clearance": expected.deck_clearance}}
    assert evaluate(check(document)).now.holes[0].outcome.compression_ratio == pytest.approx(
        expected.compression_ratio, rel=1e-12
    )


# -- the figure that would explain it, typed in ----------------------------------------


def with_figure(document, path, value, unit):
    """The document with one figure as somebody would type it, in mm and cc or in inches."""
    out = copy.deepcopy(document)
    keys = path.split(".")
    at = out
    for key in keys[:-1]:
        at = at.setdefault(key, {})
    inch = unit == "inch" and not path.endswith("volume")
    at[keys[-1]] = (
        f"{value / 25.4!r} in" if inch else f"{value!r} {'cc' if path.endswith('volume') else 'mm'}"
    )
    return out


@given(
    documents(planned=False),
    st.sampled_from(["clearance", "compression_ratio"]),
    st.floats(0.75, 1.3),
    st.sampled_from(["mm", "inch"]),
)
def test_typing_the_figure_that_would_explain_a_total_gives_that_total(document, result, times, unit):
    hole = evaluate(check(copy.deepcopy(document))).now.hole(1)
    if getattr(hole.outcome, result) is None:
        return
    total = getattr(hole.outcome, result) * times
    found = list(explanations(hole, result, total))
    # The chamber alone gives any volume that there can be room for.
    assert any(one.path == "parts.head.chamber_volume" for one in found) or total <= 0 or times > 1.2
    for one in found:
        typed = with_figure(document, one.path, one.value, unit)
        again = evaluate(read_document(typed)).now.hole(1).outcome
        assert getattr(again, result) == pytest.approx(total, rel=1e-9), one


# long: every cut there is, and a reading after it
@given(st.floats(0.05, 0.6), st.floats(0.02, 0.5), st.floats(0.05, 0.3))
def test_a_total_is_compared_with_the_engine_as_it_was_when_it_was_stated(deck, head, crown):
    document = vector("tarnbeck-plain")["build"]
    document["parts"]["piston"] |= {"above_rim": 0, "dish_area": 1500}
    document["parts"]["head"] |= {"opening_area": 4200}
    exact = evaluate(check(copy.deepcopy(document))).now.hole(1).outcome
    document["stated"] = {
        "clearance_volume": exact.clearance,
        "compression_ratio": exact.compression_ratio,
    }
    document["passes"] = [
        {"id": "d", "op": "deck_cut", "bank": "A", "number": 1, "depth": deck, "at": "2026-05-01T09:00:00Z"},
        {"id": "h", "op": "head_cut", "bank": "A", "number": 1, "depth": head, "at": "2026-05-01T09:00:00Z"},
        *(
            {
                "id": f"c{n}",
                "op": "crown_cut",
                "cylinder": n,
                "number": 1,
                "depth": crown,
                "at": "2026-05-01T09:00:00Z",
            }
            for bank in document["engine"]["banks"]
            for n in bank["cylinders"]
        ),
    ]
    build = check(copy.deepcopy(document))
    cut = evaluate(build)
    assert cut.now.hole(1).outcome.clearance != pytest.approx(exact.clearance, rel=1e-4)
    assert "stated-total-differs" not in {f.code for f in findings(build, cut, rules_for(""))}
    # Read again after the cut it is the same engine still.
    clearance = cut.now.hole(1).outcome.deck_clearance
    document["readings"] = [
        {
            "id": "r",
            "figure": "deck_clearance",
            "cylinder": 1,
            "value": clearance,
            "at": "2026-05-02T09:00:00Z",
        }
    ]
    build = read_measured(document)
    assert "stated-total-differs" not in {f.code for f in findings(build, evaluate(build), rules_for(""))}
