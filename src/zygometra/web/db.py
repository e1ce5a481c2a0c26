"""One database session a request: opened when first asked for, rolled back if not committed.

A request that only reads takes each statement as it comes (autocommit): a page is
one statement, and needs no transaction around it.
"""

from __future__ import annotations

from flask import Flask, current_app, g, request
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from zygometra.store.database import hold_while_used, reading_engine


def init(app: Flask, engine: Engine) -> None:
    """Give the application its engine and close each request's session after it."""
    app.extensions["engine"] = engine
    app.extensions["reading engine"] = reading_engine(engine)
    for used in (engine, app.extensions["reading engine"]):
        hold_while_used(used)
    app.extensions["database"] = str(engine.url)

    @app.teardown_request
    def _close(_error: BaseException | None) -> None:
        forget()


def reading() -> Engine:
    """Return the engine for a statement that only reads."""
    engine: Engine = current_app.extensions["reading engine"]
    return engine


def database() -> str:
    """Return which database this is: what a process keeps of one is nothing to another."""
    name: str = current_app.extensions["database"]
    return name


def forget() -> None:
    """Drop the session of this request; the next call of :func:`db` opens another."""
    session = g.pop("db", None)
    if session is not None:
        try:
            session.close()
        except SQLAlchemyError:
            # The server went in between: the answer is made, and the connection is not used again.
            session.invalidate()


def db() -> Session:
    """Return the session of this request."""
    if "db" not in g:
        reads = request.method in ("GET", "HEAD")
        engine = current_app.extensions["reading engine" if reads else "engine"]
        g.db = Session(engine, autoflush=False, expire_on_commit=False)
    session: Session = g.db
    return session
