"""What the queue of a device sends: under the name it was typed by, and answered by its key.

The answer says in a header whether the shop has the entry (``X-Kept``) or refuses it with a sentence
(``X-Refused``); anything else leaves it on the device, to be sent again.
"""

from __future__ import annotations

import re
from urllib.parse import unquote

from flask import Flask, Response, make_response, request

from .people import person

# What a key made on a page looks like.
KEY = re.compile(r"[A-Za-z0-9][A-Za-z0-9 _.:-]{0,79}")
_REFUSED = (404, 409, 413, 422)


def init(app: Flask) -> None:
    """Answer the queue by its keys."""
    app.before_request(_check_name)
    app.after_request(_answer)


def queued_key() -> str:
    """Return the key of an entry that a queue sends; empty where another sends."""
    key = request.headers.get("X-Queue", "")
    return key if request.method == "POST" and KEY.fullmatch(key) else ""


def _check_name() -> Response | None:
    """Take nothing under a name that did not type it: whoever is at this browser now may be somebody else."""
    if queued_key() and unquote(request.headers.get("X-Typed-By", "")) != person():
        return make_response("", 401)
    return None


def _answer(response: Response) -> Response:
    key = queued_key()
    if not key:
        return response
    if response.status_code in (302, 303):
        follows = response.location or "/"
        response = make_response("", 200)
        response.headers["X-Next"] = follows
    if response.status_code == 200:
        response.headers["X-Kept"] = key
    elif response.status_code in _REFUSED:
        response.headers["X-Refused"] = key
    return response
