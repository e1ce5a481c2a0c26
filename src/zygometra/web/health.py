"""Whether the program is well: does the database answer, are its tables this program's, what guards the record."""

from __future__ import annotations

from flask import Blueprint, current_app, jsonify
from flask.typing import ResponseReturnValue
from sqlalchemy.exc import SQLAlchemyError

from zygometra.store.database import revisions
from zygometra.store.roles import NOT_GUARDED, rests_on_triggers_alone

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
        if rests_on_triggers_alone(reading()):
            said["record"] = NOT_GUARDED
    except SQLAlchemyError as error:
        current_app.logger.warning("healthz: the database does not answer: %s", type(error).__name__)
        said = {"database": "does not answer"}
    well = said["database"] == "answers" and said.get("migrations", "").startswith("as this")
    return jsonify(said), 200 if well else 503
