"""Rules of fit: single cases worked by hand, and the rules as data."""

from __future__ import annotations

import json

import numpy as np
import pytest

from support.shelves import BLOCK, part, shelf
from zygometra.core.errors import QuantityError
from zygometra.core.mix.judge import judge
from zygometra.core.mix.machining import throw_shift
from zygometra.core.mix.parts import newly_ordered, put_back
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.rules import Band, FitRule, judge_columns, judge_fit
from zygometra.core.mix.rules_data import rules_as_data, rules_from_data
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window
from zygometra.core.wording import Reader


def verdict(*parts, question=None, rules=USUAL):
    made = shelf(*parts)
    asked = question or MixQuestion("B1", {"quench": Window(0.9, None, 2.0)})
    return judge(made, Block(made, "B1"), rules=rules, question=asked, recipe=(0, 0, 0, 0, 0))


def jobs(found):
    return {job.machining for job in found.jobs}


def refused(found):
    return {fit.rule.key for fit in found.refused}


def test_nominal_parts_fit_as_they_are():
    found = verdict()
    assert found.stands
    assert found.jobs == ()
    # By hand: 225.4 − (43 + 148 + 34.2) = 0.2 down, 1.4 quench over a 1.2 gasket.
    assert found.results.deck_clearance == pytest.approx(0.2, abs=1e-9)
    assert found.results.quench == pytest.approx(1.4, abs=1e-9)


@pytest.mark.parametrize(
    ("kind", "figures", "machining"),
    [
        ("rod", {"pin_bore": 21.0}, "hone-small-end"),
        ("rod", {"pin_bore": 24.0}, "bush-small-end"),
        ("rod", {"big_end_width": 25.0}, "narrow-rod"),
        ("crank", {"main_diameter": 61.0}, "grind-mains"),
        ("crank", {"snout_diameter": 34.0}, "turn-snout"),
        ("crank", {"counterweight_radius": 83.5}, "turn-counterweights"),
        ("piston", {"skirt_length": 34.0}, "shorten-skirt"),
        ("piston", {"pin_bore": 21.8}, "hone-bosses"),
    ],
)
def test_a_near_fit_wants_its_operation(kind, figures, machining):
    assert machining in jobs(verdict(part(kind, "X", **figures)))


@pytest.mark.parametrize(
    ("kind", "figures", "rule"),
    [
        ("rod", {"pin_bore": 18.0}, "small-end"),
        ("crank", {"main_diameter": 55.0}, "mains"),
        ("crank", {"pin_diameter": 48.0}, "journal"),
        ("piston", {"bore": 95.0}, "bore-limit"),
        ("piston", {"bore": 90.0}, "bore-size"),
        ("piston", {"dome_height": 9.5}, "dome"),
        ("gasket", {"bore": 92.2}, "gasket-bore"),
    ],
)
def test_a_part_that_cannot_fit_is_refused_by_its_rule(kind, figures, rule):
    assert rule in refused(verdict(part(kind, "X", **figures)))


def test_another_bolt_pattern_is_no_fit_and_another_flange_is_redrilled():
    assert refused(verdict(part("head", "X", words={"head_pattern": "V14"}))) == {"head-pattern"}
    assert jobs(verdict(part("crank", "X", words={"flange": "eight"}))) == {"redrill-flange"}


def test_an_operation_that_is_not_allowed_makes_no_fit():
    question = MixQuestion("B1", {"quench": Window(0.9, None, 2.0)}, machining=frozenset())
    assert refused(verdict(part("rod", "X", pin_bore=21.0), question=question)) == {"small-end"}


def test_a_missing_figure_is_named_and_neither_in_nor_out():
    found = verdict(part("rod", "X", length=None))
    assert found.missing == ("rod.length",)
    assert not found.stands
    assert not found.refused


def test_a_check_that_cannot_be_made_is_said_and_does_not_keep_out():
    found = verdict(part("piston", "X", skirt_length=None))
    assert found.stands
    assert "skirt" in {fit.rule.key for fit in found.unchecked}


def test_offset_grinding_meets_the_wanted_clearance_exactly():
    # A 54 mm journal ground to 50 with 0.1 of clean-up: the throw moves up to 1.9, the stroke up to 3.8.
    assert throw_shift(54.0, 50.0, 0.1) == pytest.approx(1.9)
    question = MixQuestion("B1", {"deck_clearance": Window(0.0, 0.05, 0.1), "quench": Window(0.9, None, 2.0)})
    found = verdict(
        part("crank", "X", pin_diameter=54.0, stroke=84.0, counterweight_radius=66.0), question=question
    )
    assert found.results.deck_clearance == pytest.approx(0.05, abs=1e-9)
    # 2·(225.4 − 0.05 − 148 − 34.2) = 86.3
    assert found.results.stroke == pytest.approx(86.3, abs=1e-9)
    assert jobs(found) == {"offset-grind"}
    assert str(found.jobs[0].says) == (
        "the rod journal is 4.00 mm larger than the rod's bearings; ground to a stroke of 86.300 mm,"
        " 80.200 mm to 87.800 mm could be had"
    )


