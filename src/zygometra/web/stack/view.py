"""The stack bench as the page shows it: drawing, levers, what changed."""

from __future__ import annotations

import json
from typing import Any, NamedTuple
from urllib.parse import urlencode

from flask import render_template, url_for
from markupsafe import Markup, escape

from zygometra.core.build.document import operation_document
from zygometra.core.build.lever_table import AMOUNTS, LEVER, OpName
from zygometra.core.build.levers import limit_of, setting
from zygometra.core.build.model import Bank, Build, Gasket
from zygometra.core.quantity import Quantity
from zygometra.core.units import Kind
from zygometra.core.wording import figure
from zygometra.drawing.loupe import Limits
from zygometra.drawing.stack import stack_drawing

from .. import bench as benches
from ..fragments import (
    Reckoning,
    Station,
    carried,
    echo,
    findings_panel,
    keep_slot,
    kept_words,
    reckoning_panel,
    refusal,
    stations_list,
    swapped,
    was_fields,
)
from .what_if import ALL, AS_FITTED, OWN, WhatIf, amount_text, total_of

_compact = json.JSONEncoder(ensure_ascii=False, separators=(",", ":")).encode


class Lever(NamedTuple):
    """One lever's card."""

    key: str
    label: str
    value: str
    beside: str
    limit: str
    refused: str
    solves: tuple[tuple[str, str, str], ...]
    moved: bool


class GasketChoice(NamedTuple):
    """One gasket to choose."""

    key: str
    label: str


class Shown(NamedTuple):
    """What every step of a lever changes on the stack bench."""

    bench: benches.Bench
    hole: int
    drawing: str
    path: tuple[Station, ...]
    reckonings: tuple[Reckoning, ...]
    rest: list[tuple[str, str]]
    plan: str
    address: str
    keep_panel: Markup


def shown(result: WhatIf) -> Shown:
    """Return what a what-if changes: drawing, reckoning, path, plan, and the offer to keep it."""
    bench, build = result.bench, result.bench.build
    evaluation = bench.evaluation
    drawing = ""
    if evaluation is not None:
        limits = Limits(
            *(limit_of(build, op, bench.rules)[0] for op in ("deck_cut", "head_cut", "crown_cut"))
        )
        drawing = stack_drawing(build, evaluation, result.hole, bench.reader, limits)
    plan = _compact(bench.plan)
    query = {"hole": result.hole} | ({"scope": ALL} if _several(build) and not result.scope else {})
    keep_panel = kept_words(plan)
    if bench.pending:
        query["plan"] = plan
        carried_on = {
            "version": bench.stored.version,
            "plan": plan,
            "hole": result.hole,
            "scope": _scope(result),
        }
        keep_panel = keep_slot(f"/builds/{bench.id}", carried_on, _changes(bench))
    address = f"{url_for('stack.page', build_id=bench.id)}?{urlencode(query)}"
    return Shown(
        bench,
        result.hole,
        drawing,
        benches.path_of(bench),
        benches.reckon(bench),
        _rest(bench, result.hole),
        plan,
        address,
        keep_panel,
    )


def _several(build: Build) -> bool:
    return len(build.banks) > 1


def _scope(result: WhatIf) -> str:
    return result.scope or (ALL if _several(result.bench.build) else "")


def view(result: WhatIf) -> dict[str, Any]:
    """Return everything the stack bench's templates use."""
    bench, build = result.bench, result.bench.build
    state = bench.evaluation.planned if bench.evaluation is not None else None
    return shown(result)._asdict() | {
        "document": bench.document,
        "engine": benches.engine_line(build, bench.document, state),
        "station": "stack",
        "levers": [_lever(result, lever.key) for lever in AMOUNTS],
        "gasket": _gasket(result),
        "refused": plan_refused(result),
        "holes": sorted(build.cylinders),
        "scope": _scope(result),
        "bank": build.bank_of(result.hole).name,
        "results": _results(bench),
    }


def plan_refused(result: WhatIf) -> str:
    """Return why the plan or the inverse question was refused; empty where it was not."""
    return result.refused.get("solve", "") + result.refused.get("plan", "")


