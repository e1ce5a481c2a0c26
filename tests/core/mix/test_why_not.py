"""Why not this part: every reason there can be, in a sentence."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.shelves import all_verdicts, part, questions, shelf, shelves
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import MAKING
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.mix.why_not import why_not
from zygometra.core.windows import Window

FLOORS = {"": 0.9, "aluminium": 1.4}


def asked(code, *parts, windows=None, **about):
    made = shelf(*parts)
    question = MixQuestion("B1", windows or {"quench": Window(0.9, None, 2.0)}, quench_floor=FLOORS, **about)
    return tuple(map(str, why_not(QueryTables(made, Block(made, "B1"), USUAL, question), code)))


def test_a_part_that_is_in_says_with_what_and_for_how_much():
    assert asked("rod-0") == (
        "It is in: 1 recipe with it; the first costs 1100.00,"
        " with crank crank-0, piston piston-0, gasket gasket-0, head head-0.",
    )


@pytest.mark.parametrize(
    ("of", "says"),
    [
        (
            part("crank", "X", main_diameter=70.0),
            "Main journals: the crank's main journals are 10.00 mm larger than the block's.",
        ),
        (
            part("head", "X", words={"head_pattern": "V14"}),
            "Head on the block: the head has another bolt pattern.",
        ),
        (
            part("piston", "X", bore=95.0),
            "Walls after boring: the walls leave −1.50 mm up to this piston's bore.",
        ),
        (part("rod", "X", length=None), "The rod cannot be judged: length missing."),
    ],
)
def test_what_keeps_a_part_out_on_its_own(of, says):
    assert says in asked("X", of, part(of.kind, "other"))


ALONE = "On its own it fits the block, but nothing on the shelf goes together with this {}."


@pytest.mark.parametrize(
    ("of", "says"),
    [
        # The small end is bushed by 2.5 at the most; P2 has the larger pin.
        (
            part("rod", "X", pin_bore=26.0),
            "Pin in the small end: with none of 2 pistons; "
            "with P2, the nearest, the small end is 3.00 mm larger than the pin.",
        ),
        # No journal is ground larger.
        (
            part("crank", "X", pin_diameter=46.0),
            "Big end on its journal: with none of 1 rod; "
            "with rod-0, the nearest, the rod journal is 4.00 mm smaller than the rod's bearings.",
        ),
        (
            part("gasket", "X", bore=91.0),
            "Gasket opening over the bore: with none of 2 pistons; "
            "with P1, the nearest, the gasket opening stands −1.00 mm over the bore, 0.50 mm to 6.00 mm is wanted.",
        ),
        # 82 of room, 43 of crank radius, 45 of big end: −6 is left.
        (
            part("rod", "X", big_end_radius=45.0),
            "Big end in the crankcase: with none of 1 crank; "
            "with crank-0, the nearest, the big end has −6.00 mm of room to the block or the cam, 1.50 mm is wanted.",
        ),
    ],
)
def test_a_part_that_goes_with_nothing_names_the_rule_and_the_nearest(of, says):
    pistons = [part("piston", "P1"), part("piston", "P2", pin_diameter=23.0, pin_bore=23.0)]
    ordinary = [part(kind, f"{kind}-0") for kind in MAKING if kind != "piston"]
    assert asked("X", of, *pistons, *ordinary) == (ALONE.format(of.kind), says)


def test_a_kind_of_which_nothing_can_be_used_is_named():
    others = [part("head", "H", words={"head_pattern": "V14"}), part("gasket", "G", thickness=None)]
    assert asked("rod-0", *others) == (
        ALONE.format("rod"),
        "None of the gaskets on the shelf could be used.",
        "None of the heads on the shelf could be used.",
    )


def test_where_no_rule_alone_is_to_blame_each_says_what_it_leaves():
    # R1 fits the crank's width but not its journal, R2 its journal but not its width.
    crank = part("crank", "X", pin_diameter=48.0, pin_width=21.0)
    rods = [part("rod", "R1", big_end_width=20.5), part("rod", "R2", journal_diameter=48.0)]
    assert asked("X", crank, part("crank", "crank-0"), *rods) == (
        ALONE.format("crank"),
        "Left for it by one rule at a time: big end on its journal 1 of 2 rods; "
        "big end width on its journal 1 of 2 rods.",
    )


def test_what_was_asked_for_keeps_a_part_out():
    two = (part("rod", "R1"), part("rod", "R2"))
    assert asked("R1", *two, use={"rod": "R2"}) == ("The question asks for another rod: R2.",)
    assert asked("R1", *two, only_in_hand=True) == (
        "There are not enough of it on the shelf, and only what is in hand was asked for.",
    )


def test_a_window_that_keeps_it_out_is_named_with_what_it_holds_back():
    # 52 cc give the nominal stack a ratio of some 9.6; 70 cc far less.
    large = part("head", "X", chamber_volume=70.0)
    windows = {"quench": Window(0.9, None, 2.0), "compression_ratio": Window(9.0, None, 10.5)}
    first, nearest = asked("X", large, part("head", "head-0"), windows=windows)
    assert first == "The window of compression ratio keeps it out: without it there would be 1 recipe."
    assert re.fullmatch(r"The nearest it comes: compression ratio [12]\.\d\d under\.", nearest)


def test_a_piston_through_the_head_is_told_how_near_it_comes_to_the_floor():
    # Nominal: 0.2 down. 3 mm taller: 2.8 proud, under a gasket of 1.2 a quench of −1.6.
    tall = part("piston", "X", compression_height=37.2)
    assert (
        "It stops too high: the most quench it leaves is −1.60 mm, and the house's floor of 1.40 mm is never undercut."
        in asked("X", tall, part("piston", "piston-0"), machining=frozenset())
    )


def test_a_code_that_is_not_there_is_said():
    assert asked("nothing") == ("No crank, rod, piston, gasket or head on the shelf has the code nothing.",)


@given(shelves(), questions(), st.data())
def test_it_says_in_where_brute_force_finds_it_and_only_there(shelf, question, data):
    kind = data.draw(st.sampled_from(MAKING))
    row = data.draw(st.sampled_from(range(len(shelf.tables[kind]))))
    laid_out = QueryTables(shelf, Block(shelf, "B1"), USUAL, question)
    says = tuple(map(str, why_not(laid_out, shelf.tables[kind].codes[row])))
    recipes = [v for v in all_verdicts(shelf, question) if v.stands and v.recipe[MAKING.index(kind)] == row]
    assert says
    if recipes:
        first = min((v.results for v in recipes), key=lambda r: r.cost)
        cheapest, priced = first.known_cost / 100, first.is_priced
        words = "1 recipe" if len(recipes) == 1 else f"{len(recipes)} recipes"
        assert says[0].startswith(f"It is in: {words} with it; the first costs ")
        if question.priority == "cheapest":
            assert f"costs {cheapest:.2f}{',' if priced else ' and what is not known,'}" in says[0]
    else:
        assert not says[0].startswith("It is in")
