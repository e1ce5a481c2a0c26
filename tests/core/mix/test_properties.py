"""What must hold of the search whatever the shelf."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.shelves import part, questions, shelves
from support.shelves import shelf as shelf_with
from zygometra.core.mix.counting import count
from zygometra.core.mix.judge import judge
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.searching import best, survey
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window

# Windows that decide nothing of how far a crown is faced: they only sieve.
SIEVES = ("compression_ratio", "displacement", "rod_ratio", "piston_speed", "cost")


def lay_out(shelf, question):
    return QueryTables(shelf, Block(shelf, "B1"), USUAL, question)


def opened(question, by):
    windows = {
        k: Window(None if w.low is None else w.low - by, None, None if w.high is None else w.high + by)
        if k in SIEVES
        else w
        for k, w in question.windows.items()
    }
    return replace(question, windows=windows)


@given(shelves(), questions(), st.floats(0, 50))
def test_a_window_opened_never_loses_a_recipe(shelf, question, by):
    narrow = set(best(lay_out(shelf, replace(question, best=1000, priority="cheapest"))).recipes)
    wide = set(best(lay_out(shelf, replace(opened(question, by), best=1000, priority="cheapest"))).recipes)
    assert narrow <= wide


@given(shelves(), questions())
def test_fewer_asked_are_the_first_of_more(shelf, question):
    laid_out = lay_out(shelf, question)
    assert best(laid_out, 2).recipes == best(laid_out, 7).recipes[:2]


@given(shelves(), questions())
def test_less_machining_allowed_never_finds_more(shelf, question):
    every, none = replace(question, machining=None), replace(question, machining=frozenset())
    assert count(lay_out(shelf, none)).recipes <= count(lay_out(shelf, every)).recipes


@given(shelves(), questions())
def test_what_must_be_used_is_used(shelf, question):
    asked = replace(question, use={"rod": "rod-0"}, best=1000)
    laid_out = lay_out(shelf, asked)
    row = shelf.tables["rod"].place["rod-0"]
    assert all(recipe[1] == row for recipe in best(laid_out).recipes)
    assert count(laid_out).recipes <= count(lay_out(shelf, question)).recipes


@given(shelves(), st.integers(1, 6))
def test_a_survey_shows_recipes_that_stand_one_for_each_set(shelf, most):
    question = MixQuestion("B1", {})
    laid_out = lay_out(shelf, question)
    found = survey(laid_out, most)
    sets = [recipe[:3] for recipe in found.found.recipes]
    assert len(set(sets)) == len(sets) <= min(most, found.sets)
    for recipe in found.found.recipes:
        assert judge(shelf, laid_out.block, rules=USUAL, question=question, recipe=recipe).stands


def test_a_survey_of_many_sets_draws_some_and_says_about_how_many_there_are(monkeypatch):
    made = shelf_with(
        *(part("rod", f"R{i}", length=146 + i / 20) for i in range(60)),
        *(
            part("piston", f"P{i}", compression_height=32 + i / 10, skirt_length=20.0 + i % 20)
            for i in range(40)
        ),
        *(part("crank", f"C{i}", stroke=84 + i / 2) for i in range(12)),
    )
    laid_out = lay_out(made, MixQuestion("B1", {"deck_clearance": Window(-1, None, 2)}))
    monkeypatch.setattr("zygometra.core.mix.searching._MOST_SETS", 10**9)
    whole = survey(laid_out, 50)
    monkeypatch.setattr("zygometra.core.mix.searching._MOST_SETS", 100)
    monkeypatch.setattr("zygometra.core.mix.searching._MOST_PAIRS", 500)
    found = survey(laid_out, 100)
    assert whole.exact
    assert not found.exact
    assert found.sets == pytest.approx(whole.sets, rel=0.3)
    assert whole.sets > 5000
    assert 70 < len({recipe[:3] for recipe in found.found.recipes}) == len(found.found.recipes) <= 100
    # Drawn evenly: from all over the cranks, not from the first of them.
    assert len({recipe[0] for recipe in found.found.recipes}) > 8
    for recipe in found.found.recipes:
        assert judge(made, laid_out.block, rules=USUAL, question=laid_out.question, recipe=recipe).stands
