"""Why there is nothing; recipes in full; baskets; what wins a ratio back."""

from __future__ import annotations

import pytest

from support.shelves import BLOCK, NOMINAL, part, shelf
from zygometra.core.build.document import read_document
from zygometra.core.build.levers import set_lever
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.basket import basket, main_bearings, total_of
from zygometra.core.mix.counting import count
from zygometra.core.mix.judge import judge
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import MAKING, Part
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.reasons import attrition, cannot_be_judged, miss_words, why_none
from zygometra.core.mix.recipe import recipe_in_full
from zygometra.core.mix.searching import best
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.mix.win_back import ways_back
from zygometra.core.quantity import read_quantity
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.units import Kind
from zygometra.core.windows import Window
from zygometra.core.wording import Reader
from zygometra.exchange.build_file import check


def lay_out(question, *parts):
    made = shelf(*parts)
    return QueryTables(made, Block(made, "B1"), USUAL, question)


def in_full(question, **changed):
    parts = {kind: changed.get(kind) or part(kind, f"{kind}-0") for kind in MAKING}
    made = shelf(*parts.values())
    block = Block(made, "B1")
    verdict = judge(made, block, rules=USUAL, question=question, recipe=(0, 0, 0, 0, 0))
    return recipe_in_full(
        block, USUAL, question=question, verdict=verdict, parts=parts | {"block": BLOCK}
    ), block


OPEN = MixQuestion("B1", {"quench": Window(0.9, None, 2.0)})


def test_the_window_that_kills_the_most_comes_first():
    # The nominal stack has 1.4 quench and a ratio near 9.6: the ratio alone stands in the way.
    found = why_none(
        lay_out(
            MixQuestion(
                "B1", {"quench": Window(1.0, None, 1.6), "compression_ratio": Window(12.0, None, 13.0)}
            )
        )
    )
    assert [(o.window, o.count.recipes) for o in found.openings] == [("compression_ratio", 1), ("quench", 0)]
    assert set(found.nearest.misses) == {"compression_ratio"}
    assert found.nearest.misses["compression_ratio"] < 0


def test_two_windows_at_fault_give_a_miss_of_both():
    asked = MixQuestion(
        "B1", {"displacement": Window(3000.0, None, 3100.0), "compression_ratio": Window(12.0, None, 13.0)}
    )
    found = why_none(lay_out(asked))
    assert all(o.count.recipes == 0 for o in found.openings)
    assert set(found.nearest.misses) == {"displacement", "compression_ratio"}


def test_attrition_names_the_rule_that_took_the_parts():
    heads = [
        part("head", "H1", words={"head_pattern": "V14"}),
        part("head", "H2", words={"head_pattern": "V14"}),
    ]
    found = {a.kind: a for a in attrition(lay_out(OPEN, *heads))}
    assert found["head"].left == 0
    assert found["head"].refused == (("head-pattern", 2),)
    assert why_none(lay_out(OPEN, *heads)).nearest is None


def test_what_cannot_be_judged_is_listed_unless_it_is_out_anyway():
    lacking = part("head", "H1", chamber_volume=None)
    out_anyway = part("head", "H2", chamber_volume=None, words={"head_pattern": "V14"})
    ratio = MixQuestion("B1", {"compression_ratio": Window(8.0, None, 12.0)})
    assert cannot_be_judged(lay_out(ratio, lacking, out_anyway)) == [("head", "H1", ("chamber_volume",))]
    assert cannot_be_judged(lay_out(OPEN, lacking, out_anyway)) == []


def test_a_price_that_is_not_known_cannot_be_judged_unless_it_is_on_the_shelf():
    unknown, there = (
        part("crank", "C1", price=None),
        part("crank", "C2", price=None, on_shelf=1, state="received"),
    )
    cost = MixQuestion("B1", {"cost": Window(None, None, 2000.0)})
    found = lay_out(cost, unknown, there)
    assert cannot_be_judged(found) == [("crank", "C1", ("price",))]
    assert count(found).recipes == 1
    # Where nothing is asked of the cost, a price decides nothing: what is not known comes last.
    found = lay_out(OPEN, unknown, there)
    assert cannot_be_judged(found) == []
    assert [recipe[0] for recipe in best(found).recipes] == [1, 0]


