"""Which readings count: void, moved zeros, surfaces, conditions, two gauges; and whether those that count agree."""

from __future__ import annotations

import copy
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.engines import engine
from zygometra.core.cutting.gates import all_standings
from zygometra.core.errors import QuantityError
from zygometra.core.measuring.agreement import agreement, slipped
from zygometra.core.measuring.examples import reading
from zygometra.core.measuring.facts import Fact, Facts, Signed, read_fact
from zygometra.core.measuring.gauges import compare_gauges, suspects, wants_check
from zygometra.core.measuring.logbook import Check, Gauge, Logbook, Mishap, Voided, Zero
from zygometra.core.measuring.progress import progress
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.measuring.selection import in_use
from zygometra.core.moments import moment
from zygometra.core.place import Place, Position
from zygometra.core.stack.evaluate import evaluate

UPRIGHT, INVERTED = (frozenset({("block", where)}) for where in ("upright", "inverted"))
THRUST, PIN = Position(axis="thrust"), Position(axis="pin")
GAUGE = Gauge(id="d", resolution=0.01, u=0.003, repeatability=0.004)


def sorted_out(*readings, **more):
    return in_use(Logbook({"d": GAUGE}, readings=readings, **more), house=True)


def counted(found):
    return sorted(one.id for series in found.series.values() for one in series.readings)


def reasons(found):
    return {one.reading.id: one.reason for one in found.aside}


@pytest.mark.parametrize(
    ("readings", "counts", "aside"),
    [
        ([reading("a"), reading("b", on="dome")], ["a"], {"b": "dome"}),
        ([reading("a"), reading("b", on="pad")], ["a"], {"b": "pad"}),
        ([reading("a", on="pad", pad_height=0.2)], ["a"], {}),
        # Read across the pin one way: it counts only where there is nothing better.
        ([reading("a", spot=THRUST)], ["a"], {}),
        ([reading("a", spot=THRUST), reading("b", spot=PIN)], ["b"], {"a": "off-axis"}),
        ([reading("a", spot=THRUST), reading("b", tipped=(0.2, 0.3))], ["b"], {"a": "off-axis"}),
        # Unlike conditions: the latest set, by time where all have one, else by order.
        (
            [reading("a", conditions=UPRIGHT, order=0), reading("b", conditions=INVERTED, order=1)],
            ["b"],
            {"a": "other-conditions"},
        ),
        (
            [
                reading("a", conditions=UPRIGHT, order=0, at="2026-05-05T10:00:00Z"),
                reading("b", conditions=INVERTED, order=1, at="2026-05-05T09:00:00Z"),
            ],
            ["a"],
            {"b": "other-conditions"},
        ),
        # Two gauges: the surer; that of which nothing is known stands back.
        ([reading("a", gauge="d"), reading("b", gauge="x")], ["a"], {"b": "other-gauge"}),
    ],
)
def test_what_counts_and_what_is_set_aside(readings, counts, aside):
    found = sorted_out(*readings)
    assert counted(found) == counts
    assert reasons(found) == aside


def test_every_reading_counts_or_is_set_aside_and_none_is_both():
    surfaces, axes = st.sampled_from(["", "rim", "pad", "dome"]), st.sampled_from([None, "pin", "thrust"])
    drawn = st.lists(
        st.tuples(
            surfaces,
            axes,
            st.sampled_from([UPRIGHT, INVERTED, frozenset()]),
            st.sampled_from(["d", "x", ""]),
            st.sampled_from(["z1", "z2", ""]),
            st.booleans(),
            st.integers(1, 3),
        ),
        max_size=25,
    )

    @given(drawn, st.booleans())
    def check(rows, moved):
        readings = [
            reading(
                f"r{i}",
                on=on,
                spot=Position(axis=axis),
                conditions=how,
                gauge=gauge,
                zero=zero,
                order=i,
                tipped=(0.2, 0.3) if tipped else None,
                place=Place.hole(hole, "deck_clearance"),
            )
            for i, (on, axis, how, gauge, zero, tipped, hole) in enumerate(rows)
        ]
        zeros = {"z1": Zero(id="z1", gauge="d", before=0.0, after=0.05 if moved else 0.0)}
        found = sorted_out(*readings, zeros=zeros, voided=(Voided(reading="r0", why="slip"),))
        counts, aside = counted(found), [one.reading.id for one in found.aside]
        assert sorted(counts + aside) == sorted(one.id for one in readings)
        for place, series in found.series.items():
            assert {one.place for one in series.readings} == {place}
            assert len({(one.conditions, one.gauge, one.way) for one in series.readings}) == 1

    check()


