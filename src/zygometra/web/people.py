"""Who is at the bench, and how that person reads: kept in a signed cookie."""

from __future__ import annotations

import time
from urllib.parse import urlsplit

from flask import (
    Response,
    g,
    has_request_context,
    make_response,
    redirect,
    request,
    session,
    url_for,
)

from zygometra.core.actors import Actor, Entry
from zygometra.core.errors import ZygometraError
from zygometra.core.typed import is_printable
from zygometra.core.wording import Reader

from . import sessions

OPEN_TO_ALL = {"assets.serve", "health.healthz", "shop.who", "shop.leave_bench", "shop.keys", "shop.patterns"}
CHOICES = {
    "system": ("mm", "inch"),
    "quench": ("quench", "squish"),
    "deck": ("deck", "face"),
    "pin": ("wrist pin", "gudgeon pin"),
    "theme": ("system", "light", "dark"),
}


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
    """Keep the name that a person picked, as a session of its own: another name is another session."""
    if name != person():
        leave()
        session["person"] = name
    session.permanent = True
    _identify()


def leave() -> None:
    """End the session of this browser: a copy of its cookie opens nothing more. The reader's choices stay."""
    if identity := session.get("person_id"):
        sessions.end(str(identity))
    kept = {name: session[name] for name in CHOICES if name in session}
    session.clear()
    session.update(kept)


def _identify() -> None:
    """Give this browser an identity: random, and its own however many people go by one name."""
    if "person_id" not in session:
        session["person_id"] = sessions.new_identity()
    # Written anew once a day: a session ends when nobody came by for as long as it lasts.
    if session.get("day") != (today := int(time.time() // 86400)):
        session["day"] = today


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
    if request.endpoint == "assets.serve":
        # What ships with the program asks no database.
        return None
    if person():
        if not sessions.is_ended(str(session.get("person_id", ""))):
            _identify()
            return None
        session.clear()
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
    if (
        address
        and is_printable(address, lines=False)
        and address.startswith("/")
        and not address.startswith(("//", "/\\"))
    ):
        parts = urlsplit(address)
        if not parts.scheme and not parts.netloc:
            return address
    return url_for("floor.page")
