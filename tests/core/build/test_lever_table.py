"""The one table of levers, and what a lever does to the volume, held against evaluating the cut itself."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import assume, given, reject
from hypothesis import strategies as st

from support.strategies import builds
from zygometra.core.build.lever_table import AMOUNTS, FIT, LEVER, LEVERS, OPS, SWAP, lever_named
from zygometra.core.build.levers import set_lever, setting
from zygometra.core.build.model import Gasket
from zygometra.core.errors import ZygometraError
from zygometra.core.quantity import read_quantity
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.units import CC, MM, Kind


def cut_of(mm):
    return read_quantity(f"{mm:.6f} mm", Kind.LENGTH, dimension="deck_cut")


def outcome_of(build):
    try:
        return evaluate(build).planned.hole(1).outcome
    except ZygometraError:
        return reject()


def test_the_table_names_every_operation_of_a_file_once():
    assert len({lever.key for lever in LEVERS}) == len(LEVERS)
    assert {lever.key for lever in LEVERS} == set(LEVER) == set(OPS) - {SWAP, FIT}
    assert {lever.key for lever in AMOUNTS} == {lever.key for lever in LEVERS} - {"gasket"}


@pytest.mark.parametrize("lever", LEVERS, ids=lambda lever: lever.key)
def test_a_lever_says_what_it_is_and_how_it_moves(lever):
    assert lever.label
    assert lever.doing
    assert lever.step > 0
    assert lever.most > 0
    assert lever.unit in (MM, CC)
    assert (lever.unit is CC) == (lever.key in ("open_chamber", "bowl"))
    assert lever_named(lever.key) is lever


@pytest.mark.parametrize("name", ["", "weld", "Deck_cut", "deck cut"])
def test_a_lever_that_is_none_is_none(name):
    assert lever_named(name) is None


@given(builds(planned=False), st.sampled_from(["deck_cut", "head_cut", "crown_cut"]), st.floats(0.05, 0.5))
def test_a_step_of_a_lever_does_to_the_gaps_what_the_table_says(build, op, cut):
    one = outcome_of(replace(build, planned=set_lever(build, (), op, cut_of(cut))))
    # What stands above the rim comes off first: until then the rim does not move.
    assume(op != "crown_cut" or one.areas.crown.above_rim <= cut)
    more = outcome_of(replace(build, planned=set_lever(build, (), op, cut_of(cut + 0.01))))
    lever = LEVER[op]
    assert (more.deck_clearance - one.deck_clearance) / 0.01 == pytest.approx(lever.clearance, abs=1e-6)
    assert (more.quench - one.quench) / 0.01 == pytest.approx(lever.quench, abs=1e-6)


@given(builds(planned=False), st.floats(0.3, 2.5), st.floats(0.01, 0.3))
def test_a_thicker_gasket_opens_the_quench_by_as_much(build, thickness, more):
    def fitted(mm):
        gasket = Gasket("to find", cut_of(mm), None)
        return outcome_of(replace(build, planned=set_lever(build, (), "gasket", gasket)))

    thin, thick = fitted(thickness), fitted(thickness + more)
    assert thick.quench - thin.quench == pytest.approx(more, abs=2e-6)
    assert thick.deck_clearance == pytest.approx(thin.deck_clearance)
    assert LEVER["gasket"].quench == 1


@given(builds(planned=False), st.sampled_from(["open_chamber", "bowl"]), st.floats(0.1, 5))
def test_opening_a_chamber_or_sinking_a_bowl_adds_what_is_taken_out(build, op, volume):
    amount = read_quantity(f"{volume:.6f} cc", Kind.VOLUME, dimension=op)
    opened = outcome_of(replace(build, planned=set_lever(build, (), op, amount)))
    before = outcome_of(build)
    assert opened.clearance - before.clearance == pytest.approx(volume, abs=2e-6)
    assert (opened.quench, opened.deck_clearance) == (before.quench, before.deck_clearance)


@given(builds(), st.sampled_from([lever.key for lever in AMOUNTS]), st.floats(0.05, 2))
def test_a_lever_set_is_read_back_and_set_to_nothing_is_gone(build, op, amount):
    kind, unit = LEVER[op].kind, LEVER[op].unit.symbol
    plan = set_lever(build, build.planned, op, read_quantity(f"{amount:.4f} {unit}", kind, dimension=op))
    first = build.banks[0]
    number = first.cylinders[0]
    found = setting(plan, op, bank=first.name, cylinder=number)
    assert found.total == pytest.approx(float(f"{amount:.4f}"))
    assert not [item for item in set_lever(build, plan, op, None) if item.op == op]
    others = [item for item in build.planned if item.op != op]
    assert [item for item in plan if item.op != op] == others
