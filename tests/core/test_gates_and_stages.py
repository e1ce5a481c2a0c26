"""Gates and stages: what each wants, where each leads, and how a signature covers what it saw."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core import gates, stages
from zygometra.core.gates import GATE, GATES, covers, is_reason
from zygometra.core.stages import (
    FIRST,
    SHELVED,
    SIGNED_OFF,
    STAGE,
    STAGES,
    BuildProgress,
    follows,
    moved_words,
)

STANDINGS = st.builds(BuildProgress, *[st.integers(0, 40)] * 5)


def test_the_gates_are_numbered_through_and_each_says_what_it_wants():
    assert [gate.number for gate in GATES] == list(range(1, len(GATES) + 1)) == sorted(GATE)
    for gate in GATES:
        assert gate.bars.strip()
        assert gate.wants.strip()
        assert not gate.wants.endswith("."), "a sentence is built around it"


@pytest.mark.parametrize(
    ("number", "bars", "wants"),
    [
        (1, "spending", "crack"),
        (3, "bore", "pistons in hand"),
        (6, "deck cut", "mock-up"),
        (9, "head cut", "chamber"),
        (10, "next step after a cut", "measured again"),
        (13, "deck cut", "engine number"),
        (14, "order", "passes on paper"),
        (16, "hard to reverse", "other way"),
    ],
)
def test_a_gate_stands_before_the_step_that_the_trade_names(number, bars, wants):
    assert bars in GATE[number].bars
    assert wants in GATE[number].wants


def test_the_gate_of_an_order_is_the_fourteenth():
    assert gates.ORDER is GATE[14]


@given(st.text(st.characters(exclude_categories=("Cc", "Cs")), max_size=600))
def test_a_reason_is_neither_a_grunt_nor_a_book(words):
    assert is_reason(words) == (3 <= len(words) <= 500)


@given(st.text(min_size=3, max_size=20), st.sampled_from("\x00\x08\x1b\x1f\ud800"))
def test_a_reason_can_be_stored_and_shown(words, mark):
    assert not is_reason(words + mark)


@given(st.sets(st.text(max_size=3)), st.sets(st.text(max_size=3)), st.text(max_size=3))
def test_a_signature_covers_what_it_saw_and_nothing_more(signed, stands, new):
    assert covers(signed | stands, stands)
    assert covers(signed, ())
    assert covers(list(signed), signed)
    if new not in signed:
        assert not covers(signed, stands | {new})


def test_every_stage_leads_only_to_stages_and_can_be_reached():
    reached = {name for stage in STAGES for name in stage.leads_to}
    assert reached == set(STAGE)
    for stage in STAGES:
        assert stage.key not in stage.leads_to


@given(st.sampled_from(list(STAGE)), st.sampled_from([*STAGE, "burnt", ""]))
def test_a_step_follows_where_the_order_of_work_leads(stage, wanted):
    assert follows(stage, wanted) == (wanted in STAGE[stage].leads_to)
    assert not follows("burnt", wanted)
    assert moved_words(stage, wanted).split(" → ") == [stage, wanted]


@pytest.mark.parametrize(
    ("stage", "shows", "not_yet"),
    [
        ("on paper", BuildProgress(), None),
        ("measuring", BuildProgress(20, 1), BuildProgress(20, 0)),
        ("ready to cut", BuildProgress(20, 7, 2, 0), BuildProgress(20, 7, 2, 1)),
        ("ready to cut", BuildProgress(20, 0, 1, 0), BuildProgress(20, 20, 0, 0)),
        ("cut", BuildProgress(20, 7, 2, 3), BuildProgress(20, 7, 0, 0)),
        ("cut", BuildProgress(figures=20, read=7, operations=0, stops=0, cuts=1), BuildProgress(20, 7, 0, 0)),
        ("signed off", BuildProgress(20, 20, 2, 0), BuildProgress(20, 20, 2, 1)),
        ("shelved", BuildProgress(), None),
    ],
)
def test_the_evidence_of_a_stage(stage, shows, not_yet):
    assert STAGE[stage].shown(shows)
    assert not_yet is None or not STAGE[stage].shown(not_yet)
    assert STAGE[stage].evidence


@given(STANDINGS)
def test_a_stop_keeps_a_build_from_being_ready_and_from_being_signed_off(standing):
    stopped = standing._replace(stops=standing.stops + 1)
    assert not STAGE["ready to cut"].shown(stopped)
    assert not STAGE["signed off"].shown(stopped)
    assert STAGE["cut"].shown(stopped) == (stopped.operations > 0 or stopped.cuts > 0)


def test_a_build_begins_on_paper_and_ends_shelved():
    assert stages.STAGE_NAMES[0] == FIRST == "on paper"
    assert stages.STAGE_NAMES[-1] == SHELVED == "shelved"
    assert SIGNED_OFF in STAGE
