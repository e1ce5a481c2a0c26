"""The store on a real PostgreSQL: what goes in comes back, history grows, nothing is lost."""

from __future__ import annotations

import copy
import json
import threading

import pytest
from sqlalchemy import select, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from support.cases import DEMO, VECTORS, demo, vector
from support.people import by, someone
from zygometra.core.build.document import with_leaf
from zygometra.core.errors import QuantityError
from zygometra.demo import SHOP, load_demo
from zygometra.store import builds, heads, history, moves, rules, undo
from zygometra.store.database import reading_engine
from zygometra.store.tables import FigureRow
from zygometra.store.whole import with_facts

EVERY_FILE = [*VECTORS.glob("*.json"), *DEMO.glob("*.json")]


def kept(session, document, **more):
    build_id = builds.create(session, document, entry=by("Ada", "for a test"), **more)
    session.commit()
    return build_id


def bore(document, typed):
    return with_leaf(document, ("parts", "block", "bore"), typed)


@pytest.fixture
def pilot(session):
    return kept(session, demo("pilot-launch"))


@pytest.fixture
def reading(engine):
    made = reading_engine(engine)
    yield made
    made.dispose()


@pytest.mark.parametrize("file", EVERY_FILE, ids=lambda p: p.stem)
def test_a_document_comes_back_to_the_letter(session, file):
    document = json.loads(file.read_text())
    document = document.get("build", document)
    build_id = kept(session, copy.deepcopy(document))
    stored = builds.load(session, build_id)
    whole = with_facts(session, build_id, stored.document)
    assert json.dumps(whole, sort_keys=True) == json.dumps(document, sort_keys=True)
    assert stored.version == 1


def test_notes_and_odd_texts_survive(session):
    document = vector("pellam-single-proud")["build"]
    document["x-shop"] = {"a.b": [1, {"c": None}], "d": 'O\'Brien "<b>" \\ % _ ü 漢'}
    document["name"] = "Robert'); DROP TABLE build;--"
    assert builds.load(session, kept(session, document)).document == document


def test_figures_stand_in_rows_with_value_and_basis(session, pilot):
    rows = {r.path: r for r in session.execute(select(FigureRow)).scalars()}
    assert rows["cylinders.4.bore"].value == pytest.approx(92.02)
    assert rows["cylinders.1.deck_clearance"].basis == "mock-up"
    assert rows["parts.head.chamber_volume"].basis == "advertised"
    assert rows["parts.block.deck_height"].typed["plus_minus"] == 0.05


def test_saving_makes_a_version_and_a_record(session, pilot):
    stored = builds.load(session, pilot)
    saved = builds.save(
        session, pilot, bore(stored.document, "92.5 mm"), expected_version=1, entry=by("Tove", "bored")
    )
    session.commit()
    assert saved.version == 2
    again = builds.load(session, pilot)
    assert again.document["parts"]["block"]["bore"] == "92.5 mm"
    assert (again.version, again.changed_by) == (2, "Tove")
    newest = history.history(session, pilot)[0]
    assert (newest.actor, newest.kind, newest.says, newest.version) == ("Tove", "edit", "bored", 2)
    assert [(d.path, d.after) for d in newest.patch] == [(("parts", "block", "bore"), "92.5 mm")]


def test_saving_what_stands_changes_nothing(session, pilot):
    stored = builds.load(session, pilot)
    assert (
        builds.save(session, pilot, stored.document, expected_version=1, entry=by("Tove", "-")).version == 1
    )
    assert len(history.history(session, pilot)) == 1


def test_a_later_saver_sees_both_and_nothing_is_written(session, pilot):
    mine = bore(builds.load(session, pilot).document, "93 mm")
    theirs = bore(builds.load(session, pilot).document, "92.5 mm")
    builds.save(session, pilot, theirs, expected_version=1, entry=by("Tove", "bored"))
    session.commit()
    with pytest.raises(builds.VersionConflict) as stale:
        builds.save(session, pilot, mine, expected_version=1, entry=by("Ada", "bored more"))
    session.rollback()
    assert stale.value.current.document["parts"]["block"]["bore"] == "92.5 mm"
    assert [c.actor for c in stale.value.since] == ["Tove"]
    assert builds.load(session, pilot).document == theirs


