"""A what-if: from what was moved on the page to a new plan. Nothing here is kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from zygometra.core.build.document import operation_document, read_operation
from zygometra.core.build.lever_table import AMOUNTS, LEVER, OpName, lever_named
from zygometra.core.build.levers import limit_in_plan, set_lever, setting
from zygometra.core.build.model import Build, Gasket, Operation
from zygometra.core.errors import BuildFaults, Fault, QuantityError, ZygometraError, shown
from zygometra.core.fields import FIELD
from zygometra.core.quantity import Quantity, read_field, read_quantity
from zygometra.core.stack.inverse import solve
from zygometra.core.typed import plain_number
from zygometra.core.units import MM, THOU, Kind, from_base, to_base
from zygometra.core.wording import Reader
from zygometra.exchange.build_file import check_operations
from zygometra.exchange.plain_json import loads

from ..build.bench import Bench, with_plan
from ..forms.read import number, with_unit
from ..people import told_error

AS_FITTED = "as fitted"
OWN = "own"
ALL = "all"


@dataclass(slots=True)
class WhatIf:
    """What came of a move: the bench with its new plan, and what could not be done, by lever."""

    bench: Bench
    hole: int
    scope: str
    refused: dict[str, str] = field(default_factory=dict)
    typed: dict[str, str] = field(default_factory=dict)
    typing: bool = False
    tries_chamber: bool = False

    @property
    def faulty(self) -> bool:
        """True where a lever's entry was not understood: what is on screen is not what was typed."""
        return any(key not in ("solve", "plan") for key in self.refused)


def read_plan(raw: str, build: Build) -> tuple[Operation, ...]:
    """Read a plan from an address or a form.

    Parameters
    ----------
    raw : str
        A JSON list of operations, as in a build file.
    build : Build
        Whose banks and holes they must name.

    Returns
    -------
    tuple of Operation
        The plan.

    Raises
    ------
    BuildFaults
        If it is not a list of valid operations.
    """
    try:
        plan = loads(raw)
    except (ValueError, RecursionError):
        raise BuildFaults([Fault("planned", "a plan that cannot be read", "a list of operations")]) from None
    check_operations(plan, build)
    return tuple(read_operation(op, build.unstated_doubt) for op in plan)


def answer(bench: Bench, args: Mapping[str, str]) -> WhatIf:
    """Apply what was moved on the page and evaluate again.

    Parameters
    ----------
    bench : Bench
        As kept.
    args : Mapping
        The form of the levers: the plan on screen, the hole, the bank, the levers'
        texts, and perhaps a nudge, a solve or a reset.

    Returns
    -------
    WhatIf
        Evaluated; with a sentence for each lever that could not be moved.
    """
    tried, refused = _tried(bench, args.get("chamber", ""))
    bench = tried or bench
    build = bench.build
    hole = _hole(build, args.get("hole", ""))
    scope = args.get("scope", "")
    bank = build.bank_of(hole).name
    # A lever acts on the bank of the hole on screen, unless all banks were asked for.
    # Banks that are alike are cut alike, unless one of them is chosen.
    together = scope == ALL or (not scope and build.banks_are_alike)
    scope = "" if together or len(build.banks) == 1 else bank
    result = WhatIf(bench, hole, scope, tries_chamber=tried is not None)
    # Lever and result stay as they were chosen: what is asked next is asked of the same.
    result.typed |= {name: args.get(name, "") for name in ("chamber", "lever", "result")}
    if refused:
        result.refused["chamber"] = refused
    planned = build.planned
    try:
        if args.get("plan"):
            planned = read_plan(args["plan"], build)
        if planned != build.planned:
            result.bench = with_plan(bench, planned)
        if args.get("nudge"):
            planned = _nudged(result, args["nudge"])
        elif args.get("solve"):
            planned = _solved(result, args)
        elif "deck_cut" in args:
            # While a person types, the fields are left alone; else they are written anew.
            result.typing = not args.get("refresh")
            planned = _typed(result, args)
    except BuildFaults as error:
        result.refused["plan"] = str(error.faults[0])
    if planned != result.bench.build.planned:
        result.bench = with_plan(bench, planned)
    if [operation_document(op) for op in planned] == (bench.document.get("planned") or []):
        result.bench = bench
    return result


