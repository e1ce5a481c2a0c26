"""Chambers matched: held against every way of cutting and opening on a grid, heads either side."""

from __future__ import annotations

import itertools
import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zygometra.core.errors import NoAnswer
from zygometra.core.measuring.chambers import (
    ChamberRange,
    Head,
    best_match,
    level_of,
    match,
    milled_before,
    swapped,
)
from zygometra.core.stack.chamber import ChamberModel, DraftedChamber, RateChamber, StepFilledChamber

NEAR = 1e-7
# Tenths of a cc and a grid of hundredths of a mm: what is drawn lies on what is tried.
volumes = st.integers(0, 40).map(lambda tenths: 50 + tenths / 10)


@st.composite
def models(draw: st.DrawFn) -> ChamberModel:
    kind = draw(st.sampled_from(["rate", "drafted", "steps"]))
    if kind == "rate":
        return RateChamber(draw(st.sampled_from([2.0, 4.0, 5.0])))
    if kind == "drafted":
        return DraftedChamber(4200.0, 240.0, draw(st.sampled_from([0.0, 12.0, 25.0])))
    return StepFilledChamber((0.0, 0.5, 1.0, 4.0), (54.0, 51.8, 49.9, 40.0))


@st.composite
def cases(draw: st.DrawFn) -> tuple[list[Head], dict[int, ChamberRange], bool]:
    banks, holes = draw(st.integers(1, 2)), draw(st.integers(1, 3))
    heads = [
        Head(
            "AB"[b],
            tuple(range(1 + b * holes, 1 + (b + 1) * holes)),
            tuple(draw(volumes) for _ in range(holes)),
            draw(models()),
        )
        for b in range(banks)
    ]
    low, width = draw(volumes), draw(st.sampled_from([0.0, 0.2, 0.6]))
    beside = {n: draw(st.sampled_from([0.0, 0.3, -0.4])) for head in heads for n in head.holes}
    wanted = {n: ChamberRange(low - by, low - by + width) for n, by in beside.items()}
    return heads, wanted, draw(st.booleans())


def _least_by_brute_force(heads: list[Head], wanted: dict[int, ChamberRange]) -> float:
    """The least opened in all over a grid of cuts per head; infinite where none does."""
    total = 0.0
    for head in heads:
        assert head.model is not None
        least = math.inf
        for step in range(61):
            cut = step / 20
            if cut > head.model.deepest:
                break
            left = [v - head.model.removed(cut) for v in head.volumes]
            if any(v > wanted[n].high + NEAR for n, v in zip(head.holes, left, strict=True)):
                continue
            least = min(
                least, sum(max(0.0, wanted[n].low - v) for n, v in zip(head.holes, left, strict=True))
            )
        total += least
    return total


@given(cases())
@settings(max_examples=150, deadline=None)
def test_nothing_is_left_outside_and_nothing_opened_that_need_not_be(
    case: tuple[list[Head], dict[int, ChamberRange], bool],
) -> None:
    heads, wanted, may_swap = case
    found = best_match(heads, lambda _: wanted, may_swap=may_swap)
    for number, volume in found.after.items():
        assert wanted[number].low - NEAR <= volume <= wanted[number].high + NEAR
    arrangement = swapped(heads) if found.swapped else heads
    assert arrangement is not None
    for head in arrangement:
        assert head.model is not None
        lost = head.model.removed(found.cuts[head.bank])
        for number, volume in zip(head.holes, head.volumes, strict=True):
            needs = volume - lost < wanted[number].low - NEAR
            assert (number in found.opened) == needs
        if found.cuts[head.bank]:
            setter = found.set_by[head.bank]
            assert found.after[setter] == pytest.approx(wanted[setter].high, abs=NEAR)


@given(cases())
@settings(max_examples=60, deadline=None)
def test_no_other_cut_opens_less(case: tuple[list[Head], dict[int, ChamberRange], bool]) -> None:
    heads, wanted, may_swap = case
    found = best_match(heads, lambda _: wanted, may_swap=may_swap)
    ways = [heads]
    if may_swap and (other := swapped(heads)) is not None:
        ways.append(other)
    for way in ways:
        assert found.opened_in_all <= _least_by_brute_force(way, wanted) + NEAR
    assert not (found.swapped and not may_swap)


def test_heads_change_sides_only_where_that_saves() -> None:
    """A's chambers are small and its holes want small ones: as they lie nothing is to be done."""
    model = RateChamber(4.0)
    heads = [Head("A", (1, 2), (58.0, 58.0), model), Head("B", (3, 4), (60.0, 60.0), model)]
    own = {1: ChamberRange(58, 58), 2: ChamberRange(58, 58), 3: ChamberRange(60, 60), 4: ChamberRange(60, 60)}
    found = best_match(heads, lambda _: own, may_swap=True)
    assert (found.swapped, found.opened_in_all, found.cuts) == (False, 0.0, {"A": 0.0, "B": 0.0})
    other = {
        1: ChamberRange(60, 60),
        2: ChamberRange(60, 60),
        3: ChamberRange(58, 58),
        4: ChamberRange(58, 58),
    }
    assert best_match(heads, lambda _: other, may_swap=True).swapped
    stays = best_match(heads, lambda _: other, may_swap=False)
    assert stays.opened == pytest.approx({1: 2.0, 2: 2.0})
    assert stays.cuts["B"] == pytest.approx(0.5)


def test_a_head_turned_end_for_end_lays_its_chambers_in_the_other_order() -> None:
    heads = [Head("A", (1, 3), (1.0, 2.0), None), Head("B", (2, 4), (3.0, 4.0), None)]
    other = swapped(heads)
    assert other is not None
    assert [(h.bank, h.holes, h.volumes) for h in other] == [
        ("A", (1, 3), (4.0, 3.0)),
        ("B", (2, 4), (2.0, 1.0)),
    ]
    assert swapped(heads[:1]) is None


@given(cases(), st.sampled_from([0.0, 0.2, 0.8]))
@settings(max_examples=60, deadline=None)
def test_to_one_another_no_other_level_opens_less(
    case: tuple[list[Head], dict[int, ChamberRange], bool], within: float
) -> None:
    """With one rate for all (a drafted wall loses its rate with depth) the level can be told."""
    heads = [head._replace(model=RateChamber(4.0)) for head in case[0]]
    beside = dict.fromkeys((n for head in heads for n in head.holes), 0.0)
    low, high = level_of(heads, beside, within)
    assert high - low == pytest.approx(within)
    best = match(heads, {n: ChamberRange(low, high) for n in beside}).opened_in_all
    for by in itertools.chain(range(-20, 0), range(1, 20)):
        level = {n: ChamberRange(low + by / 10, high + by / 10) for n in beside}
        assert best <= match(heads, level).opened_in_all + NEAR


def test_what_milling_takes_must_be_known_before_a_head_is_cut() -> None:
    head = Head("A", (1, 2), (60.0, 58.0), None)
    with pytest.raises(NoAnswer, match=r"hole 1 is 1\.00 cc too large"):
        match([head], {1: ChamberRange(58, 59), 2: ChamberRange(58, 59)})
    assert match([head], {1: ChamberRange(61, 62), 2: ChamberRange(58, 59)}).opened == {1: 1.0}


def test_a_small_chamber_tells_of_earlier_milling() -> None:
    assert milled_before(RateChamber(4.0), 1.2) == pytest.approx(0.3)
    assert milled_before(DraftedChamber(4200.0, 240.0, 12.0), 2.1) == pytest.approx(0.5)
    with pytest.raises(NoAnswer):
        milled_before(RateChamber(0.0), 1.0)
