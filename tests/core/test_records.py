"""Records: what is declared of a field is what is read, refused and told as JSON Schema."""

from __future__ import annotations

import pickle
from typing import Annotated

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from support.cases import demo
from zygometra.core.errors import QuantityError
from zygometra.core.measuring.facts import FACT_TYPES, Facts, body_of, found_by, read_fact, stamped
from zygometra.core.measuring.logbook import Gauge, Reading, Zero
from zygometra.core.measuring.read_in import facts_in, file_record
from zygometra.core.records import InOrder, ListOf, MapOf, Nested, Record, Refused, Wrong, faults_of, together
from zygometra.core.slots import (
    BANK,
    HOLE,
    ID,
    QUANTITY_SCHEMA,
    Checked,
    Flag,
    FlagOrText,
    Matching,
    Moment,
    NumberSlot,
    OneOf,
    TextSlot,
    Whole,
    length,
)


class Shim(Record, frozen=True, kw_only=True, eq=False):
    """A shim for the examples: from thin to thick, in mm."""

    id: Annotated[str, ID]
    thin: Annotated[float, length(0, 5)]
    thick: Annotated[float | None, length(0, 5)] = None
    holes: Annotated[tuple[int, ...], ListOf(HOLE, 3, 1)] = ()
    note: Annotated[str, TextSlot(20)] = ""
    order: int = 0

    @classmethod
    def understood(cls, _raw, values, _unstated):
        """Refuse one that is thinner where it is thick."""
        if values.get("thick", values["thin"]) < values["thin"]:
            raise together(".thick", "less than thin", "as thick or thicker")
        return values


BANKS = "a bank's name of 1 to 40 characters without a full stop"


def told(read):
    return [(fault.path, fault.found, fault.wanted) for fault in faults_of(read)]


def test_a_record_is_read_and_keeps_what_was_written():
    raw = {"id": "s", "thin": "40 thou", "holes": [1, 2], "x-seen": [1], "note": None}
    one = Shim.read(raw)
    assert (one.id, one.thin, one.thick, one.holes, one.note) == ("s", pytest.approx(1.016), None, (1, 2), "")
    assert one.typed is raw
    # What it says decides, not how it was written.
    assert one == Shim.read({"holes": [1, 2], "id": "s", "thin": one.thin})
    assert one != one.with_(thin=1.0)
    assert hash(one) == hash(Shim.read({"id": "s", "thin": one.thin}))
    assert one != "s"


def test_everything_that_is_wrong_is_told_at_once_each_at_its_place():
    raw = {"thin": "9 kg", "thick": None, "holes": [0, "2", 100, 3], "note": "a" * 21, "size": 3}
    assert [place for place, _, _ in told(lambda: Shim.read(raw))] == [
        "id",
        "thin",
        "thick",
        "holes",
        "note",
        "size",
    ]
    raw["holes"] = [0, "2", True]
    places = [place for place, _, _ in told(lambda: Shim.read(raw))]
    assert places[3:6] == ["holes[0]", "holes[1]", "holes[2]"]
    assert told(lambda: Shim.read([])) == [("", "a list in [ ]", "an object")]


def test_what_does_not_go_together_waits_for_the_rest():
    shims = InOrder(Shim, 9)
    good, bad = {"id": "a", "thin": 1, "thick": 2}, {"id": "b", "thin": 2, "thick": 1}
    first, second = shims.read([good, bad], "house")
    assert (first.order, second.typed) == (0, bad)
    assert isinstance(second, Refused)
    assert [str(fault) for fault in second.wrong.at("shims[1]")] == [
        "shims[1].thick: found less than thin; wanted as thick or thicker"
    ]
    # A fault of a single field comes before it.
    with pytest.raises(Wrong) as wrong:
        shims.read([bad, {**good, "thin": "x"}], "house")
    assert [place for place, _, _ in wrong.value.faults] == ["[1].thin"]


@pytest.mark.parametrize(
    ("slot", "good", "bad", "wanted"),
    [
        (TextSlot(3), ["", "abc"], ["abcd", 3, None], ["at most 3 characters", "a text", "a text"]),
        (TextSlot(3, 1), ["a"], [""], ["a text that is not empty"]),
        (OneOf("a", "b", "c"), ["a"], ["d", 1, "A"], ["a, b or c"] * 3),
        (OneOf(1), [1], [True, "1", 2], ["1"] * 3),
        (
            Whole(1, 9),
            [1, 9],
            [0, 10, 1.0, True],
            ["at least 1", "at most 9", "a whole number", "a whole number"],
        ),
        (NumberSlot(0, 2), [0, 2, 0.5], [-1, 3], ["nought or more", "at most 2"]),
        (Flag(), [True, False], [0, "yes"], ["true or false"] * 2),
        (FlagOrText(3), [True, "abc"], [1, "abcd"], ["true, false or a text", "at most 3 characters"]),
        (
            Matching("[1-9][0-9]?", "a number"),
            ["7", "12"],
            ["0", "123", 7],
            ["a number", "a number", "a text"],
        ),
        (
            BANK,
            ["left", "A b"],
            ["a.b", " ", "a" * 41],
            ["a bank's name of 1 to 40 characters without a full stop"] * 3,
        ),
    ],
)
def test_a_slot_takes_what_it_says_and_refuses_in_words(slot, good, bad, wanted):
    for raw in good:
        assert slot.read(raw, "house") == raw
        jsonschema.validate(raw, slot.schema({}))
    for raw, says in zip(bad, wanted, strict=True):
        with pytest.raises(QuantityError) as refused:
            slot.read(raw, "house")
        assert refused.value.wanted == says


