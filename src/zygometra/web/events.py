"""What is logged of requests: who changed what, and what was refused; by numbers and names of ours alone."""

from __future__ import annotations

import logging

from flask import Flask, Response, request, session

log = logging.getLogger("zygometra")
_METHODS = ("GET", "HEAD", "POST", "PUT", "DELETE", "OPTIONS", "PATCH")
# Those that are asked for at every turn and change nothing.
_READING = ("GET", "HEAD")


def init(app: Flask) -> None:
    """Log every change and every refusal."""

    @app.after_request
    def _note(response: Response) -> Response:
        if request.method not in _READING or response.status_code >= 400:
            log.info(said(response.status_code))
        return response


def said(status: int) -> str:
    """Return a request as the log has it: nothing in it was typed by anybody.

    Parameters
    ----------
    status : int
        Of its answer.

    Returns
    -------
    str
        Such as ``POST record.undo build_id=8 status=302 by=3f2a91c0``: ``by`` is the beginning of the
        identity that the record has beside the name.
    """
    method = request.method if request.method in _METHODS else "other"
    numbers = [f"{k}={v}" for k, v in (request.view_args or {}).items() if isinstance(v, int)]
    by = str(session.get("person_id") or "-")[:8] if session else "-"
    return " ".join([method, request.endpoint or "nothing", *numbers, f"status={status}", f"by={by}"])
