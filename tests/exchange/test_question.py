"""A question's file: every key drawn with every kind of value gives a question, or a fault at its key."""

from __future__ import annotations

import json
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core.errors import BuildFaults
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.parts import MAKING
from zygometra.core.mix.question import PRIORITIES
from zygometra.exchange.mix_file import question_of

QUESTION = {"format": "zygometra.mix-question", "version": 1, "block": "BL-001"}
ANYTHING = st.recursive(
    st.one_of(
        st.none(),
        st.booleans(),
        st.integers(-(10**6), 10**6),
        st.floats(),
        st.text(max_size=12),
        st.sampled_from(["cheapest", "exact", "1 mm", "9e9 mm"]),
    ),
    lambda inner: st.one_of(
        st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=8), inner, max_size=3)
    ),
    max_leaves=5,
)
KEYS = ("block", "rpm", "priority", "best", "only_in_hand", "school", "count", "machining", "use", "windows")


def is_count(value):
    return isinstance(value, int) and not isinstance(value, bool)


# What each key may be, said again in plain words.
PLAIN = {
    "block": lambda v: isinstance(v, str) and 1 <= len(v) <= 40,
    "rpm": lambda v: (is_count(v) or (isinstance(v, float) and math.isfinite(v))) and 0 < v <= 30_000,
    "priority": lambda v: isinstance(v, str) and v in PRIORITIES,
    "only_in_hand": lambda v: isinstance(v, bool),
    "school": lambda v: isinstance(v, str),
    "count": lambda v: isinstance(v, str) and v in ("exact", "estimate", "none"),
    "machining": lambda v: v is None or (isinstance(v, list) and all(isinstance(i, str) for i in v)),
}


@given(st.sampled_from(sorted(PLAIN)), ANYTHING)
def test_a_key_is_taken_exactly_where_it_may_stand(key, value):
    if PLAIN[key](value):
        question_of({**QUESTION, key: value})
    else:
        with pytest.raises(BuildFaults) as refused:
            question_of({**QUESTION, key: value})
        assert key in {fault.path for fault in refused.value.faults}


@given(st.dictionaries(st.sampled_from([*KEYS, "x-note", "colour"]), ANYTHING, max_size=6))
def test_whatever_stands_in_a_file_there_is_a_question_or_faults_with_their_place(drawn):
    document = {**QUESTION, **drawn}
    try:
        question, counted = question_of(document)
    except BuildFaults as refused:
        for fault in refused.faults:
            assert fault.path.split(".")[0] in document
            assert fault.found
            assert fault.wanted
    else:
        assert question.block == document["block"]
        assert counted in ("exact", "estimate", "none")
        assert "colour" not in drawn


@pytest.mark.parametrize("key", ["format", "block", "version"])
def test_what_must_be_there_is_asked_for(key):
    document = {k: v for k, v in QUESTION.items() if k != key}
    with pytest.raises(BuildFaults) as refused:
        question_of(document)
    assert {fault.path for fault in refused.value.faults} == {key}


def test_every_fault_of_a_file_is_told_at_once():
    document = {**QUESTION, "rpm": "fast", "best": 0, "use": [], "windows": 3, "colour": "red"}
    with pytest.raises(BuildFaults) as refused:
        question_of(document)
    assert {fault.path for fault in refused.value.faults} == {"rpm", "best", "use", "windows", "colour"}


@pytest.mark.parametrize("school", ["", "tight-quench", "guarded-quench", "nobody's"])
def test_the_floor_is_that_of_the_school(school):
    question, _ = question_of({**QUESTION, "school": school})
    for material in ("steel", "titanium", "aluminium"):
        assert question.floor(material) == rules_for(school).quench_floor(material)


@given(st.dictionaries(st.sampled_from(MAKING), st.text(min_size=1, max_size=10), max_size=5))
def test_what_must_be_used_is_asked_by_kind(use):
    question, _ = question_of({**QUESTION, "use": use})
    assert dict(question.use) == use


def test_a_question_left_alone_asks_for_the_usual():
    question, counted = question_of(json.loads(json.dumps(QUESTION)))
    assert (question.rpm, question.priority, question.best, counted) == (5500, "cheapest", 50, "exact")
    assert question.machining is None
    assert not question.only_in_hand
