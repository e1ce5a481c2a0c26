"""The application: configuration, security headers, and the benches put together."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import UTC, datetime
from importlib import import_module
from typing import Any

from flask import Flask, abort, request, url_for
from flask_compress import Compress
from flask_wtf.csrf import CSRFProtect
from markupsafe import Markup
from sqlalchemy import Engine

from zygometra import __version__
from zygometra.core.sentence import given_text
from zygometra.core.typed import is_printable
from zygometra.exchange.build_file import MOST_BYTES as MOST_FILE
from zygometra.exchange.shelf_csv import MOST_BYTES as MOST_TABLE

from . import db, errors, events, jobs, people, queued, sessions, settling
from .assets import asset, assets
from .build import fragments, kept
from .build.templates_of import build
from .components import components
from .forms.routes import forms
from .health import health
from .measure.photos import MOST_BYTES
from .mix import laid_out
from .newer import newer
from .outside import Outside, guarded
from .stations import ROOMS, benches
from .urls import IdConverter

CONTENT_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; "
    "font-src 'self'; connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
)
SHOP = "Sallow Lane Engine Works"
HTMX = json.dumps(
    {
        "includeIndicatorStyles": False,
        "allowEval": False,
        "historyCacheSize": 0,
        "responseHandling": [
            {"code": "204", "swap": False},
            {"code": "[23]..", "swap": True},
            {"code": "409", "swap": True},
            {"code": "422", "swap": True},
            {"code": "[45]..", "swap": True, "error": True},
        ],
    }
)


_INSIDE = Outside()


def create_app(*, engine: Engine, secret_key: str, outside: Outside = _INSIDE, **config: Any) -> Flask:
    """Return the web application.

    Parameters
    ----------
    engine : Engine
        Of a migrated database.
    secret_key : str
        Signs the cookie; there is no default.
    outside : Outside
        How it is reached; by loopback alone, where nothing is said.
    **config
        Flask configuration to put in place, such as ``TESTING``.

    Returns
    -------
    Flask
        Ready to serve.
    """
    app = Shop(__name__, static_folder=None)
    app.config.update(
        SECRET_KEY=secret_key,
        MAX_CONTENT_LENGTH=4_400_000,
        MAX_FORM_MEMORY_SIZE=2_200_000,
        MAX_FORM_PARTS=400,
        SESSION_COOKIE_NAME="__Host-zygometra" if outside.encrypted else "zygometra",
        SESSION_COOKIE_SECURE=outside.encrypted,
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        PERMANENT_SESSION_LIFETIME=sessions.LASTS,
        SESSION_REFRESH_EACH_REQUEST=False,
        WTF_CSRF_TIME_LIMIT=None,
        COMPRESS_ALGORITHM=["gzip"],
        COMPRESS_LEVEL=3,
        COMPRESS_MIN_SIZE=1500,
        SHOP_NAME=SHOP,
        OUTSIDE=outside,
    )
    app.config.update(config)
    app.url_map.converters["int"] = IdConverter
    # Before the token is looked for: that reads the form.
    app.before_request(_room_for_files)
    CSRFProtect(app)
    Compress(app)
    db.init(app, engine)
    for part in (errors, events, jobs, kept, laid_out, sessions, settling):
        part.init(app)
    app.before_request(_look_at_address)
    app.before_request(people.ask_for_name)
    queued.init(app)
    _register(app)
    _templates(app)
    app.wsgi_app = guarded(app.wsgi_app, outside)  # type: ignore[assignment,method-assign]
    return app


def _room_for_files() -> None:
    """Let a photograph or a file be larger than any form: by its address, before anything of it is read."""
    most = {"measure.photo": MOST_BYTES, "floor.import_file": MOST_FILE, "measure.take_table": MOST_FILE}
    most["shelf.take_in"] = MOST_TABLE
    if request.endpoint in most:
        request.max_content_length = most[request.endpoint] + 100_000


def _look_at_address() -> None:
    """Refuse an address that holds what no page of ours puts into one, and no database holds."""
    words = [*request.args.values(), *(v for v in (request.view_args or {}).values() if isinstance(v, str))]
    if not all(map(is_printable, words)):
        abort(400)


def _templates(app: Flask) -> None:
    """Give the templates what every page uses."""
    env = app.jinja_env
    env.trim_blocks = env.lstrip_blocks = True
    env.globals.update(
        findings_list=fragments.findings_list,
        findings_panel=fragments.findings_panel,
        reckoning_rows=fragments.reckoning_rows,
        reckoning_panel=fragments.reckoning_panel,
        stations_list=fragments.stations_list,
        besides_row=fragments.besides_row,
        echo=fragments.echo,
        refusal=fragments.refusal,
        asset=asset,
        person=people.person,
        choice=people.choice,
        reader=people.reader,
        rooms=rooms,
        htmx_config=HTMX,
        shop=app.config["SHOP_NAME"],
        version=__version__,
    )
    env.filters["ago"] = ago
    env.filters["svg"] = Markup
    env.filters["said"] = lambda given: given_text(given, people.reader())


def rooms() -> list[tuple[str, str, str, str]]:
    """Return the rooms of the shop for the bar: label, letter, address, and whether one is in it.

    Returns
    -------
    list of tuple
        ``page`` where the room's own page is on screen, ``true`` where one of its others is.
    """
    out = []
    for room in ROOMS:
        here = "page" if request.endpoint == room.endpoint else ""
        if not here and request.blueprint in room.blueprints:
            here = "true"
        out.append((room.label, room.letter, url_for(room.endpoint), here))
    return out


def _register(app: Flask) -> None:
    """Put the benches together: each is a package with a blueprint of its name in its routes."""
    for blueprint in (assets, components, forms, build, health, newer):
        app.register_blueprint(blueprint)
    for name in benches():
        app.register_blueprint(getattr(import_module(f".{name}.routes", __package__), name))


_FIXED_HEADERS = (
    ("Content-Security-Policy", CONTENT_POLICY),
    ("X-Content-Type-Options", "nosniff"),
    ("Referrer-Policy", "same-origin"),
    ("X-Frame-Options", "DENY"),
    ("Cross-Origin-Opener-Policy", "same-origin"),
)


class Shop(Flask):
    """Flask with what every answer of this application carries, put on at the outermost edge."""

    def ensure_sync(self, func: Callable[..., Any]) -> Callable[..., Any]:
        """Return a view as it is: none of ours is a coroutine, and asking costs at every request."""
        return func

    def log_exception(self, exc_info: Any) -> None:
        """Log what no handler answered, by the page it happened on: its address may hold what somebody typed."""
        self.logger.error("fault in %s", request.endpoint, exc_info=exc_info)

    def wsgi_app(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Any:
        """Answer a request, and put the fixed headers on once the rest is done with its own."""

        def start(status: str, headers: list[tuple[str, str]], *rest: Any) -> Any:
            headers.extend(_FIXED_HEADERS)
            if self.config["OUTSIDE"].encrypted:
                headers.append(("Strict-Transport-Security", "max-age=31536000"))
            if not any(name == "Cache-Control" for name, _ in headers):
                headers.append(("Cache-Control", "no-store"))
            return start_response(status, headers, *rest)

        return super().wsgi_app(environ, start)


def ago(moment: datetime) -> str:
    """Return how long ago a moment was, the way people say it."""
    seconds = (datetime.now(UTC) - moment).total_seconds()
    if seconds < 90:
        return "just now"
    for size, word in ((86400 * 30, "month"), (86400, "day"), (3600, "hour"), (60, "minute")):
        if seconds >= size:
            count = int(seconds // size)
            return f"{count} {word}{'s' if count > 1 else ''} ago"
    return "just now"
