"""A shop in one file and back: the same hash, nothing lost on the way, and one sentence for whatever hinders."""

# long: one file from its writing to what a stranger does to it
from __future__ import annotations

import gzip
import hashlib
import io
import json
import os
import signal
import subprocess
import sys
import tarfile
import time
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from support.cases import demo
from support.people import by, someone
from zygometra import cli
from zygometra.demo.shelf import demo_shelf
from zygometra.store import builds, history, moves, rules, shelf
from zygometra.store.backup import NotDone, backup, restore
from zygometra.store.database import IN_USE, hold_while_used, migrate, open_engine
from zygometra.store.fingerprint import fingerprint


def digest(engine):
    with engine.connect() as connection:
        return fingerprint(connection).digest


@pytest.fixture
def filled(engine, owner):
    """A shop with builds, a history, rules and a shelf; texts of every kind among them."""
    with Session(engine) as session:
        for name in ("pilot-launch", "mountain-rescue"):
            document = demo(name) | {"x-notes": "ü 漢 \\ ' \" 0.10 mm\n\tand\u2028more"}
            number = builds.create(session, document, entry=by("Ünal", "for a test"))
            builds.save(
                session, number, document | {"customer": "Ørsted"}, expected_version=1, entry=by("Ada", "x")
            )
            moves.set_stage(
                session, number, "measuring", seen="on paper", expected_version=2, entry=by("Tove", "")
            )
        rules.set_rules(session, {"ratio_spread": 0.1 + 0.2}, actor=someone("Ada"), seen=0)
        shelf.take_in(session, demo_shelf(60, 3), entry=by("Ada", "table"))
        session.commit()
    return owner


@pytest.fixture
def elsewhere(database_url):
    """An empty database beside."""
    name = "elsewhere_" + make_url(database_url).database[-12:]
    server = create_engine(
        make_url(database_url).set(drivername="postgresql+psycopg"), isolation_level="AUTOCOMMIT"
    )
    with server.connect() as connection:
        connection.execute(text(f"CREATE DATABASE {name}"))
    engine = open_engine(make_url(database_url).set(database=name).render_as_string(hide_password=False))
    yield engine
    engine.dispose()
    with server.connect() as connection:
        connection.execute(text(f"DROP DATABASE {name} WITH (FORCE)"))
    server.dispose()


@pytest.fixture
def known(filled, elsewhere, tmp_path):
    """What the words of a command are filled with: a folder, and the addresses of two databases."""
    addresses = {
        name: engine.url.render_as_string(hide_password=False).replace("+psycopg", "")
        for name, engine in (("filled", filled), ("elsewhere", elsewhere))
    }
    return {"there": tmp_path} | addresses


def test_a_backup_restored_elsewhere_has_the_same_hash(filled, elsewhere, tmp_path):
    written = backup(filled, tmp_path / "shop.backup")
    assert written.holds.digest == digest(filled)
    assert written.holds.rows["change"] == 6
    there = restore(elsewhere, tmp_path / "shop.backup")
    assert there.holds == written.holds
    assert digest(elsewhere) == digest(filled)
    with Session(filled) as one, Session(elsewhere) as other:
        for build in builds.listed(one):
            assert builds.load(one, build.id) == builds.load(other, build.id)
            assert history.history(one, build.id) == history.history(other, build.id)


def test_what_was_restored_goes_on_and_is_guarded_as_before(filled, elsewhere, tmp_path):
    backup(filled, tmp_path / "shop.backup")
    restore(elsewhere, tmp_path / "shop.backup")
    migrate(elsewhere)
    with Session(elsewhere) as session:
        number = builds.create(session, demo("hill-climb"), entry=by("Ada", "after"))
        session.commit()
        assert number > max(build.id for build in builds.listed(session) if build.id != number)
    with elsewhere.connect() as connection, pytest.raises(Exception, match="the record stands"):
        connection.execute(text("DELETE FROM change"))


