"""Routes of the mix bench: ask, count, why not, the basket, and taking a recipe into a build."""

from __future__ import annotations

import csv
import io
from datetime import date
from typing import Any
from urllib.parse import urlencode

from flask import Blueprint, Response, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.errors import BuildFaults, QuantityError, shown
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.basket import basket, stack_fails, total_of
from zygometra.core.mix.counting import count
from zygometra.core.mix.into_build import targets_of, with_recipe
from zygometra.core.mix.laid_out import LaidOut
from zygometra.core.mix.parts import KIND, MAKING, ORDER_GATE
from zygometra.core.mix.question import PRIORITIES, WANTED
from zygometra.core.mix.recipe import Recipe
from zygometra.core.mix.why_not import why_not
from zygometra.core.wording import money
from zygometra.exchange.build_file import check
from zygometra.store import acceptances, builds
from zygometra.store import shelf as store
from zygometra.store.rules import shop_rules

from ..db import db
from ..people import person, reader
from .asked import EDGES, Asked, read_asked
from .laid_out import key_for, lay_out, shelf_and_rules
from .view import WHY_WAIT, address_of, estimated, in_full, rows_of, view, written
from .working import WORKING

mix = Blueprint("mix", __name__, template_folder="templates", url_prefix="/mix")
SUPPORTING = ("bearing", "ring_set", "fastener", "pushrod")
# How long an answer waits for a count that may be done in a moment, in seconds.
COUNT_WAIT = 0.5


def _asked(form: Any = None) -> Asked:
    shelf, _, _ = shelf_and_rules(db())
    blocks = shelf.tables["block"].codes
    args = request.args if form is None else form
    return read_asked(args.to_dict(), reader(), blocks[0] if blocks else "", shop_rules(db()))


def _address(endpoint: str, asked: Asked) -> str:
    return f"{url_for(endpoint)}?{urlencode(address_of(asked))}"


def _laid_out(asked: Asked) -> LaidOut | None:
    """The shelf laid out; None, with the reason beside the field, where the block is no good."""
    try:
        return lay_out(db(), asked.question)
    except QuantityError as error:
        asked.faults["block"] = str(error)
        return None


def _shown(asked: Asked) -> dict[str, Any]:
    laid_out = _laid_out(asked)
    rules = rules_for("", shop_rules(db()))
    shown_now = view(db(), laid_out, asked, reader(), rules) if laid_out is not None else {}
    return {
        **shown_now,
        "asked": asked,
        "laid_out": laid_out,
        "query": address_of(asked),
        "wanted": WANTED,
        "edges": EDGES,
        "priorities": PRIORITIES,
        "making": MAKING,
        "kinds": KIND,
        "money": money,
    }


@mix.get("")
def page() -> str:
    """Show the mix bench with what its address asks."""
    blocks, _ = store.listed(db(), "block", limit=500)
    return render_template("mix/page.html", blocks=sorted(blocks, key=lambda p: p.code), **_shown(_asked()))


@mix.get("/answer")
def answer() -> Response:
    """Answer a moved window with the parts of the page that change."""
    asked = _asked()
    response = make_response(render_template("mix/answer.html", **_shown(asked)))
    response.headers["HX-Replace-Url"] = _address("mix.page", asked)
    return response


@mix.get("/count")
def exact_count() -> str:
    """Count the recipes one by one; asked for once the first results stand, and again until it is done."""
    asked = _asked()
    laid_out = _laid_out(asked)
    if laid_out is None:
        return ""
    work = WORKING.ask(
        (key_for(db(), laid_out.question), "count"), lambda told: count(laid_out, told=told), by=person()
    )
    done = work.done_within(COUNT_WAIT)
    number = work.result if done else estimated(db(), laid_out)
    return render_template(
        "mix/_count.html", count=number.words, exact=done, share=work.share, query=address_of(asked)
    )


@mix.get("/why-not")
def why_not_this() -> str:
    """Say what keeps a part out."""
    asked = _asked()
    code = request.args.get("part", "").strip()[:60]
    laid_out = _laid_out(asked)
    if laid_out is None or not code:
        return render_template("mix/why_not.html", code=code, lines=())
    work = WORKING.ask(
        (key_for(db(), laid_out.question), f"why not {code}"),
        lambda told: why_not(laid_out, code, told),
        by=person(),
    )
    lines = work.result if work.done_within(WHY_WAIT) else None
    return render_template("mix/why_not.html", code=code, lines=lines, query=address_of(asked))


def _chosen(asked: Asked) -> tuple[LaidOut, Recipe] | None:
    laid_out = _laid_out(asked)
    rows = rows_of(laid_out, asked.chosen) if laid_out is not None else None
    if laid_out is None or rows is None:
        return None
    full = in_full(db(), laid_out, [rows])
    return (laid_out, full[rows]) if rows in full else None


def _gone() -> tuple[str, int]:
    return render_template(
        "problem.html",
        status=404,
        title="This recipe cannot be made up any more",
        why="One of its parts is no longer on the shelf, or lacks a figure.",
        do="Go back to the mix bench and choose another.",
        partial=False,
    ), 404


# -- the basket ----------------------------------------------------------------------


@mix.get("/basket")
def show_basket() -> str | tuple[str, int]:
    """Show everything to buy or to find for a recipe."""
    asked = _asked()
    found = _chosen(asked)
    return _gone() if found is None else _basket_page(asked, *found)


