"""A shop in one file, and back: rows alone, with a hash that tells damage, and a signature where a key is given.

A backup holds no statement: a restore makes the tables by this program's own migrations, takes in the rows
of tables and columns that it knows, and puts the whole in place of what was there, in one transaction.
"""

# long: one format, written and read beside each other
from __future__ import annotations

import gzip
import hashlib
import hmac
import io
import json
import os
import re
import shutil
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

from psycopg import Error, sql
from sqlalchemy import Connection, Engine, text
from sqlmodel import SQLModel

from . import tables as _every_table  # noqa: F401  (registers the tables)
from .database import IN_USE, known_revisions, migrate_within, revisions
from .fingerprint import Fingerprint, fingerprint

FORMAT, VERSION = "zygometra.backup", 2
_ABOUT, _DUMP = "about.json", "database.dump"
_MOST_ABOUT, _BLOCK = 200_000, 1 << 18
_LEAST_KEY = 16
# Where a shop is laid out before it takes its place.
_BESIDE = "restoring"
_COPY = re.compile(rb"COPY public\.([a-z_]+) \(([a-z_, \"]+)\) FROM stdin;\n")


class NotDone(Exception):
    """Nothing was written or changed: one sentence says why."""


class Done(NamedTuple):
    """What a backup holds: its hash, how many rows, where the shop that stood before lies, and whether it is signed."""

    holds: Fingerprint
    before: str = ""
    signed: bool = False


class Rows(NamedTuple):
    """The rows of one table as PostgreSQL copies them: its columns, and a file of text."""

    columns: tuple[str, ...]
    file: Path


# -- writing ------------------------------------------------------------------------


def backup(owner: Engine, file: Path, *, key: bytes = b"") -> Done:
    """Write everything that a shop keeps into a file, while others may be working.

    Parameters
    ----------
    owner : Engine
        Of the database, as a role that may read it all.
    file : Path
        Written beside, closed to others, and moved into place when it is whole.
    key : bytes
        Signs it, where one is given: whoever has the key can tell that nobody else changed it.

    Returns
    -------
    Done
        With the hash of what it holds.

    Raises
    ------
    NotDone
        If there is no shop there, or the file cannot be written.
    """
    _check_key(key)
    there, _ = revisions(owner)
    if not there:
        raise NotDone("Found a database without a shop in it; wanted one that ./start has made.")
    snapshot = owner.connect().execution_options(isolation_level="REPEATABLE READ")
    with snapshot as connection, tempfile.TemporaryDirectory() as folder:
        holds = fingerprint(connection)
        files, columns = {}, {}
        for table, named in _columns_of(connection, "public").items():
            written = Path(folder) / f"{table}.gz"
            _copy_out(connection, table, named, written)
            files[table], columns[table] = written, named
        about = {
            "format": FORMAT,
            "version": VERSION,
            "made": datetime.now(UTC).isoformat(timespec="seconds"),
            "migration": there,
            "hash": holds.digest,
            "rows": holds.rows,
            "tables": {
                table: {"columns": columns[table], "sha256": _digest(path)} for table, path in files.items()
            },
        }
        if key:
            about["signature"] = _signature(about, key)
        _write(file, json.dumps(about, indent=1).encode(), files)
    return Done(holds, signed=bool(key))


def _copy_out(connection: Connection, table: str, columns: list[str], file: Path) -> None:
    statement = sql.SQL("COPY (SELECT {columns} FROM public.{table} ORDER BY 1) TO STDOUT").format(
        columns=sql.SQL(", ").join(map(sql.Identifier, columns)), table=sql.Identifier(table)
    )
    raw: Any = connection.connection.driver_connection
    with gzip.open(file, "wb", compresslevel=3) as out, raw.cursor().copy(statement) as rows:
        for block in rows:
            out.write(block)


def _digest(file: Path) -> str:
    with file.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()


def _signature(about: Mapping[str, Any], key: bytes) -> str:
    """The signature over all that a backup says of itself, the hashes of its tables among it."""
    said = {name: value for name, value in about.items() if name != "signature"}
    return hmac.new(key, json.dumps(said, sort_keys=True).encode(), hashlib.sha256).hexdigest()


