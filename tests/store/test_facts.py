"""Facts beside a build: once however often they are sent, in one order, never in conflict, and no new version."""

from __future__ import annotations

import threading

import pytest
from sqlalchemy import text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from support.cases import demo, vector
from support.people import by, someone
from zygometra.core.measuring.facts import Fact, Facts, read_fact
from zygometra.core.measuring.logbook import Reading
from zygometra.store import builds, facts, gauges, moves
from zygometra.store.facts import MOST_FACTS, ClosedToFacts, New, OtherFact, TooMany
from zygometra.store.locks import hold_house_rules
from zygometra.store.whole import with_facts


def depth(key, value=0.3, cylinder=1, **more):
    body = {"id": key, "figure": "deck_clearance", "cylinder": cylinder, "value": value, **more}
    return New(key, Reading.read(body))


@pytest.fixture
def pilot(session):
    build_id = builds.create(session, demo("pilot-launch"), entry=by("Ada"))
    session.commit()
    return build_id


def test_a_fact_sent_again_is_taken_once_and_makes_no_version(session, pilot):
    before = facts.newest(session, pilot)
    first = facts.append(session, pilot, [depth("a"), depth("b", 0.31)], actor=someone("Ada"))
    again = facts.append(session, pilot, [depth("b", 0.31), depth("c", 0.32)], actor=someone("Tove"))
    session.commit()
    assert (first.added, first.known, first.seq) == (2, 0, before + 2)
    assert (again.added, again.known, again.seq) == (1, 1, before + 3)
    kept = facts.since(session, pilot, before)
    assert [(one.key, one.seq, one.by) for one in kept] == [
        ("a", before + 1, "Ada"),
        ("b", before + 2, "Ada"),
        ("c", before + 3, "Tove"),
    ]
    assert builds.load(session, pilot).version == 1


def test_the_same_key_with_another_figure_is_refused_and_nothing_is_taken(session, pilot):
    facts.append(session, pilot, [depth("a")], actor=someone("Ada"))
    session.commit()
    before = facts.newest(session, pilot)
    with pytest.raises(OtherFact, match="a"):
        facts.append(session, pilot, [depth("z"), depth("a", 0.4)], actor=someone("Ada"))
    session.rollback()
    assert facts.newest(session, pilot) == before
    # Within one sending too.
    with pytest.raises(OtherFact):
        facts.append(session, pilot, [depth("n", 0.1), depth("n", 0.2)], actor=someone("Ada"))


def test_what_is_typed_and_what_it_is_in_mm_stand_side_by_side(session, pilot):
    body = {
        "id": "p",
        "figure": "deck_clearance",
        "cylinder": 2,
        "tipped": ["21 thou", "27 thou"],
        "gauge": "depth-2",
        "zero": "z1",
    }
    facts.append(session, pilot, [New("p", Reading.read(body))], actor=someone("Ada"))
    row = session.execute(text("SELECT * FROM fact WHERE key = 'p'")).one()
    assert (row.place, row.gauge, row.zero) == ("cylinders.2.deck_clearance", "depth-2", "z1")
    assert (row.value, row.other) == (pytest.approx(21 * 0.0254), pytest.approx(27 * 0.0254))
    assert row.body == body


def test_a_closed_build_takes_nothing_new_but_knows_what_it_has(session, pilot):
    facts.append(session, pilot, [depth("a")], actor=someone("Ada"))
    moves.set_stage(session, pilot, "signed off", seen="on paper", expected_version=1, entry=by("Tove", ""))
    session.commit()
    assert facts.append(session, pilot, [depth("a")], actor=someone("Ada")).known == 1
    with pytest.raises(ClosedToFacts, match="signed off"):
        facts.append(session, pilot, [depth("b")], actor=someone("Ada"))


def test_no_build_no_facts(session):
    with pytest.raises(builds.NotThere):
        facts.append(session, 999, [depth("a")], actor=someone("Ada"))
    with pytest.raises(builds.NotThere):
        facts.add_photo(session, 999, key="p", fact="a", jpeg=b"x", actor=someone("Ada"))


def test_there_is_an_end_to_how_many(session, pilot, monkeypatch):
    monkeypatch.setattr(facts, "MOST_FACTS", facts.newest(session, pilot) + 1)
    facts.append(session, pilot, [depth("a")], actor=someone("Ada"))
    with pytest.raises(TooMany):
        facts.append(session, pilot, [depth("b")], actor=someone("Ada"))
    assert MOST_FACTS >= 20_000


def test_people_who_append_at_once_get_one_order_without_a_gap(engine, session, pilot):
    before = facts.newest(session, pilot)
    session.commit()
    faults = []

    def work(who):
        try:
            for i in range(12):
                with Session(engine) as own:
                    new = [depth(f"{who}{i}", cylinder=1 + i % 4)]
                    facts.append(own, pilot, new, actor=someone(who))
                    own.commit()
        except Exception as error:  # told below, by the test itself
            faults.append(error)

    threads = [threading.Thread(target=work, args=(who,)) for who in ("Ada", "Tove", "Ines")]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert faults == []
    kept = facts.since(session, pilot, before)
    assert [one.seq for one in kept] == list(range(before + 1, before + 37))
    assert len({one.key for one in kept}) == 36
    assert builds.load(session, pilot).version == 1


