"""The levers: what can be cut or changed, and what the plan says of each.

A plan is a list of operations in order. A lever shows their total where it acts,
and setting it rewrites only the operations of that kind in that place.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from msgspec import Struct

from ..house_rules import HouseRules
from ..quantity import Quantity
from ..units import from_base
from .lever_table import LEVER, OpName
from .means import FittedPart
from .model import Build, Gasket, Operation


class Setting(Struct, frozen=True):
    """What the plan does with one lever in one hole: total (mm or cc), and how many operations."""

    total: float
    operations: tuple[int, ...]


# A figure of a piston by its name; None where it is not known.
Figure = Callable[[str], float | None]


def setting(planned: tuple[Operation, ...], op: OpName, bank: str, cylinder: int) -> Setting:
    """Return the total of a kind of operation on one hole.

    Parameters
    ----------
    planned : tuple of Operation
        The plan.
    op : str
        The kind.
    bank : str
        The hole's bank.
    cylinder : int
        The hole's number; no unit.

    Returns
    -------
    Setting
        Total in mm (cc for a chamber opening; 0 for a gasket) and the places of
        the operations in the plan.
    """
    places = tuple(i for i, item in enumerate(planned) if item.op == op and item.acts_on(bank, cylinder))
    total = sum(amount.value for i in places if (amount := planned[i].amount) is not None)
    return Setting(total, places)


def set_lever(
    build: Build,
    planned: tuple[Operation, ...],
    op: OpName,
    to: Quantity | Gasket | None,
    *,
    bank: str | None = None,
    cylinder: int | None = None,
) -> tuple[Operation, ...]:
    """Return the plan with one lever set to a new total.

    Parameters
    ----------
    build : Build
        For its banks and holes.
    planned : tuple of Operation
        The plan so far.
    op : str
        The kind of operation.
    to : Quantity or Gasket, optional
        The new total, or the gasket to fit; None or nought takes the operation out.
    bank, cylinder : optional
        Where the lever acts; neither means everywhere; no unit.

    Returns
    -------
    tuple of Operation
        The new plan. An operation that also acted elsewhere goes on acting there.

    Examples
    --------
    >>> from zygometra.core.build.examples import small_single
    >>> from zygometra.core.quantity import read_quantity
    >>> from zygometra.core.units import Kind
    >>> cut = read_quantity("0.2 mm", Kind.LENGTH, dimension="deck_cut")
    >>> [o.op for o in set_lever(small_single(), (), "deck_cut", cut)]
    ['deck_cut']
    """
    inside = {
        (b.name, number)
        for b in build.banks
        for number in b.cylinders
        if (bank is None or b.name == bank) and (cylinder is None or number == cylinder)
    }
    kept: list[Operation] = []
    levelled: list[Operation] = []
    for item in planned:
        if item.op != op:
            kept.append(item)
            continue
        rest = _rest(build, item, inside)
        if item.first is not None and all(item.acts_on(*hole) for hole in inside):
            levelled.append(replace(item, bank=bank if bank is not None else item.bank))
        kept.extend(rest)
    if isinstance(to, Quantity) and len(levelled) == 1 and (moved := _moved(levelled, to)):
        kept.extend(moved)
    elif isinstance(to, Gasket):
        kept.append(Operation(op, bank, cylinder, gasket=to))
    elif to is not None and to.value != 0:
        kept.append(Operation(op, bank, cylinder, to))
    return tuple(kept)


def _moved(levelled: list[Operation], to: Quantity) -> list[Operation]:
    """A levelling cut taken deeper or less deep as a whole: it keeps its wedge, midway it takes what is asked.

    Empty where one of its ends would come to take less than nothing.
    """
    item = levelled[0]
    ends = []
    for end in (item.first, item.last):
        assert end is not None
        assert item.amount is not None
        value = end.value + to.value - item.amount.value
        if value < 0:
            return []
        number = from_base(value, end.unit)
        ends.append(
            replace(end, value=value, number=number, as_typed=f"{round(number, 6):.10g} {end.unit.symbol}")
        )
    return [replace(item, amount=to, first=ends[0], last=ends[1])]


def _rest(build: Build, item: Operation, inside: set[tuple[str, int]]) -> list[Operation]:
    """What is left of an operation outside the places that a lever takes over."""
    acted = {(b.name, n) for b in build.banks for n in b.cylinders if item.acts_on(b.name, n)}
    if not acted & inside:
        return [item]
    rest: list[Operation] = []
    for b in build.banks:
        own = {(b.name, n) for n in b.cylinders}
        left = (acted & own) - inside
        if left == own:
            rest.append(replace(item, bank=b.name, cylinder=None))
        else:
            rest.extend(replace(item, bank=None, cylinder=n) for _, n in sorted(left))
    return rest


def limit_in_plan(build: Build, op: OpName, rules: HouseRules) -> tuple[float, str]:
    """Return how far a lever may go under the plan, which may fit another piston, and where that limit comes from.

    Parameters
    ----------
    build : Build
        With its plan.
    op : str
        A kind of operation with an amount.
    rules : HouseRules
        The shop's limits.

    Returns
    -------
    limit : float
        In mm from the highest point down, or cc for a chamber opening or a bowl.
    source : str
        ``build`` or ``house``.
    """
    fitted = (item.part for item in build.planned if item.part is not None and item.part.kind == "piston")
    return limit_of(build, op, rules, next(fitted, None))


def limit_of(
    build: Build, op: OpName, rules: HouseRules, piston: FittedPart | None = None
) -> tuple[float, str]:
    """Return how far a lever may go, and where that limit comes from.

    Where top land and crown thickness are both known, what must remain of them limits a crown cut. A limit of a crown
    cut counts what goes off below the rim; what stands above it comes off before.

    Parameters
    ----------
    build : Build
        Its own limits win.
    op : str
        A kind of operation with an amount.
    rules : HouseRules
        The shop's limits.
    piston : FittedPart, optional
        One that is fitted; the build's own where left out.

    Returns
    -------
    limit : float
        In mm from the highest point down, or cc for a chamber opening or a bowl.
    source : str
        ``build`` or ``house``.
    """
    own = build.levers.limits.get(op)
    if op == "crown_cut":
        figure = figures_of_piston(piston, build)
        above = above_rim(figure, rules)
        if own is not None:
            return own.value + above, "build"
        remains = crown_remains(figure, rules)
        return rules[LEVER[op].limit_rule] + above if remains is None else remains, "house"
    if own is not None:
        return own.value, "build"
    if op == "bowl" and (remains := bowl_remains(figures_of_piston(piston, build), rules)) is not None:
        return min(remains, rules[LEVER[op].limit_rule]), "house"
    return rules[LEVER[op].limit_rule], "house"


def figures_of_piston(part: FittedPart | None, build: Build) -> Figure:
    """Return what gives the figures of a piston by name, in their base units.

    Parameters
    ----------
    part : FittedPart or None
        One that is fitted; None the one that is there.
    build : Build
        Its figures.
    """

    def value(name: str) -> float | None:
        quantity = part.figures.get(name) if part is not None else build.figures.get(f"parts.piston.{name}")
        return None if quantity is None else quantity.value

    return value


def crown_remains(figure: Figure, rules: HouseRules) -> float | None:
    """Return how far a crown may be cut by what must remain of land and thickness; None where one is not known.

    The same as the shelf's pistons are faced by (``core/mix/facing.py``).

    Parameters
    ----------
    figure : callable
        Gives a figure of the piston by its name, in mm; None where it is not known.
    rules : HouseRules
        What must remain.

    Returns
    -------
    float or None
        In mm, what stands above the rim included.
    """
    land, thickness = figure("top_land_height"), figure("crown_thickness")
    if land is None or thickness is None:
        return None
    left = min(land - rules["land_left"], thickness - rules["crown_left"])
    return max(left, 0.0) + above_rim(figure, rules)


def above_rim(figure: Figure, rules: HouseRules) -> float:
    """Return what a crown cut may take above the rim, in mm: what stands there, as far as the metal under it allows.

    Parameters
    ----------
    figure : callable
        Gives a figure of the piston by its name, in mm; None where it is not known.
    rules : HouseRules
        What must remain.

    Returns
    -------
    float
        All of it where nobody told the metal under it: that is asked for, and limits nothing.
    """
    above, metal = max(figure("above_rim") or 0.0, 0.0), figure("above_rim_thickness")
    return above if metal is None else min(above, max(metal - rules["crown_left"], 0.0))


def bowl_remains(figure: Figure, rules: HouseRules) -> float | None:
    """Return what a bowl may hold more by the crown that must remain under it; None where that is not known.

    See trade.md 6.

    Parameters
    ----------
    figure : callable
        Gives a figure of the piston by its name, in mm and mm²; None where it is not known.
    rules : HouseRules
        What must remain.

    Returns
    -------
    float or None
        In cc.
    """
    thickness, area = figure("crown_thickness"), figure("dish_area")
    if thickness is None or not area:
        return None
    left = max(thickness - rules["crown_left"], 0.0)
    return left * area / 1000
