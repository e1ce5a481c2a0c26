"""What a plan comes to in every hole and every draw, and whether that is inside the windows.

The same arithmetic as the evaluation of a hole, for columns of draws.
"""

from __future__ import annotations

import math
from collections import Counter
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from ..build.lever_table import SWAP
from ..build.means import FittedPart
from ..build.model import Build, Operation
from ..house_rules import HouseRules
from ..quantity import Source
from ..stack.arithmetic import ratio_of
from ..stack.fitting import with_gasket
from ..stack.kernel import closed_by, flat_cut, with_crown_cut, with_deck_cut
from ..windows import TOLERANCE, Window
from .figure_samples import FigureSamples, UncutHoles, gasket_tables, missed_by
from .quasi_random import Table

if TYPE_CHECKING:
    from numpy.typing import NDArray


class SampledResults(NamedTuple):
    """Every hole in every draw: clearance and quench in mm, clearance volume in cc, ratio."""

    clearance: Table
    quench: Table
    volume: Table
    ratio: Table


class PlanTargets(NamedTuple):
    """The windows of a plan and the floor that nothing is planned below.

    Lengths in mm. ``quench`` as it was asked; ``floor`` is the house's for the rods in use.
    """

    ratio: Window
    quench: Window
    clearance: Window
    ratio_spread: float | None
    quench_spread: float | None
    floor: float

    @property
    def gap(self) -> Window:
        """The window of the quench, no lower than the floor; in mm."""
        return self.quench.over_floor(self.floor)


def wanted_of(build: Build, rules: HouseRules) -> PlanTargets:
    """Return what a build asks of a plan.

    Parameters
    ----------
    build : Build
        With its targets.
    rules : HouseRules
        For the floor.
    """
    targets = build.targets
    return PlanTargets(
        ratio=targets.compression_ratio,
        quench=targets.quench,
        clearance=targets.deck_clearance,
        ratio_spread=targets.ratio_spread,
        quench_spread=targets.quench_spread,
        floor=rules.quench_floor(build.rod_material),
    )


class Totals(NamedTuple):
    """What a plan takes in every hole, misses included: mm of deck, head and crown, cc of chamber and bowl."""

    deck: Table
    head: Table
    crown: Table
    opened: Table


def totals_of(truth: FigureSamples, planned: tuple[Operation, ...], *, missed: bool = True) -> Totals:
    """Return what a plan takes in every hole.

    Parameters
    ----------
    truth : FigureSamples
        For its draws and holes.
    planned : tuple of Operation
        The plan.
    missed : bool
        False for the amounts as they are meant.
    """
    shape = truth.rows, len(truth.holes)
    # What a plan does not do takes no room either.
    at = {
        op: np.zeros(shape, order="F")
        if any(one.op == op and one.amount is not None for one in planned)
        else np.broadcast_to(0.0, shape)
        for op in ("deck_cut", "head_cut", "crown_cut", "open_chamber", "bowl")
    }
    for op, name in zip(planned, _names(planned), strict=True):
        if op.amount is None:
            continue
        column, shared = 0, None
        for bank in truth.build.banks:
            for place, number in enumerate(bank.cylinders):
                if op.acts_on(bank.name, number):
                    amount = op.at(place, len(bank.cylinders), number).amount
                    assert amount is not None
                    off: Table | float = 0.0
                    if missed:
                        # One operation misses alike in every hole, unless each differs.
                        if shared is None or amount.each:
                            shared = truth.error(Source(name, amount), number)
                        off = shared
                    at[op.op][:, column] += amount.value + off
                column += 1
    opened = at["open_chamber"] + at["bowl"] if at["bowl"].any() else at["open_chamber"]
    return Totals(at["deck_cut"], at["head_cut"], at["crown_cut"], opened)


def _names(planned: tuple[Operation, ...]) -> list[str]:
    """What names the miss of each operation: a second one of a lever at one place misses by itself."""
    found, seen = list[str](), Counter[str]()
    for op in planned:
        name = missed_by(op.op, op.bank, op.cylinder)
        seen[name] += 1
        found.append(name if seen[name] == 1 else f"{name}, {seen[name]}")
    return found


def results(truth: FigureSamples, planned: tuple[Operation, ...]) -> SampledResults:
    """Return what a plan comes to.

    Parameters
    ----------
    truth : FigureSamples
        Drawn, or the stated values.
    planned : tuple of Operation
        The whole plan; what the build itself plans does not count.
    """
    parts = parts_of(planned)
    base = truth.base(parts, swapped=swapped_in(planned))
    thickness, volume = gaskets_after(truth, planned, base)
    totals = totals_of(truth, planned)
    removed = truth.removed(parts, totals.head) if totals.head.any() else 0.0
    return after(base, totals, thickness=thickness, gasket_volume=volume, removed=removed)


