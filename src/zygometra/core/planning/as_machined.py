"""A build as it stands half cut, for whoever plans what is still to come; and plans told from where the log began."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..build.cut_log import FACES, NOTHING_CUT, CutLog, CutPlace, PassMade, pass_at
from ..build.model import Bank, Build, Operation
from ..fields import CYLINDER_NAMES
from ..house_rules import HouseRules
from ..quantity import Quantity
from ..stack.sources import HEAD_BEGUN, engine_sources, hole_sources, terms_at
from ..uncertainty import Cause, joined, root_sum_square, term_of
from ..units import from_base
from .decisions import move_of

_NAME_OF = {field.path: name for name, field in CYLINDER_NAMES.items()}
_DECK = "parts.block.deck_height"


def as_machined(build: Build, rules: HouseRules) -> Build:
    """Return a build whose figures hold what was cut, and whose levers have what is left of them.

    Parameters
    ----------
    build : Build
        With its log of cuts; without one it comes back as it is.
    rules : HouseRules
        For limits that the build does not set.

    Returns
    -------
    Build
        Without a log: amounts planned on it are what is still to be cut, in mm. Its own plan is left out. A set of
        crowns that was begun counts as finished to the one that was cut furthest. A deck that is to be cut to a named
        height counts as cut to it, and its lever is taken away: nothing that is proposed moves or tilts that plane.
    """
    named = banks_at_a_height(build)
    if not build.cuts.passes and not named:
        return build
    build = replace(build, cuts=_with_sets_finished(build))
    build = replace(build, cuts=_at_their_heights(build, named))
    figures, of_holes = _figures(build)
    figures |= _named_figures(build, named, figures)
    means: dict[Any, Any] = {}
    for op, own in build.levers.means.items():
        if op in FACES:
            ends = {
                bank.name: (0.0, 0.0)
                if op == "deck_cut" and bank.name in named
                else _left(build, rules, op, bank)
                for bank in build.banks
            }
            means[op] = own.with_(banks=ends)
        elif op == "crown_cut" and (move := move_of(build, rules, op, None)) is not None:
            made = max(build.cuts.on_hole(op, bank, n, ()) for bank in build.banks for n in bank.cylinders)
            means[op] = own.with_(low=max(move.low - made, 0.0), high=max(move.high - made, 0.0))
        else:
            means[op] = own
    levers = replace(build.levers, means=means)
    return replace(
        build,
        figures=figures,
        levers=levers,
        cuts=NOTHING_CUT,
        planned=(),
        surveyed_at={},
        of_holes=of_holes,
    )


def banks_at_a_height(build: Build) -> dict[str, Operation]:
    """Return the cuts to a named height that are planned, by bank.

    Parameters
    ----------
    build : Build
        With its plan.
    """
    return {
        bank.name: op
        for op in build.planned
        if op.to_height is not None
        for bank in build.banks
        if op.bank in (None, bank.name)
    }


def _at_their_heights(build: Build, named: dict[str, Operation]) -> CutLog:
    """A log in which every deck with a named height was cut to it."""
    log, rest = build.cuts, list[PassMade]()
    for bank, op in named.items():
        place = CutPlace("deck_cut", bank)
        if (left := op.deepest - log.total(place)) > 0:
            rest.append(pass_at(place, left, f"~{bank} to its height", order=len(log.passes)))
    return replace(log, passes=(*log.passes, *rest)) if rest else log


def _named_figures(
    build: Build, named: dict[str, Operation], figures: dict[str, Quantity]
) -> dict[str, Quantity]:
    """The heights that were named, each with its own doubt and no other, and the clearances over them.

    A clearance that was read falls by H − H*: it takes on the doubt of the height that it was cut from.
    """
    found: dict[str, Quantity] = {}
    uncut = replace(build, cuts=NOTHING_CUT)
    for bank, op in named.items():
        assert op.to_height is not None
        plane = replace(
            op.to_height,
            terms=(
                term_of(Cause.HEIGHT, f"of {bank}", op.to_height.u, rectangular=op.to_height.rectangular),
            ),
        )
        found[f"banks.{bank}.deck_height"] = plane
        numbers = next(one.cylinders for one in build.banks if one.name == bank)
        own = (f"cylinders.{number}.deck_height" for number in numbers)
        found |= {path: plane for path in own if path in figures}
        for number in numbers:
            path = f"cylinders.{number}.deck_clearance"
            height = hole_sources(uncut, bank, number).get(_DECK)
            if (read := figures.get(path)) is not None and height is not None:
                terms = joined([*read.terms, *(term.times(-1.0) for term in terms_at(height, number))])
                u = root_sum_square(terms)
                found[path] = replace(read, terms=tuple(terms), u=u)
    return found


def _figures(build: Build) -> tuple[dict[str, Quantity], dict[int, dict[str, Quantity]]]:
    """The figures with every cut in them, and those that files know of no single hole."""
    figures, of_holes = dict(build.figures), dict[int, dict[str, Quantity]]()
    wide, uncut = engine_sources(build), dict[int, dict[str, Quantity]]()
    for bank in build.banks:
        for number in bank.cylinders:
            sources = hole_sources(build, bank.name, number, wide)
            uncut[number] = {
                path: source.quantity for path, source in sources.items() if path not in _NAME_OF
            }
            for path, source in sources.items():
                if path in _NAME_OF and figures.get(source.path) is not source.quantity:
                    figures[f"cylinders.{number}.{_NAME_OF[path]}"] = source.quantity
                elif path not in _NAME_OF and (path == HEAD_BEGUN or source.quantity.is_as_cut):
                    # What files know of no single hole: land, thickness, opening.
                    of_holes.setdefault(number, {})[path] = source.quantity
                    if (known := figures.get(path)) is not None:
                        # For limits the one that was cut furthest speaks for all.
                        figures[path] = min(known, source.quantity, key=lambda one: one.value)
        height = hole_sources(build, bank.name, bank.cylinders[0], wide).get(_DECK)
        if height is not None:
            figures[f"banks.{bank.name}.deck_height"] = height.quantity
    # What speaks for all where it was cut furthest is each hole's own where it was not.
    moved = {path for own in of_holes.values() for path in own if path in build.figures}
    for number, own in uncut.items():
        for path in moved & own.keys():
            of_holes.setdefault(number, {}).setdefault(path, own[path])
    return figures, of_holes


def _with_sets_finished(build: Build) -> CutLog:
    """A log in which every crown was cut as far as the one that was cut furthest: a set comes to one height."""
    log = build.cuts
    made = {number: log.total(CutPlace("crown_cut", "", number)) for number in build.cylinders}
    most = max(made.values())
    follow = [
        pass_at(CutPlace("crown_cut", "", number), most - off, f"~{number} follows", order=len(log.passes))
        for number, off in made.items()
        if most - off > 0
    ]
    return replace(log, passes=(*log.passes, *follow)) if follow else log


def _left(build: Build, rules: HouseRules, op: Any, bank: Bank) -> tuple[float, float]:
    move = move_of(build, rules, op, bank)
    if move is None:
        return 0.0, 0.0
    made = max(build.cuts.on_hole(op, bank, number, build.planned) for number in bank.cylinders)
    return max(move.low - made, 0.0), max(move.high - made, 0.0)


def from_the_start(build: Build, planned: tuple[Operation, ...]) -> tuple[Operation, ...]:
    """Return a plan of what is still to come as whole cuts, from where the log began: as a build keeps it.

    Parameters
    ----------
    build : Build
        With its log.
    planned : tuple of Operation
        Amounts still to be cut.

    Returns
    -------
    tuple of Operation
        What was cut already is in each amount; a face or a set that was cut and is left stands with what it lost.
    """
    log, named = build.cuts, banks_at_a_height(build)
    kept = tuple(op for op in build.planned if op.to_height is not None)
    if not log.passes:
        return (*kept, *planned)
    out, told = [*kept], {("deck_cut", bank) for bank in named}
    if any(op.part is not None and op.part.kind == "piston" for op in planned):
        # What came off the old pistons is of no account to new ones.
        told.add(("crown_cut", ""))
    for op in planned:
        banks = [bank for bank in build.banks if op.bank in (None, bank.name)]
        if op.op in FACES and op.amount is not None:
            for bank in banks:
                made = [log.on_hole(op.op, bank, n, build.planned) for n in bank.cylinders]
                told.add((op.op, bank.name))
                out.append(_more(replace(op, bank=bank.name), made[0], made[-1]))
        elif op.op == "crown_cut" and op.amount is not None:
            made_at = {n: log.on_hole(op.op, bank, n, ()) for bank in build.banks for n in bank.cylinders}
            told.add((op.op, ""))
            out.append(_more(op, max(made_at.values()), max(made_at.values())))
        else:
            out.append(op)
    return (*_already(build, log, told), *out)


def _already(build: Build, log: CutLog, told: set[tuple[str, str]]) -> list[Operation]:
    """What was cut and is to be cut no further."""
    found = []
    for bank in build.banks:
        for op in FACES:
            made = [log.on_hole(op, bank, n, build.planned) for n in bank.cylinders]
            if max(made) > 0 and (op, bank.name) not in told:
                own = next((one for one in build.planned if one.op == op and one.amount is not None), None)
                amount = own.amount if own is not None and own.amount is not None else _bare(0.0)
                found.append(_more(Operation(op, bank.name, amount=_at(amount, 0.0)), made[0], made[-1]))
    crowns = [log.on_hole("crown_cut", bank, n, ()) for bank in build.banks for n in bank.cylinders]
    if max(crowns) > 0 and ("crown_cut", "") not in told:
        found.append(Operation("crown_cut", amount=_bare(max(crowns))))
    return found


def _more(op: Operation, first: float, last: float) -> Operation:
    """An operation with so much more at its first and its last hole."""
    assert op.amount is not None
    ends = (op.first or op.amount, op.last or op.amount)
    one, other = (_at(end, end.value + by) for end, by in zip(ends, (first, last), strict=True))
    if abs(one.value - other.value) < 1e-9:
        return replace(op, amount=one, first=None, last=None)
    middle = _at(op.amount, (one.value + other.value) / 2)
    return replace(op, amount=middle, first=one, last=other)


def _at(quantity: Quantity, value: float) -> Quantity:
    number = round(from_base(value, quantity.unit), 9)
    return replace(quantity, value=value, number=number, as_typed=f"{number:.10g} {quantity.unit.symbol}")


def _bare(value: float) -> Quantity:
    from ..quantity import read_quantity
    from ..units import Kind

    return read_quantity(f"{value:.9f} mm", Kind.LENGTH, dimension="exact")