def test_the_hash_moves_with_every_row(filled):
    before = digest(filled)
    assert digest(filled) == before
    with filled.connect() as connection:
        for statement in (
            "UPDATE figure SET typed = '\"92.00 mm\"' WHERE path = 'parts.block.bore'",
            "UPDATE build SET stage = 'cut' WHERE id = 1",
            "DELETE FROM part WHERE code = (SELECT min(code) FROM part)",
            "INSERT INTO change (build_id, version, actor, kind, says, patch) VALUES (1, 9, 'x', 'edit', 'y', '[]')",
        ):
            with connection.begin() as transaction:
                connection.execute(text(statement))
                assert fingerprint(connection).digest != before, statement
                transaction.rollback()
    assert digest(filled) == before


def test_a_backup_is_of_one_moment_however_much_is_written_meanwhile(filled, elsewhere, tmp_path, engine):
    import threading

    stop = threading.Event()

    def write():
        version = 2
        while not stop.is_set():
            with Session(engine) as session:
                document = builds.load(session, 1).document
                document = {**document, "customer": f"number {version}"}
                builds.save(session, 1, document, expected_version=version, entry=by("Ada", "writes"))
                session.commit()
            version += 1

    writer = threading.Thread(target=write)
    writer.start()
    try:
        for number in range(2):
            backup(filled, tmp_path / f"{number}.backup")
    finally:
        stop.set()
        writer.join()
    restored = restore(elsewhere, tmp_path / "1.backup")
    with Session(elsewhere) as session:
        load = builds.load(session, 1)
        past = history.history(session, 1)
        assert load.version == max(change.version for change in past)
        assert len({c.version for c in past}) == load.version
    assert restored.holds.rows["change"] >= 6


def test_a_shop_that_is_there_is_never_overwritten(filled, elsewhere, tmp_path):
    backup(filled, tmp_path / "shop.backup")
    restore(elsewhere, tmp_path / "shop.backup")
    with Session(elsewhere) as session:
        builds.create(session, demo("hill-climb"), entry=by("Ada", "newer"))
        session.commit()
    elsewhere.dispose()
    before = digest(elsewhere)
    with pytest.raises(NotDone, match="a shop in this database already"):
        restore(elsewhere, tmp_path / "shop.backup")
    assert digest(elsewhere) == before
    done = restore(elsewhere, tmp_path / "shop.backup", aside=True)
    assert done.before.startswith("before_")
    assert digest(elsewhere) == digest(filled)
    with elsewhere.connect() as connection:
        kept = connection.execute(text(f"SELECT count(*) FROM {done.before}.build")).scalar()
    assert kept == 3


def test_nobody_may_be_at_work(filled, elsewhere, tmp_path, database_url):
    backup(filled, tmp_path / "shop.backup")
    other = open_engine(elsewhere.url.render_as_string(hide_password=False))
    with other.connect() as connection:
        connection.execute(text("SELECT 1"))
        with pytest.raises(NotDone, match="at work in this database"):
            restore(elsewhere, tmp_path / "shop.backup")
    other.dispose()


def rewritten(source, out, about, changed=None):
    """Write a backup anew, with another word of what it is, or other rows of a table."""
    with tarfile.open(out, "w") as tar:
        files = {m.name: source.extractfile(m).read() for m in source.getmembers() if m.name != "about.json"}
        for table, rows in (changed or {}).items():
            files[f"tables/{table}.gz"] = gzip.compress(rows)
            about["tables"].setdefault(table, {"columns": ["id"]})
            about["tables"][table]["sha256"] = hashlib.sha256(files[f"tables/{table}.gz"]).hexdigest()
        in_order = ["about.json", *(f"tables/{table}.gz" for table in about["tables"])]
        for name in in_order:
            content = json.dumps(about).encode() if name == "about.json" else files[name]
            entry = tarfile.TarInfo(name)
            entry.size = len(content)
            tar.addfile(entry, io.BytesIO(content))
    return out


