"""Whether a build on screen is still the newest: a page hears of it by a stream, or asks now and then.

A stream costs a thread of its own while it lasts; where the server has none left it
says so, and the page asks every now and then instead.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import NamedTuple

from flask import Blueprint, Response, render_template, request
from flask.typing import ResponseReturnValue
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError

from zygometra.core.typed import known_version
from zygometra.store import heads
from zygometra.store.history import history
from zygometra.store.in_force import NotThere

from .db import db, reading
from .sessions import until_it_ends

newer = Blueprint("newer", __name__)

# Seconds between two looks, and how long a stream lasts before its page opens another.
LOOKS_EVERY, LASTS = 2.0, 600.0


class Seen(NamedTuple):
    """What a page shows of a build: its version, its stage, and the newest fact beside it."""

    version: int
    stage: str
    fact: int = 0


def _seen() -> Seen:
    asked = request.args
    return Seen(known_version(asked.get("version")), asked.get("stage", ""), known_version(asked.get("fact")))


def _shown(head: heads.Head) -> Seen:
    return Seen(head.version, head.stage, head.fact)


@newer.get("/builds/<int:build_id>/newer")
def asked(build_id: int) -> ResponseReturnValue:
    """Say what is newer than the page that asks; nothing where nothing is."""
    seen, head = _seen(), heads.head(reading(), build_id)
    if seen == _shown(head):
        return "", 204
    changes = history(db(), build_id, after=seen.version, limit=3)
    return render_template("components/newer.html", head=head, seen=seen, changes=changes)


@newer.get("/streams/builds/<int:build_id>")
def stream(build_id: int) -> Response:
    """Tell of every newer state of a build as it comes, for a while."""
    heads.head(reading(), build_id)
    told = until_it_ends(_told(reading(), build_id, _seen()))
    return Response(told, content_type="text/event-stream; charset=utf-8")


def _told(engine: Engine, build_id: int, seen: Seen) -> Iterator[str]:
    """The words of a stream: an event for every newer state, a blank one between."""
    ends = time.monotonic() + LASTS
    while time.monotonic() < ends:
        try:
            head = heads.head(engine, build_id)
        except (SQLAlchemyError, NotThere):
            return
        if seen != (seen := _shown(head)):
            yield f"event: newer\ndata: {head.version}\n\n"
        else:
            yield ": as it was\n\n"
        time.sleep(LOOKS_EVERY)
