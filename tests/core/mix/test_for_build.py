"""What of a shelf may go where a build's own parts are."""

from __future__ import annotations

import json

import pytest

from support.plain_plans import document
from zygometra.core.mix.for_build import offers_for
from zygometra.core.mix.parts import Part
from zygometra.core.planning.plans import plans_of
from zygometra.exchange.build_file import build_from_text, check

# The build stops its pistons 0.3 down: 34.7 compression height, 150 rods, 90 stroke, 92 bore.
HERE = {"bore": 92.0, "compression_height": 34.9, "crown_volume": 6.0, "pin_diameter": 22.0}


def piston(code="P1", **more):
    figures = {
        **HERE,
        **{k: v for k, v in more.items() if k not in ("on_shelf", "state", "price", "lead_days")},
    }
    figures = {k: v for k, v in figures.items() if v is not None}
    kept = {k: v for k, v in more.items() if k in ("on_shelf", "state", "price", "lead_days")}
    return Part("piston", code, figures=figures, **{"price": 5000, "on_shelf": 0, **kept})


def build():
    return build_from_text(json.dumps(document(clearances=[0.3] * 4, chambers=[52.0] * 4)))[1]


def offered(*parts, fitted=None):
    return [offer.part.code for offer in offers_for(build(), parts, fitted or {})]


@pytest.mark.parametrize(
    ("part", "goes"),
    [
        (piston(), True),
        # A piston is made for a bore, which is hardly smaller and no more than 0.15 mm larger.
        (piston(bore=91.86), True),
        (piston(bore=91.8), False),
        (piston(bore=92.1), False),
        (piston(bore=None), False),
        (piston(crown_volume=None), False),
        # 0.3 down now: 1.8 mm more of height stops it 1.5 proud, 2.7 less 3 down.
        (piston(compression_height=36.5), True),
        (piston(compression_height=36.6), False),
        (piston(compression_height=32.0), True),
        (piston(compression_height=31.9), False),
        (piston(state="fitted"), False),
        (Part("rod", "R", figures={"length": 150.5}), True),
        (Part("rod", "R", figures={"length": 155.0}), False),
        (Part("crank", "C", figures={"stroke": 92.0}), True),
        (Part("crank", "C", figures={"stroke": 99.0}), False),
        (Part("head", "H", figures={"chamber_volume": 50.0}), True),
        (Part("head", "H", figures={}), False),
        (Part("gasket", "G", figures={"thickness": 1.0, "bore": 94.0}), False),
    ],
)
def test_a_part_is_offered_that_fits_and_stops_near_the_deck(part, goes):
    assert bool(offered(part)) == goes


def test_what_both_sides_say_must_agree_and_the_rest_is_named():
    own = piston("OWN", pin_diameter=22.0)
    same, other, unsaid = (
        piston("A", pin_diameter=22.04),
        piston("B", pin_diameter=23.0),
        piston("C", pin_diameter=None),
    )
    found = offers_for(build(), [own, same, other, unsaid], {"piston": own})
    assert [(one.part.code, one.unchecked) for one in found] == [("A", ()), ("C", ("pin diameter",))]
    heads = [
        Part("head", c, figures={"chamber_volume": 50.0}, texts={"head_pattern": c}) for c in ("T10", "T14")
    ]
    assert offered(*heads, fitted={"head": Part("head", "OWN", texts={"head_pattern": "T10"})}) == ["T10"]


def test_in_hand_comes_first_and_a_set_is_paid_for():
    waited = piston("W", price=4000, lead_days=9, on_shelf=2, state="accepted")
    in_hand = piston("H", price=6000, lead_days=9, on_shelf=4, state="accepted")
    first, second = offers_for(build(), [waited, in_hand], {})
    assert (first.part.code, first.entry["price"], "days" in first.entry) == ("H", 240.0, False)
    assert (second.in_hand, second.wanted, second.entry["price"], second.entry["days"]) == (2, 4, 160.0, 9)


def test_an_offer_is_a_part_that_a_build_file_lists_and_a_plan_fits():
    doc = document(clearances=[0.3] * 4, chambers=[52.0] * 4, targets={"quench": {"min": 1.35, "max": 1.45}})
    (offer,) = offers_for(build(), [piston(compression_height=34.9, lead_days=3)], {})
    doc["levers"] = {"parts": [offer.entry]}
    assert check(doc).levers.parts[0].days == 3
    # 0.3 down with 1.3 over it is 1.6; 0.2 mm more of height leaves 1.4.
    (plan,) = plans_of(build_from_text(json.dumps(doc))[1]).plans
    assert [op.op for op in plan.planned] == ["fit"]
    assert plan.result.holes[0].outcome.quench == pytest.approx(1.4)
    assert plan.bill.cost == 200.0
