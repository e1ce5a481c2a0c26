"""The log itself: what it refuses and asks about, the sweep, pass plans, sets, and what is said before a pass."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.half_cut import built, deck_passes, document, moment, planned
from zygometra.core.build.cut_log import CutLog, CutPlace, PassMade, SetUpRecord, Swept, counted, zones
from zygometra.core.cutting.next_pass import before_pass
from zygometra.core.cutting.pass_plan import FINISH, feed_for, finish_of, pass_minutes, pass_plan, turns_of
from zygometra.core.cutting.reach import reach_of
from zygometra.core.cutting.running import PassTooDeep, check_pass, check_reading, forecast_of, running
from zygometra.core.cutting.set_up import sweep_says
from zygometra.core.cutting.sets import set_standing
from zygometra.core.cutting.verify import lost_by
from zygometra.core.errors import QuantityError
from zygometra.core.faces.facing import SupportSpan
from zygometra.core.findings.collect import findings
from zygometra.core.house_rules import HouseRules, rules_for
from zygometra.core.stack.evaluate import evaluate
from zygometra.core.student import quantile

RULES = HouseRules()
DECK = CutPlace("deck_cut", "A")
ON_DECK = {"op": DECK.op, "bank": DECK.bank}


def deck(**more):
    return running(built(document(**more)), DECK, rules_for(""))


# -- passes -------------------------------------------------------------------


@given(st.lists(st.tuples(st.integers(1, 5), st.sampled_from([0.05, 0.1])), max_size=12))
def test_a_number_is_one_pass_whoever_says_it(entered):
    passes = [
        PassMade(id=f"p{i}", **ON_DECK, depth=depth, number=n, order=i)
        for i, (n, depth) in enumerate(entered)
    ]
    found = counted(passes)
    assert [one.number for one in found.passes] == sorted({n for n, _ in entered})
    assert len(found.passes) + len(found.again) + len(found.against) == len(entered)
    for one in found.passes:
        assert one.depth == next(depth for n, depth in entered if n == one.number)


def test_a_pass_deeper_than_what_is_left_above_the_limit_is_refused_unless_it_was_so():
    now = deck(passes=deck_passes(0.3, 0.2))
    assert (now.done, now.limit) == (pytest.approx(0.5), 0.6)
    check_pass(now, 0.1, RULES)
    with pytest.raises(PassTooDeep, match=r"0\.110 mm, and 0\.10 mm is left above the limit"):
        check_pass(now, 0.11, RULES)
    check_pass(now, 0.11, RULES, sure=True)
    # A touch-off takes nothing.
    check_pass(now, 0.0, RULES)
    with pytest.raises(QuantityError):
        check_pass(now, -0.01, RULES, sure=True)


def test_a_pass_ten_times_its_like_or_on_what_is_done_is_asked_about():
    lever = {"levers": {"deck_cut": {"max": 9}}}
    now = deck(passes=deck_passes(0.05, 0.04, 0.05), **lever)
    check_pass(now, 0.4, RULES)
    with pytest.raises(
        PassTooDeep, match=r"0\.50 mm \(19\.7 thou\), where 0\.05 mm \(2\.0 thou\) would be like"
    ):
        check_pass(now, 0.5, RULES)
    # The first one against what is planned, or what the house takes at once.
    first = deck(planned=planned(0.3), **lever)
    check_pass(first, 0.3, RULES)
    with pytest.raises(PassTooDeep, match="a slipped point"):
        check_pass(first, 3.0, RULES)
    done = deck(planned=planned(0.3), passes=deck_passes(0.3), **lever)
    with pytest.raises(PassTooDeep, match="on what is done"):
        check_pass(done, 0.02, RULES)


def test_a_touch_off_carries_its_marks_into_the_forecast():
    off = {
        "id": "t",
        "op": "deck_cut",
        "bank": "A",
        "number": 1,
        "depth": 0,
        "touched": ["intake 1"],
        "at": moment(20),
    }
    cut = {**deck_passes(0.05)[0], "number": 2, "touched": ["middle 2"], "clean": ["intake 1"]}
    now = deck(passes=[off, cut])
    assert now.done == pytest.approx(0.05)
    assert now.touched == {"intake 1", "middle 2"}
    assert forecast_of(now).clean_at >= 0.05
    assert forecast_of(deck(passes=[off])) is None
    bare = {**off, "touched": []}
    with pytest.raises(Exception, match="what a touch-off or a gauge showed"):
        deck(passes=[bare])


def test_the_least_deck_height_is_a_limit_wherever_the_height_was_read():
    facing = {"facing": {"least_deck_height": "229.7 mm"}}
    assert deck(**facing).limit == pytest.approx(0.3)
    doc = document(passes=deck_passes(0.1), **facing)
    doc["readings"].append(
        {"id": "h", "figure": "deck_height", "bank": "A", "value": 229.88, "at": moment(90)}
    )
    now = running(built(doc), DECK, rules_for(""))
    # 0.1 is off and 229.88 is left: 0.18 more may go.
    assert now.above_limit == pytest.approx(0.18)
    assert now.limit_from == "the least deck height"


@pytest.mark.parametrize(("read", "asks"), [(0.28, False), (0.27, False), (0.38, True), (0.18, True)])
def test_a_reading_that_does_not_agree_with_the_log_is_asked_about(read, asks):
    build = built(document(passes=deck_passes(0.1, 0.05)))
    off, _ = lost_by(build, DECK, number=1, figure="deck_clearance", read=read, at=moment(100))
    assert off == pytest.approx(0.43 - read)
    told = check_reading(build.cuts.total(DECK), off, 0.005)
    assert (told is not None) is asks
    if asks:
        assert ("not made" if read > 0.28 else "not logged") in str(told)


# -- set-up -------------------------------------------------------------------


@given(st.floats(-0.01, 0.01), st.floats(-0.01, 0.01), st.floats(-1, 1))
def test_a_sweep_gives_back_its_slopes(along, across, height):
    places = [(0, 60), (0, -60), (400, 60), (400, -60), (200, 0)]
    sweep = tuple(Swept(x=x, y=y, z=height + along * x + across * y) for x, y in places)
    record = SetUpRecord(
        id="s", **ON_DECK, sweep=sweep, rigid=True, support_span=SupportSpan(along=420, across=160)
    )
    found = sweep_says(record, RULES)
    assert (found.along, found.across) == (pytest.approx(along, abs=1e-9), pytest.approx(across, abs=1e-9))
    worst = max(abs(along) * 420, abs(across) * 160)
    if abs(worst - RULES["jack_travel"]) > 1e-6:
        assert found.is_beyond is (worst > RULES["jack_travel"])
    assert found.u == pytest.approx(worst / math.sqrt(12), abs=1e-9)


def test_a_set_up_says_what_it_lacks():
    lean = SetUpRecord(
        id="s",
        **ON_DECK,
        sweep=(Swept(x=0, y=0, z=0), Swept(x=400, y=0, z=0.1)),
        spring=0.05,
    )
    told = " ".join(map(str, sweep_says(lean, RULES).says))
    for words in ("2 readings", "rigid", "spring"):
        assert words in told
    steep = tuple(Swept(x=x, y=y, z=x * 0.01) for x in (0, 400) for y in (0, 100))
    beyond = SetUpRecord(id="s", **ON_DECK, sweep=steep)
    assert "the jacks move 2.000 mm: check the datum" in " ".join(map(str, sweep_says(beyond, RULES).says))


@given(
    st.lists(st.integers(1, 200), min_size=1, max_size=9),
    st.integers(0, 30),
    st.sampled_from([1000, 25.4, 39.37]),
)
def test_a_cut_whose_passes_come_to_it_is_done_however_they_are_added(steps, short, unit):
    """Tenths of thousandths of a mm, of an inch, of neither: what no machine is set to is no cut that is left."""
    depths = [step / unit / 10 for step in steps]
    whole = (sum(steps) + short) / unit / 10
    doc = document(passes=deck_passes(*depths), planned=planned(whole))
    doc["levers"]["deck_cut"]["max"] = 50
    now = running(built(doc), DECK, RULES)
    left = short / unit / 10
    # A sheet in inches names a tenth of a thou: within half of it the face is where the sheet says.
    assert now.is_done == (left < 0.00127) == (now.left == 0)
    if not now.is_done:
        assert now.left == pytest.approx(left, abs=1e-9)
        plan = pass_plan(whole, 400, gasket_kind="", rules=RULES, done=now.done)
        assert math.fsum(one.depth for one in plan.passes) == pytest.approx(now.left, rel=1e-6)


def test_the_last_of_a_cut_however_little_is_one_pass():
    for left in (1e-12, 1e-9, 1e-6, 1e-4, 0.05, 0.05 + 1e-12):
        plan = pass_plan(left, 400, "", RULES)
        assert [one.kind for one in plan.passes][-1] == "finish"
        assert all(one.depth > 0 for one in plan.passes)


# -- pass plans ---------------------------------------------------------------


@given(st.floats(0.001, 3), st.floats(0, 1), st.sampled_from(["", *FINISH]))
def test_a_pass_plan_comes_to_its_cut_and_keeps_to_the_house(total, share, kind):
    done = total * share * 0.99
    plan = pass_plan(total, 400, gasket_kind=kind, rules=RULES, done=done)
    assert math.fsum(one.depth for one in plan.passes) == pytest.approx(total - done, abs=1e-9)
    assert plan.passes[-1].total == pytest.approx(total, abs=1e-9)
    for one in plan.passes:
        most = RULES["rough_pass"] if one.kind == "rough" else RULES["finish_pass"]
        # Two that would rub are one.
        most = max(most, 2 * RULES["least_chip"])
        assert 0 < one.depth <= most + 1e-9
        assert one.depth >= min(RULES["least_chip"], total - done) - 1e-9
    after = math.fsum(one.depth for one in plan.passes[plan.stop_after :])
    least = min(total - done, RULES["stop_left"])
    assert least - 1e-9 <= after <= least + RULES["least_chip"] + 1e-9
    assert plan.minutes == pytest.approx(sum(pass_minutes(400, 300, one.feed) for one in plan.passes))
    if kind:
        assert plan.ra <= FINISH[kind][1] + 1e-9


def test_speeds_and_finish_by_hand():
    # f 0.1 mm a turn at a nose of 0.8 mm: 0.01/25.6 mm.
    assert finish_of(0.1, 0.8) == pytest.approx(0.390625)
    assert feed_for(0.390625, 0.8) == pytest.approx(0.1)
    assert turns_of(100, 100) == pytest.approx(318.3098861837907)
    assert pass_minutes(400, 300, 70) == pytest.approx(10)
    with pytest.raises(QuantityError):
        pass_plan(0.2, 400, gasket_kind="", rules=RULES, done=0.2)


# -- what is said before a pass -------------------------------------------------


def test_the_last_moment_is_told_before_it_is_past():
    build = built(document(passes=deck_passes(0.1), planned=planned(0.3)))
    now, reach = running(build, DECK, rules_for("")), reach_of(build, DECK, rules_for(""))
    # The lowest hole stands 0.33 down; the thick gasket of 1.4 and a window from 1.2 leave −0.2: 0.53, limit 0.5.
    assert reach.most == pytest.approx(0.5, abs=1e-6)
    assert before_pass(now, reach, 0.1, RULES).state == "good"
    narrow = built(document(passes=deck_passes(0.1), targets={"deck_clearance": {"min": 0.2, "max": 0.4}}))
    now, reach = running(narrow, DECK, rules_for("")), reach_of(narrow, DECK, rules_for(""))
    assert reach.most == pytest.approx(0.13, abs=1e-6)
    assert before_pass(now, reach, 0.14, RULES).state == "stop"
    assert "Last moment" in str(before_pass(now, reach, 0.14, RULES).says)
    assert before_pass(now, reach, 0.07, RULES).state == "warn"
    assert before_pass(now, reach, 0.01, RULES).state == "warn"
    assert before_pass(now, None, 0.6, RULES).state == "stop"


def test_nothing_leads_there_once_the_target_is_lost():
    gone = built(document(passes=deck_passes(0.3), targets={"deck_clearance": {"min": 0.2, "max": 0.4}}))
    assert reach_of(gone, DECK, rules_for("")) is None


def test_a_skim_says_when_it_will_be_clean():
    names = [zone.name for zone in zones(4, 97, 92)]
    passes = deck_passes(0.05, 0.05)
    passes[0] |= {"touched": names[:5]}
    passes[1] |= {"touched": names[5:9]}
    now = deck(passes=passes)
    found = forecast_of(now)
    assert found.done == pytest.approx(0.1)
    assert found.low >= 0.1
    assert found.low < found.clean_at < found.high
    passes[1] |= {"touched": names[5:]}
    assert forecast_of(deck(passes=passes)).clean_at == pytest.approx(0.1)
    assert deck().passes == ()
    assert forecast_of(deck()) is None


# -- sets ----------------------------------------------------------------------


def crowns(*told):
    """A log of crowns: hole, depth, what it was stopped at, what it came out at."""
    return CutLog(
        passes=tuple(
            PassMade(
                id=f"p{i}",
                op="crown_cut",
                cylinder=n,
                depth=depth,
                number=1,
                stopped=stopped,
                finished=done,
                order=i,
            )
            for i, (n, depth, stopped, done) in enumerate(told)
        )
    )


def test_a_set_goes_by_its_first_piece():
    log = crowns((3, 0.3, None, (0.0, 0.0)), (1, 0.25, 0.055, ()), (4, 0.28, 0.012, ()), (2, 0.3, -0.01, ()))
    found = set_standing(log, "crown_cut", cylinders=(1, 2, 3, 4), tolerance=0.02, rules=RULES)
    assert (found.zero, found.drift) == (3, None)
    pieces = {piece.cylinder: piece for piece in found.pieces}
    assert (pieces[1].last_cut, pieces[1].says) == (0.055, ())
    assert "rubs" in str(pieces[4].says[0])
    assert "cannot be matched" in str(pieces[2].says[0])


def test_a_first_piece_that_is_off_sends_the_others_back_and_two_places_must_agree():
    log = crowns((1, 0.3, None, (0.05, 0.05)), (2, 0.3, None, (0.0, 0.04)))
    found = set_standing(log, "crown_cut", cylinders=(1, 2), tolerance=0.02, rules=RULES)
    assert "goes back" in str(found.says[0])
    assert "not square" in str(found.pieces[1].says[0])


def test_a_drift_along_the_set_is_a_finding_and_scatter_is_none():
    wear = crowns(*((n, 0.3, None, (0.002 * n,)) for n in range(1, 7)))
    found = set_standing(wear, "crown_cut", cylinders=range(1, 7), tolerance=0.02, rules=RULES)
    assert found.drift.per_piece == pytest.approx(0.002)
    assert found.drift.seen
    level = crowns(*((n, 0.3, None, (0.002 * (-1) ** n,)) for n in range(1, 7)))
    assert not set_standing(level, "crown_cut", cylinders=range(1, 7), tolerance=0.02, rules=RULES).drift.seen


# -- what is said of a log --------------------------------------------------------


def said_of(**more):
    build = built(document(**more))
    return {one.code: str(one.says) for one in findings(build, evaluate(build), rules_for(""))}


def test_a_log_past_its_plan_its_limit_or_against_itself_is_said():
    assert not {"cut-past-plan", "cut-past-limit", "passes-contradict"} & set(
        said_of(planned=planned(0.25), passes=deck_passes(0.2, 0.05))
    )
    past = said_of(planned=planned(0.25), passes=deck_passes(0.2, 0.1))
    assert "0.300 mm by its log, 0.050 mm more than is planned" in past["cut-past-plan"]
    assert "The deck lost 0.700 mm by its log, and 0.60" in said_of(passes=deck_passes(0.7))["cut-past-limit"]
    twice = [*deck_passes(0.1), {**deck_passes(0.2)[0], "id": "another"}]
    assert (
        "Pass 1 of the deck was logged with 0.100 mm and with 0.200 mm"
        in said_of(passes=twice)["passes-contradict"]
    )


@given(st.floats(1e15, 1e308))
def test_degrees_of_freedom_without_end_are_normal(dof):
    assert quantile(dof) == pytest.approx(1.959963984540054, abs=1e-12)