def _tried(bench: Bench, text: str) -> tuple[Bench | None, str]:
    """The bench with another chamber volume on every hole, or why it cannot be tried; neither where nothing is."""
    if not text.strip():
        return None, ""
    field = FIELD["head.chamber_volume"]
    try:
        written = with_unit(text, field.kind, bench.reader)
        volume = read_field({"value": written, "basis": "assumed"}, field, bench.build.unstated_doubt)
    except QuantityError as error:
        return None, told_error(error)
    return replace(bench, build=bench.build.with_chamber(volume)), ""


def _hole(build: Build, asked: str) -> int:
    known = {str(number): number for number in build.cylinders}
    return known.get(asked, build.cylinders[0])


# -- one lever ----------------------------------------------------------------


def in_scope(build: Build, scope: str) -> list[tuple[str, int]]:
    """Return the holes that a lever of a scope acts on, as (bank, hole)."""
    return [(b.name, n) for b in build.banks if scope in ("", b.name) for n in b.cylinders]


def total_of(build: Build, op: OpName, scope: str, hole: int) -> float | None:
    """Return a lever's total where it acts; None where its holes differ."""
    of_kind = [item for item in build.planned if item.op == op]
    if not of_kind:
        return 0.0
    if all(item.bank is None and item.cylinder is None for item in of_kind):
        return sum(item.amount.value for item in of_kind if item.amount is not None)
    holes = [(build.bank_of(hole).name, hole)] if LEVER[op].reach == "hole" else in_scope(build, scope)
    totals = {round(setting(build.planned, op, bank, number).total, 9) for bank, number in holes}
    return totals.pop() if len(totals) == 1 else None


def amount_text(value: float, kind: Kind, reader: Reader, digits: int | None = None) -> str:
    """Write an amount as a person would type it, in the reader's unit."""
    if kind is Kind.VOLUME:
        return f"{value:.{2 if digits is None else digits}f} cc"
    if reader.system == "inch":
        return f"{from_base(value, THOU):.{1 if digits is None else digits}f} thou"
    return f"{value:.{3 if digits is None else digits}f} mm"


def read_amount(text: str, op: OpName, build: Build, reader: Reader) -> Quantity:
    """Read a typed amount; a bare number is in the unit that the page shows."""
    lever = LEVER[op]
    dimension, high = (op, lever.most) if lever.has_amount else ("thickness", LEVER["deck_cut"].most)
    typed = with_unit(text, lever.kind, reader)
    return read_quantity(
        typed, lever.kind, dimension=dimension, unstated=build.unstated_doubt, low=0, high=high
    )


def _set(result: WhatIf, planned: tuple[Operation, ...], op: OpName, text: str) -> tuple[Operation, ...]:
    build = result.bench.build
    amount = read_amount(text, op, build, result.bench.reader) if text.strip() else None
    in_hole = LEVER[op].reach == "hole"
    cylinder = result.hole if in_hole else None
    bank = None if in_hole or len(build.banks) == 1 else result.scope or None
    return set_lever(build, planned, op, amount, bank=bank, cylinder=cylinder)


def _typed(result: WhatIf, args: Mapping[str, str]) -> tuple[Operation, ...]:
    """Take the levers' texts as they stand; those that did not move are left as they were typed."""
    build = result.bench.build
    planned = build.planned
    for lever in AMOUNTS:
        op = lever.key
        text = args.get(op)
        if text is None:
            continue
        result.typed[op] = text
        total = total_of(build, op, result.scope, result.hole)
        if total is None and not text.strip():
            continue
        try:
            value = read_amount(text, op, build, result.bench.reader).value if text.strip() else 0.0
            if total is None or abs(value - total) > 5e-7 or _written_anew(planned, op, text, result):
                planned = _set(result, planned, op, text)
        except QuantityError as error:
            result.refused[op] = told_error(error)
    return _typed_gasket(result, planned, args)


def _written_anew(planned: tuple[Operation, ...], op: OpName, text: str, result: WhatIf) -> bool:
    """The same length in another unit is still typed anew: 0.18 mm is not 7.1 thou to the reader."""
    build = result.bench.build
    bank = result.scope or build.bank_of(result.hole).name
    places = setting(planned, op, bank, result.hole).operations
    if len(places) != 1 or not text.strip():
        return False
    amount = planned[places[0]].amount
    return amount is not None and read_amount(text, op, build, result.bench.reader).unit != amount.unit


