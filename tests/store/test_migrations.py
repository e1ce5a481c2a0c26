"""What the migrations make is what the models say: columns, types, defaults, keys, checks, indexes, triggers."""

from __future__ import annotations

import re

import pytest
from sqlalchemy import inspect, text
from sqlalchemy.exc import DBAPIError
from sqlmodel import SQLModel

from support.cases import demo
from support.people import by, someone
from zygometra.core.gates import ORDER
from zygometra.core.measuring.facts import read_fact
from zygometra.core.mix.parts import Part
from zygometra.store import acceptances, builds, facts, fit_rules, gauges, history, moves, rules, shelf
from zygometra.store.acceptances import StoredAgainst
from zygometra.store.database import migrate
from zygometra.store.tables import RECORDS, ChangeRow

MODELS = "by_models"

COLUMNS = """
    SELECT table_name, column_name, data_type, character_maximum_length, numeric_precision, is_nullable,
           column_default, is_identity
    FROM information_schema.columns WHERE table_schema = :schema
"""
CONSTRAINTS = """
    SELECT r.relname, c.contype, pg_get_constraintdef(c.oid)
    FROM pg_constraint c JOIN pg_class r ON r.oid = c.conrelid JOIN pg_namespace n ON n.oid = r.relnamespace
    WHERE n.nspname = :schema AND c.contype <> 'n'
"""
INDEXES = "SELECT tablename, indexdef FROM pg_indexes WHERE schemaname = :schema"
TRIGGERS = """
    SELECT r.relname, t.tgname, pg_get_triggerdef(t.oid)
    FROM pg_trigger t JOIN pg_class r ON r.oid = t.tgrelid JOIN pg_namespace n ON n.oid = r.relnamespace
    WHERE n.nspname = :schema AND NOT t.tgisinternal
"""


@pytest.fixture
def both(owner):
    """A reader of the catalogue: what a query finds in the migrated schema, and in one made from the models."""
    with owner.connect() as connection:
        connection.execute(text(f"DROP SCHEMA IF EXISTS {MODELS} CASCADE"))
        connection.execute(text(f"CREATE SCHEMA {MODELS}"))
        placed = connection.execution_options(schema_translate_map={None: MODELS})
        SQLModel.metadata.create_all(placed)

        def read(query):
            found = []
            for schema in ("public", MODELS):
                rows = connection.execute(text(query), {"schema": schema})
                plain = {tuple(_plain(value) for value in row) for row in rows}
                found.append({row for row in plain if row[0] != "alembic_version"})
            return found

        yield read
        connection.rollback()


def _plain(value):
    """A catalogue's words without the schema, and without the names that the database gave by itself."""
    if not isinstance(value, str):
        return value
    value = re.sub(rf"\b(public|{MODELS})\.", "", value)
    return re.sub(r"INDEX \S+ ON", "INDEX ON", value)


def test_the_tables_are_those_of_the_models(engine):
    assert set(inspect(engine).get_table_names()) - {"alembic_version"} == set(SQLModel.metadata.tables)


def test_columns_have_the_types_and_defaults_of_the_models(both):
    migrated, modelled = both(COLUMNS)
    assert migrated == modelled
    assert len(migrated) > 40


def test_keys_and_checks_are_those_of_the_models(both):
    migrated, modelled = both(CONSTRAINTS)
    assert migrated == modelled
    assert {kind for _, kind, _ in migrated} >= {"p", "f"}


def test_indexes_are_those_of_the_models(both):
    migrated, modelled = both(INDEXES)
    assert migrated == modelled


def test_every_record_is_guarded_by_its_triggers_and_nothing_else_is(both):
    migrated, _ = both(TRIGGERS)
    assert {table for table, _, _ in migrated} == set(RECORDS)
    for table in RECORDS:
        definitions = " ".join(d for t, _, d in migrated if t == table)
        assert "BEFORE DELETE OR UPDATE" in definitions
        assert "BEFORE TRUNCATE" in definitions
        assert definitions.count("EXECUTE FUNCTION record_stands()") == 2


def test_every_table_that_says_who_acted_is_a_record():
    signed = {name for name, table in SQLModel.metadata.tables.items() if "actor" in table.columns}
    assert signed == set(RECORDS)


@pytest.mark.parametrize("table", RECORDS)
@pytest.mark.parametrize("statement", ["UPDATE {} SET actor = 'x'", "DELETE FROM {}", "TRUNCATE {}"])
def test_the_record_stands_before_its_owner_too(session, owner, table, statement):
    build_id = builds.create(session, demo("pilot-launch"), entry=by("Ada", "for a test"))
    rules.set_rules(session, {"ratio_spread": 0.2}, actor=someone("Ada"), seen=0)
    fit_rules.save(session, None, entry=by("Ada", "usual"), seen=0)
    shelf.take_in(session, [Part("rod", "R")], entry=by("Ada", "put on"))
    acceptances.accept(
        session, StoredAgainst(ORDER, "x", ("y",)), "because it had to be", actor=someone("Ada")
    )
    facts.append(
        session,
        build_id,
        [facts.New("f1", read_fact("found", {"id": "f1", "what": "a pore"}))],
        actor=someone("Ada"),
    )
    facts.add_photo(session, build_id, key="p1", fact="f1", jpeg=b"jpeg", actor=someone("Ada"))
    gauges.note(
        session, "g1", gauge="depth-1", kind="registered", body={"kind": "depth"}, actor=someone("Ada")
    )
    session.commit()
    # The application may not even try; whoever owns the tables is refused by their triggers.
    with pytest.raises(DBAPIError, match="permission denied"):
        session.execute(text(statement.format(table)))
    session.rollback()
    with pytest.raises(DBAPIError, match=r"foreign key|the record stands"):
        session.execute(text("DELETE FROM build WHERE id = :id"), {"id": build_id})
    session.rollback()
    for swept in (statement.format(table), "TRUNCATE build CASCADE"):
        with owner.connect() as connection, pytest.raises(DBAPIError, match="the record stands"):
            connection.execute(text(swept))


def test_migrating_twice_is_harmless(owner):
    migrate(owner)


def test_who_acted_stands_beside_the_name(session):
    build_id = builds.create(session, demo("pilot-launch"), entry=by("Ada", "for a test"))
    moves.set_stage(session, build_id, "cut", seen="on paper", expected_version=1, entry=by("Tove", ""))
    rows = session.query(ChangeRow).order_by(ChangeRow.id).all()
    assert [(row.actor, row.actor_id) for row in rows] == [("Ada", "id-of-Ada"), ("Tove", "id-of-Tove")]


def test_a_row_from_before_there_were_identities_has_none(session):
    build_id = builds.create(session, demo("pilot-launch"), entry=by("Ada", "for a test"))
    session.execute(
        text(
            "INSERT INTO change (build_id, version, actor, kind, says, patch)"
            " VALUES (:build, 1, 'Old hand', 'edit', 'from before', '[]')"
        ),
        {"build": build_id},
    )
    newest = history.history(session, build_id)[0]
    assert (newest.actor, newest.says) == ("Old hand", "from before")
    assert session.query(ChangeRow).order_by(ChangeRow.id.desc()).first().actor_id is None


def test_the_summary_says_compression_ratio_and_no_other_name(session):
    builds.create(session, demo("pilot-launch"), entry=by("Ada", "for a test"))
    summary = builds.listed(session)[0].summary
    assert "compression_ratio" in summary["now"]
    assert "ratio" not in summary["now"]
