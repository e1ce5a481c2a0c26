"""The levers' form as the page shows it: a card a lever, the gasket among them, and what they carry along."""

from __future__ import annotations

from typing import Any, NamedTuple

from zygometra.core.build.lever_table import AMOUNTS, LEVER, OpName
from zygometra.core.build.lever_table import Lever as LeverKind
from zygometra.core.build.levers import limit_in_plan, setting
from zygometra.core.build.model import Bank, Build, Gasket
from zygometra.core.digits import figure
from zygometra.core.fields import FIELD
from zygometra.core.likely import is_usual
from zygometra.core.quantity import Quantity
from zygometra.core.units import Kind

from ..build.bench import Bench
from ..build.fragments import carried, was_fields
from ..forms.figure import as_understood
from ..forms.named import field_named
from .what_if import ALL, AS_FITTED, OWN, WhatIf, amount_text, total_of


class LeverShown(NamedTuple):
    """One lever's card."""

    key: str
    label: str
    value: str
    beside: str
    limit: str
    refused: str
    solves: tuple[tuple[str, str, str], ...]
    moved: bool
    nought: str


class GasketChoice(NamedTuple):
    """One gasket to choose."""

    key: str
    label: str


def scope_of(result: WhatIf) -> str:
    """Return the bank that levers act on, or all of them; empty where there is one bank."""
    return result.scope or (ALL if result.bench.several_banks else "")


def levers_view(result: WhatIf, plan: str) -> dict[str, Any]:
    """Return what the levers' form shows."""
    build = result.bench.build
    levers = [_lever(result, lever.key) for lever in shown_levers(build)]
    to_set = [(lever.key, lever.label.lower()) for lever in levers]
    to_set.insert(1, ("gasket", "gasket"))
    return {
        "carried_on": carried(plan, result.hole),
        "hole": result.hole,
        "holes": sorted(build.cylinders),
        "scope": scope_of(result),
        "bank": build.bank_of(result.hole).name,
        "results": _results(result.bench),
        "refused": plan_refused(result),
        "asked": {name: result.typed.get(name, "") for name in ("lever", "result")},
        "wanted": result.typed.get("wanted", "") if "solve" in result.refused else "",
        "before_gasket": levers[:2],
        "gasket": _gasket(result),
        "after_gasket": levers[2:],
        "chamber": result.typed.get("chamber", ""),
        "chamber_echo": chamber_echo(result),
        "to_set": to_set,
    }


def shown_levers(build: Build) -> tuple[LeverKind, ...]:
    """Return the levers that have a card: a bowl only where crowns may be sunk into, it takes room that others want.

    Parameters
    ----------
    build : Build
        With its plan.
    """
    sinks = (
        "bowl" in build.levers.means
        or "bowl" in build.levers.limits
        or any(op.op == "bowl" for op in build.planned)
    )
    return tuple(lever for lever in AMOUNTS if lever.key != "bowl" or sinks)


def plan_refused(result: WhatIf) -> str:
    """Return why the plan or the inverse question was refused; empty where it was not."""
    return result.refused.get("solve", "") + result.refused.get("plan", "")


def _results(bench: Bench) -> list[tuple[str, str]]:
    return [
        ("quench", bench.reader.quench),
        ("compression_ratio", "compression ratio"),
        ("deck_clearance", f"{bench.reader.deck} clearance"),
        *([("above_rim", "height above the rim")] if _stands_above(bench) else []),
    ]


def _stands_above(bench: Bench) -> bool:
    """Whether something stands above the rim of a crown, before the plan."""
    state = None if bench.evaluation is None else bench.evaluation.now
    return state is not None and any(hole.above_rim for hole in state.holes)


def _lever(result: WhatIf, op: OpName) -> LeverShown:
    bench, build = result.bench, result.bench.build
    reader = bench.reader
    labels = {
        "deck_cut": f"{reader.deck.capitalize()} cut",
        "head_cut": "Head cut",
        "crown_cut": "Crown cut",
        "open_chamber": f"Chamber {result.hole}",
        "bowl": "Bowl",
    }
    kind = LEVER[op].kind
    total = total_of(build, op, result.scope, result.hole)
    limit = limit_in_plan(build, op, bench.rules)[0]
    limit_text = f"{figure(limit, 1)} cc" if kind is Kind.VOLUME else reader.limit(limit)
    if op in result.typed and result.typing:
        value = result.typed[op]
    elif total is None:
        value = ""
    else:
        value = _as_typed(result, op, total, kind)
    return LeverShown(
        op,
        labels[op],
        value,
        beside(result, op),
        limit=f"max {limit_text}",
        refused=result.refused.get(op, ""),
        solves=_solves(bench, op),
        moved=bool(total) or total is None,
        nought="0" if kind is Kind.LENGTH else "0 cc",
    )


