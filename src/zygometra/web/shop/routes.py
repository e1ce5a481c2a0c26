"""Routes of the shop itself: the name at the bench, settings, house rules, keys, patterns."""

from __future__ import annotations

from flask import Blueprint, flash, redirect, render_template, request, session, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.actors import is_name
from zygometra.core.digits import number_of
from zygometra.core.errors import shown
from zygometra.core.house_rules import SCHOOLS
from zygometra.store import rules as store
from zygometra.store.newest import Moved

from ..db import db
from ..forms.form import Form, sent_form
from ..people import CHOICES, actor, choice, leave, name_myself, person, reader, safe_next
from ..settling import settler
from ..stations import keys as every_key
from .rules_form import changes, differing, lines, read_rules

shop = Blueprint("shop", __name__, template_folder="templates")
# What each choice of the reader is called, and what its values are.
_SETTINGS = (
    ("system", "Written first"),
    ("quench", "The gap between piston and head is the"),
    ("deck", "The block's gasket face is the"),
    ("pin", "The piston hangs on the"),
    ("theme", "Light"),
)
_WORDS = {"mm": "millimetres", "inch": "inches and thou", "system": "as the system says"}


@shop.route("/who", methods=["GET", "POST"])
def who() -> BaseResponse | tuple[str, int]:
    """Pick the name under which this person's entries stand in the record."""
    fault, name = "", person()
    back = safe_next(request.values.get("next"))
    if request.method == "POST":
        name = sent_form().line("person")
        if is_name(name):
            name_myself(name)
            return redirect(back)
        wanted = (
            "a name of up to 60 characters that can be printed"
            if name
            else "the name you go by in the shop, such as Ada"
        )
        fault = f"Found {shown(name)}; wanted {wanted}."
    return render_template(
        "shop/who.html", name=name, fault=fault, back=back, left=request.args.get("left") and not name
    ), 422 if fault else 200


@shop.post("/leave")
def leave_bench() -> BaseResponse:
    """End this browser's session, and have it forget what was half typed: the next person is somebody else.

    What was sent off and did not arrive yet stays, under the name it was typed by.
    """
    leave()
    flash("You have left the bench. What was saved stands under your name.")
    return redirect(url_for("shop.who", left=1))


@shop.route("/settings", methods=["GET", "POST"])
def settings() -> BaseResponse | str:
    """Units, words and light of this person; they change no figure."""
    if request.method == "POST":
        for name, allowed in CHOICES.items():
            if sent_form().raw(name) in allowed:
                session[name] = sent_form().raw(name)
        session.permanent = True
        flash("Settings kept.")
        back = sent_form().raw("back")
        return redirect(safe_next(back) if back else url_for("shop.settings"))
    choices = [
        (name, label, choice(name), [(value, _WORDS.get(value, value)) for value in CHOICES[name]])
        for name, label in _SETTINGS
    ]
    return render_template("shop/settings.html", choices=choices)


@shop.route("/house-rules", methods=["GET", "POST"])
def house_rules() -> BaseResponse | tuple[str, int] | str:
    """The shop's rules of thumb, each with its reason; every change stands under a name."""
    if request.method == "GET":
        return _rules_page(None)
    form = sent_form()
    typed = read_rules(form)
    if form.faults:
        return _rules_page(form), 422
    wanted = changes(typed, store.shop_rules(db()))
    try:
        judged = store.set_rules(db(), wanted, actor=actor(), seen=form.version)
    except Moved as moved:
        db().rollback()
        return _rules_page(form, moved.newest.actor), 409
    db().commit()
    settler().wake()
    again = f"{number_of(judged, 'build')} {'is' if judged == 1 else 'are'} judged by them again, behind this page."
    flash(f"House rules kept; {again if judged else 'they change nothing of any build.'}")
    return redirect(url_for("shop.house_rules"))


def _rules_page(form: Form | None, theirs: str = "") -> str:
    present = store.shop_rules(db())
    rules = lines(form, present, reader())
    return render_template(
        "shop/house_rules.html",
        rules=rules,
        schools=SCHOOLS,
        version=store.newest(db()).number,
        theirs=theirs,
        differs=differing(rules, present, reader()) if theirs else (),
    )


@shop.get("/keys")
def keys() -> str:
    """Every shortcut."""
    return render_template("shop/keys.html", keys=every_key())


@shop.get("/patterns")
def patterns() -> str:
    """Every component in every state, for whoever works on the pages."""
    from .patterns import view

    return render_template("shop/patterns.html", **view(reader()))
