"""Who is at the bench, and how that person reads: kept in a signed cookie."""

from __future__ import annotations

from urllib.parse import urlsplit

from flask import Response, g, make_response, redirect, request, session, url_for

from zygometra.core.wording import Reader

OPEN_TO_ALL = {"assets.serve", "shop.who", "shop.keys", "shop.patterns"}
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


def choice(name: str) -> str:
    """Return one of the reader's choices, the first where none was made."""
    chosen = session.get(name)
    return str(chosen) if chosen in CHOICES[name] else CHOICES[name][0]


def reader() -> Reader:
    """Return how the person at the bench reads: units and words."""
    if "reader" not in g:
        g.reader = Reader(
            "inch" if choice("system") == "inch" else "mm",
            choice("quench"), choice("deck"), choice("pin"),
        )  # fmt: skip
    read_as: Reader = g.reader
    return read_as


def ask_for_name() -> Response | None:
    """Send a person without a name to pick one, and back to the same page after."""
    if person() or request.endpoint in OPEN_TO_ALL or request.endpoint is None:
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