def damaged(file, tmp_path, kind):
    """A damaged copy of a backup."""
    out, raw = tmp_path / f"{kind}.backup", file.read_bytes()
    if kind == "cut short":
        out.write_bytes(raw[: len(raw) // 2])
    elif kind == "empty":
        out.write_bytes(b"")
    elif kind == "another file":
        out.write_bytes(b"{}" * 5000)
    elif kind == "a byte changed":
        at = len(raw) // 2
        out.write_bytes(raw[:at] + bytes([raw[at] ^ 255]) * 900 + raw[at + 900 :])
    else:
        with tarfile.open(file) as source:
            about = json.load(source.extractfile("about.json"))
            about |= {
                "another version": {"version": 3},
                "a newer program's": {"migration": "9999"},
                "another hash": {"hash": "0" * 64},
                "no hash": {"hash": 7},
            }[kind]
            rewritten(source, out, about)
    return out


@pytest.mark.parametrize(
    ("kind", "says"),
    [
        ("cut short", "is no backup, or is cut short"),
        ("empty", "is no backup"),
        ("another file", "is no backup"),
        ("another version", "is no backup"),
        ("no hash", "is no backup"),
        ("a byte changed", "not as they were written: the file is damaged"),
        ("another hash", "is damaged"),
        ("a newer program's", "written by a newer Zygometra"),
    ],
)
def test_a_damaged_backup_changes_nothing(filled, elsewhere, tmp_path, kind, says):
    backup(filled, tmp_path / "shop.backup")
    file = damaged(tmp_path / "shop.backup", tmp_path, kind)
    with pytest.raises(NotDone, match=says) as told:
        restore(elsewhere, file)
    assert "\n" not in str(told.value)
    with elsewhere.connect() as connection:
        assert connection.execute(text("SELECT to_regclass('public.build')")).scalar() is None
    elsewhere.dispose()
    # And with a shop there, that stands as it was.
    restore(elsewhere, tmp_path / "shop.backup")
    elsewhere.dispose()
    with pytest.raises(NotDone, match=says):
        restore(elsewhere, file, aside=True)
    assert digest(elsewhere) == digest(filled)


def test_the_commands(filled, known, tmp_path, monkeypatch, capsys):
    monkeypatch.setenv("DATABASE_OWNER_URL", known["filled"])
    file = tmp_path / "shop.backup"
    assert cli.main(["backup", str(file)]) == 0
    said = capsys.readouterr().out
    with filled.connect() as connection:
        parts = connection.execute(text("SELECT count(*) FROM part")).scalar()
    assert f"{file} holds 2 builds, {parts} parts and {6 + parts} changes; hash {digest(filled)}." in said
    assert file.stat().st_mode & 0o077 == 0
    monkeypatch.setenv("DATABASE_OWNER_URL", known["elsewhere"])
    assert cli.main(["restore", str(file)]) == 0
    assert digest(filled) in capsys.readouterr().out


@pytest.mark.parametrize(
    "asked",
    [
        (["backup", "{there}/x"], "postgresql://nobody@127.0.0.1:1/none", "The database does not do it"),
        (["backup", "{there}/x"], "nonsense", "no address of a PostgreSQL database"),
        (["backup", "{there}/x"], "{elsewhere}", "a database without a shop in it"),
        (["backup", "{there}/none/x"], "{filled}", "cannot be written: No such file or directory"),
        (["restore", "{there}/none"], "{elsewhere}", "There is no file"),
        (["restore", "{there}"], "{elsewhere}", "is no backup"),
    ],
)
def test_what_hinders_a_command_is_one_sentence(known, tmp_path, monkeypatch, capsys, asked):
    words, url, says = asked
    monkeypatch.setenv("DATABASE_URL", url.format(**known))
    monkeypatch.delenv("DATABASE_OWNER_URL", raising=False)
    assert cli.main([word.format(**known) for word in words]) == 2
    told = capsys.readouterr().err
    assert says in told
    assert len(told.strip().splitlines()) == 1
    assert list(tmp_path.iterdir()) == []


# -- what a stranger does to it ----------------------------------------------------------


def changed_rows(file, table, change):
    with tarfile.open(file) as source:
        rows = gzip.decompress(source.extractfile(f"tables/{table}.gz").read())
        about = json.load(source.extractfile("about.json"))
        return rewritten(source, file.with_suffix(".changed"), about, {table: change(rows)})


def test_a_row_that_was_changed_is_told_by_the_hash(filled, elsewhere, tmp_path):
    backup(filled, tmp_path / "shop.backup")
    file = changed_rows(tmp_path / "shop.backup", "change", lambda rows: rows.replace(b"Tove", b"Bert"))
    with pytest.raises(NotDone, match="it is damaged"):
        restore(elsewhere, file)


def test_a_key_tells_tampering_which_a_hash_alone_does_not(filled, elsewhere, tmp_path):
    key, file = b"a secret of the shop's own", tmp_path / "shop.backup"
    assert backup(filled, file, key=key).signed
    for other, says in (
        (b"another secret of sixteen", "not signed with this key"),
        (b"short", "wanted a file of 16"),
    ):
        with pytest.raises(NotDone, match=says):
            restore(elsewhere, file, key=other)
    # Rows and hash put right by whoever changed them: without the key nobody can tell.
    with tarfile.open(file) as source:
        about = json.load(source.extractfile("about.json"))
        forged = rewritten(source, tmp_path / "forged", about | {"made": "2020-01-01T00:00:00+00:00"})
    with pytest.raises(NotDone, match="was changed since"):
        restore(elsewhere, forged, key=key)
    unsigned = tmp_path / "unsigned"
    backup(filled, unsigned)
    with pytest.raises(NotDone, match="is not signed"):
        restore(elsewhere, unsigned, key=key)
    assert restore(elsewhere, file, key=key).holds.digest == digest(filled)


@pytest.mark.parametrize("table", ["pg_proc", "a table", "alembic_version"])
def test_rows_of_no_table_of_ours_are_refused(filled, elsewhere, tmp_path, table):
    backup(filled, tmp_path / "shop.backup")
    with tarfile.open(tmp_path / "shop.backup") as source:
        about = json.load(source.extractfile("about.json"))
        file = rewritten(source, tmp_path / "odd", about, {table: b"1\n"})
    with pytest.raises(NotDone, match="tampered with"):
        restore(elsewhere, file)
    with elsewhere.connect() as connection:
        assert connection.execute(text("SELECT to_regclass('public.build')")).scalar() is None


def old_backup(filled, tmp_path):
    """A backup of the first version: PostgreSQL's own dump beside what it says of itself."""
    url = filled.url
    dump = tmp_path / "database.dump"
    newest = sorted(Path("/usr/lib/postgresql").glob("*/bin/pg_dump"))[-1]
    where = [f"--host={url.host}", f"--port={url.port}", f"--username={url.username}", str(url.database)]
    env = {**os.environ, "PGPASSWORD": str(url.password or "")}
    subprocess.run(
        [newest, "--format=custom", "--schema=public", "--no-owner", f"--file={dump}", *where],
        env=env,
        check=True,
    )
    with filled.connect() as connection:
        migration = connection.execute(text("SELECT version_num FROM alembic_version")).scalar()
    about = {
        "format": "zygometra.backup",
        "version": 1,
        "migration": migration,
        "hash": digest(filled),
        "rows": {},
    }
    file = tmp_path / "old.backup"
    with tarfile.open(file, "w") as tar:
        entry = tarfile.TarInfo("about.json")
        entry.size = len(json.dumps(about))
        tar.addfile(entry, io.BytesIO(json.dumps(about).encode()))
        tar.add(dump, "database.dump")
    return file


def test_of_an_older_backup_nothing_is_run_and_every_guard_stands(filled, elsewhere, tmp_path):
    """A dump with a function that runs a program, and without the triggers that guard the record."""
    marker = tmp_path / "it ran"
    runs = f"COPY (SELECT 1) TO PROGRAM 'touch \"{marker}\"'"
    with filled.begin() as connection:
        for statement in (
            f"CREATE FUNCTION evil() RETURNS trigger LANGUAGE plpgsql AS $$BEGIN {runs}; RETURN NEW; END$$",
            "DROP TRIGGER change_stands ON change",
            "CREATE TRIGGER evil AFTER INSERT ON build FOR EACH ROW EXECUTE FUNCTION evil()",
        ):
            connection.execute(text(statement))
    try:
        file = old_backup(filled, tmp_path)
    finally:
        with filled.begin() as connection:
            connection.execute(text("DROP FUNCTION evil CASCADE"))
            connection.execute(
                text(
                    "CREATE TRIGGER change_stands BEFORE UPDATE OR DELETE ON change"
                    " FOR EACH ROW EXECUTE FUNCTION record_stands()"
                )
            )
    assert restore(elsewhere, file).holds.digest == digest(filled)
    assert not marker.exists()
    with elsewhere.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM pg_proc WHERE proname = 'evil'")).scalar() == 0
        with pytest.raises(Exception, match="the record stands"):
            connection.execute(text("DELETE FROM change"))


def test_a_database_of_somebody_else_is_refused_and_left_alone(filled, elsewhere, tmp_path):
    backup(filled, tmp_path / "shop.backup")
    with elsewhere.begin() as connection:
        connection.execute(text("CREATE TABLE ledger (id int)"))
        connection.execute(text("INSERT INTO ledger VALUES (7)"))
    for aside in (False, True):
        with pytest.raises(NotDone, match=r"no shop \(ledger\)"):
            restore(elsewhere, tmp_path / "shop.backup", aside=aside)
    with elsewhere.connect() as connection:
        assert connection.execute(text("SELECT id FROM ledger")).scalar() == 7


def test_an_owner_without_any_other_right_restores(filled, elsewhere, tmp_path, database_url):
    backup(filled, tmp_path / "shop.backup")
    role = "owner_of_" + elsewhere.url.database[-12:]
    server = create_engine(
        make_url(database_url).set(drivername="postgresql+psycopg"), isolation_level="AUTOCOMMIT"
    )
    with server.connect() as connection:
        connection.execute(
            text(f"CREATE ROLE {role} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE PASSWORD 'own'")
        )
        connection.execute(text(f"ALTER DATABASE {elsewhere.url.database} OWNER TO {role}"))
    own = open_engine(elsewhere.url.set(username=role, password="own").render_as_string(hide_password=False))
    try:
        elsewhere.dispose()
        assert restore(own, tmp_path / "shop.backup").holds.digest == digest(own)
    finally:
        own.dispose()
        with server.connect() as connection:
            connection.execute(text(f"DROP DATABASE {elsewhere.url.database} WITH (FORCE)"))
            connection.execute(text(f"DROP ROLE {role}"))
            connection.execute(text(f"CREATE DATABASE {elsewhere.url.database}"))
        server.dispose()


def test_a_server_at_work_keeps_a_restore_out_and_a_restore_keeps_it_out(filled, elsewhere, tmp_path):
    backup(filled, tmp_path / "shop.backup")
    restore(elsewhere, tmp_path / "shop.backup")
    elsewhere.dispose()
    server = open_engine(elsewhere.url.render_as_string(hide_password=False))
    hold_while_used(server)
    with server.connect() as connection:
        connection.execute(text("SELECT 1"))
    with pytest.raises(NotDone, match="at work in this database"):
        restore(elsewhere, tmp_path / "shop.backup", aside=True)
    server.dispose()
    with elsewhere.begin() as restoring:
        restoring.execute(text(f"SELECT pg_advisory_xact_lock({IN_USE})"))
        with pytest.raises(OperationalError, match="being restored"):
            server.connect()
    server.dispose()


def test_a_restore_that_is_killed_leaves_the_old_shop(filled, elsewhere, tmp_path):
    backup(filled, tmp_path / "shop.backup")
    restore(elsewhere, tmp_path / "shop.backup")
    elsewhere.dispose()
    before = digest(elsewhere)
    elsewhere.dispose()
    url = elsewhere.url.render_as_string(hide_password=False).replace("+psycopg", "")
    env = {**os.environ, "DATABASE_URL": url, "PYTHONPATH": os.pathsep.join(sys.path)}
    words = [sys.executable, "-m", "zygometra.cli", "restore", str(tmp_path / "shop.backup"), "--aside"]
    killed = 0
    for number in range(6):
        child = subprocess.Popen(words, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            child.wait(0.5 + 0.25 * number)
        except subprocess.TimeoutExpired:
            child.send_signal(signal.SIGKILL)
            child.wait()
            killed += 1
        until = time.monotonic() + 20
        while _busy(elsewhere) and time.monotonic() < until:
            time.sleep(0.1)
        # Whole, whichever of the two: here both are alike.
        assert digest(elsewhere) == before
        elsewhere.dispose()
    assert killed >= 2


def _busy(engine):
    with engine.connect() as connection:
        alone = connection.execute(
            text(
                "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()"
                " AND pid <> pg_backend_pid() AND backend_type = 'client backend'"
            )
        ).scalar()
    engine.dispose()
    return bool(alone)
