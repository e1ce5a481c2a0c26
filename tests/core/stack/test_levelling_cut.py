"""A deck cut that takes more at one end: linear from hole to hole, with one doubt for both ends."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support.cases import vector

from zygometra.core.build.document import operation_document, read_operation
from zygometra.core.build.levers import set_lever
from zygometra.core.build.record import operation_words
from zygometra.core.errors import BuildFaults
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import rules_for
from zygometra.core.quantity import read_quantity
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.units import Kind
from zygometra.exchange.build_file import check

amounts = st.integers(0, 600).map(lambda um: um / 1000)


@given(amounts, amounts, st.sampled_from(["left", "right", None]))
def test_each_hole_loses_its_share_between_the_ends(first: float, last: float, bank: str | None) -> None:
    document = vector("quillon-vee-two-banks")["build"]
    op = {"op": "deck_cut", "first": first, "last": {"value": last, "plus_minus": 0.01}}
    document["planned"] = [op | ({"bank": bank} if bank else {})]
    build = check(document)
    found = evaluate(build)
    for one in build.banks:
        n = len(one.cylinders)
        for i, number in enumerate(one.cylinders):
            share = 0.0 if bank not in (None, one.name) else first * (1 - i / (n - 1)) + last * i / (n - 1)
            before, after = (s.hole(number).outcome.deck_clearance for s in (found.now, found.planned))
            assert before - after == pytest.approx(share, abs=1e-12)
    assert operation_document(build.planned[0]) == document["planned"][0]


def test_ends_alike_are_a_plain_cut() -> None:
    document = vector("quillon-vee-two-banks")["build"]
    document["planned"] = [{"op": "deck_cut", "bank": "left", "amount": {"value": 0.2, "plus_minus": 0.02}}]
    plain = evaluate(check(document)).planned
    end = {"value": 0.2, "plus_minus": 0.02}
    document["planned"] = [{"op": "deck_cut", "bank": "left", "first": end, "last": end}]
    levelled = evaluate(check(document)).planned
    for one, other in zip(plain.holes, levelled.holes, strict=True):
        assert one.outcome.deck_clearance == pytest.approx(other.outcome.deck_clearance, abs=1e-12)
        assert one.outcome.doubts.quench.u == pytest.approx(other.outcome.doubts.quench.u, abs=1e-12)


def test_the_lever_moves_the_cut_and_keeps_its_wedge() -> None:
    document = vector("quillon-vee-two-banks")["build"]
    document["planned"] = [{"op": "deck_cut", "bank": "left", "first": "0.10 mm", "last": "0.30 mm"}]
    build = check(document)
    to = read_quantity("0.25 mm", Kind.LENGTH, dimension="deck_cut")
    (moved,) = set_lever(build, build.planned, "deck_cut", to, bank="left")
    assert operation_document(moved) == {
        "op": "deck_cut",
        "bank": "left",
        "first": "0.15 mm",
        "last": "0.35 mm",
    }
    less = read_quantity("0.05 mm", Kind.LENGTH, dimension="deck_cut")
    (plain,) = set_lever(build, build.planned, "deck_cut", less, bank="left")
    assert operation_document(plain) == {"op": "deck_cut", "bank": "left", "amount": "0.05 mm"}


amount_to = st.integers(100, 600).map(lambda um: um / 1000)


@given(st.sampled_from([None, "left", "right"]), st.sampled_from([None, "left", "right"]), amount_to)
def test_wherever_the_lever_acts_its_total_is_what_was_set_and_the_rest_stays(
    levelled: str | None, scope: str | None, to: float
) -> None:
    """A wedge on all banks or on one, a lever of all banks or of one: midway it takes what was set."""
    document = vector("quillon-vee-two-banks")["build"]
    document["planned"] = [
        {"op": "deck_cut", "first": 0.05, "last": 0.15} | ({"bank": levelled} if levelled else {})
    ]
    build = check(document)
    quantity = read_quantity(to, Kind.LENGTH, dimension="deck_cut")
    planned = set_lever(build, build.planned, "deck_cut", quantity, bank=scope)
    before = evaluate(build)
    after = evaluate(replace(build, planned=planned)).planned
    for bank in build.banks:
        ends = (bank.cylinders[0], bank.cylinders[-1])
        taken = [after.hole(number).outcome.deck_cut for number in ends]
        if scope in (None, bank.name):
            assert sum(taken) / 2 == pytest.approx(to)
        else:
            assert taken == pytest.approx([before.planned.hole(number).outcome.deck_cut for number in ends])


def test_the_larger_end_is_held_against_the_limit() -> None:
    document = vector("quillon-vee-two-banks")["build"]
    document["planned"] = [{"op": "deck_cut", "bank": "left", "first": "0.1 mm", "last": "0.5 mm"}]
    document["levers"] = {"deck_cut": {"max": 0.4}}
    build = check(document)
    found = findings(build, evaluate(build), rules_for(""))
    assert any(one.code == "lever-limit" and "0.50" in one.says for one in found)
    within = replace(build, planned=(read_operation({"op": "deck_cut", "first": 0.1, "last": 0.4}, "zero"),))
    assert not any(one.code == "lever-limit" for one in findings(within, evaluate(within), rules_for("")))


@pytest.mark.parametrize(
    ("op", "wanted"),
    [
        ({"op": "deck_cut", "first": 0.1}, r"planned\[0\].last: found nothing"),
        ({"op": "head_cut", "first": 0.1, "last": 0.2}, "with a deck cut only"),
        ({"op": "gasket", "first": 0.1, "last": 0.2}, "with a deck cut only"),
        ({"op": "deck_cut", "first": 0.1, "last": 0.2, "amount": 0.1}, "either amount, or first and last"),
        ({"op": "deck_cut", "first": -0.1, "last": 0.2}, r"planned\[0\].first"),
    ],
)
def test_half_a_levelling_cut_is_refused(op: dict[str, object], wanted: str) -> None:
    with pytest.raises(BuildFaults, match=wanted):
        check({**vector("quillon-vee-two-banks")["build"], "planned": [op]})


def test_the_record_says_both_ends() -> None:
    op = {"op": "deck_cut", "bank": "left", "first": "0.1 mm", "last": {"value": 12, "unit": "thou"}}
    assert operation_words(op) == "deck cut left: 0.1 mm at the front, 12 thou at the rear"


# -- heads side for side -------------------------------------------------------


def _chambers(document: dict[str, object]) -> dict[int, float | None]:
    return {hole.number: hole.outcome.terms.chamber for hole in evaluate(check(document)).planned.holes}


@given(st.lists(st.integers(400, 700), min_size=8, max_size=8), st.integers(0, 3))
def test_heads_change_sides_and_lie_end_for_end(tenths: list[int], times: int) -> None:
    document = vector("quillon-vee-two-banks")["build"]
    banks = [bank["cylinders"] for bank in document["engine"]["banks"]]
    own = {n: tenths[i] / 10 for i, n in enumerate(n for bank in banks for n in bank)}
    cylinders = document.get("cylinders") or {}
    document["cylinders"] = {
        str(n): {**cylinders.get(str(n), {}), "chamber_volume": cc} for n, cc in own.items()
    }
    document["planned"] = [{"op": "swap_heads"}] * times
    found = _chambers(document)
    for here, there in zip(banks, reversed(banks), strict=True):
        for number, opposite in zip(here, reversed(there), strict=True):
            assert found[number] == pytest.approx(own[opposite if times % 2 else number])


def test_a_head_is_cut_on_the_bank_that_it_comes_to() -> None:
    document = vector("quillon-vee-two-banks")["build"]
    document["parts"]["head"]["removal_rate"] = 4.0
    banks = {bank["name"]: bank["cylinders"] for bank in document["engine"]["banks"]}
    document["planned"] = [{"op": "swap_heads"}]
    before = _chambers(document)
    document["planned"].append({"op": "head_cut", "bank": "left", "amount": 0.25})
    after = _chambers(document)
    for name, numbers in banks.items():
        for n in numbers:
            one, other = before[n], after[n]
            assert one is not None
            assert other is not None
            assert one - other == pytest.approx(1.0 if name == "left" else 0.0)


@pytest.mark.parametrize(
    ("op", "wanted"),
    [
        ({"op": "swap_heads", "amount": 0.1}, "amount with swap_heads; wanted nothing"),
        ({"op": "swap_heads", "bank": "left"}, "bank with swap_heads"),
        ({"op": "swap_heads", "cylinder": 1}, r"planned\[0\].cylinder"),
        ({"op": "swap_heads", "first": 0.1, "last": 0.1}, "with a deck cut only"),
    ],
)
def test_heads_change_sides_as_a_whole(op: dict[str, object], wanted: str) -> None:
    with pytest.raises(BuildFaults, match=wanted):
        check({**vector("quillon-vee-two-banks")["build"], "planned": [op]})


def test_one_head_has_no_other_side() -> None:
    document = vector("tarnbeck-plain")["build"]
    with pytest.raises(BuildFaults, match="two banks with as many holes each"):
        check({**document, "planned": [{"op": "swap_heads"}]})