def test_moments_sort_by_time_wherever_they_were_written():
    moment = Moment()
    early, late = "2026-05-05T09:30:00+02:00", "2026-05-05T08:00:00Z"
    assert moment.read(early, "house") < moment.read(late, "house")
    assert early > late
    with pytest.raises(QuantityError, match="a date and time"):
        moment.read("soon", "house")


def test_names_are_keys_and_notes_are_none():
    slot = MapOf(ID, NumberSlot(0, 9), 2, nulls=True)
    assert slot.read({"a": 1, "x-b": "?", "c": None}, "house") == {"a": 1, "c": None}
    with pytest.raises(QuantityError, match="3 entries"):
        slot.read(dict.fromkeys("abc", 1), "house")
    with pytest.raises(Wrong) as wrong:
        slot.read({"": 10}, "house")
    assert len(wrong.value.faults) == 2


TYPICAL = ["0.5 mm", "5 cc", "30 thou", "deck_cut", "bore", "done", "2026-05-05T09:00:00Z", "A"]
NUMBERS = st.integers(-3, 200) | st.floats(-1e3, 1e3)
LEAVES = st.none() | st.booleans() | NUMBERS | st.text(max_size=90) | st.sampled_from(TYPICAL)
THINGS = st.recursive(
    LEAVES,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=6), inner, max_size=3),
    max_leaves=6,
)


@settings(max_examples=300, deadline=None)
@given(st.sampled_from(FACT_TYPES), st.data())
def test_whatever_stands_in_a_fact_is_read_or_refused_in_words_and_the_schema_takes_what_is_read(of, data):
    keys = st.sampled_from(sorted(of.record.fields())) | st.text(max_size=5)
    raw = data.draw(st.dictionaries(keys, THINGS, max_size=6))
    derived = {"id": "g"} if of.kind in ("gauge", "zero") else {}
    try:
        one = of.record.read(raw, **derived)
    except Wrong as wrong:
        for fault in wrong.at("it"):
            assert fault.path.startswith("it")
            assert fault.wanted
        return
    shared = {}
    schema = {**of.record.json_schema(shared), "$defs": {**shared, "Quantity": QUANTITY_SCHEMA}}
    jsonschema.validate(raw, schema)
    assert one.typed == raw
    assert found_by(one).value is None or isinstance(one, Reading)


def test_facts_come_back_to_the_letter_and_travel_between_processes():
    document = demo("timber-hauler")
    for fact in facts_in(document, {}):
        again = read_fact(fact.kind, body_of(fact.record))
        assert (again.with_(order=fact.record.order) if hasattr(again, "order") else again) == fact.record
        assert pickle.loads(pickle.dumps(fact.record)) == fact.record
    kept = Facts().extended(facts_in(document, {})).document({})
    assert {key: document[key] for key in kept} == kept


def test_who_and_when_are_put_where_nobody_said():
    body = {"id": "r", "figure": "bore", "cylinder": 1, "value": 92, "by": "Nell"}
    one = stamped(Reading.read(body), "Ada", "2026-05-05T09:00:00Z")
    assert (one.by, one.at) == ("Nell", "2026-05-05T09:00:00.000000Z")
    assert one.typed == {"at": "2026-05-05T09:00:00Z", **body}
    assert stamped(one, "Bo", "2027-01-01T00:00:00Z") is one


def test_a_gauge_has_one_kind_of_unit():
    read = lambda: Gauge.read({"u": "0.002 mm", "feel": "0.1 cc"}, id="g")  # noqa: E731 - asked twice
    assert told(read) == [
        ("", "feel cc, which measures volume", "length: one of mm, um, cm, in, thou, tenth, such as 0.76 mm")
    ]
    assert Zero.read({"before": "10 thou"}, id="z").before == pytest.approx(0.254)


def test_a_files_faults_of_the_whole_stand_in_their_list():
    document = demo("timber-hauler")
    reading = {"id": "odd", "figure": "bore", "cylinder": 1}
    file = file_record({**document, "readings": [reading]})
    (odd,) = file.list_of("readings")
    assert isinstance(odd, Refused)
    assert odd.wrong.faults == [(".value", "nothing", "one of value, tipped, shots")]


def test_what_another_function_takes_is_its_value():
    assert Nested(Shim).read({"id": "a", "thin": 1}, "zero").thin == 1
    assert Checked(len, {"type": "string"}).read("abc", "house") == 3