@pytest.mark.parametrize(
    ("after", "moved"), [(0.0, False), (0.01, False), (-0.01, False), (0.0101, True), (0.02, True)]
)
def test_a_zero_has_moved_beyond_one_resolution(after, moved):
    book = Logbook({"d": GAUGE}, {"z1": Zero(id="z1", gauge="d", before=0.0, after=after)})
    assert book.has_moved("z1") is moved
    assert not book.has_moved("z9")


def test_a_void_reading_is_set_aside_with_its_reason():
    found = sorted_out(reading("a"), reading("b"), voided=(Voided(reading="b", why="a burr", by="Ada"),))
    assert [(one.reading.id, one.reason, one.why) for one in found.aside] == [("b", "voided", "a burr")]


def test_times_of_other_zones_sort_by_the_clock():
    assert (
        moment("2026-05-05T11:00:00+02:00")
        < moment("2026-05-05T10:00:00Z")
        < moment("2026-05-05T06:30:00-04:00")
    )
    for bad in ("yesterday", "2026-13-01", "9999-99-99T00:00", ""):
        with pytest.raises(QuantityError):
            moment(bad)


# -- agreement ------------------------------------------------------------------


@pytest.mark.parametrize(
    ("values", "state", "more"),
    [
        ([0.30], "more", 2),
        ([0.30, 0.31], "more", 1),
        ([0.30, 0.31, 0.32], "agree", 0),
        ([0.30, 0.31, 0.33], "apart", 0),
        # Three successive ones: what went before is forgotten.
        ([0.40, 0.30, 0.31, 0.32], "agree", 0),
    ],
)
def test_three_successive_ones_within_two_steps(values, state, more):
    book = Logbook({"d": GAUGE})
    how = agreement([reading(f"r{i}", value=v, gauge="d") for i, v in enumerate(values)], book)
    assert (how.state, how.more) == (state, more)
    assert how.within == pytest.approx(0.02)


def test_two_chamber_volumes_within_a_third_of_a_cc():
    for apart, state in ((0.29, "agree"), (0.31, "apart")):
        two = [reading(f"r{i}", "chamber_volume", 52.0 + i * apart) for i in (0, 1)]
        assert agreement(two, Logbook()).state == state


@pytest.mark.parametrize(
    ("value", "others", "paper", "like"),
    [
        (3.1, [0.31, 0.30], None, 0.31),
        (0.031, [0.31], None, 0.31),
        (7.9, [0.31], None, 0.31),  # 0.311 in read as mm
        (0.36, [0.31], None, None),
        (0.62, [0.31], None, None),
        (3.1, [], 0.3, 0.3),
        (12.0, [], None, 12.0),  # no such deck clearance
        (-0.3, [0.31], None, None),
    ],
)
def test_a_figure_ten_times_off_is_asked_about(value, others, paper, like):
    assert slipped(reading(value=value), others, paper) == like


# -- gauges ---------------------------------------------------------------------


@pytest.mark.parametrize(
    ("checks", "doubtful"),
    [
        ([("2026-05-01", True)], []),
        ([("2026-05-01", True), ("2026-05-20", False)], ["b", "c", "d", "none"]),
        ([("2026-05-20", False)], ["a", "b", "c", "d", "none"]),
        ([("2026-05-01", True), ("2026-05-12", False), ("2026-05-15", True)], ["b", "none"]),
        ([("2026-05-15", True), ("2026-05-01", True), ("2026-05-12", False)], ["b", "none"]),
    ],
)
def test_a_failed_check_casts_doubt_on_what_was_read_since_the_last_good_one(checks, doubtful):
    gauge = Gauge(id="d", checks=tuple(Check(on=on, good=good) for on, good in checks))
    days = {"a": "2026-04-20", "b": "2026-05-10", "c": "2026-05-16", "d": "2026-05-25"}
    readings = [reading(key, at=f"{day}T10:00:00Z") for key, day in days.items()] + [reading("none")]
    assert [one.id for one in suspects(gauge, readings)] == doubtful


