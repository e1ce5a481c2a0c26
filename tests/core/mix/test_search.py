"""The search against brute force: every recipe judged one by one."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cache

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.shelves import all_verdicts, part, questions, shelf, shelves
from zygometra.core.mix.counting import Count, count, estimate
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.placeholders import priced
from zygometra.core.mix.question import WANTED, MixQuestion
from zygometra.core.mix.rules import Band, FitRule, FitRules, Machining
from zygometra.core.mix.searching import best
from zygometra.core.mix.shelf import Block, shelf_of
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window
from zygometra.demo.shelf import demo_shelf


def lay_out(shelf, question, rules=USUAL):
    return QueryTables(shelf, Block(shelf, question.block), rules, question)


def distance(results, question):
    """The largest distance from any aim, in ten-thousandths of a step of its window; nearer than that is even."""
    aims = {w.key: question.aim(w.key) for w in WANTED}
    steps = max(
        (abs(results.value(k) - a) / question.scale(k) for k, a in aims.items() if a is not None), default=0.0
    )
    return math.floor(steps * 10_000 + 0.3819660112501051)


def order(verdict, question):
    r = verdict.results
    # What is not priced comes last, whatever is asked first.
    first = {"cheapest": r.cost, "least-machining": (priced(r.cost)[1], r.machining_cost, r.cost)}
    if question.priority == "nearest":
        return (distance(r, question), r.cost, verdict.recipe)
    return (first[question.priority], r.cost, verdict.recipe)


@given(shelves(), questions())
def test_the_best_recipes_and_their_number_are_those_of_brute_force(shelf, question):
    standing = [v for v in all_verdicts(shelf, question) if v.stands]
    laid_out = lay_out(shelf, question)
    assert count(laid_out).recipes == len(standing)
    expected = sorted(standing, key=lambda v: order(v, question))[: question.best]
    found = best(laid_out)
    assert list(found.recipes) == [v.recipe for v in expected]
    for row, verdict in enumerate(expected):
        for wanted in WANTED:
            value, known = float(found.column(wanted.key, laid_out)[row]), verdict.results.value(wanted.key)
            if known is None:
                assert math.isnan(value)
            else:
                assert value == pytest.approx(known, rel=1e-12, abs=1e-9)
        assert float(found.rows["stroke"][row]) == pytest.approx(verdict.results.stroke, rel=1e-12)
        assert float(found.rows["cut"][row]) == pytest.approx(verdict.results.crown_cut, abs=1e-12)


@given(shelves(), questions())
def test_an_estimate_that_follows_everything_up_is_the_count(shelf, question):
    laid_out = lay_out(shelf, question)
    assert estimate(laid_out) == count(laid_out)


def test_an_estimate_of_a_sample_lies_within_its_error_of_the_count():
    rods = [part("rod", f"R{i}", length=148 + (i % 40) / 50) for i in range(400)]
    pistons = [part("piston", f"P{i}", compression_height=33 + i / 50) for i in range(80)]
    gaskets = [part("gasket", f"G{i}", thickness=0.5 + i / 20) for i in range(30)]
    made = shelf(*rods, *pistons, *gaskets, *(part("crank", f"C{i}", stroke=86 + i / 10) for i in range(20)))
    laid_out = lay_out(made, MixQuestion("B1", {"quench": Window(1.0, None, 1.5)}))
    exact = count(laid_out).recipes
    guess = estimate(laid_out, sample=100)
    assert not guess.exact
    assert abs(guess.recipes - exact) < 4 * guess.error < exact


def test_pieces_of_a_join_give_what_the_whole_gives(monkeypatch):
    rods = [part("rod", f"R{i}", length=148 + i / 100, price=100 * i) for i in range(30)]
    pistons = [part("piston", f"P{i}", compression_height=33 + i / 20, price=70 * i) for i in range(40)]
    question = MixQuestion("B1", {"quench": Window(1.0, None, 1.5)}, best=40)
    laid_out = lay_out(shelf(*rods, *pistons), question)
    whole, number = best(laid_out).recipes, count(laid_out).recipes
    monkeypatch.setattr("zygometra.core.mix.runs.MOST_ROWS", 7)
    assert best(laid_out).recipes == whole
    assert count(laid_out).recipes == number > 40


@pytest.mark.parametrize(
    ("number", "words"),
    [
        (Count(0, 0, exact=True), "0 recipes"),
        (Count(1, 0, exact=True), "1 recipe"),
        (Count(1352, 0, exact=True), "1\u202f352 recipes"),
        (
            Count(4.6e11, 8.4e10, exact=False),
            "about 460\u202f000\u202f000\u202f000 ± 170\u202f000\u202f000\u202f000 recipes",
        ),
        # A sample that found none does not say that there is none.
        (Count(0.0, 0.0, exact=False), "few recipes, if any"),
    ],
)
def test_a_count_in_words(number, words):
    assert number.words == words


@pytest.mark.parametrize(
    ("priority", "ratio"), [("cheapest", 9.5), ("least-machining", 9.5), ("nearest", 9.5), ("cheapest", 40.0)]
)
def test_a_search_tells_how_far_it_is_and_can_be_ended(priority, ratio):
    made = shelf_of(demo_shelf(2000, 7))
    question = MixQuestion(
        "BL-001",
        {"quench": Window(0.9, 1.1, 2.0), "compression_ratio": Window(ratio, ratio + 0.3, None)},
        priority=priority,
        best=20,
    )
    laid_out = QueryTables(made, Block(made, "BL-001"), USUAL, question)
    shares = []
    found = best(laid_out, told=shares.append)
    assert shares
    assert all(0 <= share <= 1 for share in shares)
    assert bool(found.recipes) == (ratio < 40)
    assert found.recipes == best(laid_out).recipes

    def enough(share):
        raise TimeoutError

    with pytest.raises(TimeoutError):
        best(laid_out, told=enough)


def test_a_count_tells_how_far_it_is_and_can_be_ended():
    laid_out = lay_out(
        shelf(*(part("rod", f"R{i}", length=148 + i / 100) for i in range(9))), MixQuestion("B1", {})
    )
    shares = []
    assert count(laid_out, told=shares.append).recipes == 9
    assert shares == [0.0]

    def ends(_share):
        raise TimeoutError

    with pytest.raises(TimeoutError):
        count(laid_out, told=ends)


@given(shelves(), questions(), st.sampled_from([(0, 10**9), (0, 0), (5, 10**9), (40, 0)]))
def test_a_rising_bound_and_a_sweep_find_what_brute_force_finds(shelf, question, how):
    budget, plenty = how
    question = replace(
        question, priority="least-machining" if question.priority == "nearest" else question.priority
    )
    standing = [v for v in all_verdicts(shelf, question) if v.stands]
    expected = sorted(standing, key=lambda v: order(v, question))[: question.best]
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("zygometra.core.mix.cheapest._FEW", 0)
        patch.setattr("zygometra.core.mix.cheapest._MANY", budget)
        patch.setattr("zygometra.core.mix.cheapest._PLENTY", plenty)
        assert list(best(lay_out(shelf, question)).recipes) == [v.recipe for v in expected]


# A shop's own rules may lie between any parts: within the top end, around it, and right across.
ACROSS = {
    "top": FitRule(
        "top",
        "gasket and head",
        {"gasket.thickness": 10, "head.chamber_volume": 1},
        (Band(0, 66), Band(66, 70, "skim-head")),
    ),
    "crown": FitRule(
        "crown",
        "dome under the head",
        {"head.dome_room": 1, "gasket.thickness": 1, "piston.dome_height": -1},
        (Band(1.0, 11.0),),
    ),
    "rod": FitRule(
        "rod",
        "rod and head",
        {"rod.length": 1, "head.chamber_volume": -1},
        (Band(95.0, 97.0), Band(87.0, 90.0, "skim-head")),
    ),
    "hung": FitRule(
        "hung",
        "aluminium rods under thick gaskets",
        {"gasket.thickness": 1, "piston.compression_height": 0.01},
        (Band(0.0, 1.62),),
        when={"rod.material": ("aluminium", "")},
    ),
    "crank": FitRule(
        "crank", "crank and gasket", {"crank.stroke": 1, "gasket.thickness": 10}, (Band(0.0, 99.0),)
    ),
}


QUESTION_ACROSS = MixQuestion(
    "B1", {"quench": Window(None, 1.2, 3.0), "compression_ratio": Window(8.0, 9.0, 11.0)}, best=40
)


@cache
def judged_across(names):
    """A shelf, the usual rules with some across, and what brute force says of them."""
    own = {
        "skim-head": Machining(
            "skim-head", "skim the head", "head", 700, changes="chamber volume to be measured again"
        )
    }
    rules = FitRules((*USUAL.rules, *(ACROSS[name] for name in names)), {**USUAL.machinings, **own})
    made = shelf(
        *(part("crank", f"C{i}", stroke=86 + 2 * i, price=20_000 - 900 * i) for i in range(3)),
        *(
            part("rod", f"R{i}", length=146 + i / 2, price=3000 + 77 * i, words={"material": material})
            for i, material in enumerate(("steel", "aluminium", "", "steel", "aluminium", "titanium"))
        ),
        *(part("piston", f"P{i}", compression_height=32.2 + i, dome_height=5.0 * (i % 2)) for i in range(3)),
        *(part("gasket", f"G{i}", thickness=0.9 + i / 5, price=2000 + 130 * i) for i in range(4)),
        *(part("head", f"H{i}", chamber_volume=50 + 3 * i, dome_room=8.0 + 3 * (i % 2)) for i in range(5)),
    )
    return made, rules, [v for v in all_verdicts(made, QUESTION_ACROSS, rules) if v.stands]


@pytest.mark.parametrize("swept", [False, True])
@pytest.mark.parametrize("priority", ["cheapest", "least-machining", "nearest"])
@pytest.mark.parametrize("names", [*((name,) for name in ACROSS), tuple(ACROSS)])
def test_rules_between_any_parts_are_kept(names, priority, swept, monkeypatch):
    if swept:
        monkeypatch.setattr("zygometra.core.mix.cheapest._FEW", 0)
        monkeypatch.setattr("zygometra.core.mix.cheapest._MANY", 0)
        monkeypatch.setattr("zygometra.core.mix.cheapest._PLENTY", 10**9)
    made, rules, standing = judged_across(names)
    question = replace(QUESTION_ACROSS, priority=priority)
    laid_out = lay_out(made, question, rules)
    assert count(laid_out).recipes == len(standing) < count(lay_out(made, question)).recipes
    expected = sorted(standing, key=lambda v: order(v, question))[: question.best]
    assert list(best(laid_out).recipes) == [v.recipe for v in expected] != []


@pytest.mark.parametrize("wanted", [1, 30, 700])
def test_of_many_that_cost_nothing_more_those_first_on_the_shelf_come_first(wanted, monkeypatch):
    monkeypatch.setattr("zygometra.core.mix.cheapest._FEW", 0)
    monkeypatch.setattr("zygometra.core.mix.cheapest._WORTH", 10)
    stock = {"on_shelf": 8, "state": "accepted"}
    made = shelf(
        *(part("crank", f"C{i}", stroke=86 + 2 * (i % 3), **stock) for i in range(10)),
        # The classes of the big ends do not stand in the order of the shelf.
        *(
            part("rod", f"R{i}", journal_diameter=50.0 - 2 * (i % 2), length=148 - i % 4, **stock)
            for i in range(16)
        ),
        *(part("piston", f"P{i}", compression_height=34.2 - i, **stock) for i in range(3)),
        *(part("gasket", f"G{i}", thickness=1.0 + i / 5, **stock) for i in range(2)),
    )
    question = MixQuestion("B1", {"quench": Window(None, None, 4.0)}, best=wanted)
    standing = [v for v in all_verdicts(made, question) if v.stands]
    expected = sorted(standing, key=lambda v: order(v, question))[:wanted]
    least = min(v.results.cost for v in standing)
    assert sum(v.results.cost == least for v in standing) > 100
    assert list(best(lay_out(made, question)).recipes) == [v.recipe for v in expected]
