"""What a process keeps of builds is never out of date."""

from __future__ import annotations

from support.people import by
from zygometra.core.build.document import with_leaf
from zygometra.store import builds


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
    shop.post("/house-rules", {"quench_floor.steel": "3 mm"})
    assert "house floor of 3.00 mm" in shop.text(address, HX_Request="true")


def test_a_what_if_of_a_build_that_is_not_there_and_after_a_restarted_server(app, shop, pilot):
    assert shop.get("/builds/99/stack/what-if", HX_Request="true").status_code == 404
    address = f"/builds/{pilot}/stack/what-if?hole=2&nudge=hole:"
    shop.text(address, HX_Request="true")
    with app.extensions["engine"].connect() as connection:
        connection.exec_driver_sql(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
            " WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
    for _ in range(3):
        assert "225.4 mm" in shop.text(address, HX_Request="true")


def test_a_rule_that_moves_is_seen_by_every_page(shop, bring):
    build = bring("hill-climb")
    assert "Stop" in shop.text(f"/builds/{build}/stack")
    shop.post("/house-rules", {"quench_floor.steel": "0.3 mm"})
    assert "under the house floor" not in shop.text(f"/builds/{build}/stack")


def test_connections_cut_by_a_restarted_server_are_not_noticed_by_readers(app, shop, pilot):
    shop.text(f"/builds/{pilot}/stack")
    with app.extensions["engine"].connect() as connection:
        connection.exec_driver_sql(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity"
            " WHERE datname = current_database() AND pid <> pg_backend_pid()"
        )
    assert "Pilot launch" in shop.text(f"/builds/{pilot}/stack")
    assert shop.get("/").status_code == 200
