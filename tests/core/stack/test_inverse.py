"""Inverse questions: the answer, put back, gives what was asked; or an error says why not."""

from __future__ import annotations

import dataclasses
import itertools
import math

import pytest
from hypothesis import given, reject, settings
from hypothesis import strategies as st

from support.strategies import builds, documents
from zygometra.core.build.document import read_document
from zygometra.core.build.examples import figures_of, small_single
from zygometra.core.build.levers import set_lever
from zygometra.core.build.model import Gasket, Operation
from zygometra.core.errors import NoAnswer
from zygometra.core.quantity import read_quantity
from zygometra.core.stack import inverse
from zygometra.core.stack.chamber import DraftedChamber, RateChamber, StepFilledChamber
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.stack.sensitivity import sensitivities, steps_for
from zygometra.core.stack.sources import chamber_model
from zygometra.core.units import Kind

FINE = {"rel": 1e-9, "abs": 1e-9}


def with_lever(build, op, value):
    kind = Kind.VOLUME if op == "open_chamber" else Kind.LENGTH
    if op == "gasket":
        thickness = read_quantity(value, kind, dimension="thickness", unstated="zero")
        planned = Operation("gasket", gasket=Gasket("found", thickness, None))
    else:
        planned = Operation(op, amount=read_quantity(value, kind, dimension=op, unstated="zero"))
    return evaluate(dataclasses.replace(build, planned=(planned,))).planned


@given(builds(planned=False), st.floats(0.001, 0.9))
def test_a_deck_cut_for_a_quench_is_that_deck_cut(build, mm):
    wanted = with_lever(build, "deck_cut", mm).hole(1).outcome.quench
    assert inverse.solve(build, 1, op="deck_cut", result="quench", wanted=wanted) == pytest.approx(mm, **FINE)


@given(
    builds(planned=False),
    st.sampled_from(["deck_cut", "head_cut", "crown_cut", "open_chamber"]),
    st.floats(0.01, 0.8),
)
def test_every_lever_for_a_ratio_is_its_own_inverse(build, op, amount):
    wanted = with_lever(build, op, amount).hole(1).outcome.compression_ratio
    assert inverse.solve(build, 1, op=op, result="compression_ratio", wanted=wanted) == pytest.approx(
        amount, rel=1e-7, abs=1e-8
    )


RESULTS_AND_RANGES = {"quench": (-1.0, 4.0), "deck_clearance": (-2.0, 3.0), "compression_ratio": (5.0, 16.0)}


@st.composite
def chambered(draw):
    """A build, planned or not, whose chamber is known in any of the ways there are."""
    document = draw(documents(planned=draw(st.booleans())))
    head = document["parts"]["head"]
    model = draw(st.sampled_from(["drafted", "rate", "steps", "unknown"]))
    if model != "drafted":
        for name in ("opening_area", "opening_perimeter", "wall_draft"):
            del head[name]
    if model == "rate":
        head["removal_rate"] = {"value": draw(st.floats(1.5, 6.0)), "plus_minus": 0.1}
    if model == "steps":
        volume, fills = head["chamber_volume"]["value"], []
        for depth in (0.0, 0.5, 1.1, 1.8):
            fills.append({"depth": depth, "below": volume})
            volume -= draw(st.floats(0.4, 3.0))
        head["step_fills"] = fills
    return read_document(document)


