"""What figures may truly be: the stated values against the evaluation, draws against stated doubts."""

from __future__ import annotations

import json
import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from support.cases import DEMO, demo, single, vector
from support.plain_plans import Plain, document, engines
from zygometra.core.build.model import Operation
from zygometra.core.house_rules import rules_for
from zygometra.core.planning.as_machined import as_machined
from zygometra.core.planning.figure_samples import FigureSamples
from zygometra.core.planning.quasi_random import QuasiRandomSample
from zygometra.core.planning.results import inside, results, totals_of, wanted_of
from zygometra.core.stack.as_cut import left_to_cut
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.build_file import build_from_text

VECTORS = (
    "ottermoor-flat-four",
    "pellam-single-proud",
    "quillon-vee-two-banks",
    "tarnbeck-mocked-up-and-cut",
    "tarnbeck-plain",
    "veldrin-crowns-and-drafted-chamber",
    "veldrin-stroker-inches",
)


def built(doc):
    return build_from_text(json.dumps(doc))[1]


def stated(build, planned):
    found = results(FigureSamples(build), planned)
    return (found.clearance, found.quench, found.volume, found.ratio)


@pytest.mark.parametrize("name", [*VECTORS, *(path.stem for path in sorted(DEMO.glob("*.json")))])
def test_stated_values_come_to_what_the_evaluation_says(name):
    begun = built(vector(name)["build"] if name in VECTORS else demo(name))
    # Half cut, what is left of a plan is asked of the build as it stands.
    build = replace(
        as_machined(begun, rules_for(begun.school)), planned=tuple(op for _, op in left_to_cut(begun))
    )
    if not begun.cuts.passes:
        build = begun
    holes = evaluate(build).planned.holes
    for values, result in zip(
        stated(build, build.planned),
        ("deck_clearance", "quench", "clearance", "compression_ratio"),
        strict=True,
    ):
        said = [getattr(hole.outcome, result) for hole in holes]
        assert [None if np.isnan(v) else float(v) for v in values[0]] == pytest.approx(
            said, rel=1e-12, abs=1e-12
        )


@settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
@given(st.data())
def test_any_plan_comes_to_what_the_evaluation_says(data):
    """Parts fitted, heads side for side, levelling cuts, crowns past a raised centre: all of it put together."""
    doc = data.draw(engines(data.draw(st.sampled_from([1, 2]))))
    amount = st.sampled_from([0.05, 0.1, 0.22])
    ops = []
    if doc["levers"].get("parts") and data.draw(st.booleans()):
        ops.append({"op": "fit", "kind": "piston", "part": doc["levers"]["parts"][0]["part"]})
    if len(doc["engine"]["banks"]) == 2 and data.draw(st.booleans()):
        ops.append({"op": "swap_heads"})
    if data.draw(st.booleans()):
        ops.append({"op": "deck_cut", "bank": "A", "first": data.draw(amount), "last": data.draw(amount)})
    if data.draw(st.booleans()):
        doc["parts"]["piston"] |= {"above_rim": 0.08, "above_rim_area": 900}
        ops.append({"op": "crown_cut", "amount": data.draw(amount)})
    if data.draw(st.booleans()):
        ops.append({"op": "head_cut", "amount": data.draw(amount)})
    if data.draw(st.booleans()):
        ops.append({"op": "open_chamber", "cylinder": 2, "amount": "0.7 cc"})
    if data.draw(st.booleans()):
        ops.append({"op": "gasket", "bank": "A", "gasket": {"thickness": 1.5, "bore": 95.0}})
    build = built({**doc, "planned": ops})
    holes = evaluate(build).planned.holes
    _, quench, _, ratio = stated(build, build.planned)
    assert quench[0] == pytest.approx([hole.outcome.quench for hole in holes], rel=1e-12)
    assert ratio[0] == pytest.approx([hole.outcome.compression_ratio for hole in holes], rel=1e-12)


def test_draws_stray_as_far_as_their_doubt_says():
    """Normal, rectangular and shared sources, small enough for first order: standard deviations agree to 2 %."""
    build = built(vector("quillon-vee-two-banks")["build"])
    found = results(FigureSamples(build, QuasiRandomSample(3)), build.planned)
    for i, hole in enumerate(evaluate(build).planned.holes):
        assert found.ratio[:, i].std() == pytest.approx(hole.outcome.doubts.compression_ratio.u, rel=0.02)
        assert found.quench[:, i].std() == pytest.approx(hole.outcome.doubts.quench.u, rel=0.02)


def test_a_part_that_is_fitted_moves_a_mock_up_by_the_difference_of_heights():
    part = {"compression_height": {"value": 23.91, "plus_minus": 0.03}, "crown_volume": 3.0}
    old, new = (
        evaluate(built(single(planned=ops, cylinders__1__deck_clearance={"value": 0.2, "u": 0.01})))
        for ops in ([], [{"op": "fit", "kind": "piston", "part": part}])
    )
    height = built(single()).figures["parts.piston.compression_height"]
    before, after = old.planned.holes[0].outcome, new.planned.holes[0].outcome
    assert after.deck_clearance == pytest.approx(0.2 + height.value - 23.91)
    assert after.terms.crown == 3.0
    expected = (0.01**2 + height.u**2 + 0.03**2 / 3) ** 0.5
    assert after.doubts.deck_clearance.u == pytest.approx(expected)
    assert before.doubts.deck_clearance.u == 0.01


def test_a_part_without_its_height_leaves_the_clearance_unknown():
    fitted = single(
        planned=[{"op": "fit", "kind": "piston", "part": {"crown_volume": 3.0}}],
        cylinders__1__deck_clearance=0.2,
    )
    assert evaluate(built(fitted)).planned.holes[0].outcome.deck_clearance is None