def _check_key(key: bytes) -> None:
    if key and len(key) < _LEAST_KEY:
        raise NotDone(
            f"Found a key of {len(key)} bytes; wanted a file of {_LEAST_KEY} or more that nobody can guess."
        )


def _write(file: Path, about: bytes, files: Mapping[str, Path]) -> None:
    partial = file.with_name(f".{file.name}.{os.getpid()}")
    try:
        handle = os.open(partial, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(handle, "wb") as out, tarfile.open(fileobj=out, mode="w") as tar:
            entry = tarfile.TarInfo(_ABOUT)
            entry.size = len(about)
            tar.addfile(entry, io.BytesIO(about))
            for table, path in files.items():
                tar.add(path, f"tables/{table}.gz")
        with partial.open("rb") as written:
            os.fsync(written.fileno())
        partial.replace(file)
    except OSError as error:
        partial.unlink(missing_ok=True)
        raise NotDone(f"{file} cannot be written: {error.strerror}.") from None


# -- reading ------------------------------------------------------------------------


def restore(owner: Engine, file: Path, *, aside: bool = False, key: bytes = b"") -> Done:
    """Put a shop back as a backup holds it, in place of an empty one.

    Parameters
    ----------
    owner : Engine
        Of the database, as a role that may make tables; it needs no other right.
    file : Path
        That :func:`backup` wrote, this one or an older one.
    aside : bool
        True to lay the shop that is there aside first, under another name in the same database.
    key : bytes
        With which it must be signed, where one is given.

    Returns
    -------
    Done
        With the hash of what stands there now; it is that of the file.

    Raises
    ------
    NotDone
        If the file is no backup, is damaged, or is not signed with the key; if a shop is there already, or something
        that is none; if somebody is at work in it. What was there before stands as it was, also where this
        process is killed: what is laid out beside takes its place in the last moment.
    """
    _check_key(key)
    with _opened(file, key) as (about, tables):
        if about["migration"] not in known_revisions():
            raise NotDone(
                f"{file} was written by a newer Zygometra (migration {about['migration']});"
                " restore it with that one."
            )
        with owner.begin() as connection:
            _check_alone(connection)
            _check_ours(connection)
            kept = _rows_kept(connection)
            if kept and not aside:
                raise NotDone(
                    "There is a shop in this database already; restore into an empty place, or add --aside:"
                    " what is there is then kept under another name."
                )
            connection.exec_driver_sql(f"DROP SCHEMA IF EXISTS {_BESIDE} CASCADE")
            connection.exec_driver_sql(f"CREATE SCHEMA {_BESIDE}")
            connection.exec_driver_sql(f"SET LOCAL search_path TO {_BESIDE}")
            migrate_within(connection, about["migration"])
            _take_in(connection, tables, file)
            holds = fingerprint(connection, _BESIDE)
            if holds.digest != about["hash"]:
                raise NotDone(
                    f"What {file} holds is not what it was when it was written (hash {holds.digest[:12]},"
                    f" written {str(about['hash'])[:12]}): it is damaged."
                )
            migrate_within(connection)
            before = datetime.now(UTC).strftime("before_%Y%m%d_%H%M%S") if kept else ""
            away = f"ALTER SCHEMA public RENAME TO {before}" if kept else "DROP SCHEMA public CASCADE"
            connection.exec_driver_sql(away)
            connection.exec_driver_sql(f"ALTER SCHEMA {_BESIDE} RENAME TO public")
    return Done(holds, before, bool(key))


def _take_in(connection: Connection, tables: Mapping[str, Rows], file: Path) -> None:
    """Take the rows of our own tables and columns in, parents first, and let the numbers go on after them."""
    known = _columns_of(connection, _BESIDE)
    in_order = [table.name for table in SQLModel.metadata.sorted_tables if table.name in known]
    in_order += [name for name in known if name not in in_order]
    for table, rows in tables.items():
        if table not in known or not set(rows.columns) <= set(known[table]):
            raise NotDone(f"{file} holds a table or a column that no shop has: it was tampered with.")
    raw: Any = connection.connection.driver_connection
    for table in in_order:
        if table not in tables:
            continue
        statement = sql.SQL("COPY {schema}.{table} ({columns}) FROM STDIN").format(
            schema=sql.Identifier(_BESIDE),
            table=sql.Identifier(table),
            columns=sql.SQL(", ").join(map(sql.Identifier, tables[table].columns)),
        )
        try:
            with tables[table].file.open("rb") as opened, raw.cursor().copy(statement) as into:
                while block := opened.read(_BLOCK):
                    into.write(block)
        except Error as error:
            # A value of a row may stand in what it says: only the kind of fault is repeated.
            raise NotDone(
                f"{file} is damaged: a row of {table} is refused ({type(error).__name__})."
            ) from None
        _go_on_after(connection, table)


def _go_on_after(connection: Connection, table: str) -> None:
    """Let the numbers of a table's rows go on after the last."""
    named = {"table": f"{_BESIDE}.{table}"}
    columns = text(
        "SELECT attname, pg_get_serial_sequence(:table, attname) FROM pg_attribute"
        " WHERE attrelid = CAST(:table AS regclass) AND attnum > 0 AND NOT attisdropped"
    )
    for column, sequence in connection.execute(columns, named).all():
        if sequence:
            last = f'SELECT max("{column}") FROM {_BESIDE}."{table}"'
            connection.execute(
                text(f"SELECT setval(:sequence, coalesce(({last}), 1), ({last}) IS NOT NULL)"),
                {"sequence": sequence},
            )


def _columns_of(connection: Connection, schema: str) -> dict[str, list[str]]:
    """The columns of every table but that of the migrations, by table."""
    found = connection.execute(
        text(
            "SELECT table_name, column_name FROM information_schema.columns WHERE table_schema = :schema"
            " AND table_name <> 'alembic_version' ORDER BY table_name, ordinal_position"
        ),
        {"schema": schema},
    )
    columns: dict[str, list[str]] = {}
    for table, column in found:
        columns.setdefault(table, []).append(column)
    return columns


@contextmanager
def _opened(file: Path, key: bytes) -> Iterator[tuple[dict[str, Any], dict[str, Rows]]]:
    """What a backup says of itself, and the rows of its tables; checked before anything of it is used."""
    damaged = NotDone(f"{file} is no backup, or is cut short; wanted a file that ./zygometra backup wrote.")
    with tempfile.TemporaryDirectory() as folder:
        try:
            with tarfile.open(file, "r:") as tar:
                about = _about(tar, damaged)
                signed = about.get("signature")
                if key and not isinstance(signed, str):
                    raise NotDone(f"{file} is not signed; wanted one that was written with this key.")
                if key and not hmac.compare_digest(str(signed), _signature(about, key)):
                    raise NotDone(f"{file} was not signed with this key, or was changed since.")
                old = about["version"] == 1
                tables = (_old_tables if old else _tables)(tar, about, Path(folder), damaged)
        except FileNotFoundError:
            raise NotDone(f"There is no file {file}.") from None
        except (OSError, tarfile.TarError, ValueError, RecursionError, EOFError, KeyError, TypeError):
            raise damaged from None
        yield about, tables


def _about(tar: tarfile.TarFile, damaged: NotDone) -> dict[str, Any]:
    first = tar.next()
    said = tar.extractfile(first) if first is not None and first.name == _ABOUT else None
    if first is None or said is None or first.size > _MOST_ABOUT:
        raise damaged
    about = json.loads(said.read())
    if (
        not isinstance(about, dict)
        or about.get("format") != FORMAT
        or about.get("version") not in (1, VERSION)
    ):
        raise damaged
    if not all(isinstance(about.get(name), str) for name in ("migration", "hash")):
        raise damaged
    return about


def _tables(
    tar: tarfile.TarFile, about: Mapping[str, Any], folder: Path, damaged: NotDone
) -> dict[str, Rows]:
    """The rows of each table, unpacked into a folder; each is as it was written."""
    tables = {}
    for number, (table, said) in enumerate(about["tables"].items()):
        entry = tar.next()
        inside = tar.extractfile(entry) if entry is not None and entry.name == f"tables/{table}.gz" else None
        if inside is None:
            raise damaged
        packed, rows = folder / f"{number}.gz", folder / f"{number}.rows"
        with packed.open("wb") as out:
            shutil.copyfileobj(inside, out)
        if _digest(packed) != said["sha256"]:
            raise NotDone(f"The rows of {str(table)[:40]} are not as they were written: the file is damaged.")
        with gzip.open(packed) as read, rows.open("wb") as out:
            shutil.copyfileobj(read, out)
        packed.unlink()
        tables[table] = Rows(tuple(map(str, said["columns"])), rows)
    return tables


def _old_tables(
    tar: tarfile.TarFile, _about: Mapping[str, Any], folder: Path, damaged: NotDone
) -> dict[str, Rows]:
    """The rows of a backup of the first version: of what its dump would run only the rows are taken, as text."""
    second = tar.next()
    inside = tar.extractfile(second) if second is not None and second.name == _DUMP else None
    if inside is None or second is None:
        raise damaged
    dump, script = folder / _DUMP, folder / "script.sql"
    with dump.open("wb") as out:
        shutil.copyfileobj(inside, out)
    if dump.stat().st_size != second.size:
        raise damaged
    # Written out, not run.
    _run("pg_restore", "--data-only", "--schema=public", f"--file={script}", str(dump))
    tables: dict[str, Rows] = {}
    with script.open("rb") as lines:
        for line in lines:
            if (found := _COPY.fullmatch(line)) is None:
                continue
            table = found[1].decode()
            columns = tuple(name.strip().strip('"') for name in found[2].decode().split(","))
            rows = folder / f"{len(tables)}.rows"
            with rows.open("wb") as out:
                for row in lines:
                    if row == b"\\.\n":
                        break
                    out.write(row)
            if table != "alembic_version":
                tables[table] = Rows(columns, rows)
    return tables


# -- what is there ----------------------------------------------------------------------


def _check_alone(connection: Connection) -> None:
    free = connection.execute(text(f"SELECT pg_try_advisory_xact_lock({IN_USE})")).scalar_one()
    others = connection.execute(
        text(
            "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()"
            " AND pid <> pg_backend_pid() AND backend_type = 'client backend'"
        )
    ).scalar_one()
    if others or not free:
        raise NotDone(
            "Somebody is at work in this database; stop Zygometra first (Ctrl-C where it was started)."
        )


def _check_ours(connection: Connection) -> None:
    """Refuse a database that holds something else: nothing of a stranger's is moved or dropped."""
    ours = {table.name for table in SQLModel.metadata.sorted_tables} | {"alembic_version"}
    found = connection.execute(
        text(
            "SELECT c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace"
            " WHERE n.nspname = 'public' AND c.relkind IN ('r', 'p', 'v', 'm', 'f') ORDER BY 1"
        )
    ).scalars()
    strange = [name for name in found if name not in ours]
    functions = connection.execute(
        text(
            "SELECT p.proname FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace"
            " WHERE n.nspname = 'public' AND p.proname <> 'record_stands' AND NOT EXISTS (SELECT FROM pg_depend d"
            " WHERE d.objid = p.oid AND d.deptype = 'e')"
        )
    ).scalars()
    if strange := [*strange, *functions]:
        raise NotDone(
            f"This database holds something that is no shop ({strange[0]}); restore into one of its own."
        )


def _rows_kept(connection: Connection) -> int:
    if connection.execute(text("SELECT to_regclass('public.alembic_version')")).scalar() is None:
        return 0
    return sum(fingerprint(connection).rows.values())


def _run(program: str, *words: str) -> None:
    """Run one of PostgreSQL's own programs; it is told of no database."""
    kept = {name: value for name, value in os.environ.items() if not name.startswith("PG")}
    try:
        done = subprocess.run(
            [_found(program), *words],
            env={**kept, "LC_ALL": "C"},
            capture_output=True,
            text=True,
            check=False,
        )
    except OSError as error:
        raise NotDone(f"{program} does not run: {error.strerror}.") from None
    if done.returncode:
        raise NotDone(f"{program} gave up: the file is damaged.")


def _found(program: str) -> str:
    """Where the newest of PostgreSQL's programs of a name lies."""
    newest = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{program}"), key=lambda p: int(p.parts[-3]))
    found = str(newest[-1]) if newest else shutil.which(program)
    if found is None:
        raise NotDone(f"{program} is not on this machine; it comes with Debian's package postgresql-client.")
    return found
