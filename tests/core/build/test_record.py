"""What the record of a build says, in words that were settled beforehand."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core.build import record
from zygometra.core.build.document import Difference, differences
from zygometra.core.build.lever_table import LEVERS, OPS

DECK = {"op": "deck_cut", "bank": "A", "amount": "0.18 mm"}
CHAMBER = {"op": "open_chamber", "cylinder": 3, "amount": {"value": 0.6, "unit": "cc"}}
GASKET = {"op": "gasket", "gasket": {"name": "thin", "thickness": "1.0 mm"}}


@pytest.mark.parametrize(
    ("leaf", "words"),
    [
        (None, "nothing"),
        ([], "nothing"),
        ("92.5 mm", "92.5 mm"),
        (4, "4"),
        ({"value": 92.02, "unit": "mm", "plus_minus": 0.01}, "92.02 mm ± 0.01"),
        ({"value": 148, "unit": "mm", "u": 0.004, "basis": "measured"}, "148 mm (u 0.004), measured"),
        ({"value": 3.625}, "3.625"),
        ({"readings": [0.31, 0.33], "unit": "mm", "basis": "mock-up"}, "readings 0.31, 0.33 mm"),
        ([DECK], "deck cut A 0.18 mm"),
        ([DECK, CHAMBER], "deck cut A 0.18 mm; open chamber 3 0.6 cc"),
        (GASKET, "gasket name thin, thickness 1.0 mm"),
        ({"low": "1 mm", "high": None}, "low 1 mm, high nothing"),
    ],
)
def test_a_leaf_in_a_few_words(leaf, words):
    assert record.written(leaf) == words


@pytest.mark.parametrize(
    ("operation", "words"),
    [
        (DECK, "deck cut A: 0.18 mm"),
        (CHAMBER, "open chamber 3: 0.6 cc"),
        ({"op": "head_cut", "amount": "12 thou"}, "head cut: 12 thou"),
        ({"op": "crown_cut", "cylinder": 2, "amount": {"value": 0.2}}, "crown cut 2: 0.2 mm"),
        (GASKET, "gasket: thin"),
        ({"op": "gasket", "bank": "left", "gasket": {"thickness": "1.2 mm"}}, "gasket left: 1.2 mm"),
    ],
)
def test_an_operation_in_the_record(operation, words):
    assert record.operation_words(operation) == words


def test_a_plan_in_the_record():
    assert record.plan_words([]) == "plan: nothing"
    assert record.plan_words([DECK, GASKET]) == "plan: deck cut A: 0.18 mm; gasket: thin"


@pytest.mark.parametrize(
    ("kept", "shown", "words"),
    [
        ([], [], []),
        ([DECK], [DECK], []),
        ([], [DECK], ["deck cut A: 0.18 mm"]),
        ([DECK], [], ["no deck cut A: 0.18 mm"]),
        ([DECK], [CHAMBER], ["open chamber 3: 0.6 cc", "no deck cut A: 0.18 mm"]),
        ([DECK, CHAMBER], [CHAMBER, DECK], ["another order"]),
    ],
)
def test_what_a_plan_on_screen_changes(kept, shown, words):
    assert record.plan_changes(kept, shown) == words


OPERATIONS = st.builds(
    lambda op, bank, amount: {
        "op": op,
        "bank": bank,
        "amount": f"{amount} mm",
        "kind": "piston",
        "part": {"name": bank},
    },
    st.sampled_from([op for op in OPS if op != "gasket"]),
    st.sampled_from(["A", "B"]),
    st.integers(1, 9),
)


@given(st.lists(OPERATIONS, max_size=4), st.lists(OPERATIONS, max_size=4))
def test_a_plan_changes_nothing_exactly_where_it_is_the_same(kept, shown):
    assert (record.plan_changes(kept, shown) == []) == (kept == shown)
    assert len(record.plan_changes(kept, shown)) <= len(kept) + len(shown)


def test_the_other_entries():
    assert record.figure_words("finished bore", "parts.block.bore", None) == "finished bore: nothing"
    assert record.copied_words("Pilot launch 2.3", 4) == "copied from Pilot launch 2.3 (version 4)"
    assert record.taken_in_words("x" * 300) == "taken in from " + "x" * 120
    assert record.step_words("undo", "plan: nothing") == "undo: plan: nothing"
    changes = differences(
        {"targets": {"quench": {"aim": 1}}, "school": "a"}, {"targets": {"quench": {"aim": 2}}}
    )
    assert set(record.aim_words(changes).removeprefix("aim: ").split(", ")) == {"school", "quench aim"}
    assert record.aim_words([Difference(("name",), "a", "b")]) == "aim: name"


def test_every_lever_has_words_of_its_own():
    said = {record.op_words(lever.key) for lever in LEVERS}
    assert len(said) == len(LEVERS)
    assert not [words for words in said if "_" in words]