@settings(max_examples=150)
@given(
    chambered(),
    st.sampled_from(["deck_cut", "head_cut", "crown_cut", "gasket", "open_chamber"]),
    st.sampled_from(sorted(RESULTS_AND_RANGES)),
    st.floats(0, 1),
)
def test_any_answer_put_back_gives_what_was_asked_and_none_is_missed(build, op, result, share):
    low, high = RESULTS_AND_RANGES[result]
    wanted = low + share * (high - low)
    number = build.cylinders[0]
    hole = evaluate(build).planned.hole(number)

    def at(amount):
        """The result with the lever's total on that hole set to an amount, all else as planned."""
        kind = Kind.VOLUME if op == "open_chamber" else Kind.LENGTH
        if op == "gasket":
            setting = Gasket("found", read_quantity(amount, kind, dimension="thickness"), None)
        else:
            setting = read_quantity(amount, kind, dimension=op)
        cylinder = number if op == "open_chamber" else None
        bank = hole.bank if op not in ("open_chamber", "crown_cut") else None
        planned = set_lever(build, build.planned, op, setting, bank=bank, cylinder=cylinder)
        outcome = evaluate(dataclasses.replace(build, planned=planned)).planned.hole(number).outcome
        return getattr(outcome, result)

    try:
        answer = inverse.solve(build, number, op=op, result=result, wanted=wanted)
    except NoAnswer:
        answer = None
    if answer is not None:
        assert answer >= 0
        assert at(answer) == pytest.approx(wanted, rel=1e-7, abs=1e-7)
        return
    # No answer: nowhere between no cut and a large one is what was asked.
    found = [at(amount) for amount in (i * 0.07 for i in range(1, 30))]
    for before, after in itertools.pairwise(found):
        if before is not None and after is not None and before != after:
            assert not min(before, after) + 1e-6 < wanted < max(before, after) - 1e-6


@given(builds(planned=False), st.floats(0.3, 3))
def test_a_gasket_for_a_quench_and_for_a_ratio(build, mm):
    outcome = with_lever(build, "gasket", mm).hole(1).outcome
    assert inverse.solve(build, 1, op="gasket", result="quench", wanted=outcome.quench) == pytest.approx(
        mm, **FINE
    )
    assert inverse.solve(
        build, 1, op="gasket", result="compression_ratio", wanted=outcome.compression_ratio
    ) == pytest.approx(mm, rel=1e-7)


@given(builds(planned=False), st.floats(0.01, 0.9))
def test_a_crown_cut_for_a_clearance(build, mm):
    wanted = with_lever(build, "crown_cut", mm).hole(1).outcome.deck_clearance
    found = inverse.solve(build, 1, op="crown_cut", result="deck_clearance", wanted=wanted)
    # Until the tool reaches the rim the clearance stays: the least cut that gives it is the answer.
    assert found <= mm + 1e-9
    assert with_lever(build, "crown_cut", found).hole(1).outcome.deck_clearance == pytest.approx(
        wanted, **FINE
    )


@given(builds(), st.floats(7, 13))
def test_a_chamber_for_a_ratio_gives_that_ratio(build, ratio):
    outcome = evaluate(build).planned.hole(1).outcome
    try:
        chamber = inverse.chamber_for_ratio(outcome, ratio)
    except NoAnswer:
        reject()
    volume = outcome.clearance - outcome.terms.chamber + chamber
    assert (outcome.swept + volume) / volume == pytest.approx(ratio, rel=1e-12)


@given(builds(), st.floats(0.005, 0.2))
def test_a_lever_is_solved_as_its_total_with_what_is_planned_already(build, more):
    before = evaluate(build).planned.hole(1).outcome
    total = inverse.for_gap(before, "deck_cut", "quench", before.quench - more)
    assert total == pytest.approx(before.deck_cut + more, **FINE)


@pytest.mark.parametrize(
    ("op", "result", "wanted", "says"),
    [
        ("deck_cut", "quench", 2.0, "Metal cannot be put back; a thicker gasket or a crown cut opens it"),
        ("deck_cut", "deck_clearance", 0.5, "a crown cut lowers it"),
        ("deck_cut", "compression_ratio", 8.0, "already above 8 with the deck uncut"),
        ("head_cut", "compression_ratio", 8.0, "milling only raises it"),
        ("head_cut", "quench", 1.0, "Milling the head does not move the quench"),
        ("head_cut", "deck_clearance", 1.0, "does not move the deck clearance"),
        ("gasket", "quench", -1.0, "No gasket gives"),
        ("gasket", "compression_ratio", 30.0, "still too large"),
        ("gasket", "deck_clearance", 0.0, "The gasket does not move"),
        ("crown_cut", "quench", 0.5, "already stops lower"),
        ("crown_cut", "compression_ratio", 12.0, "a crown cut only lowers it"),
        ("open_chamber", "compression_ratio", 12.0, "grinding only enlarges"),
        ("open_chamber", "quench", 1.0, "Opening the chamber does not move"),
        ("deck_cut", "compression_ratio", 1.0, "always above 1"),
    ],
)
def test_without_an_answer_the_error_says_why(op, result, wanted, says):
    with pytest.raises(NoAnswer, match=says):
        inverse.solve(small_single(), 1, op=op, result=result, wanted=wanted)