def test_a_dropped_gauge_wants_a_check_before_its_next_reading():
    gauge = Gauge(
        id="d",
        checks=(Check(on="2026-05-01", good=True),),
        mishaps=(Mishap(on="2026-05-10", what="dropped"),),
    )
    after = [reading("a", at="2026-05-09T10:00:00Z"), reading("b", at="2026-05-10T10:00:00Z")]
    mishap, since = wants_check(gauge, after)
    assert mishap.what == "dropped"
    assert [one.id for one in since] == ["b"]
    checked = Gauge(id="d", checks=(Check(on="2026-05-11", good=True),), mishaps=gauge.mishaps)
    assert wants_check(checked, after) == (None, [])


def test_two_gauges_are_compared_without_what_they_share():
    document = engine(7).document
    document["gauges"]["other"] = {
        "resolution": 0.002,
        "u": 0.004,
        "repeatability": 0.002,
        "compensated": True,
    }
    for i, (gauge, value) in enumerate((("bore-1", 88.000), ("other", 88.020))):
        entry = {
            "id": f"r{i}",
            "figure": "bore",
            "cylinder": 1,
            "value": value,
            "gauge": gauge,
            "temperature": 25,
        }
        document["readings"].append(entry)
    ((_, e, used, other),) = compare_gauges(read_measured(document))
    u2 = 0.0
    for name in ("bore-1", "other"):
        g = document["gauges"][name]
        scatter = g["repeatability"] ** 2
        u2 += scatter + max(0, g["resolution"] ** 2 / 12 - scatter / 2) + g["u"] ** 2
    # The block's temperature is the same for both and drops out.
    corrected = 0.020 * (1 - 11e-6 * 5)
    assert e == pytest.approx(corrected / u2**0.5, rel=1e-9)
    assert {used.tool, other.tool} == {"bore-1", "other"}


# -- what is due, and gates -------------------------------------------------------


def test_what_is_due_shrinks_as_it_is_read():
    made = engine(8)
    made.document["unstated_doubt"] = "house"

    def due():
        build = read_measured(made.document)
        return progress(build, evaluate(build).now)

    before = due()
    made.document["readings"].append(made.reading("chamber_volume", 2))
    after = due()
    gone = set(before.due) - set(after.due)
    assert gone == {("chamber_volume", Place.hole(2, "chamber_volume"))}
    assert after.unsettled == 1
    # A mock-up stands for the stack; so do all of its parts.
    made.document["readings"].append(made.reading("deck_clearance", 1))
    assert ("deck_clearance", Place.hole(1, "deck_clearance")) not in due().due


def accepted(build, evaluation, number):
    (standing,) = (one for one in all_standings(build, evaluation) if one.gate.number == number)
    body = {
        "id": "s",
        "gate": number,
        "reason": "the owner wants it",
        "fails": list(standing.fails),
        "covers": dict(standing.covers),
        "by": "Ada",
        "at": "2026-05-05T09:00:00Z",
    }
    return standing, read_fact("accepted", body)


def test_an_acceptance_covers_places_and_values_and_lapses_when_one_changes():
    made = engine(9)
    document = made.document
    document["planned"] = [{"op": "head_cut", "amount": "0.2 mm"}, {"op": "deck_cut", "amount": "0.1 mm"}]
    document["school"] = "mock-up-only"

    def stands(facts=()):
        build = replace(read_measured(document), signed=Signed(tuple(facts)))
        return {one.gate.number: one for one in all_standings(build, evaluate(build))}

    build = read_measured(document)
    standing, fact = accepted(build, evaluate(build), 9)
    assert len(standing.fails) == 4
    assert not standing.is_passed
    assert stands([fact])[9].is_passed
    assert not stands([fact])[6].is_passed
    document["readings"].append(made.reading("chamber_volume", 3))
    after = stands([fact])[9]
    assert after.lapsed == ("cylinders.3.chamber_volume",)
    assert not after.is_passed
    for hole in (1, 2, 4):
        document["readings"].append(made.reading("chamber_volume", hole))
    assert stands()[9].fails == ()
    assert stands()[9].is_passed


def test_facts_fold_the_same_however_they_come():
    facts = [
        Fact(1, "a", read_fact("reading", {"id": "a", "figure": "bore", "cylinder": 1, "value": 88})),
        Fact(2, "z", read_fact("zero", {"name": "z1", "before": 0})),
        Fact(3, "void a", read_fact("void", {"reading": "a", "why": "slip"})),
        Fact(4, "f", read_fact("found", {"id": "f", "what": "a pore"})),
    ]
    whole = Facts().extended(copy.deepcopy(facts))
    for cut in range(len(facts)):
        assert Facts().extended(facts[:cut]).extended(facts[cut:]) == whole
    assert whole.document({})["voided"] == [{"reading": "a", "why": "slip"}]