def answer_parts(result: WhatIf) -> tuple[str, str]:
    """Return the answer to a moved lever, and the address that carries it.

    Parameters
    ----------
    result : WhatIf
        What came of the move.

    Returns
    -------
    html : str
        The drawing, and beside it every part of the page that changes. While a person
        types, the levers' fields are left alone: only what stands under them is written.
    address : str
        Of the page with that what-if on it.
    """
    s = shown(result)
    problem = s.bench.problem
    out = [
        s.drawing or refusal(problem),
        swapped("carried", carried(s.plan, s.hole)),
        swapped("reckoning", reckoning_panel(s.reckonings, s.hole, s.rest, problem)),
        swapped("findings", findings_panel(s.bench.findings, f"/builds/{s.bench.id}", problem)),
        swapped("stations", stations_list(s.path, "stack"), tag="ol"),
        swapped("keep", s.keep_panel),
        swapped("echo-solve", escape(plan_refused(result)), tag="p"),
    ]
    if result.typing:
        for op in (lever.key for lever in AMOUNTS):
            out.append(echo(op, result.refused.get(op, ""), _beside(result, op), out_of_band=True))
        chosen, thickness = _chosen_gasket(result)[0], _thickness(result)
        out.append(echo("gasket", result.refused.get("gasket", ""), "", out_of_band=True))
        out.append(was_fields(chosen, thickness, out_of_band=True))
    else:
        out.append(swapped("levers", render_template("stack/_levers.html", **view(result))))
    return "".join(out), s.address


def _results(bench: benches.Bench) -> list[tuple[str, str]]:
    return [
        ("quench", bench.reader.quench),
        ("compression_ratio", "compression ratio"),
        ("deck_clearance", f"{bench.reader.deck} clearance"),
    ]


def _lever(result: WhatIf, op: OpName) -> Lever:
    bench, build = result.bench, result.bench.build
    reader = bench.reader
    labels = {
        "deck_cut": f"{reader.deck.capitalize()} cut",
        "head_cut": "Head cut",
        "crown_cut": "Crown cut",
        "open_chamber": f"Chamber {result.hole}",
    }
    kind = LEVER[op].kind
    total = total_of(build, op, result.scope, result.hole)
    limit = limit_of(build, op, bench.rules)[0]
    limit_text = f"{figure(limit, 1)} cc" if kind is Kind.VOLUME else reader.limit(limit)
    if op in result.typed and result.typing:
        value = result.typed[op]
    elif total is None:
        value = ""
    else:
        value = _as_typed(result, op, total, kind)
    return Lever(
        op,
        labels[op],
        value,
        _beside(result, op),
        f"max {limit_text}",
        result.refused.get(op, ""),
        _solves(bench, op),
        bool(total) or total is None,
    )


def _beside(result: WhatIf, op: OpName) -> str:
    """A lever's total in the system it was not typed in, or that its holes differ."""
    total = total_of(result.bench.build, op, result.scope, result.hole)
    if total is None:
        return "differs by bank"
    if not total or LEVER[op].kind is not Kind.LENGTH:
        return ""
    single = _single_amount(result, op)
    reader = result.bench.reader
    return reader.beside(single) if single is not None else reader.length(total, other=True)


def _single_amount(result: WhatIf, op: OpName) -> Quantity | None:
    """The amount of the one operation that makes up a lever's total, if it is one."""
    build = result.bench.build
    bank = build.bank_of(result.hole).name
    places = setting(build.planned, op, bank, result.hole).operations
    return build.planned[places[0]].amount if len(places) == 1 else None


def _as_typed(result: WhatIf, op: OpName, total: float, kind: Kind) -> str:
    """A lever's text: as it was typed where it is one operation, else written out."""
    amount = _single_amount(result, op)
    if amount is not None:
        typed = amount.as_typed
        return typed if isinstance(typed, str) else result.bench.reader.quantity(amount)
    return amount_text(total, kind, result.bench.reader) if total else ""


def _solves(bench: benches.Bench, op: OpName) -> tuple[tuple[str, str, str], ...]:
    """The aims that one press of a button sets this lever for: result, text to send, words."""
    targets, reader = bench.build.targets, bench.reader
    out = []
    if targets.quench.aim is not None and op in ("deck_cut", "crown_cut"):
        text = reader.limit(targets.quench.aim)
        out.append(("quench", text, f"{reader.quench} {text}"))
    if targets.compression_ratio.aim is not None and op in ("head_cut", "open_chamber", "crown_cut"):
        text = figure(targets.compression_ratio.aim, 2)
        out.append(("compression_ratio", text, f"ratio {text}"))
    return tuple(out[:1])