def after(
    base: UncutHoles, totals: Totals, thickness: Table, gasket_volume: Table, removed: Table | float
) -> SampledResults:
    """Return what holes come to once cut.

    Parameters
    ----------
    base : UncutHoles
        Before.
    totals : Totals
        What is taken.
    thickness, gasket_volume : array
        Of the gasket, in mm and cc.
    removed : array or float
        What milling the head takes from each chamber, in cc.
    """
    h = base.hole
    if totals.crown.any():
        h = with_crown_cut(h, flat_cut(h.shape, totals.crown))
    # What is not done is not added: tables are large.
    if not isinstance(removed, float):
        h = h._replace(chamber=h.chamber - removed)
    if totals.opened.any():
        h = h._replace(chamber=h.chamber + totals.opened)
    h = with_deck_cut(h, totals.deck)
    clearance, quench, full = closed_by(h, thickness, gasket_volume)
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = np.where(full > 0, ratio_of(base.swept, full), math.nan)
    return SampledResults(clearance, quench, full, ratio)


def parts_of(planned: tuple[Operation, ...]) -> tuple[FittedPart, ...]:
    """Return the parts that a plan fits.

    Parameters
    ----------
    planned : tuple of Operation
        The plan.
    """
    return tuple(op.part for op in planned if op.part is not None)


def swapped_in(planned: tuple[Operation, ...]) -> bool:
    """Tell whether a plan leaves the heads side for side.

    Parameters
    ----------
    planned : tuple of Operation
        The plan.
    """
    return sum(op.op == SWAP for op in planned) % 2 == 1


def gaskets_after(
    truth: FigureSamples, planned: tuple[Operation, ...], base: UncutHoles
) -> tuple[Table, Table]:
    """Return thickness and volume of the gaskets that a plan leaves in, in mm and cc.

    Parameters
    ----------
    truth : FigureSamples
        Where figures are drawn.
    planned : tuple of Operation
        The plan.
    base : UncutHoles
        With the gaskets that are there.
    """
    names = _names(planned)
    fitted = [(name, op) for name, op in zip(names, planned, strict=True) if op.gasket is not None]
    if not fitted:
        return base.gasket, base.gasket_volume
    key = tuple((name, op.bank, op.cylinder, id(op.gasket)) for name, op in fitted)
    if key in truth.gaskets:
        return truth.gaskets[key][:2]
    sources = dict(truth.sources)
    for name, op in fitted:
        assert op.gasket is not None
        for bank in truth.build.banks:
            for number in bank.cylinders:
                if op.acts_on(bank.name, number):
                    sources[number] = with_gasket(sources[number], name, op.gasket, number)
    tables = gasket_tables(truth, sources)
    # The gaskets stay with their tables: no other may come to have their place in memory.
    truth.gaskets[key] = *tables, [op.gasket for _, op in fitted]
    return tables


def inside(found: SampledResults, wanted: PlanTargets) -> NDArray[np.bool_]:
    """Return in which draws every hole is inside every window and spread; no unit.

    Parameters
    ----------
    found : SampledResults
        Of a plan.
    wanted : PlanTargets
        Its windows; the floor counts as an edge.
    """
    ok = ~np.isnan(found.volume).any(axis=1)
    for values, window in (
        (found.ratio, wanted.ratio),
        (found.quench, wanted.gap),
        (found.clearance, wanted.clearance),
    ):
        if window.low is not None:
            ok &= ~(values < window.low - TOLERANCE).any(axis=1)
        if window.high is not None:
            ok &= ~(values > window.high + TOLERANCE).any(axis=1)
        if window.is_bounded:
            ok &= ~np.isnan(values).any(axis=1)
    for values, most in ((found.ratio, wanted.ratio_spread), (found.quench, wanted.quench_spread)):
        if most is not None:
            ok &= values.max(axis=1) - values.min(axis=1) <= most + TOLERANCE
    return np.asarray(ok)


def floor_risk(found: SampledResults, wanted: PlanTargets) -> float:
    """Return the share of draws in which some hole comes under the floor of the quench; 1 is all, no unit.

    Parameters
    ----------
    found : SampledResults
        Of a plan.
    wanted : PlanTargets
        For the floor.
    """
    return float((found.quench < wanted.floor - TOLERANCE).any(axis=1).mean())
