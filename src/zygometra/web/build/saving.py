"""The one save of a build: checked, against the version that was seen, and a conflict shown to the later saver."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from flask import Response, make_response, render_template, url_for

from zygometra.core.build.document import Document, differences, leaf_at
from zygometra.core.build.record import place_words, written
from zygometra.core.errors import shown
from zygometra.core.gates import SHORTEST_REASON
from zygometra.core.stages import OPEN_STAGES
from zygometra.core.typed import known_version
from zygometra.exchange.build_file import check
from zygometra.store import builds
from zygometra.store.builds import BuildClosed, VersionConflict
from zygometra.store.history import last_move

from ..db import db
from ..forms.form import sent_form
from ..people import entry, request_is_partial
from .bench import Bench

Leaves = Mapping[tuple[str, ...], Any]


def seen_version() -> int:
    """Return the version that the form was made from: what every change of a build is held against."""
    return known_version(sent_form().raw("version"))


def save(
    bench: Bench, document: Document, says: str, *, mine: Leaves | None = None, seen: int | None = None
) -> Response | None:
    """Check and save a build, and commit; or show both states where somebody saved since the form was made.

    Parameters
    ----------
    bench : Bench
        The build as the request loaded it.
    document : dict
        As it should become.
    says : str
        What the person is doing, for the record and for the page of a conflict.
    mine : Mapping, optional
        What is shown as the person's own in a conflict; all that differs, where left out.
    seen : int, optional
        The version that was seen; that which the form carried, where left out.

    Returns
    -------
    Response or None
        None where it is saved; else the page of the conflict, with status 409, and
        nothing is written.

    Raises
    ------
    BuildFaults
        If the document is not valid.
    """
    check(document)
    version = seen_version() if seen is None else seen
    try:
        builds.save(db(), bench.id, document, expected_version=version, entry=entry(says))
    except VersionConflict as stale:
        if mine is None:
            mine = {d.path: d.after for d in differences(bench.document, document)}
        return conflict(stale, mine, says)
    db().commit()
    return None


def closed(refused: BuildClosed) -> Response:
    """Return the page that says that a build is signed off or shelved, and opens it again for a reason.

    Parameters
    ----------
    refused : BuildClosed
        What the store found.

    Returns
    -------
    Response
        Status 409. Nothing was written.
    """
    db().rollback()
    build, asked = refused.current, sent_form().raw("stage")
    fault = ""
    if refused.reason or "reason" in sent_form():
        fault = f"Found {shown(refused.reason)}; wanted a reason of {SHORTEST_REASON} to 400 characters."
    body = render_template(
        "build/closed.html",
        build=build,
        signed=last_move(db(), build.id),
        stages=[(name, name) for name in OPEN_STAGES],
        chosen=asked if asked in OPEN_STAGES else "measuring",
        wants_reason=refused.wants_reason,
        reason=refused.reason,
        fault=fault,
        back=url_for("stack.page", build_id=build.id),
        partial=request_is_partial(),
    )
    return make_response(body, 409)


def conflict(stale: VersionConflict, mine: Leaves, says: str) -> Response:
    """Return the page that shows both values of what was being saved.

    Parameters
    ----------
    stale : VersionConflict
        What the store found.
    mine : Mapping
        What the person was saving: leaf paths to values (None takes the leaf out).
    says : str
        What the person was doing.

    Returns
    -------
    Response
        Status 409; a form with a button for each choice. Nothing was written.
    """
    db().rollback()
    current = stale.current
    rows = [
        (place_words(path), written(leaf_at(current.document, path)), written(value))
        for path, value in mine.items()
    ]
    body = render_template(
        "build/conflict.html",
        build=current,
        since=stale.since,
        rows=rows,
        says=says,
        leaves=json.dumps([[list(path), value] for path, value in mine.items()]),
        back=url_for("stack.page", build_id=current.id),
        partial=request_is_partial(),
    )
    return make_response(body, 409)
