"""A shop in one file, and back: what PostgreSQL's own programs write and read, with a hash that proves it."""

from __future__ import annotations

import io
import json
import os
import re
import shutil
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

from sqlalchemy import Connection, Engine, text

from .database import known_revisions, migrate, revisions
from .fingerprint import Fingerprint, fingerprint

FORMAT, VERSION = "zygometra.backup", 1
_ABOUT, _DUMP = "about.json", "database.dump"
_MOST_ABOUT = 100_000


class NotDone(Exception):
    """Nothing was written or changed: one sentence says why."""


class Done(NamedTuple):
    """What a backup holds: its hash, how many rows, and where the shop that stood before lies."""

    holds: Fingerprint
    before: str = ""


def backup(owner: Engine, file: Path) -> Done:
    """Write everything that a shop keeps into a file, while others may be working.

    Parameters
    ----------
    owner : Engine
        Of the database, as a role that may read it all.
    file : Path
        Written beside, closed to others, and moved into place when it is whole.

    Returns
    -------
    Done
        With the hash of what it holds.

    Raises
    ------
    NotDone
        If there is no shop there, or the file cannot be written.
    """
    there, _ = revisions(owner)
    if not there:
        raise NotDone("Found a database without a shop in it; wanted one that ./start has made.")
    snapshot = owner.connect().execution_options(isolation_level="REPEATABLE READ")
    with snapshot as connection, tempfile.TemporaryDirectory() as folder:
        name = connection.execute(text("SELECT pg_export_snapshot()")).scalar_one()
        holds = fingerprint(connection)
        dump = Path(folder) / _DUMP
        _run(
            "pg_dump",
            owner,
            "--format=custom",
            "--schema=public",
            "--no-owner",
            "--no-privileges",
            f"--snapshot={name}",
            f"--file={dump}",
        )
        about = {
            "format": FORMAT,
            "version": VERSION,
            "made": datetime.now(UTC).isoformat(timespec="seconds"),
            "migration": there,
            "hash": holds.digest,
            "rows": holds.rows,
        }
        _write(file, json.dumps(about, indent=1).encode(), dump)
    return Done(holds)


