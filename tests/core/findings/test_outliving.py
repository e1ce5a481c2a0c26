"""Warnings outlive the metal: what a cut leaves is judged before it is made, while it is, and after."""

from __future__ import annotations

import copy

import pytest

from support.half_cut import deck_passes, document, moment
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.planning.side_effects import side_effects
from zygometra.core.stack.evaluate import evaluate
from zygometra.exchange.build_file import check


def crowned(cut, made, holes=(1, 2, 3, 4), **piston):
    """Crowns of which so much is planned, and so much was cut of some of them."""
    doc = document(planned=[{"op": "crown_cut", "amount": cut}] if cut else [])
    doc["parts"]["piston"] |= {"dish_area": 2000, "top_land_height": 3.6, "top_land_diameter": 91.5} | piston
    doc["passes"] = [
        {"id": f"c{n}", "op": "crown_cut", "cylinder": n, "number": 1, "depth": made, "at": moment(40)}
        for n in holes
        if made
    ]
    return doc


def told(doc):
    build = check(copy.deepcopy(doc))
    return {f.code: f for f in findings(build, evaluate(build), rules_for(""))}


@pytest.mark.parametrize("made", [0.0, 0.3, 0.8])
def test_a_thin_land_is_told_before_while_and_after_it_is_cut(made):
    left = told(crowned(0.8, made))["crown-cut-leaves-little"]
    # 3.6 less 0.8 of the 3.0 that the house wants.
    assert "leaves 2.80 mm of top land; the house wants 3.00 mm" in left.says
    assert "crown-cut-mass" in told(crowned(0.8, made))


def test_pieces_are_judged_piece_by_piece_planned_or_not():
    found = told(crowned(0.0, 0.8, holes=(2, 3)))
    assert found["crown-cut-leaves-little"].where.holes == (2, 3)
    assert "0.800 mm" in found["crown-cut-mass"].says
    assert "crown-cut-leaves-little" not in told(crowned(0.0, 0.5, holes=(2, 3)))
    gone = told(crowned(0.0, 3.7, holes=(4,)))
    assert gone["crown-cut-through-land"].where.holes == (4,)
    assert "3.70 mm takes the whole top land of 3.60 mm" in gone["crown-cut-through-land"].says


def test_a_head_that_sits_lower_is_told_when_everything_is_cut():
    doc = document(planned=[], passes=deck_passes(0.15, 0.1))
    moves = told(doc)["head-moves"]
    assert "0.250 mm lower" in moves.says
    assert told({**doc, "passes": []}).get("head-moves") is None


@pytest.mark.parametrize("made", [0.0, 0.1, 0.25])
def test_what_a_cut_moves_elsewhere_is_the_whole_of_it_however_much_is_made(made):
    doc = document(
        planned=[{"op": "deck_cut", "bank": "A", "amount": 0.25}], passes=deck_passes(made) if made else []
    )
    doc["valve_gear"] = {"kind": "pushrod", "pushrod_tilt": 0}
    build = check(doc)
    effects = {one.what: one.amount for one in side_effects(build, build.planned)}
    assert effects["head over the crank"] == pytest.approx(-0.25)
