"""A deck is a suspect of its own, each bank's paper doubt its own, and a piece that was read is what it was read."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import HouseRules
from zygometra.core.measuring.cause_words import cause_words
from zygometra.core.measuring.causes import causes
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.measuring.what_next import what_next
from zygometra.core.planning.figure_samples import FigureSamples
from zygometra.core.planning.quasi_random import QuasiRandomSample
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.evaluation_file import evaluation_document

STROKE, ROD, PISTON, HEIGHT = 80.0, 140.0, 39.6, 220.0
PAPER = HEIGHT - STROKE / 2 - ROD - PISTON


def document(sizes, *, pitch=None, height=0.1, **more):
    """An engine of banks with so many holes each; ``height`` its tolerance, or what stands for the deck height."""
    numbers, banks = itertools.count(1), []
    for name, size in zip("PQRS", sizes, strict=False):
        banks.append({"name": name, "cylinders": [next(numbers) for _ in range(size)]})
    engine = {"layout": "inline" if len(sizes) == 1 else "vee", "banks": banks}
    block = (
        {"deck_height": {"value": HEIGHT, "plus_minus": height}}
        if isinstance(height, float)
        else height or {}
    )
    return {
        "format": "zygometra.build",
        "version": 1,
        "name": "banks",
        "engine": engine | ({"bore_pitch": pitch} if pitch else {}),
        "parts": {
            "block": block,
            "crank": {"stroke": {"value": STROKE, "plus_minus": 0.05}},
            "rod": {"length": {"value": ROD, "plus_minus": 0.05}},
            "piston": {"compression_height": {"value": PISTON, "plus_minus": 0.05}},
        },
        "readings": [],
        **more,
    }


def depth(hole, value, key=""):
    place = {"figure": "deck_clearance", "cylinder": hole, "on": "rim", "axis": "pin"}
    return {"id": f"c{hole}{key}", **place, "value": round(value, 3)}


def found(doc):
    build = read_measured(doc)
    return build, causes(build)


@st.composite
def unequal_banks(draw):
    """Two banks read hole by hole; one of them stands off its paper, or slopes."""
    sizes = draw(st.tuples(st.integers(2, 5), st.integers(2, 5)))
    doc = document(sizes, pitch=draw(st.sampled_from([None, 84.0, "3.8 in"])))
    at = draw(st.integers(0, 1))
    tilt = sizes[at] > 2 and draw(st.booleans())
    by = draw(st.floats(0.35, 0.9)) * draw(st.sampled_from([-1, 1]))
    for i, bank in enumerate(doc["engine"]["banks"]):
        n = len(bank["cylinders"])
        for place, hole in enumerate(bank["cylinders"]):
            share = (place - (n - 1) / 2) / (n - 1) if tilt else 1.0
            off = by * share if i == at else 0.0
            scatter = draw(st.integers(-8, 8)) / 1000
            doc["readings"].append(depth(hole, PAPER + off + scatter))
    return doc, doc["engine"]["banks"][at], tilt, by


@settings(max_examples=40, deadline=None)
@given(unequal_banks())
def test_a_bank_that_stands_off_is_a_deck_before_it_is_anything_else(case):
    doc, bank, tilt, by = case
    build, named = found(doc)
    first = named[0]
    what = "slope" if tilt else "height"
    assert (first.kind, first.about) == ("deck", f"{what} of bank {bank['name']}")
    assert first.cylinders == tuple(sorted(bank["cylinders"]))
    assert first.off_by == pytest.approx(by, abs=0.12)
    if tilt:
        pitch = build.figures.get("engine.bore_pitch")
        assert (first.tilt.per_metre is None) == (pitch is None)
        if pitch is not None:
            length = pitch.value * (len(bank["cylinders"]) - 1) / 1000
            assert first.tilt.per_metre * length == pytest.approx(first.off_by)
    says = str(cause_words(first, build.logbook))
    assert f"bank {bank['name']}" in says
    assert ("slopes" in says) == tilt
    assert first.decided_by.figure == "deck_height"


def test_two_banks_apart_where_nobody_gave_a_deck_height_are_decks_too():
    doc = document((4, 4), height=None)
    left, right = (bank["cylinders"] for bank in doc["engine"]["banks"])
    doc["readings"] = [depth(hole, 0.66) for hole in left] + [depth(hole, 0.31) for hole in right]
    _, named = found(doc)
    assert {(named[0].kind, named[0].about), *((one.kind, one.about) for one in named[0].alike)} == {
        ("deck", "height of bank P"),
        ("deck", "height of bank Q"),
    }


def test_a_file_that_says_nothing_but_a_deck_clearance_accuses_no_part_that_nobody_gave():
    doc = document((4, 4), height=None)
    doc["parts"] = {}
    doc["readings"] = [depth(hole, 0.85 if hole == 3 else 0.4) for hole in range(1, 9)]
    _, named = found(doc)
    assert named[0].cylinders == (3,)
    assert all(one.kind in ("reading", "bearing", "deck") for one in named)
    assert all(one.explains >= 0.05 for one in named)


def test_a_surveyed_bank_and_one_set_moved_round_are_no_suspects():
    doc = document((4, 4), mock_up={"sets": "one", "between": "stack"})
    left, right = (bank["cylinders"] for bank in doc["engine"]["banks"])
    doc["readings"] = [depth(h, PAPER + 0.4) for h in left] + [depth(h, PAPER) for h in right]
    assert not any(one.kind == "deck" for one in found(doc)[1])


# -- each bank's own doubt ------------------------------------------------------

U = st.floats(0.005, 0.2).map(lambda u: round(u, 4))


@settings(max_examples=60, deadline=None)
@given(
    sizes=st.sampled_from([(2,), (3, 2), (1, 1), (2, 2, 2)]),
    height=st.fixed_dictionaries(
        {"value": st.just(HEIGHT)},
        optional={
            "basis": st.sampled_from(["catalogue", "advertised", "assumed", "measured", "mock-up"]),
            "each": st.booleans(),
        },
    ),
    doubt=st.sampled_from(["u", "plus_minus"]),
    u=U,
    rod=U,
    own=st.booleans(),
)
def test_the_paper_doubt_of_a_deck_height_is_each_banks_own(sizes, height, doubt, u, rod, own):
    """By hand: what two holes share drops out of their difference, what each has of its own counts twice."""
    stated = height | {doubt: u}
    doc = document(sizes, height={"deck_height": stated}, unstated_doubt="zero")
    doc["parts"]["rod"]["length"] = {"value": ROD, "u": rod, "each": True}
    if own:
        doc["banks"] = {"P": {"deck_height": {"value": HEIGHT + 0.3, "u": 0.01}}}
    build = read_measured(doc)
    bank_of = {hole: bank.name for bank in build.banks for hole in bank.cylinders}
    u = u / math.sqrt(3) if doubt == "plus_minus" else u

    def apart(i, j):
        """Variance of the difference of two decks."""
        if height.get("each"):
            ours = [0.01 if own and bank_of[n] == "P" else u for n in (i, j)]
            return 0.0 if own and bank_of[i] == bank_of[j] == "P" else ours[0] ** 2 + ours[1] ** 2
        if bank_of[i] == bank_of[j]:
            return 0.0
        if own and "P" in (bank_of[i], bank_of[j]):
            return 0.01**2 + u**2
        return 0.0 if height.get("basis") in ("measured", "mock-up") else 2 * u**2

    pairs = evaluation_document(evaluate(build), ())["now"]["pairs"]
    for pair in pairs:
        i, j = pair["between"]
        assert pair["u"]["deck_clearance_mm"] == pytest.approx(math.sqrt(apart(i, j) + 2 * rod**2))
    # The planner draws as the evaluation counts.
    clearance = FigureSamples(build, QuasiRandomSample(3)).base().clearance
    for pair in pairs:
        i, j = (list(build.cylinders).index(n) for n in pair["between"])
        assert np.std(clearance[:, i] - clearance[:, j]) == pytest.approx(
            pair["u"]["deck_clearance_mm"], rel=0.05, abs=1e-12
        )


def test_read_next_names_a_deck_bank_by_bank_and_only_what_moves_the_result():
    doc = document((2, 2), height=0.4, targets={"quench": {"min": 1.0, "max": 1.2}})
    doc["parts"]["gasket"] = {"thickness": {"value": 1.1, "plus_minus": 0.01}}
    advice = what_next(read_measured(doc))
    deck = next(one for one in advice.readings if one.figure == "deck_height")
    assert deck.place.bank in "PQ"
    # Without a rod no quench is known; the bore, which only the ratio waits for, is not asked for it.
    del doc["parts"]["rod"]
    assert {one.figure for one in what_next(read_measured(doc)).readings} == {"length"}


# -- pieces that were read --------------------------------------------------------


def piece(figure, hole, value, key=""):
    return {"id": f"{figure[:2]}{hole}{key}", "figure": figure, "cylinder": hole, "value": round(value, 3)}


@settings(max_examples=30, deadline=None)
@given(
    heights=st.lists(st.integers(-4, 4).map(lambda n: n * 0.12), min_size=6, max_size=6),
    swap=st.none() | st.tuples(st.integers(1, 6), st.integers(1, 6)).filter(lambda ij: ij[0] < ij[1]),
)
def test_unlike_pistons_each_read_are_findings_and_hide_no_swap(heights, swap):
    doc = document((6,), pitch=90.0)
    in_hole = list(heights)
    if swap is not None:
        i, j = (n - 1 for n in swap)
        in_hole[i], in_hole[j] = in_hole[j], in_hole[i]
    for key in "ab":
        for hole in range(1, 7):
            doc["readings"].append(piece("compression_height", hole, PISTON + heights[hole - 1], key))
            doc["readings"].append(piece("length", hole, ROD, key))
            doc["readings"].append(depth(hole, PAPER - in_hole[hole - 1], key))
    build, named = found(doc)
    apart = 0.0 if swap is None else heights[swap[0] - 1] - heights[swap[1] - 1]
    if not apart:
        assert named == ()
    else:
        hits = [(one.kind, one.about, one.cylinders) for one in named[:3]]
        assert ("swap", "compression_height", swap) in hits
    told = findings(build, evaluate(build), HouseRules())
    off = {f.where.number for f in told if f.code == "piece-off-paper"}
    # ± 0.05 of paper, 0.012 between pieces, and the house's 0.01 and rounding for two readings: 3 × 0.033.
    assert off == {hole for hole, by in enumerate(heights, 1) if abs(by) > 0.11}


def test_a_piece_that_was_read_is_another_only_in_its_own_hole():
    """The third piston reads as paper says, and the mock-up there says otherwise."""
    doc = document((4,), pitch=90.0)
    for key in "ab":
        for hole in range(1, 5):
            doc["readings"] += [
                piece("compression_height", hole, PISTON, key),
                piece("length", hole, ROD, key),
            ]
            doc["readings"].append(depth(hole, PAPER + (0.4 if hole == 3 else 0.0), key))
    _, named = found(doc)
    assert named[0].cylinders == (3,)
    kinds = {named[0].kind} | {one.kind for one in named[0].alike}
    assert {"part", "bearing"} <= kinds
    # Every piece was read, so no paper figure of them is at fault.
    assert not any(one.kind == "catalogue" and one.about in ("length", "compression_height") for one in named)


# -- worn bores --------------------------------------------------------------------


@settings(max_examples=40, deadline=None)
@given(
    oval=st.sampled_from([0.0, 0.03, 0.08]),
    taper=st.sampled_from([0.0, 0.03, 0.09]),
    larger=st.sampled_from([0.0, 0.05]),
    slip=st.none() | st.sampled_from([1.0, -1.0]),
)
def test_worn_bores_are_oval_and_tapered_and_only_a_slip_is_misread(oval, taper, larger, slip):
    doc = document((4,), pitch=95.0)
    doc["parts"]["block"]["bore"] = {"value": 86.0, "plus_minus": 0.02}
    doc["gauges"] = {
        "bore-1": {"kind": "bore gauge", "resolution": 0.002, "u": 0.002, "repeatability": 0.002}
    }
    for hole in range(1, 5):
        for i, at in enumerate((15, 70, 120)):
            for axis in ("thrust", "pin"):
                value = 86.0 + larger + (oval if axis == "thrust" else 0.0) + taper * (1 - i / 2)
                key = f"b{hole}-{at}-{axis}"
                place = {"figure": "bore", "cylinder": hole, "depth": at, "axis": axis, "temperature": 20}
                doc["readings"].append({"id": key, **place, "value": round(value, 3), "gauge": "bore-1"})
    if slip is not None:
        wrong = next(one for one in doc["readings"] if one["id"] == "b2-70-pin")
        wrong["value"] = round(wrong["value"] + slip, 3)
    build, named = found(doc)
    if slip is None:
        assert named == ()
    else:
        assert (named[0].kind, named[0].about) == ("reading", "b2-70-pin")
    told = findings(build, evaluate(build), HouseRules())
    sound = {1, 3, 4}
    assert {f.where.number for f in told if f.code == "bore-oval"} & sound == (sound if oval else set())
    assert {f.where.number for f in told if f.code == "bore-tapered"} & sound == (sound if taper else set())


def test_while_readings_contradict_nothing_advises_a_cut_from_their_mean():
    doc = document((4,), targets={"deck_clearance": {"min": 0.0, "max": 0.5}})
    doc["readings"] = [depth(hole, PAPER, key) for hole in range(1, 5) for key in "abc"]
    doc["readings"] += [depth(2, PAPER + 1.0, key) for key in "de"]
    build = read_measured(doc)
    told = findings(build, evaluate(build), HouseRules())
    assert any(f.code == "probable-cause" for f in told)
    outside = [f for f in told if f.code == "clearance-outside-window"]
    assert [f.where.holes for f in outside] == [(2,)]
    assert "cut" not in outside[0].do.replace("nothing is cut", "")
    assert "hole 2" in outside[0].do
