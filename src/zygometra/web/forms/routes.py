"""What a field means while it is typed in: one answer for every page that takes dimensions."""

from __future__ import annotations

from flask import Blueprint, render_template, request
from werkzeug.exceptions import NotFound

from zygometra.core.typed import MOST_NAME

from ..people import reader
from .figure import as_understood
from .named import field_named

forms = Blueprint("forms", __name__, template_folder="templates")


@forms.get("/understood")
def understood() -> str:
    """Say what a figure means while it is typed, in both units, and what else may be meant.

    ``of`` names the dimension and ``field`` the field; what was typed comes under the field's own name.
    """
    field = field_named(request.args.get("of", ""))
    if field is None:
        raise NotFound
    slot = request.args.get("field", "")[:MOST_NAME]
    typed = request.args.get(slot, "")[:MOST_NAME] if slot not in ("of", "field") else ""
    return render_template(
        "forms/understood.html", understood=as_understood(typed, field, reader()), slot=slot
    )
