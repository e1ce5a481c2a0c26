"""What a process keeps of builds is never out of date."""

from __future__ import annotations

import threading
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from support.cases import demo
from support.people import by
from zygometra.core.build.document import with_leaf
from zygometra.store import builds
from zygometra.store.heads import Head
from zygometra.web import jobs
from zygometra.web.build.kept import Kept, KeptBuilds, Key, keep

NOON = datetime(2026, 5, 1, 12, tzinfo=UTC)


def head(version=1, moment=NOON):
    known = {"version": version, "changed_at": moment, "fact": 0, "gauges": 0}
    return Head(stage="on paper", shop_rules={}, changed_by="Ada", **known)


def key(build=1, version=1, moment=NOON, database="one", fact=0, gauges=0):
    return Key(database=database, build=build, version=version, fact=fact, gauges=gauges, moment=moment)


def kept(weight=100):
    return Kept({}, None, None, weight)


def test_another_process_saving_is_seen_at_once(shop, pilot, session):
    assert "225.4 mm" in shop.text(f"/builds/{pilot}/stack")
    stored = builds.load(session, pilot)
    document = with_leaf(stored.document, ("parts", "block", "deck_height"), "225.1 mm")
    builds.save(session, pilot, document, expected_version=1, entry=by("Tove", "elsewhere"))
    session.commit()
    assert "225.1 mm" in shop.text(f"/builds/{pilot}/stack")


def test_a_what_if_never_answers_from_an_older_version(shop, pilot, session, engine):
    address = f"/builds/{pilot}/stack/what-if?hole=2&nudge=hole:"
    assert "225.4 mm" in shop.text(address, HX_Request="true")
    for version, typed in ((1, "225.1 mm"), (2, "225.2 mm")):
        session.rollback()
        document = with_leaf(builds.load(session, pilot).document, ("parts", "block", "deck_height"), typed)
        builds.save(session, pilot, document, expected_version=version, entry=by("Tove", "elsewhere"))
        session.commit()
        for _ in range(2):
            assert typed in shop.text(address, HX_Request="true")
    shop.sent("/house-rules", {"quench_floor.steel": "3 mm"})
    assert "house floor of 3.00 mm" in shop.text(address, HX_Request="true")


def test_a_what_if_of_a_build_that_is_not_there_and_after_a_restarted_server(owner, shop, pilot):
    assert shop.get("/builds/99/stack/what-if", HX_Request="true").status_code == 404
    address = f"/builds/{pilot}/stack/what-if?hole=2&nudge=hole:"
    shop.text(address, HX_Request="true")
    with owner.connect() as connection:
        connection.exec_driver_sql(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
            " WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
    for _ in range(3):
        assert "225.4 mm" in shop.text(address, HX_Request="true")


def test_a_rule_that_moves_is_seen_by_every_page(shop, bring):
    build = bring("hill-climb")
    assert "Stop" in shop.text(f"/builds/{build}/stack")
    shop.sent("/house-rules", {"quench_floor.steel": "0.3 mm"})
    assert "under the house floor" not in shop.text(f"/builds/{build}/stack")


def test_connections_cut_by_a_restarted_server_are_not_noticed_by_readers(owner, shop, pilot):
    shop.text(f"/builds/{pilot}/stack")
    with owner.connect() as connection:
        connection.exec_driver_sql(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
            " WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
    assert "Pilot launch" in shop.text(f"/builds/{pilot}/stack")
    assert shop.get("/").status_code == 200


# -- the object by itself --------------------------------------------------------------------


def test_what_is_put_is_found_under_its_key_alone():
    known, one = KeptBuilds(), kept()
    known.put(key(), one)
    assert known.find(key(), head()) is one
    for other in (
        key(build=2),
        key(version=2),
        key(moment=NOON + timedelta(microseconds=1)),
        key(database="two"),
        key(fact=1),
    ):
        assert known.find(other, head()) is None


def test_the_newest_head_is_the_last_that_was_asked_for():
    known = KeptBuilds()
    assert known.newest("one", 1) is None
    known.put(key(), kept())
    assert known.newest("one", 1) is None, "put alone says nothing of the database"
    known.find(key(), head())
    known.put(key(version=2), kept())
    known.find(key(version=2), head(2))
    assert known.newest("one", 1).version == 2
    assert known.newest("two", 1) is None


@given(st.lists(st.tuples(st.integers(1, 6), st.integers(1, 400)), max_size=40), st.integers(1, 900))
def test_the_weights_stay_within_bounds_and_the_longest_unused_goes_first(steps, most):
    known, plain = KeptBuilds(most), []
    for build, weight in steps:
        known.put(key(build), kept(weight))
        plain = [(b, w) for b, w in plain if b != build] + [(build, weight)]
        while sum(w for _, w in plain) > most and len(plain) > 1:
            plain.pop(0)
        assert known.weight == sum(w for _, w in plain)
        assert known.weight <= most or len(known) == 1
        assert len(known) == len(plain)
    for build in range(1, 7):
        assert (known.find(key(build), head()) is not None) == (build in dict(plain))


def test_finding_one_keeps_it_longer():
    known = KeptBuilds(250)
    for build in (1, 2):
        known.put(key(build), kept())
    known.find(key(1), head())
    known.put(key(3), kept())
    assert known.find(key(1), head()) is not None
    assert known.find(key(2), head()) is None


def test_clear_forgets_everything():
    known = KeptBuilds()
    known.put(key(), kept())
    known.find(key(), head())
    known.clear()
    assert (len(known), known.weight, known.newest("one", 1)) == (0, 0, None)


def test_many_threads_leave_the_sum_of_the_weights_right():
    known = KeptBuilds(5_000)

    def work(seed):
        for n in range(300):
            known.put(key((seed * 7 + n) % 40), kept(50 + n % 90))
            known.find(key(n % 40), head())

    threads = [threading.Thread(target=work, args=(n,)) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert known.weight <= 5_000
    found = [known.find(key(build), head()) for build in range(40)]
    assert known.weight == sum(one.weight for one in found if one is not None)


def test_what_follows_from_a_version_is_made_once_for_each_reader_and_not_without_end():
    one, made = kept(), []
    for reader in ("mm", "inch", "mm"):
        assert one.once(("said", reader), lambda reader=reader: made.append(reader) or reader) == reader
    assert made == ["mm", "inch"]
    for n in range(100):
        one.once(n, lambda: n)  # noqa: B023 - asked for at once
    assert len(one._memos) <= 24


def test_the_weight_grows_with_the_document():
    small, large = keep(demo("hill-climb")), keep(demo("mountain-rescue"))
    assert 0 < small.weight < large.weight
    assert large.now is not None


def test_each_application_has_its_own(app, engine):
    from zygometra.web.app import create_app

    other = create_app(engine=engine, secret_key="only for tests")
    assert other.extensions["kept builds"] is not app.extensions["kept builds"]
    jobs.close(other)
    other.extensions["reading engine"].dispose()


@pytest.mark.parametrize("station", ["stack", "figures", "aim", "sheet", "record"])
def test_a_page_reads_a_version_once(app, shop, pilot, station, monkeypatch):
    read = []
    monkeypatch.setattr("zygometra.web.build.bench.keep", lambda *beside: read.append(1) or keep(*beside))
    for _ in range(3):
        shop.text(f"/builds/{pilot}/{station}")
    assert len(read) == 1
    assert len(app.extensions["kept builds"]) == 1
