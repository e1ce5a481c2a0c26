"""Builds whose line on the floor is older than the house rules: judged again behind the pages, one after another."""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from threading import Event, Thread
from typing import Any

from flask import Flask, current_app
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from zygometra.core.findings.summary import summarise
from zygometra.core.house_rules import HouseRules
from zygometra.processes.pool import pool
from zygometra.store.rules import settle_next

# After a database that did not answer it is tried again, in seconds.
_AGAIN = 5.0


class Settler:
    """One thread that waits until something is to be judged again; the judging itself is done in a process beside it.

    Parameters
    ----------
    app : Flask
        For its engine and its log.
    """

    def __init__(self, app: Flask) -> None:
        self._app = app
        self._wanted, self._closed = Event(), False
        self._thread: Thread | None = None
        self._pool: ProcessPoolExecutor | None = None

    def wake(self) -> None:
        """Say that builds may be judged by older rules."""
        self._wanted.set()
        if self._thread is None:
            self._thread = Thread(target=self._run, name="settler", daemon=True)
            self._thread.start()

    def close(self) -> None:
        """End it after the build in hand; what is left is settled at the next start."""
        self._closed = True
        self._wanted.set()
        if self._thread is not None:
            self._thread.join(_AGAIN)
        if self._pool is not None:
            self._pool.shutdown(wait=False, cancel_futures=True)

    def _run(self) -> None:
        engine: Engine = self._app.extensions["engine"]
        while not self._closed:
            self._wanted.wait()
            self._wanted.clear()
            try:
                with Session(engine) as session:
                    while not self._closed and settle_next(session, self._judged):
                        pass
            except SQLAlchemyError as error:
                self._app.logger.warning("settling waits: %s", type(error).__name__)
                Event().wait(_AGAIN)
                self._wanted.set()

    def _judged(self, document: Mapping[str, Any], rules: HouseRules) -> dict[str, Any]:
        """The line of a build, worked out in a process beside this one."""
        try:
            if self._pool is None:
                self._pool = pool()
            return self._pool.submit(summarise, document, rules).result()
        except BrokenProcessPool:
            # It was killed from outside: the next build gets another.
            self._pool = None
            return summarise(document, rules)


def init(app: Flask) -> None:
    """Give the application its settler."""
    app.extensions["settler"] = Settler(app)


def settler() -> Settler:
    """Return the settler of this application."""
    found: Settler = current_app.extensions["settler"]
    return found
