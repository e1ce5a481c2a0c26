"""Sessions: a signed cookie, read once; each has an identity, ends by itself, and can be ended before."""

from __future__ import annotations

import secrets
import time
from collections import OrderedDict
from collections.abc import Iterator
from datetime import timedelta
from threading import Lock
from typing import Any

from flask import Flask, Request, current_app, session
from flask.sessions import SecureCookieSession, SecureCookieSessionInterface

from zygometra.store import sessions as store

from .db import db, reading

LASTS = timedelta(days=30)
"""How long a session lasts after the last day that its browser came by."""

# How long another process may take to hear that a session was ended, in seconds.
_HEARS_WITHIN, _MOST_HEARD = 60.0, 4096


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


class Endings:
    """Which sessions this process has asked the database about of late: whether they were ended."""

    def __init__(self) -> None:
        self._standing: OrderedDict[str, float] = OrderedDict()
        self._lock = Lock()

    def heard(self, identity: str) -> bool:
        """Tell whether a session stood a moment ago."""
        return time.monotonic() - self._standing.get(identity, -_HEARS_WITHIN) < _HEARS_WITHIN

    def stands(self, identity: str) -> None:
        """Note that a session stands."""
        with self._lock:
            self._standing[identity] = time.monotonic()
            self._standing.move_to_end(identity)
            while len(self._standing) > _MOST_HEARD:
                self._standing.popitem(last=False)

    def forget(self, identity: str) -> None:
        """Ask about it again the next time."""
        with self._lock:
            self._standing.pop(identity, None)


def init(app: Flask) -> None:
    """Give the application its sessions."""
    app.session_interface = RememberedSessions()
    app.extensions["endings"] = Endings()


def new_identity() -> str:
    """Return an identity for a session: random, and nobody else's."""
    return secrets.token_hex(16)


def end(identity: str) -> None:
    """End a session, and commit."""
    store.end(db(), identity, forget_after=LASTS + timedelta(days=1))
    db().commit()
    _endings().forget(identity)


def is_ended(identity: str) -> bool:
    """Tell whether a session was ended; another process hears of it within a minute."""
    if not identity or _endings().heard(identity):
        return False
    ended = store.is_ended(reading(), identity)
    if not ended:
        _endings().stands(identity)
    return ended


def until_it_ends(told: Iterator[str]) -> Iterator[str]:
    """Pass on the words of a stream as long as the session that asked for it stands."""
    engine, identity = reading(), str(session.get("person_id", ""))

    def standing() -> Iterator[str]:
        for words in told:
            if identity and store.is_ended(engine, identity):
                return
            yield words

    return standing()


def _endings() -> Endings:
    found: Endings = current_app.extensions["endings"]
    return found
