"""Who is at the bench, and how that person reads: kept in a signed cookie."""

from __future__ import annotations

import secrets
import time
from collections import OrderedDict
from threading import Lock
from typing import Any
from urllib.parse import urlsplit

from flask import (
    Flask,
    Request,
    Response,
    g,
    has_request_context,
    make_response,
    redirect,
    request,
    session,
    url_for,
)
from flask.sessions import SecureCookieSession, SecureCookieSessionInterface

from zygometra.core.actors import Actor, Entry
from zygometra.core.errors import ZygometraError
from zygometra.core.wording import Reader

OPEN_TO_ALL = {"assets.serve", "shop.who", "shop.keys", "shop.patterns"}
CHOICES = {
    "system": ("mm", "inch"),
    "quench": ("quench", "squish"),
    "deck": ("deck", "face"),
    "pin": ("wrist pin", "gudgeon pin"),
    "theme": ("system", "light", "dark"),
}


class RememberedSessions(SecureCookieSessionInterface):
    """Flask's signed cookie, read once: the same text means the same session for a while.

    A lever that is dragged sends one cookie some fifty times a second; only the first
    of them is unsigned and unpacked.
    """

    MOST, SECONDS = 256, 600.0

    def __init__(self) -> None:
        self._read: OrderedDict[str, tuple[float, dict[str, Any]]] = OrderedDict()
        self._lock = Lock()

    def open_session(self, app: Flask, request: Request) -> SecureCookieSession | None:
        """Return the session of a request's cookie; an empty one where it does not hold."""
        cookie = request.cookies.get(self.get_cookie_name(app))
        if not cookie:
            return super().open_session(app, request)
        now = time.monotonic()
        with self._lock:
            known = self._read.get(cookie)
        if known is None or now - known[0] > self.SECONDS:
            opened = super().open_session(app, request)
            if not opened:
                return opened
            known = (now, dict(opened))
            with self._lock:
                self._read[cookie] = known
                self._read.move_to_end(cookie)
                while len(self._read) > self.MOST:
                    self._read.popitem(last=False)
        # Lists are copied: a message flashed in one request must not show in another.
        return self.session_class({k: list(v) if isinstance(v, list) else v for k, v in known[1].items()})


def person() -> str:
    """Return the name that the person at the bench picked; empty before that."""
    return str(session.get("person", ""))


def actor() -> Actor:
    """Return who acts, as the record keeps it: the name, and the identity beside it."""
    return Actor(session.get("person_id"), person())


def who() -> str:
    """Return what tells this session from every other, by whatever name its person goes."""
    return actor().id or person()


def entry(says: str) -> Entry:
    """Return what a change of this person's leaves in the record."""
    return Entry(actor(), says)


def name_myself(name: str) -> None:
    """Keep the name that a person picked; with it an identity, the first time."""
    session.permanent = True
    session["person"] = name
    _identify()


def _identify() -> None:
    """Give this browser an identity: random, and its own however many people go by one name."""
    if "person_id" not in session:
        session["person_id"] = secrets.token_hex(16)


def request_is_partial() -> bool:
    """Tell whether a script asks, which puts the answer into the page that is there."""
    return bool(request.headers.get("HX-Request"))


def choice(name: str) -> str:
    """Return one of the reader's choices, the first where none was made."""
    chosen = session.get(name)
    return str(chosen) if chosen in CHOICES[name] else CHOICES[name][0]


def reader() -> Reader:
    """Return how the person at the bench reads: units and words."""
    if "reader" not in g:
        g.reader = Reader(
            "inch" if choice("system") == "inch" else "mm",
            choice("quench"),
            choice("deck"),
            choice("pin"),
        )
    read_as: Reader = g.reader
    return read_as


def told_error(error: ZygometraError) -> str:
    """Return what an error says, as the person at the bench reads it; in mm where nobody is at one."""
    return error.says.written(reader()) if has_request_context() else str(error)


def ask_for_name() -> Response | None:
    """Send a person without a name to pick one, and back to the same page after."""
    if person():
        _identify()
        return None
    if request.endpoint in OPEN_TO_ALL or request.endpoint is None:
        return None
    back = request.full_path.rstrip("?") if request.method == "GET" else url_for("floor.page")
    address = url_for("shop.who", next=back)
    if request.headers.get("HX-Request"):
        response = make_response("", 401)
        response.headers["HX-Redirect"] = address
        return response
    return make_response(redirect(address))


def safe_next(address: str | None) -> str:
    """Return ``address`` if it leads inside the application, else the shop floor."""
    if address and address.startswith("/") and not address.startswith(("//", "/\\")):
        parts = urlsplit(address)
        if not parts.scheme and not parts.netloc:
            return address
    return url_for("floor.page")
