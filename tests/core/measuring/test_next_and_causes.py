"""What to measure next, and what is probably wrong: shares, correlated sources, planted faults, words."""

from __future__ import annotations

import copy

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from support.engines import engine
from trials.causes import drawn
from zygometra.core.measuring.cause_words import cause_words
from zygometra.core.measuring.causes import causes
from zygometra.core.measuring.faults import exchanged, slips_of
from zygometra.core.measuring.logbook import Reading
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.measuring.what_next import what_next
from zygometra.core.stack.evaluate import state_now
from zygometra.core.wording import Reader

WINDOWS = st.fixed_dictionaries(
    {},
    optional={
        "compression_ratio": st.sampled_from(
            [{"min": 9.0, "max": 10.0}, {"min": 9.5}, {"max": 11}, {"aim": 10}]
        ),
        "quench": st.sampled_from([{"min": 1.0, "max": 1.2}, {"min": 0.9}, {"max": 2}, {}]),
    },
)
FIGURES = ("deck_clearance", "bore", "compression_height", "chamber_volume")


def advised(document):
    build = read_measured(document)
    return build, what_next(build)


@settings(max_examples=40, deadline=None)
@given(
    st.integers(0, 10**6),
    st.lists(st.tuples(st.sampled_from(FIGURES), st.integers(1, 4)), max_size=12),
    WINDOWS,
    st.sampled_from(["house", "zero"]),
)
def test_the_advice_is_in_order_and_its_shares_sum_to_one_at_most(seed, read, targets, unstated):
    made = engine(seed)
    document = {**made.document, "targets": targets, "unstated_doubt": unstated}
    document["readings"] = [made.reading(figure, hole) for figure, hole in read]
    build, advice = advised(document)
    assert advice.decides in ("compression_ratio", "quench")
    assert sum(one.share for one in advice.readings) <= 1 + 1e-9
    worth = [one.worth for one in advice.readings]
    assert worth == sorted(worth, reverse=True)
    # A quench whose holes are all read rests on two: the depth there, and the gasket.
    assert len(advice.readings) >= (2 if advice.decides == "quench" else 3)
    state = state_now(build)
    u = getattr(state.hole(advice.hole).outcome.doubts, advice.decides).u
    for one in advice.readings:
        assert one.u_now == pytest.approx(u)
        assert one.minutes > 0


def test_one_more_reading_leaves_what_was_said_it_would():
    """The reading is taken: with the same mean and no scatter of its own the doubt is what was foretold."""
    made = engine(12).read_all(("deck_clearance", "bore", "chamber_volume"), 4)
    _, advice = advised(made.document)
    one = next(one for one in advice.readings if one.figure == "bore")
    build = read_measured(made.document)
    mean = build.in_use.series[one.place].readings
    same = {**mean[-1].typed, "id": "new", "value": sum(r.value for r in mean) / len(mean)}
    after = read_measured({**made.document, "readings": [*made.document["readings"], same]})
    u = state_now(after).hole(advice.hole).outcome.doubts.compression_ratio.u
    # The scatter itself becomes better known by one degree, which is not foretold.
    assert u == pytest.approx(one.u_after, rel=2e-3)


def test_what_a_zero_brings_is_only_taken_off_by_a_new_zero():
    made = engine(13)
    made.document["targets"] = {"quench": {"min": 1.0, "max": 1.2}}
    made.document["parts"]["gasket"]["thickness"]["plus_minus"] = 0
    made.read_all(("deck_clearance",), 6)
    _, advice = advised(made.document)
    first = advice.readings[0]
    assert (first.figure, first.zero) == ("deck_clearance", "new")
    assert first.u_after < first.u_now


def test_the_deciding_result_is_the_one_widest_against_its_window():
    document = engine(14).document
    document["targets"] = {"compression_ratio": {"min": 5, "max": 15}, "quench": {"min": 1.19, "max": 1.21}}
    assert advised(document)[1].decides == "quench"
    document["targets"] = {"compression_ratio": {"min": 9.99, "max": 10.0}, "quench": {"min": 0.1, "max": 4}}
    assert advised(document)[1].decides == "compression_ratio"


def test_figures_that_are_missing_come_first():
    document = engine(15).document
    del document["parts"]["head"]["chamber_volume"]
    _, advice = advised(document)
    assert [one.figure for one in advice.readings] == ["chamber_volume"]
    assert advice.readings[0].u_now is None


# -- causes -----------------------------------------------------------------------


def entry(document, key):
    return next(one for one in document["readings"] if one["id"] == key)


def found(document):
    build = read_measured(document)
    return build, causes(build)


@pytest.mark.parametrize("slip", [lambda v: v + 1.0, lambda v: v - 1.0, lambda v: v * 25.4])
def test_an_exact_slip_of_one_reading_is_named_by_its_id(slip):
    document = copy.deepcopy(drawn(21).document)
    one = next(r for r in document["readings"] if r["figure"] == "deck_clearance")
    one["value"] = round(slip(one["value"]), 6)
    build, named = found(document)
    assert (named[0].kind, named[0].about, named[0].cylinders) == ("reading", one["id"], (one["cylinder"],))
    assert named[0].explains > 0.9
    assert "misread" in str(cause_words(named[0], build.logbook))


