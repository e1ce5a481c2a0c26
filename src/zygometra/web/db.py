"""One database session a request: opened when first asked for, rolled back if not committed."""

from __future__ import annotations

from flask import Flask, current_app, g
from sqlalchemy import Engine
from sqlalchemy.orm import Session


def init(app: Flask, engine: Engine) -> None:
    """Give the application its engine and close each request's session after it."""
    app.extensions["engine"] = engine

    @app.teardown_request
    def _close(_error: BaseException | None) -> None:
        session = g.pop("db", None)
        if session is not None:
            session.close()


def db() -> Session:
    """Return the session of this request."""
    if "db" not in g:
        g.db = Session(current_app.extensions["engine"], autoflush=False, expire_on_commit=False)
    session: Session = g.db
    return session