def test_single_readings_are_drawn_back_and_sure_ones_are_not():
    """k = τ²/(τ² + u²), about the line of three holes or more: worked by hand, τ as large as u."""
    doc = document(clearances=[0.20, 0.30, 0.20, 0.30], chambers=[52] * 4, u_clearance=0.02)
    doc["between_holes"] = {"deck_clearance": 0.02}
    build = built(doc)
    drawn = results(FigureSamples(build, QuasiRandomSample(1)), ())
    # Least squares through 0.2, 0.3, 0.2, 0.3: 0.22 + 0.02·i; what is left: ∓0.02, ±0.06, ∓0.06, ±0.02.
    line = np.array([0.22, 0.24, 0.26, 0.28])
    left = np.array([0.20, 0.30, 0.20, 0.30]) - line
    # (6·(τ² + u²) + Σr²)/(6 + 4 − 2), less u², of itself and u².
    whole = (6 * 2 * 0.02**2 + (left**2).sum()) / 8
    k = (whole - 0.02**2) / whole
    assert drawn.clearance.mean(axis=0) == pytest.approx(line + k * left, abs=6e-4)
    sure = built(
        {
            **doc,
            "cylinders": {
                n: {**c, "deck_clearance": {"value": c["deck_clearance"]["value"], "u": 1e-6}}
                for n, c in doc["cylinders"].items()
            },
        }
    )
    drawn = results(FigureSamples(sure, QuasiRandomSample(1)), ())
    assert drawn.clearance.mean(axis=0) == pytest.approx([0.2, 0.3, 0.2, 0.3], abs=1e-5)
    assert evaluate(build).now.holes[0].outcome.deck_clearance == 0.20


def test_nothing_above_the_rim_is_certain_and_no_crown_cut_moves_no_rim():
    """A stated nought is no figure with a doubt of its own."""
    doc = document(clearances=[0.3] * 4, chambers=[52] * 4)
    del doc["unstated_doubt"]
    drawn = results(FigureSamples(built(doc), QuasiRandomSample(1)), ())
    assert drawn.quench.std(axis=0) == pytest.approx([0.0251] * 4, rel=0.05)


@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
@given(engines(1), st.integers(0, 10**6))
def test_the_share_inside_is_that_of_another_way_of_drawing(doc, seed):
    """Each window, spread and tolerance: within 2.5 points of plain draws by another random source."""
    build, plain = built(doc), Plain(doc, seed=seed)
    wanted = wanted_of(build, rules_for(build.school))
    deck = doc["levers"].get("deck_cut")
    gasket = 0 if doc["levers"]["gaskets"] else None
    ops = [] if gasket is None else [{"op": "gasket", "gasket": _bare(doc["levers"]["gaskets"][0])}]
    if deck:
        ops.append({"op": "deck_cut", "bank": "A", "amount": {"value": 0.1, "plus_minus": 0.015}})
    bowl = 1.2 if "bowl" in doc["levers"] else 0.0
    if bowl:
        ops.append({"op": "bowl", "amount": {"value": 1.2, "unit": "cc", "plus_minus": 0.15}})
    planned = built({**doc, "planned": ops}).planned
    cut = 0.1 if deck else 0.0
    theirs = plain.inside((None, (gasket,), ((cut, cut),), (0.0,), 0.0, {}, bowl))[1:].mean()
    ours = inside(results(FigureSamples(build, QuasiRandomSample(1)), planned), wanted).mean()
    assert ours == pytest.approx(theirs, abs=0.025)


def _bare(gasket):
    return {key: value for key, value in gasket.items() if key in ("name", "thickness", "bore")}


def test_the_same_seed_gives_the_same_draws_and_another_others():
    build = built(document(clearances=[0.3] * 4, chambers=[52] * 4))
    first, again, other = (
        results(FigureSamples(build, QuasiRandomSample(seed)), ()).ratio for seed in (1, 1, 2)
    )
    assert (first == again).all()
    assert (first != other).any()
    assert replace(build, planned=(Operation("swap_heads"),)).planned[0].op == "swap_heads"


@given(
    st.lists(st.sampled_from(["a", "b", "c", "scatter"]), min_size=1), st.permutations(["a", "b", "c", "d"])
)
def test_a_column_hangs_on_its_source_and_on_no_other(before, order):
    """Whatever was asked before, and whether it was laid out or not."""
    listed, other = QuasiRandomSample(7, 64), QuasiRandomSample(7, 64)
    for draws in (listed, other):
        draws.lay_out(["a", "b"])
    for key in before:
        other.normal(key)
    for key in order:
        assert (listed.uniform(key) == other.uniform(key)).all()
        assert key == "a" or abs(np.corrcoef(listed.uniform("a"), listed.uniform(key))[0, 1]) < 0.6


def test_a_plan_that_does_more_misses_the_rest_as_before():
    """A second operation, or the same ones in another order, moves no draw of the first."""
    build = built(document(clearances=[0.3] * 4, chambers=[52] * 4))
    deck, head = (
        {"op": op, "bank": "A", "amount": {"value": 0.1, "plus_minus": 0.02}}
        for op in ("deck_cut", "head_cut")
    )
    opening = {"op": "open_chamber", "cylinder": 2, "amount": {"value": 1.0, "unit": "cc", "plus_minus": 0.2}}
    draws = QuasiRandomSample(5)
    alone, among = (
        totals_of(
            FigureSamples(build, draws),
            built({**document(clearances=[0.3] * 4, chambers=[52] * 4), "planned": ops}).planned,
        )
        for ops in ([deck], [opening, head, deck])
    )
    assert (alone.deck == among.deck).all()
    assert alone.deck.std() > 0
    assert not alone.head.any()
    assert among.head.std() == pytest.approx(0.02 / math.sqrt(3), rel=0.01)
