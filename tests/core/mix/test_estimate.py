"""The estimate of how many recipes there are: its stated error against what is counted."""

from __future__ import annotations

import pytest

from support.shelves import part
from support.shelves import shelf as shelf_with
from zygometra.core.mix.counting import count, estimate
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.shelf import Block, shelf_of
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window
from zygometra.demo.shelf import demo_shelf


def asked_of(made, question):
    return QueryTables(made, Block(made, question.block), USUAL, question)


@pytest.fixture(scope="module")
def large():
    return shelf_of(demo_shelf(3000, 11))


@pytest.mark.parametrize(
    "windows",
    [
        {"quench": Window(0.95, 1.1, 1.3), "compression_ratio": Window(9.3, 9.8, 10.2)},
        # Few of the pairs lead anywhere, and some of them to very many.
        {"quench": Window(1.0, None, 1.05), "compression_ratio": Window(10.0, None, 10.2)},
    ],
)
def test_the_truth_lies_within_twice_the_stated_error_as_often_as_it_should(large, windows):
    laid_out = asked_of(large, MixQuestion("BL-002", windows))
    truth = count(laid_out).recipes
    drawn = [estimate(laid_out, sample=60, seed=seed) for seed in range(250)]
    assert not any(d.exact for d in drawn)
    assert min(d.error for d in drawn) > 0
    held = sum(abs(truth - d.recipes) <= 2 * d.error for d in drawn) / len(drawn)
    # Of 250 draws that hold 95 in 100, fewer than 91 or more than 99 in 100 are one in a thousand.
    assert 0.91 <= held <= 0.99
    # On the average of all draws it is right: nothing is missed for good.
    assert sum(d.recipes for d in drawn) / len(drawn) == pytest.approx(truth, rel=0.05)


def test_an_estimate_of_very_many_pairs_looks_at_some_of_them(large, monkeypatch):
    laid_out = asked_of(large, MixQuestion("BL-002", {"quench": Window(0.95, 1.1, 1.3)}))
    truth = count(laid_out).recipes
    monkeypatch.setattr("zygometra.core.mix.counting._LOOKED_AT", 500)
    drawn = [estimate(laid_out, seed=seed) for seed in range(60)]
    held = sum(abs(truth - d.recipes) <= 2 * d.error for d in drawn) / len(drawn)
    assert held >= 0.85
    assert sum(d.recipes for d in drawn) / len(drawn) == pytest.approx(truth, rel=0.05)


def test_where_nothing_was_found_an_error_is_stated_that_holds_what_there_is():
    # One crank of ninety meets its piston inside the window; so many draws may well miss it.
    made = shelf_with(
        *(part("crank", f"C{i}", stroke=80 + i / 20, counterweight_radius=60.0) for i in range(90)),
        *(part("rod", f"R{i}", length=148 + i / 100) for i in range(6)),
    )
    laid_out = asked_of(
        made, MixQuestion("B1", {"deck_clearance": Window(1.2, None, 1.2001)}, machining=frozenset())
    )
    truth = count(laid_out).recipes
    assert truth > 0
    drawn = [estimate(laid_out, sample=5, seed=seed) for seed in range(40)]
    assert all(d.exact or d.error > 0 for d in drawn)
