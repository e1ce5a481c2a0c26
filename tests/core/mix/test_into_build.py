"""A recipe goes into a build: what is replaced, what stays, what is aimed at."""

from __future__ import annotations

import copy

import pytest
from hypothesis import given

from support.shelves import BLOCK, part, questions, shelf
from zygometra.core.build.document import read_document
from zygometra.core.mix.into_build import targets_of, with_recipe
from zygometra.core.mix.judge import judge
from zygometra.core.mix.parts import MAKING
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.recipe import recipe_in_full
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.windows import Window
from zygometra.exchange.build_file import check

HERS = {
    "format": "zygometra.build",
    "version": 1,
    "name": "Hers",
    "customer": "Brannoch",
    "school": "true-then-cut",
    "x-bench": {"stand": 3},
    "engine": {"layout": "inline", "banks": [{"name": "A", "cylinders": [1, 2, 3, 4]}]},
    "parts": {
        "block": {"bore": "91.5 mm", "deck_height": "226 mm"},
        "crank": {"stroke": "84 mm"},
        "rod": {"length": "147 mm"},
        "piston": {"compression_height": "35 mm", "crown_volume": "2 cc", "dish_area": 0},
        "gasket": {"thickness": "1 mm", "bore": "93 mm"},
        "head": {
            "chamber_volume": "50 cc",
            "opening_area": "5000 mm2",
            "opening_perimeter": "300 mm",
            "wall_draft": "10 deg",
        },
    },
    "cylinders": {"2": {"deck_clearance": "0.41 mm"}},
    "planned": [{"op": "deck_cut", "amount": "0.1 mm"}],
}


def recipe(**changed):
    parts = {kind: changed.get(kind) or part(kind, f"{kind}-0") for kind in MAKING}
    made = shelf(*parts.values())
    question = MixQuestion("B1", {"quench": Window(0.9, 1.1, 2.0)})
    block = Block(made, "B1")
    verdict = judge(made, block, rules=USUAL, question=question, recipe=(0, 0, 0, 0, 0))
    return recipe_in_full(block, USUAL, question=question, verdict=verdict, parts=parts | {"block": BLOCK})


def test_the_parts_are_the_recipes_and_the_rest_stays_hers():
    found = recipe()
    before = copy.deepcopy(HERS)
    out = with_recipe(HERS, found.document)
    assert before == HERS
    check(out)
    assert {k: out[k] for k in ("name", "customer", "school", "x-bench", "engine")} == {
        k: HERS[k] for k in ("name", "customer", "school", "x-bench", "engine")
    }
    assert out["parts"]["crank"] == {"stroke": 86.0, "x-part": "crank-0"}
    # What was measured on the old parts, or planned on them, says nothing of the new ones.
    assert "cylinders" not in out
    assert "planned" not in out
    for hole in evaluate(read_document(out)).now.holes:
        assert hole.outcome.deck_clearance == pytest.approx(225.4 - 43 - 148 - 34.2, abs=1e-12)


def test_a_heads_opening_stays_where_the_recipe_does_not_know_it():
    out = with_recipe(HERS, recipe().document)
    assert (out["parts"]["head"]["opening_perimeter"], out["parts"]["head"]["wall_draft"]) == (
        "300 mm",
        "10 deg",
    )
    assert "opening_area" not in out["parts"]["head"]
    known = with_recipe(HERS, recipe(head=part("head", "H", opening_area=5200.0)).document)
    assert known["parts"]["head"]["opening_area"] == 5200.0
    bare = copy.deepcopy(HERS)
    del bare["parts"]["head"]
    assert "wall_draft" not in with_recipe(bare, recipe().document)["parts"]["head"]


def test_a_crown_that_must_be_faced_is_a_planned_cut():
    # 0.5 mm proud under a gasket of 1.2 leaves 0.7: less than the window, so it is faced to the aim.
    out = with_recipe(HERS, recipe(piston=part("piston", "P", compression_height=34.9)).document)
    assert [step["op"] for step in out["planned"]] == ["crown_cut"]
    assert evaluate(read_document(out)).planned.hole(1).outcome.quench == pytest.approx(1.1, abs=1e-9)


def test_targets_come_from_the_recipe_only_where_the_build_has_none():
    new = {**recipe().document, "targets": {"quench": {"min": "0.95 mm"}}}
    assert with_recipe(HERS, new)["targets"] == {"quench": {"min": "0.95 mm"}}
    own = {**HERS, "targets": {"compression_ratio": {"aim": 9.5}}}
    assert with_recipe(own, new)["targets"] == {"compression_ratio": {"aim": 9.5}}
    assert "targets" not in with_recipe(HERS, recipe().document)


def test_windows_become_targets_with_their_units():
    windows = {
        "compression_ratio": Window(9.2, 9.8, None),
        "quench": Window(0.95, None, 1.3),
        "deck_clearance": Window(-0.1, None, None),
        "cost": Window(None, None, 900.0),
        "displacement": Window(),
    }
    assert targets_of(MixQuestion("B1", windows)) == {
        "compression_ratio": {"min": 9.2, "aim": 9.8},
        "quench": {"min": "0.95 mm", "max": "1.3 mm"},
        "deck_clearance": {"min": "-0.1 mm"},
    }


@given(questions())
def test_any_windows_make_targets_that_a_build_may_have(question):
    check({**HERS, "targets": targets_of(question)})