def test_of_many_savers_at_once_exactly_one_wins(engine):
    with Session(engine) as session:
        build_id = kept(session, demo("ferry-tender"))
        document = builds.load(session, build_id).document
    outcomes = []
    barrier = threading.Barrier(6)

    def save(number):
        barrier.wait()
        with Session(engine) as session:
            try:
                builds.save(
                    session,
                    build_id,
                    bore(document, f"92.{number} mm"),
                    expected_version=1,
                    entry=by(str(number), "race"),
                )
                session.commit()
                outcomes.append("saved")
            except builds.VersionConflict:
                outcomes.append("stale")

    threads = [threading.Thread(target=save, args=(n,)) for n in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(outcomes) == ["saved"] + ["stale"] * 5
    with Session(engine) as session:
        assert builds.load(session, build_id).version == 2
        assert len(history.history(session, build_id)) == 2


def test_undo_and_redo_walk_the_whole_history(session, pilot):
    states = [builds.load(session, pilot).document]
    for n, change in enumerate(
        (
            lambda d: bore(d, "92.5 mm"),
            lambda d: with_leaf(d, ("cylinders", "2", "bore"), "92.6 mm"),
            lambda d: {**d, "planned": []},
        ),
        start=1,
    ):
        states.append(change(states[-1]))
        builds.save(session, pilot, states[-1], expected_version=n, entry=by("Ada", f"change {n}"))
    version = 4
    for expected in (states[2], states[1], states[0]):
        assert undo.step_back(session, pilot, expected_version=version, actor=someone("Ada"))
        version += 1
        assert builds.load(session, pilot).document == expected
    assert undo.step_back(session, pilot, expected_version=version, actor=someone("Ada")) is None
    for expected in (states[1], states[2]):
        undo.step_forward(session, pilot, expected_version=version, actor=someone("Ada"))
        version += 1
        assert builds.load(session, pilot).document == expected
    session.commit()
    kinds = [c.kind for c in reversed(history.history(session, pilot))]
    assert kinds == ["new", "edit", "edit", "edit", "undo", "undo", "undo", "redo", "redo"]


def test_an_edit_after_an_undo_ends_the_redo(session, pilot):
    document = builds.load(session, pilot).document
    builds.save(session, pilot, bore(document, "92.5 mm"), expected_version=1, entry=by("Ada", "one"))
    undo.step_back(session, pilot, expected_version=2, actor=someone("Ada"))
    builds.save(session, pilot, bore(document, "93 mm"), expected_version=3, entry=by("Ada", "other"))
    assert undo.step_forward(session, pilot, expected_version=4, actor=someone("Ada")) is None
    assert undo.undo_stacks(session, pilot).redo == []


def test_undo_of_a_stale_page_is_refused(session, pilot):
    builds.save(
        session,
        pilot,
        bore(builds.load(session, pilot).document, "93 mm"),
        expected_version=1,
        entry=by("T", "x"),
    )
    with pytest.raises(builds.VersionConflict):
        undo.step_back(session, pilot, expected_version=1, actor=someone("Ada"))


def test_what_was_recorded_cannot_be_altered(session, pilot):
    with pytest.raises(DBAPIError, match="permission denied"):
        session.execute(text("UPDATE change SET actor = 'nobody'"))


def test_the_history_of_one_figure(session, pilot):
    document = builds.load(session, pilot).document
    builds.save(session, pilot, bore(document, "92.5 mm"), expected_version=1, entry=by("Ada", "bore"))
    builds.save(
        session,
        pilot,
        {**bore(document, "92.5 mm"), "customer": "x"},
        expected_version=2,
        entry=by("Ada", "customer"),
    )
    assert [c.says for c in history.history(session, pilot, path="parts.block.bore")] == [
        "bore",
        "for a test",
    ]
    assert [c.says for c in history.history(session, pilot, after=2)] == ["customer"]


def test_a_build_that_is_not_there(session, reading):
    with pytest.raises(builds.NotThere):
        builds.load(session, 99)
    with pytest.raises(builds.NotThere):
        heads.head(reading, 99)


def test_a_head_that_waits_for_a_lock_leaves_the_other_threads_at_work(session, reading, owner, pilot):
    """Who holds the lock is another thread: it lets go only if it may run."""
    told = []
    waiting = text(
        "SELECT count(*) FROM pg_stat_activity WHERE wait_event_type = 'Lock' AND query ~ 'gauge_fact'"
    )
    heads.head(reading, pilot)
    with owner.connect() as holder, owner.connect() as watching:
        holder.execute(text("LOCK TABLE build IN ACCESS EXCLUSIVE MODE"))
        asks = threading.Thread(target=lambda: told.append(heads.head(reading, pilot)))
        asks.start()
        while asks.is_alive() and not watching.execute(waiting).scalar_one():
            watching.rollback()
        holder.rollback()
        asks.join()
    assert [one.version for one in told] == [1]


def test_the_head_follows_every_save(session, reading, pilot):
    before = heads.head(reading, pilot)
    builds.save(
        session,
        pilot,
        bore(builds.load(session, pilot).document, "93 mm"),
        expected_version=1,
        entry=by("T", "x"),
    )
    assert heads.head(reading, pilot).version == before.version
    session.commit()
    after = heads.head(reading, pilot)
    assert (after.version, after.changed_by) == (2, "T")
    assert after.changed_at > before.changed_at


def test_the_floor_lists_searches_and_stages(engine, session):
    assert load_demo(engine) is True
    assert load_demo(engine) is False
    everything = builds.listed(session)
    assert len(everything) == len(SHOP) >= 6
    assert everything[0].name == "Canal barge 2.6"
    assert {b.family for b in everything} == {"Tarnbeck", "Veldrin", "Quillon", "Ottermoor", "Pellam"}
    assert [b.name for b in builds.listed(session, search="tarn harbour ferry")] == ["Ferry tender 2.3"]
    assert builds.listed(session, search="100%_\\") == ()
    assert [b.name for b in builds.listed(session, stage="signed off")] == [
        "Granary hoist 1.9",
        "Winch flat-four",
    ]
    moves.set_stage(
        session,
        everything[0].id,
        "shelved",
        seen=everything[0].stage,
        expected_version=1,
        entry=by("Ada", ""),
    )
    assert everything[0].name not in [b.name for b in builds.listed(session)]
    assert [b.name for b in builds.listed(session, stage="shelved")] == ["Canal barge 2.6"]


def test_a_stage_is_recorded_once(session, pilot):
    moves.set_stage(session, pilot, "cut", seen="on paper", expected_version=1, entry=by("Ada", ""))
    moves.set_stage(session, pilot, "cut", seen="on paper", expected_version=1, entry=by("Ada", ""))
    assert [c.says for c in history.history(session, pilot) if c.kind == "stage"] == ["on paper → cut"]


def test_the_summary_follows_the_document(session, pilot):
    stored = builds.load(session, pilot)
    builds.save(
        session,
        pilot,
        with_leaf(stored.document, ("parts", "gasket", "thickness"), "0.3 mm"),
        expected_version=1,
        entry=by("A", "x"),
    )
    assert builds.listed(session)[0].summary["counts"]["stop"] >= 1


def test_house_rules_are_kept_taken_back_and_judged_by(session):
    hill = kept(session, demo("hill-climb"))
    assert builds.listed(session)[0].summary["counts"]["stop"] == 1
    rules.set_rules(
        session, {"quench_floor.steel": 0.4}, actor=someone("Ada"), seen=rules.newest(session).number
    )
    assert rules.shop_rules(session) == {"quench_floor.steel": 0.4}
    assert builds.load(session, hill).shop_rules == {"quench_floor.steel": 0.4}
    rules.settle(session)
    assert builds.listed(session)[0].summary["counts"]["stop"] == 0
    rules.set_rules(
        session, {"quench_floor.steel": None}, actor=someone("Ada"), seen=rules.newest(session).number
    )
    assert rules.shop_rules(session) == {}
    with pytest.raises(QuantityError):
        rules.set_rules(
            session, {"quench_floor.steel": 99}, actor=someone("Ada"), seen=rules.newest(session).number
        )


def test_a_save_returns_the_moment_that_the_head_then_has(session, reading, pilot):
    stored = builds.load(session, pilot)
    saved = builds.save(
        session, pilot, bore(stored.document, "92.5 mm"), expected_version=1, entry=by("Tove", "bored")
    )
    session.commit()
    assert saved.changed_at == heads.head(reading, pilot).changed_at > stored.changed_at
    assert (saved.version, saved.changed_by) == (2, "Tove")


def test_a_stage_carries_the_version_that_was_seen(session, pilot):
    document = builds.load(session, pilot).document
    builds.save(session, pilot, bore(document, "92.5 mm"), expected_version=1, entry=by("Tove", "bored"))
    session.commit()
    with pytest.raises(builds.VersionConflict) as stale:
        moves.set_stage(session, pilot, "cut", seen="on paper", expected_version=1, entry=by("Ada", ""))
    session.rollback()
    assert [c.actor for c in stale.value.since] == ["Tove"]
    assert builds.load(session, pilot).stage == "on paper"
    moved = moves.set_stage(session, pilot, "cut", seen="on paper", expected_version=2, entry=by("Ada", ""))
    assert (moved.stage, moved.version) == ("cut", 2)
