"""From an error to a status and a page that says what happened and what to do."""

from __future__ import annotations

from flask import Flask, Response, g, make_response, render_template, request
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import CSRFError
from psycopg.errors import DeadlockDetected, LockNotAvailable, QueryCanceled
from sqlalchemy.exc import DBAPIError, OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from werkzeug.exceptions import HTTPException

from zygometra.store.builds import BuildClosed
from zygometra.store.in_force import NotThere
from zygometra.store.shelf import PartNotThere

from . import db
from .build.saving import closed

# Two ways in which a database that answers does not do what it was asked: no statuses, but pages of their own.
_BUSY, _LONG = "busy", "long"
_PAGES: dict[int | str, tuple[str, str, str]] = {
    400: (
        "That request was not understood",
        "Something in the address or the form was damaged on the way.",
        "Go back, and try once more.",
    ),
    404: (
        "There is nothing here",
        "No page and no build has this address; it may have been mistyped.",
        "Look for the build on the shop floor.",
    ),
    405: (
        "That is not how this page works",
        "The address exists, but not for this kind of request.",
        "Go back and use the buttons of the page.",
    ),
    413: (
        "That file is too large",
        "A table of parts is at most 24 MB, a photograph 12 MB, a build file or a table of readings 16 MB; what was"
        " sent is larger, or takes too much to read. Nothing was taken in.",
        "Choose the build file itself (it ends in .json and is rarely above 50 kB), or part the table in two.",
    ),
    431: (
        "That address is too long",
        "The what-if in it holds more operations than an address can carry.",
        "Keep the plan, then go on.",
    ),
    500: (
        "The program has a fault",
        "Something went wrong on our side. Whatever the page called saved is saved; "
        "the last action was not done.",
        "Go back and try again. If it happens twice, note what you did.",
    ),
    _BUSY: (
        "Somebody else is saving",
        "What you sent waited for another who is saving the same thing, and was not done: nothing of it is written.",
        "Go back and send it once more in a moment.",
    ),
    _LONG: (
        "That took too long",
        "The database was asked for so much that it was stopped. Nothing was changed.",
        "Ask for less at a time, such as a narrower window or a shorter list.",
    ),
    503: (
        "The database does not answer",
        "What the page called saved is safe on disk; the last action was not done.",
        "Wait a moment and load the page again. If it stays away, start the program again with ./start.",
    ),
}


def page(status: int, detail: str = "", *, because: str = "") -> Response:
    """Return the page of a status, or of why it is that; htmx gets only its notice."""
    title, why, do = _PAGES.get(because or status, _PAGES[400])
    partial = bool(request.headers.get("HX-Request"))
    body = render_template(
        "problem.html", status=status, title=title, why=detail or why, do=do, partial=partial
    )
    response = make_response(body, status)
    if partial:
        response.headers["HX-Retarget"] = "#notice"
        response.headers["HX-Reswap"] = "innerHTML"
    return response


def _answered(error: Exception) -> str | None:
    """Why a database that answers did not do what it was asked; None where it does not answer."""
    cause = getattr(error, "orig", None)
    if isinstance(cause, (LockNotAvailable, DeadlockDetected)):
        return _BUSY
    return _LONG if isinstance(cause, QueryCanceled) else None


def _kind(error: Exception) -> str:
    """What the database said, by its kind: its words may hold values of a row."""
    return type(getattr(error, "orig", None) or error).__name__


# long: one handler for each family of errors
def init(app: Flask) -> None:
    """Register the one handler of each family of errors."""

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        return page(error.code or 500)

    @app.errorhandler(CSRFError)
    def _csrf(_error: CSRFError) -> Response:
        return page(400, "The page was open so long that its token is no longer valid. Nothing was done.")

    @app.errorhandler(NotThere)
    def _not_there(_error: NotThere) -> Response:
        return page(404)

    @app.errorhandler(PartNotThere)
    def _no_part(_error: PartNotThere) -> Response:
        return page(404, "The shelf has no such part; it may have been taken off.")

    @app.errorhandler(OperationalError)
    @app.errorhandler(PoolTimeout)
    def _away(error: Exception) -> ResponseReturnValue:
        if (why := _answered(error)) is not None:
            return page(503, because=why)
        # A connection that died with a restarted server: who only reads asks once more.
        if request.method == "GET" and "asked_again" not in g:
            g.asked_again = True
            db.forget()
            # Whatever died with that server lies in the pool beside it: the next one is fresh.
            app.extensions["reading engine"].dispose()
            try:
                return app.dispatch_request()
            except OperationalError as still:
                error = still
        app.logger.warning("the database does not answer: %s", _kind(error))
        return page(503)

    @app.errorhandler(BuildClosed)
    def _closed(refused: BuildClosed) -> ResponseReturnValue:
        # Its page asks the database too, which may be gone by now.
        try:
            return closed(refused)
        except (OperationalError, PoolTimeout) as error:
            return _away(error)

    @app.errorhandler(DBAPIError)
    def _refused(error: DBAPIError) -> Response:
        app.logger.error("the database refused: %s in %s", _kind(error), request.endpoint)
        return page(503 if error.connection_invalidated else 500)

    @app.errorhandler(Exception)
    def _fault(_error: Exception) -> Response:
        app.logger.exception("fault in %s", request.endpoint)
        return page(500)