def _basket_page(asked: Asked, laid_out: LaidOut, recipe: Recipe, fault: str = "", reason: str = "") -> str:
    items = basket(recipe, laid_out.block, store.all_of(db(), SUPPORTING))
    fails = _fails(recipe)
    return render_template(
        "mix/basket.html",
        asked=asked,
        query=address_of(asked),
        recipe=recipe,
        items=items,
        total=total_of(items),
        money=money,
        today=f"{date.today():%Y-%m-%d}",
        fails=fails,
        fault=fault,
        reason=reason,
        figures=written(recipe, reader()),
        accepted=acceptances.accepted(db(), ORDER_GATE, _about(laid_out, recipe), fails) if fails else None,
    )


def _about(laid_out: LaidOut, recipe: Recipe) -> str:
    return f"{laid_out.block.code}~{recipe.key}"


def _fails(recipe: Recipe) -> list[str]:
    return stack_fails(recipe, rules_for("", shop_rules(db())))


@mix.get("/basket.csv")
def basket_csv() -> Response | tuple[str, int]:
    """Give the basket as a table."""
    found = _chosen(_asked())
    if found is None:
        return _gone()
    laid_out, recipe = found
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(
        [
            "what",
            "code",
            "name",
            "supplier",
            "needed",
            "on shelf",
            "to buy",
            "price",
            "cost",
            "lead days",
            "state",
        ]
    )
    for item in basket(recipe, laid_out.block, store.all_of(db(), SUPPORTING)):
        part = item.part
        writer.writerow(
            [
                item.what,
                part.code if part else "",
                part.name if part else "to be found",
                part.supplier if part else "",
                item.needed,
                item.on_shelf,
                item.to_buy,
                "" if part is None or part.price is None else f"{part.price / 100:.2f}",
                "" if item.cost is None else f"{item.cost / 100:.2f}",
                "" if item.lead_days is None else item.lead_days,
                part.state if part else "",
            ]
        )
    response = Response(out.getvalue(), content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = 'attachment; filename="basket.csv"'
    return response


@mix.post("/order")
def order() -> BaseResponse | str | tuple[str, int]:
    """Mark what a basket wants as ordered; not while the stack fails on paper, unless somebody signs."""
    asked = _asked(request.form)
    found = _chosen(asked)
    if found is None:
        return _gone()
    laid_out, recipe = found
    fails = _fails(recipe)
    reason = request.form.get("reason", "").strip()
    about = _about(laid_out, recipe)
    if fails and acceptances.accepted(db(), ORDER_GATE, about, fails) is None:
        if not request.form.get("sign") or not acceptances.is_reason(reason):
            fault = (
                f"Found {shown(reason)} as the reason; wanted a reason of 3 to 500 characters and your consent, "
                "because the stack fails on paper."
            )
            return _basket_page(asked, laid_out, recipe, fault, reason), 409
        acceptances.accept(db(), ORDER_GATE, about, fails, reason, actor=person())
    ordered = []
    for item in basket(recipe, laid_out.block, store.all_of(db(), SUPPORTING)):
        if item.part is None or not item.to_buy or item.part.state != "idea":
            continue
        store.set_state(
            db(),
            item.part.kind,
            item.part.code,
            "ordered",
            actor=person(),
            says=f"ordered for {laid_out.block.code}: {recipe.key.replace('~', ' ')}",
        )
        ordered.append(item.part.code)
    db().commit()
    flash(f"Ordered: {', '.join(ordered)}." if ordered else "Nothing was left to order.")
    return redirect(_address("mix.show_basket", asked))


# -- into a build ------------------------------------------------------------------------


@mix.get("/take")
def choose_build() -> str | tuple[str, int]:
    """Ask into which build a recipe is taken."""
    asked = _asked()
    found = _chosen(asked)
    return _gone() if found is None else _take_page(asked, found[1], "")


def _take_page(asked: Asked, recipe: Recipe, fault: str) -> str:
    holes = sum(len(bank["cylinders"]) for bank in recipe.document["engine"]["banks"])
    known = [b for b in builds.listed(db(), limit=500) if b.summary.get("holes") == holes]
    return render_template(
        "mix/take.html",
        asked=asked,
        query=address_of(asked),
        recipe=recipe,
        known=known,
        fault=fault,
        figures=written(recipe, reader()),
    )


@mix.post("/take")
def take() -> BaseResponse | str | tuple[str, int]:
    """Take a recipe into a build, new or known; the record says where its figures come from."""
    asked = _asked(request.form)
    found = _chosen(asked)
    if found is None:
        return _gone()
    laid_out, recipe = found
    codes = ", ".join(f"{KIND[kind].label} {recipe.parts[kind].code}" for kind in MAKING)
    says = f"recipe from the mix bench: block {laid_out.block.code}, {codes}"
    into = request.form.get("into", "new")
    document = {**recipe.document, "targets": targets_of(laid_out.question)}
    if into == "new":
        name = request.form.get("name", "").strip()
        if not 0 < len(name) <= 120:
            return _take_page(
                asked, recipe, f"Found {shown(name)}; wanted a name of 1 to 120 characters for the build."
            ), 422
        document["name"] = name
    else:
        stored = builds.load(db(), int(into) if into.isdecimal() and len(into) < 10 else 0)
        document = with_recipe(stored.document, document)
    try:
        check(document)
    except BuildFaults as error:
        return _take_page(asked, recipe, f"The recipe does not go into that build: {error.faults[0]}."), 422
    if into == "new":
        build_id = builds.create(db(), document, actor=person(), says=says)
    else:
        builds.save(db(), stored.id, document, expected_version=stored.version, actor=person(), says=says)
        build_id = stored.id
    db().commit()
    flash(f"Taken in: {says}.")
    return redirect(url_for("stack.page", build_id=build_id))