def _typed_gasket(
    result: WhatIf, planned: tuple[Operation, ...], args: Mapping[str, str]
) -> tuple[Operation, ...]:
    build = result.bench.build
    chosen, was = args.get("gasket"), args.get("gasket_was")
    thickness = args.get("gasket_thickness", "")
    bank = None if len(build.banks) == 1 else result.scope or None
    if chosen is not None and chosen != was and chosen != OWN:
        if chosen == AS_FITTED:
            return set_lever(build, planned, "gasket", None, bank=bank)
        shelf = {str(i): gasket for i, gasket in enumerate(build.levers.gaskets)}
        if (gasket := shelf.get(chosen)) is not None:
            return set_lever(build, planned, "gasket", gasket, bank=bank)
    if thickness and thickness != args.get("gasket_thickness_was"):
        result.typed["gasket_thickness"] = thickness
        try:
            return _own_gasket(result, planned, thickness)
        except QuantityError as error:
            result.refused["gasket"] = told_error(error)
    return planned


def _own_gasket(result: WhatIf, planned: tuple[Operation, ...], text: str) -> tuple[Operation, ...]:
    build = result.bench.build
    amount = read_amount(text, "gasket", build, result.bench.reader)
    if not 0 < amount.value <= LEVER["gasket"].most:
        raise QuantityError(str(amount.as_typed), "a gasket thickness above nought, up to 20 mm")
    bank = None if len(build.banks) == 1 else result.scope or None
    gasket = Gasket(f"to find: {amount.as_typed}", amount, None)
    return set_lever(build, planned, "gasket", gasket, bank=bank)


# -- handles and inverse questions --------------------------------------------


def _nudged(result: WhatIf, nudge: str) -> tuple[Operation, ...]:
    """Move a handle: ``deck_cut:+10`` steps, or ``deck_cut:=0.1834`` where it was dragged to (mm).

    A handle stops at nought and at its lever's limit.
    """
    bench = result.bench
    op, _, move = nudge.partition(":")
    lever = lever_named(op)
    if lever is None or not lever.has_amount or not move:
        return bench.build.planned
    name, kind = lever.key, lever.kind
    inch = bench.reader.system == "inch" and kind is Kind.LENGTH
    unit = THOU if inch else MM
    step = 1.0 if inch else lever.step
    now = total_of(bench.build, name, result.scope, result.hole)
    if now is None:
        now = setting(bench.build.planned, name, bench.build.bank_of(result.hole).name, result.hole).total
    try:
        number = plain_number(move.removeprefix("="), "how far", low=-1e6, high=1e6)
    except QuantityError:
        return bench.build.planned
    shown = from_base(now, unit) if kind is Kind.LENGTH else now
    if move.startswith("="):
        dragged = from_base(number, unit) if kind is Kind.LENGTH else number
        target = round(dragged / step) * step
    else:
        target = (round(shown / step) + number) * step
    limit = limit_in_plan(bench.build, name, bench.rules)[0]
    most = from_base(limit, unit) if kind is Kind.LENGTH else limit
    target = min(max(target, 0.0), max(most, shown))
    digits = 0 if inch else 1 if kind is Kind.VOLUME else 2
    if inch and target != round(target):
        digits = 1
    base = to_base(target, unit) if kind is Kind.LENGTH else target
    return _set(result, bench.build.planned, name, amount_text(base, kind, bench.reader, digits))


def _solved(result: WhatIf, args: Mapping[str, str]) -> tuple[Operation, ...]:
    """Answer "set this lever so that that result of this hole is …"."""
    bench, build = result.bench, result.bench.build
    lever, wanted_of = lever_named(args.get("lever", "")), args.get("result", "")
    text = args.get("wanted", "").strip()
    result.typed["wanted"] = text
    planned = build.planned
    if lever is None:
        return planned
    op = lever.key
    try:
        wanted = _wanted(text, wanted_of, bench.reader)
        value = solve(build, result.hole, op=op, result=wanted_of, wanted=wanted)
        solved = amount_text(value, lever.kind, bench.reader)
        if op == "gasket":
            return _own_gasket(result, planned, solved)
        return _set(result, planned, op, solved)
    except QuantityError as error:
        result.refused["solve"] = told_error(error)
    except ZygometraError as error:
        result.refused["solve"] = told_error(error)
    return planned


def _wanted(text: str, wanted_of: str, reader: Reader) -> float:
    if wanted_of == "compression_ratio":
        read = number(text, "a ratio, such as 10.2", required=True)
        if read.value is None:
            raise QuantityError(shown(text), "a ratio, such as 10.2")
        return read.value
    written = with_unit(text, Kind.LENGTH, reader, sided=wanted_of == "deck_clearance")
    return read_quantity(written, Kind.LENGTH, dimension="target").value
