"""When two people save one build: the later one sees both and chooses."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from flask import Response, make_response, render_template, request, url_for

from zygometra.core.build.document import leaf_at
from zygometra.store.builds import Stale

from .db import db

Leaves = Mapping[tuple[str, ...], Any]


def conflict(stale: Stale, mine: Leaves, says: str) -> Response:
    """Return the page that shows both values of what was being saved.

    Parameters
    ----------
    stale : Stale
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
    rows = []
    for path, value in mine.items():
        theirs = leaf_at(stale.current.document, path)
        rows.append((" · ".join(path), written(theirs), written(value)))
    body = render_template(
        "conflict.html",
        build=stale.current,
        since=stale.since,
        rows=rows,
        says=says,
        leaves=json.dumps([[list(path), value] for path, value in mine.items()]),
        back=url_for("stack.page", build_id=stale.current.id),
        partial=bool(request.headers.get("HX-Request")),
    )
    return make_response(body, 409)


def written(value: Any) -> str:
    """Return any leaf of a document in a few words, as typed."""
    if value is None:
        return "nothing"
    if isinstance(value, list):
        return "; ".join(written(item) for item in value) or "nothing"
    if isinstance(value, dict):
        if "op" in value:
            inner = value.get("amount", value.get("gasket"))
            where = value.get("bank") or value.get("cylinder") or ""
            return f"{value['op'].replace('_', ' ')} {where} {written(inner)}".replace("  ", " ")
        if "readings" in value:
            head = ", ".join(written(r) for r in value["readings"])
            return f"readings {head} {value.get('unit', '')}".strip()
        if "value" in value:
            doubt = (
                f" ± {value['plus_minus']}"
                if "plus_minus" in value
                else (f" (u {value['u']})" if "u" in value else "")
            )
            basis = f", {value['basis']}" if value.get("basis") else ""
            return f"{value['value']} {value.get('unit', '')}{doubt}{basis}".strip()
        return ", ".join(f"{k} {written(v)}" for k, v in value.items())
    return str(value)
