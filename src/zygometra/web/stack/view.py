"""The stack bench as the page shows it: drawing, levers, what changed."""

from __future__ import annotations

import json
from typing import Any, NamedTuple
from urllib.parse import urlencode

from flask import url_for

from zygometra.core.build import Build, OpName
from zygometra.core.document import operation_document
from zygometra.core.levers import limit_of, setting
from zygometra.core.quantity import Quantity
from zygometra.core.units import Kind
from zygometra.core.wording import figure
from zygometra.drawing.loupe import Limits
from zygometra.drawing.stack import stack_drawing

from .. import bench as benches
from .what_if import ALL, AS_FITTED, OWN, WhatIf, amount_text, total_of


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


def view(result: WhatIf) -> dict[str, Any]:
    """Return everything the stack bench's templates use."""
    bench, build = result.bench, result.bench.build
    evaluation = bench.evaluation
    limits = Limits(*(limit_of(build, op, bench.rules)[0] for op in ("deck_cut", "head_cut", "crown_cut")))
    drawing = ""
    if evaluation is not None:
        drawing = stack_drawing(build, evaluation, result.hole, bench.reader, limits)
    state = evaluation.planned if evaluation is not None else None
    plan = json.dumps(bench.plan, ensure_ascii=False, separators=(",", ":"))
    address = url_for("stack.page", build_id=bench.id)
    several = len(build.banks) > 1
    query = {"hole": result.hole} | ({"scope": ALL} if several and not result.scope else {})
    if bench.pending:
        query["plan"] = plan
    return {
        "bench": bench,
        "build": build,
        "document": bench.document,
        "engine": benches.engine_line(build, bench.document, state),
        "station": "stack",
        "path": benches.path_of(bench),
        "reckonings": benches.reckon(bench),
        "drawing": drawing,
        "levers": [_lever(result, op) for op in ("deck_cut", "head_cut", "crown_cut", "open_chamber")],
        "gasket": _gasket(result),
        "result": result,
        "plan": plan,
        "hole": result.hole,
        "holes": sorted(build.cylinders),
        "scope": result.scope or (ALL if several else ""),
        "bank": build.bank_of(result.hole).name,
        "differs": _changes(bench),
        "address": f"{address}?{urlencode(query)}",
        "rest": _rest(bench, result.hole),
        "results": _results(bench),
    }


def _results(bench: benches.Bench) -> list[tuple[str, str]]:
    return [("quench", bench.reader.quench), ("compression_ratio", "compression ratio"),
            ("deck_clearance", f"{bench.reader.deck} clearance")]  # fmt: skip


def _lever(result: WhatIf, op: OpName) -> Lever:
    bench, build = result.bench, result.bench.build
    reader = bench.reader
    labels = {"deck_cut": f"{reader.deck.capitalize()} cut", "head_cut": "Head cut",
              "crown_cut": "Crown cut", "open_chamber": f"Chamber {result.hole}"}  # fmt: skip
    kind = Kind.VOLUME if op == "open_chamber" else Kind.LENGTH
    total = total_of(build, op, result.scope, result.hole)
    limit = limit_of(build, op, bench.rules)[0]
    limit_text = f"{figure(limit, 1)} cc" if kind is Kind.VOLUME else reader.limit(limit)
    if op in result.typed and result.typing:
        value = result.typed[op]
    elif total is None:
        value = ""
    else:
        value = _as_typed(result, op, total, kind)
    beside = "differs by bank" if total is None else ""
    if total and kind is Kind.LENGTH:
        single = _single_amount(result, op)
        beside = reader.beside(single) if single is not None else reader.length(total, other=True)
    return Lever(op, labels[op], value, beside, f"max {limit_text}", result.refused.get(op, ""),
                 _solves(bench, op), bool(total) or total is None)  # fmt: skip


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


def _gasket(result: WhatIf) -> dict[str, Any]:
    bench, build = result.bench, result.bench.build
    scope = result.scope or build.bank_of(result.hole).name
    bank = next(b for b in build.banks if b.name == scope)
    planned = [op for op in build.planned if op.op == "gasket" and op.bank in (None, scope)]
    chosen = AS_FITTED
    if planned:
        fitted = planned[-1].gasket
        same = [str(i) for i, g in enumerate(build.levers.gaskets) if g == fitted]
        chosen = same[0] if same else OWN
    hole = result.hole if result.hole in bank.cylinders else bank.cylinders[0]
    thickness = ""
    if bench.evaluation is not None:
        source = bench.evaluation.planned.hole(hole).sources["parts.gasket.thickness"]
        thickness = bench.reader.quantity(source.quantity)
    now_name = build.gasket_name(bank.name) or "the one fitted"
    choices = [GasketChoice(AS_FITTED, f"as fitted: {now_name}")]
    for i, gasket in enumerate(build.levers.gaskets):
        words = bench.reader.quantity(gasket.thickness) if gasket.thickness else ""
        choices.append(GasketChoice(str(i), f"{gasket.name or 'unnamed'} {words}".strip()))
    if chosen == OWN:
        choices.append(GasketChoice(OWN, planned[-1].gasket.name if planned[-1].gasket else "another"))
    typed = result.typed.get("gasket_thickness", thickness) if result.typing else thickness
    return {"choices": choices, "chosen": chosen, "thickness": typed, "was": thickness,
            "refused": result.refused.get("gasket", ""), "moved": bool(planned),
            "solves": _gasket_solves(bench)}  # fmt: skip


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