def test_no_chamber_is_small_enough():
    figures = dict(small_single().figures) | figures_of({"parts.piston.crown_volume": "30 cc"})
    outcome = evaluate(small_single(figures=figures)).now.hole(1).outcome
    with pytest.raises(NoAnswer, match="no chamber is small enough"):
        inverse.chamber_for_ratio(outcome, 14)


def test_a_head_cut_needs_to_know_what_it_takes():
    figures = {k: v for k, v in small_single().figures.items() if "opening" not in k}
    with pytest.raises(NoAnswer, match="opening area"):
        inverse.solve(
            small_single(figures=figures), 1, op="head_cut", result="compression_ratio", wanted=10.5
        )


CHAMBERS = [
    RateChamber(4.1),
    DraftedChamber(3900, 236, 12),
    DraftedChamber(4200),
    StepFilledChamber((0.0, 0.5, 1.0, 1.5), (58.5, 56.3, 54.4, 52.9)),
]


@pytest.mark.parametrize("chamber", CHAMBERS)
@given(depth=st.floats(0.0, 1.5))
def test_a_chamber_model_is_its_own_inverse(chamber, depth):
    assert chamber.cut_for(chamber.removed(depth)) == pytest.approx(depth, abs=1e-9)


@pytest.mark.parametrize("chamber", CHAMBERS)
@given(depth=st.floats(0.01, 1.49))
def test_the_rate_is_the_slope_of_what_is_removed(chamber, depth):
    step = 1e-6
    slope = (chamber.removed(depth + step) - chamber.removed(depth - step)) / (2 * step)
    assert chamber.rate(depth) == pytest.approx(slope, rel=1e-4)


@pytest.mark.parametrize("chamber", CHAMBERS)
def test_more_cut_never_takes_less(chamber):
    taken = [chamber.removed(i / 100) for i in range(151)]
    assert taken == sorted(taken)


def test_drafted_walls_that_meet_have_no_deeper_cut():
    with pytest.raises(NoAnswer, match="walls of the chamber meet"):
        DraftedChamber(1000, 400, 60).cut_for(5.0)


def test_beyond_the_steps_one_more_fill_is_asked():
    with pytest.raises(NoAnswer, match="Fill a further step"):
        CHAMBERS[3].cut_for(9.0)


def test_drafted_removal_by_hand():
    # 3900·0.889 − ½·236·tan 12°·0.889² = 3467.1 − 19.822… = 3447.278 mm³
    expected = (3900 * 0.889 - 0.5 * 236 * math.tan(math.radians(12)) * 0.889**2) / 1000
    assert DraftedChamber(3900, 236, 12).removed(0.889) == pytest.approx(expected)
    assert DraftedChamber(3900, 236, 12).removed(0.889) == pytest.approx(3.447278, abs=1e-5)


@given(builds(planned=False))
def test_a_sensitivity_is_what_a_small_step_does(build):
    outcome = evaluate(build).now.hole(1).outcome
    rows = sensitivities(outcome, chamber_model(build, evaluate(build).now.hole(1).sources))
    assert [row.lever for row in rows] == ["open_chamber", "deck_cut", "head_cut", "gasket", "crown_cut"]
    for row in rows:
        small = row.step / 1000
        if row.lever == "gasket":
            moved = with_lever(build, "gasket", outcome.gasket_thickness + small)
        else:
            moved = with_lever(build, row.lever, small)
        change = (moved.hole(1).outcome.compression_ratio - outcome.compression_ratio) * 1000
        assert row.compression_ratio == pytest.approx(change, rel=2e-3)
        assert row.quench_mm == pytest.approx(
            (moved.hole(1).outcome.quench - outcome.quench) * 1000, abs=1e-6
        )


def test_steps_are_a_tenth_of_a_millimetre_or_five_thou():
    assert steps_for("mm") == (0.1, 1.0)
    assert steps_for("inch")[0] == pytest.approx(5 * 0.0254)
