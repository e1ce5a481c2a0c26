"""Rules that hang on a word, and how far a crown may be faced: single cases worked by hand, then drawn ones."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.cases import single
from support.shelves import BLOCK, part, shelf
from zygometra.core.build.document import read_document
from zygometra.core.build.levers import limit_of
from zygometra.core.errors import QuantityError
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.basket import stack_fails
from zygometra.core.mix.facing import Crowns, most_off
from zygometra.core.mix.judge import judge
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.question import MixQuestion, limits_of
from zygometra.core.mix.recipe import recipe_in_full
from zygometra.core.mix.rules import Band, FitRule, FitRules, judge_columns, judge_fit
from zygometra.core.mix.rules_data import rules_as_data, rules_from_data
from zygometra.core.mix.searching import best
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window

from .test_rules import jobs, refused, verdict

FACES = frozenset({"face-crown"})


@pytest.mark.parametrize(
    ("radius", "material", "fits"),
    # 82 of room less 43 of crank: 39 for the big end and what must be left around it.
    [(37.0, "steel", True), (37.0, "aluminium", False), (36.5, "aluminium", True), (37.6, "titanium", False)],
)
def test_the_rods_material_decides_how_much_room_the_big_end_wants(radius, material, fits):
    found = verdict(part("rod", "X", big_end_radius=radius, words={"material": material}))
    keys = {"big-end-room", "big-end-room-aluminium"}
    assert bool(refused(found) & keys) is not fits


@pytest.mark.parametrize(
    ("bore", "pin", "of_piston", "expected"),
    [
        (22.01, "floating", "floating", set()),
        (22.0, "floating", "floating", {"hone-small-end"}),
        (22.04, "floating", "floating", {"bush-small-end"}),
        (22.01, "floating", "pressed", {"cut-grooves"}),
        (21.97, "pressed", "pressed", set()),
        (21.97, "pressed", "floating", set()),
        (21.9, "pressed", "", {"hone-small-end"}),
        (22.0, "", "", set()),
    ],
)
def test_a_pin_is_held_as_its_rod_holds_it(bore, pin, of_piston, expected):
    found = verdict(
        part("rod", "X", pin_bore=bore, words={"pin": pin}), part("piston", "P", words={"pin": of_piston})
    )
    assert jobs(found) == expected
    assert found.stands


def test_a_pressed_pin_in_a_bore_that_is_too_large_does_not_hold():
    assert refused(verdict(part("rod", "X", pin_bore=22.0, words={"pin": "pressed"}))) == {
        "small-end-pressed"
    }


def test_a_rod_whose_retainers_cannot_be_looked_at_stands_and_says_so():
    found = verdict(part("rod", "X", pin_bore=22.01, words={"pin": "floating"}))
    assert found.stands
    assert "pin-held" in {fit.rule.key for fit in found.unchecked}


LIMITS = MixQuestion("B1", {}, crown_limit=1.0, land_left=3.0, crown_left=5.0)


def off(*, land=math.nan, thickness=math.nan, dome=0.0, volume=0.0, dish=math.nan, flat=False):
    column = [np.array([value]) for value in (land, thickness, dome, volume, dish)]
    return float(most_off(LIMITS, Crowns(*column, np.array([flat])))[0])


@pytest.mark.parametrize(
    ("crown", "most"),
    [
        ({}, 1.0),  # nothing known but that it is flat: the house's usual depth
        ({"land": 3.4}, 0.4),  # 3.4 less the 3.0 that must remain
        ({"land": 9.0}, 1.0),  # its thickness is not known: no further than usual
        ({"land": 9.0, "thickness": 7.5}, 2.5),  # both known: what remains decides, beyond the usual depth
        ({"land": 9.0, "thickness": 4.0}, 0.0),
        ({"land": 9.0, "thickness": 9.0, "volume": 4.0, "dish": 2000.0}, 2.0),  # 4 cc over 20 cm²: 2 mm deep
        ({"land": 9.0, "thickness": 9.0, "volume": 4.0}, 0.0),  # nobody told the opening of its dish
        ({"land": 9.0, "thickness": 9.0, "volume": 4.0, "dish": 0.0}, 4.0),  # nothing opens at the rim
        ({"land": 9.0, "thickness": 9.0, "volume": -4.0}, 4.0),
        ({"dome": 3.0}, 0.0),
        ({"dome": math.nan}, 0.0),  # nobody said what stands above the rim
        ({"dome": math.nan, "flat": True}, 1.0),
    ],
)
def test_how_far_a_crown_may_be_faced(crown, most):
    assert off(**crown) == pytest.approx(most, abs=1e-12)


def test_a_taller_piston_is_faced_beyond_the_usual_depth_where_what_remains_allows_it():
    # 2.1 mm taller than nominal: 1.9 proud, quench −0.7; 2.0 mm off brings it to 1.3, 1.6 only to 0.9.
    question = MixQuestion("B1", {"quench": Window(1.0, 1.3, 1.6)})
    tall = {"compression_height": 36.3, "top_land_height": 6.0, "top_land_diameter": 91.4}
    found = verdict(part("piston", "X", crown_thickness=8.0, **tall), question=question)
    assert found.stands
    assert found.results.crown_cut == pytest.approx(2.0, abs=1e-9)
    assert not verdict(part("piston", "X", **tall), question=question).stands
    assert not verdict(part("piston", "X", crown_thickness=6.6, **tall), question=question).stands


def test_what_a_faced_recipe_says_of_its_crown_goes_into_the_build():
    made = shelf(part("piston", "X", compression_height=34.9))
    question, block = MixQuestion("B1", {"quench": Window(1.0, 1.2, 1.4)}), Block(made, "B1")
    parts = {kind: part(kind, kind) for kind in ("crank", "rod", "gasket", "head")}
    parts |= {"piston": part("piston", "X", compression_height=34.9)}
    recipe = recipe_in_full(
        block,
        USUAL,
        question=question,
        verdict=judge(made, block, rules=USUAL, question=question, recipe=(0, 0, 0, 0, 0)),
        parts={**parts, "block": BLOCK},
    )
    assert recipe.document["parts"]["piston"]["above_rim"] == 0.0
    assert recipe.document["planned"] == [{"op": "crown_cut", "amount": "0.5 mm"}]


def test_a_piston_whose_ring_would_come_over_the_deck_does_not_stand():
    # 1.5 mm taller: 1.3 proud under a gasket of 3.0; a land of 1.2 ends under the deck, one of 1.4 above it.
    def of(land):
        tall = part("piston", "X", compression_height=35.7, top_land_height=land)
        return verdict(
            tall, part("gasket", "G", thickness=3.0), question=MixQuestion("B1", {}, machining=frozenset())
        )

    assert of(1.4).stands
    assert of(1.2).outside == ("top ring below the deck",)
    assert of(None).stands


def test_the_floor_of_quench_grows_with_speed_and_rock():
    rules = rules_for("")
    assert rules.quench_floor("steel", 6500) == rules.quench_floor("steel") == 0.889
    # 2000 rpm above 6500 at 0.05 mm a thousand.
    assert rules.quench_floor("steel", 8500) == pytest.approx(0.989, abs=1e-12)
    # Rock of 0.18 is 0.08 beyond what the floor holds.
    assert rules_for("", {"usual_rock": 0.18}).quench_floor("titanium") == pytest.approx(1.08, abs=1e-12)
    floors = limits_of(rules, 8500)["quench_floor"]
    assert floors["aluminium"] == pytest.approx(1.5, abs=1e-12)
    assert floors[""] == floors["steel"]


WORDS = ("steel", "aluminium", "")


@given(
    st.lists(st.tuples(st.sampled_from(WORDS), st.floats(-1, 3) | st.none()), min_size=1, max_size=6),
    st.sets(st.sampled_from(WORDS), min_size=1),
    st.booleans(),
    st.booleans(),
)
def test_columns_judge_rules_of_words_as_single_parts_do(rods, words, needed, machined):
    bands = (Band(0.0, 1.0), Band(1.0, 2.0, "narrow-rod") if machined else Band(1.5, 2.0))
    rule = FitRule(
        "r", "r", {"rod.weight": 1}, bands, needed=needed, when={"rod.material": tuple(sorted(words))}
    )
    numbers = {word: float(at) for at, word in enumerate(WORDS) if word}
    columns = {
        "rod.material": np.array([numbers.get(word, np.nan) for word, _ in rods]),
        "rod.weight": np.array([np.nan if weight is None else weight for _, weight in rods]),
    }
    fits, band = judge_columns(rule, columns.__getitem__, lambda _: True, numbers.__getitem__)
    for at, (word, weight) in enumerate(rods):
        single = judge_fit(rule, {"rod.material": word or None, "rod.weight": weight}.get, lambda _: True)
        out = single.verdict == "no" or (single.verdict == "unknown" and needed)
        assert bool(fits[at]) is not out
        assert (rule.bands[band[at]].machining if band[at] >= 0 else "") == single.machining


@pytest.mark.parametrize(
    "when",
    [
        ["steel"],
        {"rod.material": "steel"},
        {"rod.material": []},
        {"rod.length": ["148"]},
        {"wheel.material": ["x"]},
    ],
)
def test_a_faulty_when_is_refused_by_name(when):
    data = rules_as_data(USUAL)
    data["rules"][0]["when"] = when
    with pytest.raises(QuantityError, match="as when of the rule 'mains'"):
        rules_from_data(data)


def test_offset_grinding_hangs_on_no_word_of_a_third_part():
    data = rules_as_data(USUAL)
    next(rule for rule in data["rules"] if rule["key"] == "journal")["when"] = {"piston.crown": ["flat"]}
    with pytest.raises(QuantityError, match="only where it belongs"):
        rules_from_data(data)


@pytest.mark.parametrize("pin", ["floating", "pressed", ""])
def test_a_part_that_lacks_what_its_word_asks_for_cannot_be_judged(pin):
    made = shelf(part("rod", "X", pin_bore=None, words={"pin": pin}))
    strict = FitRules(tuple(replace(rule, needed=True) for rule in USUAL.rules), USUAL.machinings)
    laid_out = QueryTables(made, Block(made, "B1"), strict, MixQuestion("B1", {}))
    assert laid_out.sieve("rod").missing["rod.pin_bore"].tolist() == [True]
    # The word that a rule hangs on is none that is missing: only floating pins want a word of their piston.
    assert laid_out.sieve("rod").missing["rod.pin"].tolist() == [False]
    assert best(laid_out).recipes == ()


@given(st.floats(0, 12), st.floats(0, 15))
def test_a_recipe_and_a_build_face_a_crown_as_far(land, thickness):
    document = single(
        parts__piston__top_land_height={"value": land},
        parts__piston__top_land_diameter="79.4 mm",
        parts__piston__crown_thickness={"value": thickness},
        parts__piston__above_rim="0 mm",
    )
    rules = rules_for("")
    limit, _ = limit_of(read_document(document), "crown_cut", rules)
    assert limit == pytest.approx(off(land=land, thickness=thickness), abs=1e-9)


def test_a_taller_piston_taken_into_a_build_stands_within_its_limit():
    tall = {
        "compression_height": 36.3,
        "top_land_height": 6.0,
        "top_land_diameter": 91.4,
        "crown_thickness": 8.0,
    }
    made = shelf(part("piston", "X", **tall))
    question, block = MixQuestion("B1", {"quench": Window(1.0, 1.3, 1.6)}), Block(made, "B1")
    parts = {kind: part(kind, kind) for kind in ("crank", "rod", "gasket", "head")}
    parts |= {"piston": part("piston", "X", **tall), "block": BLOCK}
    verdict = judge(made, block, rules=USUAL, question=question, recipe=(0, 0, 0, 0, 0))
    recipe = recipe_in_full(block, USUAL, question=question, verdict=verdict, parts=parts)
    assert recipe.document["planned"] == [{"op": "crown_cut", "amount": "2.0 mm"}]
    assert stack_fails(recipe, rules_for("")) == []