def test_who_notes_holds_the_rules_before_the_build_so_that_nobody_waits_in_a_ring(engine, session, pilot):
    """A change of the rules writes every build: it waits for who notes, and does not hold what he asks for next."""
    facts.hold(session, pilot)
    with Session(engine) as other:
        other.execute(text("SET LOCAL lock_timeout = '200ms'"))
        with pytest.raises(OperationalError, match="lock timeout"):
            hold_house_rules(other, to_change=True)
    hold_house_rules(session)
    assert facts.append(session, pilot, [depth("n")], actor=someone("Ada")).added == 1


def test_a_fact_is_seen_by_those_who_go_on_from_the_one_before(session, pilot):
    known = facts.of_build(session, pilot)
    facts.append(session, pilot, [depth("a"), depth("b", 0.35)], actor=someone("Ada"))
    on = known.extended(facts.since(session, pilot, known.seq))
    assert on == facts.of_build(session, pilot)
    assert [one.id for one in on.readings[-2:]] == ["a", "b"]


def test_a_file_goes_in_and_out_with_its_logbook(session):
    document = vector("logbook-tipped-pairs-two-zeros")["build"]
    document["voided"] = [{"reading": "r2", "why": "slipped", "by": "Ines", "at": "2026-05-05T09:12:00Z"}]
    document["found"] = [
        {"id": "f1", "what": "a blocked passage", "cylinder": 2, "consequence": "drill it out"}
    ]
    document["zeros"] = {"z1": {"gauge": "depth-1", "before": 0, "after": "0.001 mm"}}
    build_id = builds.create(session, document, entry=by("Ada"))
    stored = builds.load(session, build_id)
    assert not {"readings", "gauges", "zeros", "voided", "found"} & set(stored.document)
    assert with_facts(session, build_id, stored.document) == document


def test_what_is_known_of_a_zero_grows():
    zero = [
        Fact(1, "k1", read_fact("zero", {"name": "z1", "gauge": "d", "before": 0})),
        Fact(2, "k2", read_fact("zero", {"name": "z1", "after": 0.01})),
    ]
    grown = Facts().extended(zero).zeros["z1"]
    assert (grown.gauge, grown.before, grown.after) == ("d", 0, 0.01)
    assert grown.typed == {"gauge": "d", "before": 0, "after": 0.01}


def test_a_gauge_of_the_register_goes_along_with_a_file_and_one_that_differs_is_the_builds_own(session):
    register = {"kind": "depth indicator", "resolution": "0.01 mm", "u": 0.003}
    gauges.note(session, "k1", gauge="depth-2", kind="registered", body=register, actor=someone("Ada"))
    gauges.note(
        session,
        "k2",
        gauge="depth-2",
        kind="check",
        body={"on": "2026-05-04", "good": True},
        actor=someone("Ada"),
    )
    gauges.note(
        session,
        "k2",
        gauge="depth-2",
        kind="check",
        body={"on": "2026-05-04", "good": True},
        actor=someone("Ada"),
    )
    document = demo("pilot-launch")
    document["readings"] = [{"id": "r1", "figure": "bore", "cylinder": 1, "value": 92.0, "gauge": "depth-2"}]
    build_id = builds.create(session, document, entry=by("Ada"))
    whole = with_facts(session, build_id, builds.load(session, build_id).document)
    there = {**register, "checks": [{"on": "2026-05-04", "good": True}]}
    assert whole["gauges"] == {"depth-2": there}
    # The same again is no fact; another one counts for this build alone.
    same = builds.create(session, whole, entry=by("Ada"))
    assert facts.of_build(session, same).gauges == {}
    whole["gauges"]["depth-2"]["u"] = 0.01
    own = builds.create(session, whole, entry=by("Ada"))
    assert facts.of_build(session, own).gauges["depth-2"].u == 0.01
    assert gauges.register(session).gauges["depth-2"].u == 0.003


def test_photographs_are_kept_once_and_found_by_their_fact(session, pilot):
    for _ in range(2):
        facts.add_photo(session, pilot, key="p1", fact="a", jpeg=b"one", actor=someone("Ada"))
    facts.add_photo(session, pilot, key="p2", fact="a", jpeg=b"two", actor=someone("Ada"))
    assert facts.photos(session, pilot) == {"a": ["p1", "p2"]}
    assert facts.photo(session, pilot, "p2") == b"two"
    assert facts.photo(session, pilot, "p3") is None


def test_the_floor_counts_readings(session):
    document = vector("logbook-tipped-pairs-two-zeros")["build"]
    build_id = builds.create(session, document, entry=by("Ada"))
    (listed,) = builds.listed(session)
    # The mean of the three tipped pairs of each hole, by hand for the deepest: (0.496 + 0.498 + 0.498)/3.
    assert listed.summary["now"]["deck_clearance"][1] == pytest.approx(1.492 / 3)
    saved = builds.load(session, build_id)
    builds.save(session, build_id, {**saved.document, "name": "another"}, expected_version=1, entry=by("Ada"))
    assert builds.listed(session)[0].summary["now"]["deck_clearance"][1] == pytest.approx(1.492 / 3)
