"""Routes of the shop itself: the name at the bench, settings, house rules, keys, patterns."""

from __future__ import annotations

from flask import Blueprint, flash, redirect, render_template, request, session, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.errors import QuantityError, shown
from zygometra.core.findings.said import Finding
from zygometra.core.house_rules import RULES, SCHOOLS, Rule, check_rule
from zygometra.core.place import Place
from zygometra.core.units import BASE, Kind, read_typed, to_base
from zygometra.core.wording import Reader, figure
from zygometra.store import rules as store

from ..db import db
from ..fragments import Row, Station
from ..people import CHOICES, choice, person, reader, safe_next

shop = Blueprint("shop", __name__, template_folder="templates")

KEYS = (
    ("?", "this page"),
    ("f", "the shop floor"),
    ("n", "a new build"),
    ("s", "the stack bench"),
    ("w", "the working of the hole on screen"),
    ("1 … 9", "choose hole 1 to 9"),
    ("← →", "the hole before, the hole after"),
    ("d h g c", "go to deck, head, gasket or crown lever"),
    ("↑ ↓", "on a handle or in a lever: one step (0.01 mm or 1 thou)"),
    ("Shift ↑ ↓", "ten steps"),
    ("k", "keep the plan"),
    ("u", "undo the last change"),
    ("r", "redo it"),
    ("p", "the cut sheet"),
    ("m", "the mix bench"),
    ("Esc", "close what is open"),
    ("← ↑ ↓ →", "on the map of the mix: the next recipe that way; on a window's edge: one step"),
    ("Enter", "on a recipe: take it in hand"),
)


@shop.route("/who", methods=["GET", "POST"])
def who() -> BaseResponse | str:
    """Pick the name under which this person's entries stand in the record."""
    fault, name = "", person()
    back = safe_next(request.values.get("next"))
    if request.method == "POST":
        name = " ".join((request.form.get("person") or "").split())
        if not name:
            fault = "Found nothing; wanted the name you go by in the shop, such as Ada."
        elif len(name) > 60 or not name.isprintable():
            fault = f"Found {shown(name)}; wanted a name of up to 60 characters."
        else:
            session.permanent = True
            session["person"] = name
            return redirect(back)
    page = render_template("shop/who.html", name=name, fault=fault, back=back)
    return page


@shop.route("/settings", methods=["GET", "POST"])
def settings() -> BaseResponse | str:
    """Units, words and light of this person; they change no figure."""
    if request.method == "POST":
        for name, allowed in CHOICES.items():
            if request.form.get(name) in allowed:
                session[name] = request.form[name]
        session.permanent = True
        flash("Settings kept.")
        return redirect(
            safe_next(request.form.get("back")) if request.form.get("back") else url_for("shop.settings")
        )
    chosen = {name: choice(name) for name in CHOICES}
    return render_template("shop/settings.html", chosen=chosen, choices=CHOICES)


@shop.route("/house-rules", methods=["GET", "POST"])
def house_rules() -> BaseResponse | tuple[str, int] | str:
    """The shop's rules of thumb, each with its reason; every change stands under a name."""
    faults: dict[str, str] = {}
    typed: dict[str, str] = {}
    if request.method == "POST":
        changes: dict[str, float | None] = {}
        for rule in RULES:
            text = (request.form.get(rule.key) or "").strip()
            typed[rule.key] = text
            try:
                changes[rule.key] = _rule_value(rule, text, reader()) if text else None
            except QuantityError as error:
                faults[rule.key] = str(error)
        if not faults:
            present = store.shop_rules(db())
            for rule in RULES:
                value = changes[rule.key]
                unchanged = value is None or abs(value - present.get(rule.key, rule.value)) < 1e-9
                if value is None and rule.key in present:
                    store.set_rule(db(), rule.key, None, actor=person())
                elif value is not None and not unchanged:
                    store.set_rule(db(), rule.key, value, actor=person())
            db().commit()
            flash("House rules kept; every build was judged by them again.")
            return redirect(url_for("shop.house_rules"))
    present = store.shop_rules(db())
    rows = [
        (
            rule,
            typed.get(rule.key) or _rule_text(rule, present.get(rule.key, rule.value), reader()),
            _rule_text(rule, rule.value, reader()),
            rule.key in present,
            faults.get(rule.key, ""),
        )
        for rule in RULES
    ]
    page = render_template("shop/house_rules.html", rows=rows, schools=SCHOOLS, faults=faults)
    return (page, 422) if faults else page