def test_two_pistons_in_one_anothers_hole_are_a_swap_of_both():
    made = drawn(22)
    heights = {hole: made.truth["compression_height", hole] for hole in made.holes}
    for reading in made.document["readings"]:
        if reading["figure"] == "compression_height" and reading["cylinder"] in (1, 3):
            reading["value"] += 0.15 if reading["cylinder"] == 1 else -0.15
        if reading["figure"] == "deck_clearance" and reading["cylinder"] in (1, 3):
            # Hole 1 holds the piston that was measured as the third's, and the other way round.
            own, other = (1, 3) if reading["cylinder"] == 1 else (3, 1)
            shift = {1: 0.15, 3: -0.15}
            reading["value"] += heights[own] - (heights[other] + shift[other])
    _, named = found(made.document)
    assert (named[0].kind, named[0].about, named[0].cylinders) == ("swap", "compression_height", (1, 3))


def test_causes_that_these_readings_cannot_tell_apart_are_one_entry_with_what_would_tell_them():
    document = engine(23).document
    for i, hole in enumerate((1, 2, 3, 4)):
        document["readings"].append(
            {
                "id": f"r{i}",
                "figure": "deck_clearance",
                "cylinder": hole,
                "value": 0.42 if hole == 2 else 0.40 - 0.4,
                "gauge": "depth-1",
                "zero": "z1",
            }
        )
    build, named = found(document)
    kinds = {named[0].kind} | {one.kind for one in named[0].alike}
    assert {"reading", "part", "bearing"} <= kinds
    assert named[0].cylinders == (2,)
    assert named[0].decided_by is not None
    says = cause_words(named[0], build.logbook).written(Reader("inch"))
    assert "cannot tell it from" in says
    assert "thou" in says


def test_a_faultless_engine_is_seldom_accused_and_nothing_is_said_of_none():
    assert causes(read_measured(engine(24).document)) == ()
    accused = [seed for seed in range(100, 140) if causes(read_measured(drawn(seed).document))]
    # One in fifty is promised: of forty, five would be one in a thousand tries.
    assert len(accused) < 5


def test_the_bench_hangs_the_pistons_low_and_the_other_way_round():
    """Upright a piston may stand low by the sag; inverted high: the same distance speaks for and against."""
    for block, off in (("upright", 0.03), ("inverted", -0.03)):
        document = engine(25).document
        for part in document["parts"].values():
            for figure in part.values():
                if isinstance(figure, dict):
                    figure["plus_minus"] = 0.001
        paper = 220.0 - 40.0 - 140.0 - 39.6
        document["readings"] = [
            {
                "id": f"r{i}{hole}",
                "figure": "deck_clearance",
                "cylinder": hole,
                "value": round(paper + off, 3),
                "gauge": "depth-1",
                "zero": f"z{i}",
                "conditions": {"block": block},
            }
            for i in range(2)
            for hole in (1, 2, 3, 4)
        ]
        assert found(document)[1] == ()


def test_thousands_of_readings_are_judged_by_their_means():
    made = drawn(26)
    many = [{**one, "id": f"{one['id']}-{i}"} for i in range(20) for one in made.document["readings"]]
    document = {**made.document, "readings": many}
    for one in document["readings"]:
        if one["figure"] == "deck_clearance" and one["cylinder"] == 2:
            one["value"] += 0.5
    _, named = found(document)
    assert named
    assert named[0].cylinders == (2,)


@pytest.mark.parametrize(
    ("typed", "slips"),
    [
        ("0.27 mm", {1.0, -1.0, 0.27 - 0.72, 0.27 - 2.07, 0.27 - 0.27 / 25.4, 0.27 - 0.27 * 25.4}),
        ("12 thou", {2.54, -2.54, (12 - 21) * 0.0254, 0.3048 - 0.3048 / 25.4, 0.3048 - 0.3048 * 25.4}),
    ],
)
def test_the_slips_that_hands_make(typed, slips):
    one = Reading.read({"id": "a", "figure": "deck_clearance", "cylinder": 1, "value": typed})
    assert sorted(slips_of(one)) == pytest.approx(sorted(slips))


def test_a_miscounted_shot_is_a_slip():
    shots = {"count": 20, "size": "2.5 cc", "part": "1 cc"}
    one = Reading.read({"id": "a", "figure": "chamber_volume", "cylinder": 1, "shots": shots})
    assert list(slips_of(one)) == [2.5, -2.5]


@given(st.floats(-500, 500, allow_nan=False))
def test_exchanging_digits_loses_none(number):
    number = round(number, 3)
    for other in exchanged(number):
        digits, before = (sorted(f"{abs(n):.6f}".replace(".", "").replace("0", "")) for n in (other, number))
        assert digits == before
        assert other * number >= 0


def test_readings_without_any_doubt_of_a_figure_that_no_paper_gives_accuse_nothing():
    """Two alike, nothing stated: beside a free dimension their scatter is lost in the last digits."""
    readings = [
        {"id": f"r{i}", "figure": "top_land_height", "value": 6.0, "temperature": 0.0} for i in range(2)
    ]
    document = {
        "format": "zygometra.build",
        "version": 1,
        "name": "Bare",
        "unstated_doubt": "zero",
        "engine": {"layout": "inline", "banks": [{"name": "A", "cylinders": [1, 2]}]},
        "gauges": {"g1": {}},
        "readings": [readings[0] | {"gauge": "g1"}, readings[1]],
    }
    assert causes(read_measured(document)) == ()