def _write(file: Path, about: bytes, dump: Path) -> None:
    partial = file.with_name(f".{file.name}.{os.getpid()}")
    try:
        handle = os.open(partial, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(handle, "wb") as out, tarfile.open(fileobj=out, mode="w") as tar:
            entry = tarfile.TarInfo(_ABOUT)
            entry.size = len(about)
            tar.addfile(entry, io.BytesIO(about))
            tar.add(dump, _DUMP)
        with partial.open("rb") as written:
            os.fsync(written.fileno())
        partial.replace(file)
    except OSError as error:
        partial.unlink(missing_ok=True)
        raise NotDone(f"{file} cannot be written: {error.strerror}.") from None


def restore(owner: Engine, file: Path, *, aside: bool = False) -> Done:
    """Put a shop back as a backup holds it, into an empty database.

    Parameters
    ----------
    owner : Engine
        Of the database, as a role that may make tables.
    file : Path
        That :func:`backup` wrote.
    aside : bool
        True to lay the shop that is there aside first, under another name in the same database.

    Returns
    -------
    Done
        With the hash of what stands there now; it is that of the file.

    Raises
    ------
    NotDone
        If the file is no backup or is damaged, a shop is there already, or somebody is at work
        in it. What was there before stands as it was.
    """
    with _opened(file) as (about, dump):
        if about["migration"] not in known_revisions():
            raise NotDone(
                f"{file} was written by a newer Zygometra (migration {about['migration']});"
                " restore it with that one."
            )
        before = _make_room(owner, aside=aside)
        try:
            _run(
                "pg_restore",
                owner,
                "--no-owner",
                "--no-privileges",
                "--schema=public",
                "--single-transaction",
                "--exit-on-error",
                f"--dbname={owner.url.database}",
                str(dump),
            )
            with owner.connect() as connection:
                holds = fingerprint(connection)
            if holds.digest != about["hash"]:
                raise NotDone(
                    f"What {file} holds is not what it was when it was written (hash {holds.digest[:12]},"
                    f" written {str(about['hash'])[:12]}): it is damaged."
                )
        except NotDone:
            _go_back(owner, before)
            raise
    migrate(owner)
    return Done(holds, before)


@contextmanager
def _opened(file: Path) -> Iterator[tuple[dict[str, Any], Path]]:
    """What a backup says of itself, and its dump as a file."""
    damaged = NotDone(f"{file} is no backup, or is cut short; wanted a file that ./zygometra backup wrote.")
    with tempfile.TemporaryDirectory() as folder:
        dump = Path(folder) / _DUMP
        try:
            with tarfile.open(file, "r:") as tar:
                first, second = tar.next(), tar.next()
                if first is None or second is None or (first.name, second.name) != (_ABOUT, _DUMP):
                    raise damaged
                said, inside = tar.extractfile(first), tar.extractfile(second)
                if said is None or inside is None or first.size > _MOST_ABOUT:
                    raise damaged
                about = json.loads(said.read())
                with dump.open("wb") as out:
                    shutil.copyfileobj(inside, out)
                if dump.stat().st_size != second.size:
                    raise damaged
        except FileNotFoundError:
            raise NotDone(f"There is no file {file}.") from None
        except (OSError, tarfile.TarError, ValueError, RecursionError):
            raise damaged from None
        if not isinstance(about, dict) or (about.get("format"), about.get("version")) != (FORMAT, VERSION):
            raise damaged
        if not all(isinstance(about.get(key), str) for key in ("migration", "hash")):
            raise damaged
        yield about, dump


def _make_room(owner: Engine, *, aside: bool) -> str:
    """An empty schema; the name under which the shop that was there lies now, empty where there was none."""
    with owner.begin() as connection:
        _check_alone(connection)
        kept = _rows_kept(connection)
        if kept and not aside:
            raise NotDone(
                "There is a shop in this database already; restore into an empty place, or add --aside:"
                " what is there is then kept under another name."
            )
        before = ""
        if kept:
            before = datetime.now(UTC).strftime("before_%Y%m%d_%H%M%S")
            connection.execute(text(f"ALTER SCHEMA public RENAME TO {before}"))
        else:
            connection.execute(text("DROP SCHEMA public CASCADE"))
        connection.execute(text("CREATE SCHEMA public"))
    return before


def _go_back(owner: Engine, before: str) -> None:
    """Put things as they were before a restore that came to nothing."""
    with owner.begin() as connection:
        connection.execute(text("DROP SCHEMA public CASCADE"))
        back = f"ALTER SCHEMA {before} RENAME TO public" if before else "CREATE SCHEMA public"
        connection.execute(text(back))


def _check_alone(connection: Connection) -> None:
    others = connection.execute(
        text(
            "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database()"
            " AND pid <> pg_backend_pid() AND backend_type = 'client backend'"
        )
    ).scalar_one()
    if others:
        raise NotDone(
            "Somebody is at work in this database; stop Zygometra first (Ctrl-C where it was started)."
        )


def _rows_kept(connection: Connection) -> int:
    if connection.execute(text("SELECT to_regclass('public.alembic_version')")).scalar() is None:
        return 0
    return sum(fingerprint(connection).rows.values())


def _run(program: str, owner: Engine, *words: str) -> None:
    """Run one of PostgreSQL's own programs on the owner's database; its password goes by the environment."""
    url = owner.url
    where = [f"--host={url.host or '127.0.0.1'}", f"--port={url.port or 5432}", f"--username={url.username}"]
    last = [] if program == "pg_restore" else [str(url.database)]
    try:
        done = subprocess.run(
            [_found(program), *where, *words, *last],
            env={**os.environ, "PGPASSWORD": str(url.password or ""), "LC_ALL": "C"},
            capture_output=True,
            text=True,
            check=False,
        )
    except OSError as error:
        raise NotDone(f"{program} does not run: {error.strerror}.") from None
    if done.returncode:
        # A value of a row may stand in what it says: only the kind of fault is repeated.
        said = re.search(r"error: (?:error returned by PQputCopyData: )?([^:\n]{1,120})", done.stderr)
        raise NotDone(f"{program} gave up{f': {said[1].strip()}' if said else ''}.")


def _found(program: str) -> str:
    """Where the newest of PostgreSQL's programs of a name lies."""
    newest = sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{program}"), key=lambda p: int(p.parts[-3]))
    found = str(newest[-1]) if newest else shutil.which(program)
    if found is None:
        raise NotDone(f"{program} is not on this machine; it comes with Debian's package postgresql-client.")
    return found
