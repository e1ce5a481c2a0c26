"""The search against brute force: every recipe judged one by one."""

from __future__ import annotations

import pytest
from hypothesis import given
from shelves import all_verdicts, part, questions, shelf, shelves

from zygometra.core.build import Window
from zygometra.core.mix.bench import Bench
from zygometra.core.mix.question import WANTED, Question
from zygometra.core.mix.rules import USUAL
from zygometra.core.mix.search import best, count, estimate
from zygometra.core.mix.shelf import Block


def laid_out(shelf, question):
    return Bench(shelf, Block(shelf, question.block), USUAL, question)


def distance(results, question):
    """The largest distance from any aim, in steps of its window."""
    aims = {w.key: question.aim(w.key) for w in WANTED}
    return round(max((abs(results.value(k) - a) / question.scale(k) for k, a in aims.items() if a is not None),
                     default=0.0), 9)  # fmt: skip


def order(verdict, question):
    r = verdict.results
    first = {"cheapest": r.cost, "least-machining": (r.machining_cost, r.cost)}
    if question.priority == "nearest":
        return (distance(r, question), r.cost, verdict.recipe)
    return (first[question.priority], r.cost, verdict.recipe)


@given(shelves(), questions())
def test_the_best_recipes_and_their_number_are_those_of_brute_force(shelf, question):
    standing = [v for v in all_verdicts(shelf, question) if v.stands]
    bench = laid_out(shelf, question)
    assert count(bench).recipes == len(standing)
    expected = sorted(standing, key=lambda v: order(v, question))[: question.best]
    found = best(bench)
    assert list(found.recipes) == [v.recipe for v in expected]
    for row, verdict in enumerate(expected):
        for wanted in WANTED:
            value = float(found.column(wanted.key, bench)[row])
            assert value == pytest.approx(verdict.results.value(wanted.key), rel=1e-12, abs=1e-9)
        assert float(found.rows["stroke"][row]) == pytest.approx(verdict.results.stroke, rel=1e-12)
        assert float(found.rows["cut"][row]) == pytest.approx(verdict.results.crown_cut, abs=1e-12)


@given(shelves(), questions())
def test_an_estimate_that_follows_everything_up_is_the_count(shelf, question):
    bench = laid_out(shelf, question)
    assert estimate(bench) == count(bench)


def test_an_estimate_of_a_sample_lies_within_its_error_of_the_count():
    rods = [part("rod", f"R{i}", length=148 + (i % 40) / 50) for i in range(400)]
    pistons = [part("piston", f"P{i}", compression_height=33 + i / 50) for i in range(80)]
    gaskets = [part("gasket", f"G{i}", thickness=0.5 + i / 20) for i in range(30)]
    made = shelf(*rods, *pistons, *gaskets, *(part("crank", f"C{i}", stroke=86 + i / 10) for i in range(20)))
    bench = laid_out(made, Question("B1", {"quench": Window(1.0, None, 1.5)}))
    exact = count(bench).recipes
    guess = estimate(bench, sample=100)
    assert not guess.exact
    assert abs(guess.recipes - exact) < 4 * guess.error < exact


def test_pieces_of_a_join_give_what_the_whole_gives(monkeypatch):
    rods = [part("rod", f"R{i}", length=148 + i / 100, price=100 * i) for i in range(30)]
    pistons = [part("piston", f"P{i}", compression_height=33 + i / 20, price=70 * i) for i in range(40)]
    question = Question("B1", {"quench": Window(1.0, None, 1.5)}, best=40)
    bench = laid_out(shelf(*rods, *pistons), question)
    whole, number = best(bench).recipes, count(bench).recipes
    monkeypatch.setattr("zygometra.core.mix.joins.MOST_ROWS", 7)
    assert best(bench).recipes == whole
    assert count(bench).recipes == number > 40


def test_a_count_stops_where_it_would_be_too_long():
    bench = laid_out(
        shelf(*(part("rod", f"R{i}", length=148 + i / 100) for i in range(9))), Question("B1", {})
    )
    assert count(bench, most_sets=3) is None
    assert count(bench, most_sets=100).recipes == 9