def test_a_recipe_without_room_above_its_piston_never_stands():
    # 52 + 8.2 + 1.3 cc and a dome of 70: nothing is left, and nothing was asked either.
    found = verdict(part("piston", "X", crown_volume=-70.0, dome_height=0.0), question=MixQuestion("B1", {}))
    assert found.results.compression_ratio is None
    assert not found.stands
    assert "compression_ratio" in found.outside


@pytest.mark.parametrize(
    ("bore", "operation", "cost"),
    [(92.0, None, 0), (92.02, None, 0), (92.05, "hone-bore", 4 * 1500), (92.5, "bore", 4 * 4500)],
)
def test_bores_are_left_honed_or_bored_hole_by_hole(bore, operation, cost):
    found = verdict(part("piston", "X", bore=bore), question=MixQuestion("B1", {}))
    assert jobs(found) == ({operation} if operation else set())
    assert found.results.machining_cost == cost
    assert found.results.bore == pytest.approx(bore if operation else 92.0)


def test_a_piston_too_small_for_its_bore_does_not_fit():
    assert {fit.rule.key for fit in verdict(part("piston", "X", bore=91.97)).refused} == {"bore-size"}


def test_offset_grinding_stops_where_the_journal_ends():
    question = MixQuestion(
        "B1", {"deck_clearance": Window(-1.0, 0.05, 5.0), "quench": Window(0.9, None, 9.0)}
    )
    found = verdict(part("crank", "X", pin_diameter=52.0, stroke=80.0), question=question)
    assert found.results.stroke == pytest.approx(80 + 2 * (1.0 - 0.1), abs=1e-9)


def test_a_piston_that_stops_too_high_is_faced_to_the_aim_and_no_further():
    question = MixQuestion("B1", {"quench": Window(1.0, 1.2, 1.4)})
    found = verdict(part("piston", "X", compression_height=34.9, dish_area=2000.0), question=question)
    assert found.results.crown_cut == pytest.approx(0.5, abs=1e-9)
    assert found.results.quench == pytest.approx(1.2, abs=1e-9)
    assert "face-crown" in jobs(found)
    deeper = verdict(part("piston", "X", compression_height=35.9), question=question)
    assert deeper.results.crown_cut == 0.0
    assert "quench" in deeper.outside


def test_the_quench_floor_of_aluminium_rods_holds_whatever_is_asked():
    question = MixQuestion("B1", {}, quench_floor={"": 0.9, "aluminium": 1.5}, machining=frozenset())
    assert verdict(question=question).stands
    found = verdict(part("rod", "X", words={"material": "aluminium"}), question=question)
    assert found.outside == ("quench",)


def test_cost_counts_only_what_is_still_to_come():
    # One crank, four rods, one gasket, one head at 100 each; the four pistons are on the shelf.
    found = verdict(part("piston", "X", on_shelf=4, state="accepted"))
    assert found.results.cost == 7 * 10_000
    # Fitted in another engine, they are not to be had.
    assert verdict(part("piston", "X", on_shelf=4, state="fitted")).results.cost == 11 * 10_000


def test_columns_judge_as_single_figures_do():
    values = np.array([-3.0, -1.2, -0.5, -0.03, 0.0, 0.03, 0.031, 2.5, 2.6, np.nan])
    rule = USUAL.rule("small-end")
    look = {"rod.pin_bore": 22 + values, "piston.pin_diameter": np.full(len(values), 22.0)}
    look["rod.pin"] = np.full(len(values), np.nan)
    fits, band = judge_columns(rule, look.__getitem__, lambda _: True, {}.__getitem__)
    for i, value in enumerate(values):
        single = judge_fit(
            rule,
            {"rod.pin_bore": None if np.isnan(value) else 22 + value, "piston.pin_diameter": 22.0}.get,
            lambda _: True,
        )
        assert bool(fits[i]) == (single.verdict != "no")
        assert (rule.bands[band[i]].machining if band[i] >= 0 else "") == single.machining


def test_rules_survive_the_way_through_data():
    assert rules_from_data(json.loads(json.dumps(rules_as_data(USUAL)))) == USUAL


@pytest.mark.parametrize(
    "data",
    [
        {},
        {"rules": []},
        {"machinings": []},
        {"machinings": [], "rules": {}},
        {"machinings": [], "rules": [1]},
    ],
)
def test_data_without_rules_is_refused(data):
    with pytest.raises(QuantityError, match="Found no rules of fit"):
        rules_from_data(data)