def test_a_miss_in_words():
    inches = Reader("inch", "squish")
    assert str(miss_words("compression_ratio", -0.3)) == "compression ratio 0.30 under"
    assert str(miss_words("displacement", 12.0)) == "displacement 12 cc over"
    assert str(miss_words("displacement", -0.03)) == "displacement 0.03 cc under"
    assert str(miss_words("quench", 0.0004)) == "quench 0.0004 mm over"
    assert miss_words("quench", -0.254).written(inches) == "squish 10 thou under"


def test_a_recipe_carries_the_doubt_of_its_parts():
    crank = part("crank", "C", stroke={"value": 86, "unit": "mm", "u": 0.02})
    gasket = part("gasket", "G", thickness={"value": 1.2, "unit": "mm", "u": 0.015})
    rest = {
        "rod": part("rod", "R", length={"value": 148, "u": 0.01}),
        "piston": part("piston", "P", compression_height={"value": 34.2, "u": 0.01}),
    }
    recipe, _ = in_full(OPEN, crank=crank, gasket=gasket, **rest)
    height = 0.30 / 3**0.5  # the house's half-width of an assumed deck height, rectangular
    clearance = (0.01**2 + 0.01**2 + 0.01**2 + height**2) ** 0.5
    assert recipe.u["deck_clearance"] == pytest.approx(clearance, rel=1e-9)
    assert recipe.u["quench"] == pytest.approx((clearance**2 + 0.015**2) ** 0.5, rel=1e-9)
    # That half-width is most of it: the band is narrower than the normal's.
    share = height**2 / recipe.u["quench"] ** 2
    assert recipe.half["quench"] == pytest.approx(
        1.959964 * (1 - 0.16 * share**3) * recipe.u["quench"], rel=1e-6
    )


def test_a_band_over_an_edge_is_said_and_one_inside_is_not():
    tight = MixQuestion("B1", {"quench": Window(1.35, None, 1.45)})
    wide = MixQuestion("B1", {"quench": Window(0.9, None, 3.0)})
    assert in_full(tight)[0].crosses == ("quench",)
    assert in_full(wide)[0].crosses == ()


def test_a_band_over_the_floor_of_the_rods_is_said_whatever_was_asked():
    # Quench 1.0 with some ± 0.35 reaches under 0.9, though nothing was asked of it, or only an aim.
    thin = {"gasket": part("gasket", "G", thickness=0.8)}
    for window in ({}, {"quench": Window(None, 1.0, None)}, {"quench": Window(None, None, 3.0)}):
        assert in_full(MixQuestion("B1", window, machining=frozenset()), **thin)[0].crosses == ("quench",)
    assert (
        in_full(MixQuestion("B1", {}, quench_floor={"": 0.2}, machining=frozenset()), **thin)[0].crosses == ()
    )


def test_a_recipe_is_a_valid_build_that_evaluates_to_the_same():
    piston = part(
        "piston", "P", compression_height=34.9, dish_area=1500.0, top_land_height=6.0, top_land_diameter=91.4
    )
    recipe, _ = in_full(MixQuestion("B1", {"quench": Window(1.0, 1.2, 1.4)}), piston=piston)
    build = check(recipe.document)
    hole = evaluate(build).planned.holes[0].outcome
    r = recipe.verdict.results
    assert r.crown_cut > 0
    assert hole.deck_clearance == pytest.approx(r.deck_clearance, abs=1e-6)
    assert hole.compression_ratio == pytest.approx(r.compression_ratio, rel=1e-6)
    assert recipe.document["parts"]["crank"]["x-part"] == "crank-0"


