"""A build's head: what of it changes without its document, asked for at every step of a lever."""

from __future__ import annotations

import json
import select
from datetime import datetime
from typing import NamedTuple, NoReturn

import psycopg
from psycopg.pq.abc import PGresult
from sqlalchemy import Engine
from sqlalchemy.exc import OperationalError
from sqlalchemy.pool import PoolProxiedConnection

from .database import READS_WITHIN
from .in_force import RULES_IN_FORCE, NotThere

_HEAD = f"""
    SELECT version, stage, changed_at, changed_by, {RULES_IN_FORCE.text},
        (SELECT coalesce(max(seq), 0) FROM fact WHERE build_id = $1),
        (SELECT coalesce(max(id), 0) FROM gauge_fact)
    FROM build WHERE id = $1
    """.encode()


class Head(NamedTuple):
    """What of a build changes without its document: cheap to ask, to know what is still current."""

    version: int
    stage: str
    changed_at: datetime
    changed_by: str
    shop_rules: dict[str, float]
    # The newest fact of the build, and the newest about a gauge of the shop.
    fact: int
    gauges: int


def head(engine: Engine, build_id: int) -> Head:
    """Return a build's version, stage and last change, and the shop's rules.

    Parameters
    ----------
    engine : Engine
        One for reading (:func:`~zygometra.store.database.reading_engine`).
    build_id : int
        Its number.

    Returns
    -------
    Head
        One small row.

    Raises
    ------
    NotThere
        If there is no such build.
    """
    with ask_head(engine, build_id) as asked:
        return asked.answer()


def ask_head(engine: Engine, build_id: int) -> AskedHead:
    """Send the question for a build's head, and go on working while the server answers.

    Parameters
    ----------
    engine : Engine
        One for reading (:func:`~zygometra.store.database.reading_engine`).
    build_id : int
        The build.

    Returns
    -------
    AskedHead
        To be used in a ``with`` statement; its ``answer`` waits for what is still to come.
    """
    return AskedHead(engine, build_id)


class AskedHead:
    """A head that was asked for.

    This is asked at every step of a lever, so it is a statement prepared once for each
    connection and sent by libpq itself: a session, a cursor and their result objects
    would cost more than the query, and waiting for it idly more than both.
    """

    def __init__(self, engine: Engine, build_id: int) -> None:
        self._build_id = build_id
        self._pooled: PoolProxiedConnection | None = None
        self._waiting = False
        try:
            self._pooled = engine.raw_connection()
            self._libpq = self._pooled.driver_connection.pgconn  # type: ignore[union-attr]
            if "head" not in self._pooled.info:
                _sound(self._libpq.prepare(b"build_head", _HEAD, [_BIGINT]))
                self._pooled.info["head"] = True
            self._libpq.send_query_prepared(b"build_head", [b"%d" % build_id])
            self._waiting = True
        except psycopg.OperationalError as error:
            self._gone(error)

    def __enter__(self) -> AskedHead:
        return self

    def __exit__(self, *_: object) -> None:
        if self._pooled is not None:
            if self._waiting:
                self._pooled.invalidate()
            self._pooled.close()
            self._pooled = None

    def _gone(self, error: psycopg.OperationalError) -> NoReturn:
        if self._pooled is not None:
            self._pooled.invalidate(error)
            self._pooled.close()
            self._pooled = None
        raise OperationalError(_HEAD.decode(), None, error) from error

    def _next(self) -> PGresult | None:
        """The next result once it has come: libpq's own waiting would hold up every other thread of the process."""
        if self._libpq.is_busy():
            ready = select.poll()
            ready.register(self._libpq.socket, select.POLLIN)
            while self._libpq.is_busy():
                if not ready.poll(READS_WITHIN * 1000):
                    raise psycopg.OperationalError("the server did not answer")
                self._libpq.consume_input()
        result: PGresult | None = self._libpq.get_result()
        return result

    def answer(self) -> Head:
        """Wait for the row and return it; raises :class:`NotThere` where there is no such build."""
        try:
            row = _sound(self._next())
            while self._next() is not None:
                pass
        except psycopg.OperationalError as error:
            self._gone(error)
        self._waiting = False
        if row.ntuples == 0:
            raise NotThere(self._build_id)
        version, stage, changed_at, changed_by, rules, fact, gauges = (
            (row.get_value(0, column) or b"").decode() for column in range(7)
        )
        moment = datetime.fromisoformat(changed_at)
        return Head(
            version=int(version),
            stage=stage,
            changed_at=moment,
            changed_by=changed_by,
            shop_rules=json.loads(rules),
            fact=int(fact),
            gauges=int(gauges),
        )


_BIGINT = 20
_ANSWERED = (psycopg.pq.ExecStatus.TUPLES_OK, psycopg.pq.ExecStatus.COMMAND_OK)


def _sound(result: PGresult | None) -> PGresult:
    """An answer of the server's, or the error that it stands for."""
    if result is None or result.status not in _ANSWERED:
        words = (result.error_message if result is not None else b"").decode(errors="replace").strip()
        raise psycopg.OperationalError(words or "the server closed the connection")
    return result