def _acted_on(result: WhatIf) -> Bank:
    """The bank that the gasket lever acts on: the first where it acts on all."""
    build = result.bench.build
    scope = result.scope or build.bank_of(result.hole).name
    return next(b for b in build.banks if b.name == scope)


def _chosen_gasket(result: WhatIf) -> tuple[str, Gasket | None]:
    """Which gasket the plan fits: the choice's key, and the gasket where it is not the fitted one."""
    build, bank = result.bench.build, _acted_on(result)
    planned = [op for op in build.planned if op.op == "gasket" and op.bank in (None, bank.name)]
    if not planned:
        return AS_FITTED, None
    fitted = planned[-1].gasket
    same = [str(i) for i, g in enumerate(build.levers.gaskets) if g == fitted]
    return (same[0] if same else OWN), fitted


def _thickness(result: WhatIf) -> str:
    """The compressed thickness under the plan, as it was typed."""
    bench, bank = result.bench, _acted_on(result)
    if bench.evaluation is None:
        return ""
    hole = result.hole if result.hole in bank.cylinders else bank.cylinders[0]
    return bench.reader.quantity(
        bench.evaluation.planned.hole(hole).sources["parts.gasket.thickness"].quantity
    )


def _gasket(result: WhatIf) -> dict[str, Any]:
    bench, build = result.bench, result.bench.build
    chosen, fitted = _chosen_gasket(result)
    thickness = _thickness(result)
    now_name = build.gasket_name(_acted_on(result).name) or "the one fitted"
    choices = [GasketChoice(AS_FITTED, f"as fitted: {now_name}")]
    for i, gasket in enumerate(build.levers.gaskets):
        words = bench.reader.quantity(gasket.thickness) if gasket.thickness else ""
        choices.append(GasketChoice(str(i), f"{gasket.name or 'unnamed'} {words}".strip()))
    if chosen == OWN:
        choices.append(GasketChoice(OWN, fitted.name if fitted else "another"))
    typed = result.typed.get("gasket_thickness", thickness) if result.typing else thickness
    return {
        "choices": choices,
        "thickness": typed,
        "chosen": chosen,
        "was": was_fields(chosen, thickness),
        "refused": result.refused.get("gasket", ""),
        "moved": fitted is not None,
        "solves": _gasket_solves(bench),
    }


def _gasket_solves(bench: benches.Bench) -> tuple[tuple[str, str, str], ...]:
    aim = bench.build.targets.quench.aim
    if aim is None:
        return ()
    text = bench.reader.limit(aim)
    return (("quench", text, f"{bench.reader.quench} {text}"),)


def describe(build: Build, op: dict[str, Any]) -> str:
    """Return one operation in words, such as ``deck A: 0.18 mm``."""
    amount = op.get("amount")
    if isinstance(amount, dict):
        amount = f"{amount.get('value')} {amount.get('unit', 'mm')}"
    where = f" {op['bank']}" if op.get("bank") else f" {op['cylinder']}" if op.get("cylinder") else ""
    if op["op"] == "gasket":
        return f"gasket{where}: {op['gasket'].get('name') or op['gasket'].get('thickness')}"
    return f"{op['op'].replace('_', ' ')}{where}: {amount}"


def _changes(bench: benches.Bench) -> list[str]:
    """What the plan on screen has that the kept one has not, and the other way round."""
    kept = bench.document.get("planned") or []
    shown = [operation_document(op) for op in bench.build.planned]
    out = [describe(bench.build, op) for op in shown if op not in kept]
    out += [f"no {describe(bench.build, op)}" for op in kept if op not in shown]
    return out or (["another order"] if kept != shown else [])


def _rest(bench: benches.Bench, hole: int) -> list[tuple[str, str]]:
    """The small figures under the reckoning."""
    if bench.evaluation is None:
        return []
    state = bench.evaluation.planned
    o = state.hole(hole).outcome
    rows = [
        ("displacement", f"{figure(state.displacement_cc, 0)} cc"),
        ("rod ratio", figure(state.rod_ratio, 3)),
        (f"clearance volume, hole {hole}", f"{figure(o.clearance, 2)} cc"),
    ]
    if o.effective is not None:
        closes = bench.build.figures["cam.intake_closes"]
        lift = bench.build.figures.get("cam.at_lift")
        at = f" at {bench.reader.quantity(lift)}" if lift is not None else ""
        rows.append((f"effective ratio, closes {figure(closes.number, 0)}°{at}", figure(o.effective, 2)))
    return rows