def test_a_bored_block_and_a_ground_crank_stand_as_assumed_with_what_a_shop_holds():
    question = MixQuestion("B1", {"quench": Window(1.0, 1.2, 1.4)})
    crank = part("crank", "C", pin_diameter=54.0, stroke=86.5)
    recipe, _ = in_full(question, piston=part("piston", "P", bore=92.5), crank=crank)
    parts = recipe.document["parts"]
    assert parts["block"]["bore"] == {"value": 92.5, "unit": "mm", "basis": "assumed", "plus_minus": 0.01}
    assert parts["crank"]["stroke"]["value"] == pytest.approx(86.4, abs=1e-9)


def test_the_basket_holds_what_belongs_and_says_what_is_to_be_found():
    recipe, block = in_full(OPEN, piston=part("piston", "P", on_shelf=3, state="received"))
    supporting = [
        Part("bearing", "BR-1", figures={"journal": 50.0}, texts={"place": "rod"}, price=900),
        Part("bearing", "BR-2", figures={"journal": 60.0}, texts={"place": "main"}, price=1100, lead_days=9),
        Part(
            "bearing",
            "BR-3",
            figures={"journal": 50.0},
            texts={"place": "rod"},
            price=1900,
            on_shelf=4,
            state="accepted",
        ),
        Part("fastener", "FS-1", texts={"place": "head", "head_pattern": "V14"}, price=10),
    ]
    items = {item.what: item for item in basket(recipe, block, supporting)}
    assert (items["piston"].needed, items["piston"].to_buy) == (4, 1)
    assert items["rod bearings"].part.code == "BR-3"
    assert items["rod bearings"].cost == 0
    assert items["main bearings"].needed == 5
    assert items["ring sets"].part is None
    assert items["head bolts"].part is None
    cost, lead, known = total_of(items.values())
    assert not known
    assert (cost, lead) == (8 * 10_000 + 5 * 1100, 9)


@pytest.mark.parametrize(
    ("figures", "needed"),
    [
        ({}, 5),
        # A three-bearing four; a flat four's crank lies in five, though its banks have two cylinders each.
        ({"main_bearings": 3}, 3),
        ({"banks": 2}, 3),
        ({"banks": 2, "main_bearings": 5}, 5),
    ],
)
def test_main_bearings_are_those_of_the_block(figures, needed):
    made = shelf(block=Part("block", "B1", figures={**BLOCK.figures, **figures}, texts=BLOCK.texts))
    assert main_bearings(Block(made, "B1")) == needed


def test_ways_back_meet_the_ratio_or_say_why_not():
    recipe, _ = in_full(OPEN, crank=part("crank", "C", stroke=84.0))
    build = read_document(recipe.document)
    ways = {w.lever: w for w in ways_back(build, 9.6, rules_for(""))}
    assert ways["crown_cut"].amount is None
    assert ways["crown_cut"].why_not
    deck = ways["deck_cut"]
    cut = read_quantity(deck.amount, Kind.LENGTH, dimension="deck_cut")
    after = evaluate(read_document({**recipe.document})).now.holes[0].outcome
    planned = set_lever(build, (), "deck_cut", cut)
    from dataclasses import replace

    assert evaluate(replace(build, planned=planned)).planned.holes[
        0
    ].outcome.compression_ratio == pytest.approx(9.6, abs=1e-6)
    assert deck.quench == pytest.approx(after.quench - deck.amount, abs=1e-6)


def test_only_in_hand_leaves_out_what_would_have_to_be_bought():
    held = {kind: part(kind, f"{kind}-h", on_shelf=4, state="accepted") for kind in MAKING}
    bought = [part(kind, f"{kind}-b", price=1) for kind in NOMINAL]
    asked = MixQuestion("B1", {"quench": Window(0.9, None, 2.0)}, only_in_hand=True)
    found = lay_out(asked, *held.values(), *bought)
    assert count(found).recipes == 1
    assert [found.shelf.tables[k].codes[r] for k, r in zip(MAKING, best(found).recipes[0], strict=True)] == [
        f"{k}-h" for k in MAKING
    ]
