"""Whether the program is well: does the database answer and write, are its tables ours, what guards the record."""

from __future__ import annotations

from flask import Blueprint, current_app, jsonify
from flask.typing import ResponseReturnValue
from sqlalchemy import Engine
from sqlalchemy.exc import DBAPIError, SQLAlchemyError
from sqlalchemy.orm import Session

from zygometra.store.database import revisions
from zygometra.store.roles import NOT_GUARDED, rests_on_triggers_alone
from zygometra.store.sessions import write_something

from .db import reading

health = Blueprint("health", __name__)


@health.get("/healthz")
def healthz() -> ResponseReturnValue:
    """Say in a few words whether everything is right; status 503 where something is not."""
    said = {
        "database": "answers",
        "migrations": "as this program wants them",
        "record": "guarded by its role",
    }
    try:
        there, wanted = revisions(reading())
        if there != wanted:
            said["migrations"] = f"at {there or 'none'}; this program wants {wanted}"
        said["disk"] = _written()
        if rests_on_triggers_alone(reading()):
            said["record"] = NOT_GUARDED
    except SQLAlchemyError as error:
        current_app.logger.warning("healthz: the database does not answer: %s", type(error).__name__)
        said = {"database": "does not answer"}
    well = (
        said.get("disk") == "takes what is written"
        and said["database"] == "answers"
        and said.get("migrations", "").startswith("as this")
    )
    return jsonify(said), 200 if well else 503


def _written() -> str:
    """Whether the database takes what is written, down to its disk."""
    engine: Engine = current_app.extensions["engine"]
    try:
        with Session(engine) as session:
            write_something(session)
            session.commit()
    except DBAPIError as error:
        current_app.logger.warning("healthz: the database does not write: %s", type(error.orig).__name__)
        return "does not take what is written"
    return "takes what is written"