def offered(result: WhatIf, op: OpName) -> tuple[str, ...]:
    """What else may have been meant by what is being typed for a lever; nothing where it is usual."""
    field = field_named(f"lever.{op}")
    typed = result.typed.get("gasket_thickness" if op == "gasket" else op, "")
    if field is None or not result.typing or not typed.strip():
        return ()
    total = total_of(result.bench.build, op, result.scope, result.hole) if op != "gasket" else None
    if total and op not in result.refused and is_usual(field, total):
        return ()
    return as_understood(typed, field, result.bench.reader).offers


def gasket_beside(result: WhatIf) -> str:
    """The compressed thickness that is being typed, in the other system; empty where none is."""
    typed = result.typed.get("gasket_thickness", "")
    if not typed.strip():
        return ""
    understood = as_understood(typed, FIELD["gasket.thickness"], result.bench.reader)
    return "" if understood.faulty else understood.says.partition(" = ")[2]


def chamber_echo(result: WhatIf) -> tuple[str, str, tuple[str, ...]]:
    """What stands under the volume that is tried: why it was refused, that it is only tried, what may be meant."""
    typed = result.typed.get("chamber", "")
    if not typed.strip():
        return "", "", ()
    understood = as_understood(typed, FIELD["head.chamber_volume"], result.bench.reader)
    says = "" if understood.faulty else f"{understood.says} tried on all holes, not kept"
    return result.refused.get("chamber", ""), says, understood.offers


def beside(result: WhatIf, op: OpName) -> str:
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


def _solves(bench: Bench, op: OpName) -> tuple[tuple[str, str, str], ...]:
    """The aims that one press of a button sets this lever for: result, text to send, words."""
    targets, reader = bench.build.targets, bench.reader
    out = []
    if targets.quench.aim is not None and op in ("deck_cut", "crown_cut"):
        text = reader.limit(targets.quench.aim)
        out.append(("quench", text, f"{reader.quench} {text}"))
    if targets.compression_ratio.aim is not None and op in ("head_cut", "open_chamber", "crown_cut", "bowl"):
        text = figure(targets.compression_ratio.aim, 2)
        out.append(("compression_ratio", text, f"ratio {text}"))
    return tuple(out[:1])


def _acted_on(result: WhatIf) -> Bank:
    """The bank that the gasket lever acts on: the first where it acts on all."""
    build = result.bench.build
    scope = result.scope or build.bank_of(result.hole).name
    return next(b for b in build.banks if b.name == scope)


def chosen_gasket(result: WhatIf) -> tuple[str, Gasket | None]:
    """Which gasket the plan fits: the choice's key, and the gasket where it is not the fitted one."""
    build, bank = result.bench.build, _acted_on(result)
    planned = [op for op in build.planned if op.op == "gasket" and op.bank in (None, bank.name)]
    if not planned:
        return AS_FITTED, None
    fitted = planned[-1].gasket
    same = [str(i) for i, g in enumerate(build.levers.gaskets) if g == fitted]
    return (same[0] if same else OWN), fitted


def thickness_of(result: WhatIf) -> str:
    """The compressed thickness under the plan, as it was typed; empty where none is known."""
    bench, bank = result.bench, _acted_on(result)
    if bench.evaluation is None:
        return ""
    hole = result.hole if result.hole in bank.cylinders else bank.cylinders[0]
    source = bench.evaluation.planned.hole(hole).sources.get("parts.gasket.thickness")
    return "" if source is None else bench.reader.quantity(source.quantity)


def _gasket(result: WhatIf) -> dict[str, Any]:
    bench, build = result.bench, result.bench.build
    chosen, fitted = chosen_gasket(result)
    thickness = thickness_of(result)
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


def _gasket_solves(bench: Bench) -> tuple[tuple[str, str, str], ...]:
    aim = bench.build.targets.quench.aim
    if aim is None:
        return ()
    text = bench.reader.limit(aim)
    return (("quench", text, f"{bench.reader.quench} {text}"),)