def test_a_shop_adds_a_rule_of_its_own():
    data = rules_as_data(USUAL)
    data["rules"].append(
        {
            "key": "short-rods",
            "interface": "rod ratio of this shop",
            "measure": {"rod.length": 1, "crank.stroke": -1.75},
            "bands": [{"from": 0}],
            "says": "rods shorter than 1.75 strokes are not built here",
        }
    )
    assert refused(verdict(rules=rules_from_data(data))) == {"short-rods"}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d["rules"][0].update(measure={"crank.colour": 1}), "'crank.colour' in the rule 'mains'"),
        (lambda d: d["rules"][0]["bands"][0].update({"from": 3, "to": 1}), "a band from 3 to 1"),
        (lambda d: d["rules"][0]["bands"][0].update(machining="magic"), "the operation 'magic'"),
        (lambda d: d["machinings"][0].update(cost=-1), "the cost -1"),
        (lambda d: d["rules"].append(d["rules"][0]), "two rules of one key"),
        (lambda d: d["machinings"][0].update(part="flywheel"), "the operation 'bore' on 'flywheel'"),
        (lambda d: d["machinings"][0].update(effect="shine"), "the effect 'shine' of 'bore'"),
        (lambda d: d["machinings"][0].update(cost=True), "the cost true of 'bore'"),
        (lambda d: d["rules"][0].update(key=""), "a rule without a key"),
        (lambda d: d["rules"][0]["bands"][0].update({"from": "low"}), "the edge 'low' in the rule 'mains'"),
        (lambda d: d["rules"][0].update(measure={"crank.main_diameter": float("nan")}), "the factor nan"),
        (lambda d: d["rules"][0].update(measure={"block.main_diameter": 1}), "either a measure with bands"),
        (lambda d: d["rules"][0].update(bands=[{"machining": "bore"}]), "only where it belongs"),
        (
            lambda d: d["rules"][0].update(same=["crank.flange", "block.flange"]),
            "either a measure with bands",
        ),
    ],
)
def test_a_faulty_rule_is_refused_by_name(change, says):
    data = rules_as_data(USUAL)
    change(data)
    with pytest.raises(QuantityError, match=says):
        rules_from_data(data)


@pytest.mark.parametrize(
    ("says", "measure", "text"),
    [
        ("off by {by}", -0.5, "off by 0.50 mm"),
        ("{room} of room", -0.5, "−0.50 mm of room"),
        ("{room} of room", 0.25, "0.25 mm of room"),
        ("it is {larger} than that", 0.1234, "it is 0.123 mm larger than that"),
        ("it is {larger} than that", -2.0, "it is 2.00 mm smaller than that"),
        ("", 3.0, "nose is off by 3.00 mm"),
        ("as { and } stand", 3.0, "as { and } stand"),
        ("{room}, {least} to {most} is wanted", 9.9996, "9.9996 mm, 10.00 mm to 20.00 mm is wanted"),
        ("bolt circle 82 mm, {colour}", 3.0, "bolt circle 82 mm, {colour}"),
    ],
)
def test_what_a_rule_says_has_the_measure_in_it(says, measure, text):
    rule = FitRule("r", "nose", {"crank.snout_diameter": 1}, (Band(10.0, 20.0),), says=says)
    assert (
        judge_fit(rule, {"crank.snout_diameter": measure}.get, lambda _: True).says.written(Reader()) == text
    )


def test_a_block_without_a_needed_figure_says_which():
    bare = {k: v for k, v in BLOCK.figures.items() if k != "deck_height"}
    made = shelf(block=type(BLOCK)("block", "B1", figures=bare, texts=BLOCK.texts))
    with pytest.raises(QuantityError, match="deck height"):
        Block(made, "B1")


def test_every_word_has_its_number_before_anything_is_asked():
    # Questions are laid out on one shelf at the same time: words numbered then could share a number.
    made = shelf(part("head", "H", words={"head_pattern": "V14", "material": "iron"}))
    before = dict(made.numbers)
    assert {"T10", "V14", "iron", "six", "internal", "24"} <= set(before)
    assert "" not in before
    assert len(set(before.values())) == len(before)
    for table in made.tables.values():
        for name in table.words:
            column = table.column(name, made.numbers)
            assert [before.get(word) for word in table.words[name]] == [
                None if np.isnan(n) else n for n in column
            ]
    assert made.numbers == before


@pytest.mark.parametrize(
    ("state", "now", "sets_an_order"),
    [
        ("ordered", None, True),
        ("ordered", "idea", True),
        ("ordered", "received", True),
        ("ordered", "ordered", False),
        ("idea", None, False),
        ("received", "ordered", False),
        ("idea", "ordered", False),
    ],
)
def test_an_order_is_set_only_by_a_change_that_was_none_before(state, now, sets_an_order):
    was, is_now = part("rod", "R", state=state), now and part("rod", "R", state=now)
    assert newly_ordered(was, is_now) is sets_an_order
    # What is put back sets no order either, and is otherwise as it was.
    back = put_back(was, is_now)
    assert not newly_ordered(back, is_now)
    assert back == (part("rod", "R", state="idea") if sets_an_order else was)
