"""Routes of the mix bench: ask, count, why not, the basket, and taking a recipe into a build."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core import gates
from zygometra.core.errors import BuildFaults, QuantityError, shown
from zygometra.core.house_rules import rules_for
from zygometra.core.mix.basket import stack_fails
from zygometra.core.mix.counting import count
from zygometra.core.mix.into_build import targets_of, with_recipe
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import KIND, MAKING
from zygometra.core.mix.placeholders import left_open
from zygometra.core.mix.recipe import Recipe
from zygometra.core.mix.shelf_record import ordered_words, recipe_words
from zygometra.core.mix.why_not import why_not
from zygometra.core.typed import known_id, known_version
from zygometra.exchange.build_file import check
from zygometra.store import acceptances, builds
from zygometra.store import shelf as store
from zygometra.store.acceptances import StoredAgainst
from zygometra.store.rules import shop_rules

from .. import urls
from ..build.bench import open_bench
from ..build.fragments import WORDS as SEVERITY_WORDS
from ..build.saving import save
from ..db import db
from ..forms.form import Form, sent_form
from ..forms.read import name
from ..jobs import jobs
from ..people import actor, entry, reader, told_error, who
from .asked import MixQuery, read_asked
from .basket import basket_of, basket_table, basket_view
from .columns import in_full, rows_of, written
from .laid_out import key_for, lay_out, shelf_and_rules
from .view import WHY_WAIT, address_of, estimated, faults_view, question_view, view

mix = Blueprint("mix", __name__, template_folder="templates", static_folder=None, url_prefix="/mix")
# How long an answer waits for a count that may be done in a moment, in seconds.
COUNT_WAIT = 0.5
# How many blocks and builds are offered.
_MOST_BLOCKS, _MOST_BUILDS = 500, 500


def _asked(form: Form | None = None) -> MixQuery:
    shelf, _, _ = shelf_and_rules(db())
    blocks = shelf.tables["block"].codes
    texts = request.args.to_dict() if form is None else form.typed
    block = blocks[0] if blocks else ""
    return read_asked(texts, reader(), block=block, shop=shop_rules(db()), left_open=left_open(shelf))


def _address(endpoint: str, asked: MixQuery) -> str:
    return urls.with_query(url_for(endpoint), address_of(asked))


def _laid_out(asked: MixQuery) -> QueryTables | None:
    """The shelf laid out; None, with the reason beside the field, where the block is no good."""
    try:
        return lay_out(db(), asked.question)
    except QuantityError as error:
        asked.faults["block"] = told_error(error)
        return None


def _shown(asked: MixQuery) -> dict[str, Any]:
    laid_out = _laid_out(asked)
    shown_now: dict[str, Any] = {}
    if laid_out is not None:
        shown_now = view(db(), laid_out, asked=asked, reader=reader(), rules=rules_for("", shop_rules(db())))
    return {
        **shown_now,
        "laid_out": laid_out is not None,
        "answer": _address("mix.answer", asked),
        "count_again": _address("mix.exact_count", asked),
        "severity_words": SEVERITY_WORDS,
        **faults_view(asked),
    }


@mix.get("")
def page() -> str:
    """Show the mix bench with what its address asks."""
    blocks, _ = store.listed(db(), "block", limit=_MOST_BLOCKS)
    asked = _asked()
    shown_now = _shown(asked)
    question = question_view(asked, sorted(blocks, key=lambda p: p.code), reader())
    return render_template("mix/page.html", **question, **shown_now)


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
    job = jobs().ask(
        (key_for(db(), laid_out.question), "count"), lambda told: count(laid_out, told=told), by=who()
    )
    done = job.done_within(COUNT_WAIT)
    number = job.result if done else estimated(db(), laid_out)
    share = f"{100 * job.share:.0f} %"
    again = _address("mix.exact_count", asked)
    return render_template("mix/_count.html", count=number.words, exact=done, share=share, count_again=again)


@mix.get("/why-not")
def why_not_this() -> str:
    """Say what keeps a part out."""
    asked = _asked()
    code = request.args.get("part", "").strip()[:60]
    laid_out = _laid_out(asked)
    if laid_out is None or not code:
        return render_template("mix/why_not.html", code=code, lines=())
    job = jobs().ask(
        (key_for(db(), laid_out.question), f"why not {code}"),
        lambda told: why_not(laid_out, code, told),
        by=who(),
    )
    lines = job.result if job.done_within(WHY_WAIT) else None
    again = urls.with_query(url_for("mix.why_not_this"), {**address_of(asked), "part": code})
    return render_template("mix/why_not.html", code=code, lines=lines, again=again)


def _chosen(asked: MixQuery) -> tuple[QueryTables, Recipe] | None:
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


def _recipe_view(asked: MixQuery, recipe: Recipe) -> dict[str, Any]:
    """What every page of one recipe shows: its parts, its figures, and what the question was."""
    return {
        "query": list(address_of(asked).items()),
        "back": _address("mix.page", asked),
        "as_table": _address("mix.basket_csv", asked),
        "recipe": recipe,
        "kinds": [(kind, recipe.parts[kind].code) for kind in ("block", *MAKING)],
        "figures": written(recipe, reader()),
    }


# -- the basket ----------------------------------------------------------------------


@mix.get("/basket")
def show_basket() -> str | tuple[str, int]:
    """Show everything to buy or to find for a recipe."""
    asked = _asked()
    found = _chosen(asked)
    return _gone() if found is None else _basket_page(asked, *found)


def _basket_page(
    asked: MixQuery, laid_out: QueryTables, recipe: Recipe, fault: str = "", reason: str = ""
) -> str:
    against = _against(laid_out, recipe)
    accepted = acceptances.accepted(db(), against) if against.stands else None
    return render_template(
        "mix/basket.html",
        seen=store.number(db())[0],
        **_recipe_view(asked, recipe),
        **basket_view(recipe, basket_of(db(), laid_out, recipe)),
        fails=stack_fails(recipe, rules_for("", shop_rules(db())), reader()),
        accepted=accepted,
        gate=gates.ORDER.number,
        fault=fault,
        reason=reason,
    )


def _against(laid_out: QueryTables, recipe: Recipe) -> StoredAgainst:
    """What stands against ordering for a recipe."""
    fails = stack_fails(recipe, rules_for("", shop_rules(db())))
    return StoredAgainst(gates.ORDER, f"{laid_out.block.code}~{recipe.key}", tuple(fails))


@mix.get("/basket.csv")
def basket_csv() -> Response | tuple[str, int]:
    """Give the basket as a table."""
    found = _chosen(_asked())
    if found is None:
        return _gone()
    response = Response(basket_table(basket_of(db(), *found)), content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = 'attachment; filename="basket.csv"'
    return response


@mix.post("/order")
def order() -> BaseResponse | str | tuple[str, int]:
    """Mark what a basket wants as ordered; not while the stack fails on paper, unless somebody signs."""
    asked = _asked(sent_form())
    found = _chosen(asked)
    if found is None:
        return _gone()
    laid_out, recipe = found
    if between := _changed_since(laid_out, recipe):
        return _basket_page(asked, laid_out, recipe, between), 409
    against = _against(laid_out, recipe)
    reason = sent_form()["reason"]
    if against.stands and acceptances.accepted(db(), against) is None:
        if not sent_form().raw("sign") or not gates.is_reason(reason):
            fault = (
                f"Found {shown(reason)} as the reason; wanted a reason of {gates.SHORTEST_REASON} to"
                f" {gates.LONGEST_REASON} characters and your consent, because the stack fails on paper."
            )
            return _basket_page(asked, laid_out, recipe=recipe, fault=fault, reason=reason), 409
        acceptances.accept(db(), against, reason, actor=actor())
    ordered = _order(laid_out, recipe)
    db().commit()
    flash(f"Ordered: {', '.join(ordered)}." if ordered else "Nothing was left to order.")
    return redirect(_address("mix.show_basket", asked))


def _changed_since(laid_out: QueryTables, recipe: Recipe) -> str:
    """Who changed parts of a basket since it was seen, in a sentence; empty where nobody did."""
    store.hold(db())
    parts = [item.part for item in basket_of(db(), laid_out, recipe) if item.part is not None]
    seen = known_id(sent_form().raw("version"))
    changes = store.changed_since(db(), ((part.kind, part.code) for part in parts), seen)
    if not changes:
        return ""
    told = "; ".join(f"{code}: {change.says}, by {change.actor}" for (_, code), change in changes.items())
    return f"Nothing is ordered yet: parts of this basket were changed since you saw it ({told}). Look, then order."


def _order(laid_out: QueryTables, recipe: Recipe) -> list[str]:
    """Mark what is to be bought as ordered, so far as nobody has; return the codes."""
    says = ordered_words(laid_out.block.code, recipe.key)
    wanted = [
        item.part
        for item in basket_of(db(), laid_out, recipe)
        if item.part is not None and item.to_buy and item.part.state == "idea"
    ]
    for part in wanted:
        store.set_state(db(), part.kind, part.code, "ordered", entry=entry(says))
    return [part.code for part in wanted]


# -- into a build ------------------------------------------------------------------------


@mix.get("/take")
def choose_build() -> str | tuple[str, int]:
    """Ask into which build a recipe is taken."""
    asked = _asked()
    found = _chosen(asked)
    return _gone() if found is None else _take_page(asked, found[1], "")


def _take_page(asked: MixQuery, recipe: Recipe, fault: str) -> str:
    holes = sum(len(bank["cylinders"]) for bank in recipe.document["engine"]["banks"])
    # Each carries the version that was seen: a build that is saved in between is shown first.
    known = [
        (f"{b.id}@{b.version}", b.name)
        for b in builds.listed(db(), limit=_MOST_BUILDS)
        if b.summary.get("holes") == holes
    ]
    return render_template("mix/take.html", **_recipe_view(asked, recipe), known=known, fault=fault)


@mix.post("/take")
def take() -> BaseResponse | str | tuple[str, int]:
    """Take a recipe into a build, new or known; the record says where its figures come from."""
    asked = _asked(sent_form())
    found = _chosen(asked)
    if found is None:
        return _gone()
    laid_out, recipe = found
    codes = ", ".join(f"{KIND[kind].label} {recipe.parts[kind].code}" for kind in MAKING)
    says = recipe_words(laid_out.block.code, codes)
    document = {**recipe.document, "targets": targets_of(laid_out.question)}
    into = sent_form().raw("into") or "new"
    try:
        if into == "new":
            called = name(sent_form().raw("name"), "the build")
            if called.value is None:
                return _take_page(asked, recipe, called.fault), 422
            build_id = _new_build({**document, "name": called.value}, says)
            refused = None
        else:
            key, _, version = into.partition("@")
            if not key:
                return _take_page(asked, recipe, "Found no build chosen; wanted one, or a new one."), 422
            bench = open_bench(known_id(key))
            build_id = bench.id
            merged = with_recipe(bench.document, document)
            refused = save(bench, merged, says, seen=known_version(version))
    except BuildFaults as error:
        return _take_page(asked, recipe, f"The recipe does not go into that build: {error.faults[0]}."), 422
    if refused is not None:
        return refused
    flash(f"Taken in: {says}.")
    return redirect(url_for("stack.page", build_id=build_id))


def _new_build(document: dict[str, Any], says: str) -> int:
    check(document)
    build_id = builds.create(db(), document, entry=entry(says))
    db().commit()
    return build_id