def _rule_value(rule: Rule, text: str, read_as: Reader) -> float:
    if rule.kind is None:
        try:
            value = float(text.replace(",", "."))
        except ValueError:
            raise QuantityError(shown(text), "a number such as 0.15") from None
    else:
        typed = read_typed(text, rule.kind)
        unit = typed.unit or (read_as.length_unit(0.0) if rule.kind is Kind.LENGTH else BASE[rule.kind])
        value = to_base(typed.number, unit)
    return check_rule(rule.key, value)


def _rule_text(rule: Rule, value: float, read_as: Reader) -> str:
    if rule.kind is Kind.LENGTH:
        return read_as.length(value)
    return f"{figure(value, 2)}{' cc' if rule.kind is Kind.VOLUME else ''}"


@shop.get("/keys")
def keys() -> str:
    """Every shortcut."""
    return render_template("shop/keys.html", keys=KEYS)


@shop.get("/patterns")
def patterns() -> str:
    """Every component in every state, for whoever works on the pages."""
    from zygometra.core.windows import Window
    from zygometra.drawing.bands import Axis, Estimate, bands
    from zygometra.drawing.marks import BASIS_WORDS

    window, scale = Window(9.6, 9.75, 9.9), Axis(9.4, 10.1)
    samples = [
        (
            "inside, as it stands",
            bands(scale, window).draw(Estimate(9.74, 0.05), Estimate(None, 0), changed=False),
        ),
        (
            "moved into the window",
            bands(scale, window).draw(Estimate(9.5, 0.1), Estimate(9.75, 0.04), changed=True),
        ),
        (
            "crosses the edge",
            bands(scale, window).draw(Estimate(9.88, 0.09), Estimate(None, 0), changed=False),
        ),
        ("far outside", bands(scale, window).draw(Estimate(9.1, 0.05), Estimate(11.0, 0.05), changed=True)),
        ("no window", bands(scale, Window()).draw(Estimate(9.7, 0.03), Estimate(None, 0), changed=False)),
        ("no value", bands(scale, window).draw(Estimate(None, 0), Estimate(None, 0), changed=False)),
    ]
    stations = [
        Station(state, state.capitalize(), "#", state, f"a station that is {state}")
        for state in ("done", "part", "due", "blocked")
    ]
    found = [
        Finding(
            severity,
            "sample",
            Place.hole(1),
            f"Hole 1: what a {severity} says.",
            "Why it matters.",
            "What to do about it.",
        )
        for severity in ("stop", "warn", "note")
    ]
    rows = [
        Row(1, samples[1][1], "9.50", "9.75", "", ""),
        Row(2, samples[3][1], "9.10", "11.00", "▲", "above the window"),
    ]
    stacks, field = _mix_patterns()
    return render_template(
        "shop/patterns.html",
        bands=samples,
        stations=stations,
        findings=found,
        bases=BASIS_WORDS,
        rows=rows,
        stacks=stacks,
        field=field,
    )


def _mix_patterns() -> tuple[str, str]:
    """Recipes side by side, and the map, in every state."""
    from zygometra.core.windows import Window
    from zygometra.drawing.field import Axis, Point, field_map
    from zygometra.drawing.recipes import Stack, stacks_drawing

    def stack(number: int, clearance: float, state: str, out: str = "") -> Stack:
        return Stack(
            f"recipe-{number}",
            f"{number} · {state or 'plain'}",
            225.4,
            92,
            86,
            148,
            34.4 - clearance,
            clearance,
            0.08,
            1.2,
            4.5,
            18,
            state,
            out,
        )

    stacks = [
        stack(1, 0.2, "chosen"),
        stack(2, 0.35, "pinned"),
        stack(3, 3.1, "", "deck clearance"),
        stack(4, -1.9, "", "quench"),
    ]
    points = [
        Point("p1", 2287, 0.2, "inside", "in", False),
        Point("p2", 2310, 0.3, "inside, to be machined", "in", True),
        Point("p3", 2400, 2.0, "outside", "out", False),
        Point("p4", 2250, 0.4, "pinned", "pinned", False),
        Point("p5", 2350, 0.1, "chosen", "chosen", False),
    ]
    across = Axis("displacement", "displacement, cc", Window(2240, 2287, 2360), 0, 1.0)
    up = Axis("deck_clearance", "deck clearance, mm", Window(-0.1, 0.2, 0.5), 2, 1.0)
    return stacks_drawing(stacks, (-0.1, 0.5), reader()), field_map(points, across, up)
