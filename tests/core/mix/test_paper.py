"""Recipes on paper: what is not known is left open and said, and decides nothing."""

from __future__ import annotations

import json
import math

import pytest

from support.shelves import part, shelf
from zygometra.core.build.document import read_document
from zygometra.core.errors import QuantityError
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.basket import basket, stack_fails
from zygometra.core.mix.into_build import with_recipe
from zygometra.core.mix.judge import judge
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import MAKING, Part, check_code
from zygometra.core.mix.placeholders import STAND_IN, stand_in, with_stand_ins
from zygometra.core.mix.question import MixQuestion, limits_of
from zygometra.core.mix.reasons import cannot_be_judged
from zygometra.core.mix.recipe import recipe_in_full
from zygometra.core.mix.searching import best
from zygometra.core.mix.shelf import Block, shelf_of
from zygometra.core.mix.usual import USUAL
from zygometra.core.mix.verdict import open_results
from zygometra.core.windows import Window
from zygometra.exchange.mix_file import answer_document

# What a builder knows before anything is bought: and no more.
KNOWN = [
    Part(
        "block",
        "B",
        figures={"deck_height": 225.4, "bore": 92.0, "cylinders": 4, "banks": 1},
        state="accepted",
        on_shelf=1,
    ),
    Part("crank", "C", figures={"stroke": 86.0}),
    Part("rod", "R", figures={"length": 148.0}),
    Part("piston", "P", figures={"compression_height": 34.2}),
]


def laid(parts=KNOWN, **about):
    made = with_stand_ins(shelf_of(parts))
    question = MixQuestion("B", **{**limits_of(rules_for(""), 5500.0), **about})
    return QueryTables(made, Block(made, "B"), USUAL, question)


def test_five_figures_are_enough_for_a_recipe_on_paper():
    laid_out = laid(windows={"deck_clearance": Window(-0.1, None, 0.5)})
    (recipe,) = best(laid_out).recipes
    found = judge(laid_out.shelf, laid_out.block, rules=USUAL, question=laid_out.question, recipe=recipe)
    assert found.stands
    r = found.results
    # By hand: 225.4 − (43 + 148 + 34.2) = 0.2 down; 4 holes of 92 by 86.
    assert r.deck_clearance == pytest.approx(0.2, abs=1e-9)
    assert r.displacement == pytest.approx(math.pi / 4 * 92**2 * 86 * 4 / 1000, rel=1e-12)
    assert r.rod_ratio == pytest.approx(148 / 86)
    # What rests on gasket and head is not given, and says for what it waits.
    assert (r.quench, r.compression_ratio, r.clearance_volume) == (None, None, None)
    assert open_results(found) == {
        "quench": ("gasket.thickness",),
        "compression_ratio": (
            "piston.crown_volume",
            "gasket.thickness",
            "gasket.bore",
            "head.chamber_volume",
        ),
    }
    # Every rule that could not be asked is listed; none is taken for a no.
    assert not found.refused
    assert {fit.rule.key for fit in found.unchecked} >= {
        "mains",
        "journal",
        "small-end",
        "bore-size",
        "head-pattern",
    }
    assert (r.known_cost, r.is_priced) == (0, False)


def test_a_window_on_what_is_not_known_cannot_be_judged_rather_than_missed():
    laid_out = laid(windows={"quench": Window(0.9, None, 1.4)})
    assert best(laid_out).recipes == ()
    assert cannot_be_judged(laid_out) == [("gasket", STAND_IN, ("thickness",))]


def test_a_price_never_decides_fit():
    cheap, unknown = part("rod", "A", price=None), part("rod", "Z", price=99_999)
    made = shelf(cheap, unknown)
    laid_out = QueryTables(made, Block(made, "B1"), USUAL, MixQuestion("B1", {}))
    assert [r[1] for r in best(laid_out).recipes] == [1, 0]
    last = judge(
        made, laid_out.block, rules=USUAL, question=laid_out.question, recipe=best(laid_out).recipes[-1]
    ).results
    assert (last.is_priced, last.value("cost")) == (False, None)
    # The crank, four pistons, a gasket and a head at 100 each.
    assert last.known_cost == 7 * 10_000


def test_no_part_of_a_shelf_can_bear_the_code_of_a_stand_in():
    with pytest.raises(QuantityError, match="letters, digits"):
        check_code(STAND_IN)


def test_a_recipe_on_paper_goes_into_a_build_that_keeps_its_gasket_and_head():
    laid_out = laid()
    verdict = judge(
        laid_out.shelf,
        laid_out.block,
        rules=USUAL,
        question=laid_out.question,
        recipe=best(laid_out).recipes[0],
    )
    parts = {p.kind: p for p in KNOWN} | {kind: stand_in(kind) for kind in ("gasket", "head")}
    recipe = recipe_in_full(laid_out.block, USUAL, question=laid_out.question, verdict=verdict, parts=parts)
    assert set(recipe.document["parts"]) == {"block", "crank", "rod", "piston"}
    assert stack_fails(recipe, rules_for("")) == []
    assert [item.what for item in basket(recipe, laid_out.block, ())[:3]] == ["crank", "rod", "piston"]
    known = {
        "name": "K",
        "engine": {},
        "parts": {"gasket": {"thickness": "1.2 mm"}, "rod": {"length": "1 mm"}},
    }
    merged = with_recipe(known, recipe.document)
    assert merged["parts"]["gasket"] == {"thickness": "1.2 mm"}
    assert merged["parts"]["rod"]["length"] == 148.0
    assert read_document(recipe.document).figures["parts.crank.stroke"].value == 86.0


def test_the_command_answers_with_nulls_and_what_is_missing():
    question = MixQuestion("B", {"deck_clearance": Window(0.0, 0.2, 0.5)})
    out = answer_document(
        shelf_of(KNOWN),
        USUAL,
        question=question,
        counted="exact",
        part=lambda kind, code: next(p for p in KNOWN if p.code == code),
    )
    (recipe,) = json.loads(json.dumps(out))["recipes"]
    assert recipe["parts"] == {"crank": "C", "rod": "R", "piston": "P"}
    assert (recipe["quench_mm"], recipe["compression_ratio"], recipe["cost"]) == (None, None, None)
    assert {"result": "quench", "missing": ["gasket.thickness"]} in recipe["not_checked"]
    assert set(MAKING) >= set(recipe["to_buy"])
