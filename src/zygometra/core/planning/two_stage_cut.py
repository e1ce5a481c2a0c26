"""Leave stock, measure, cut again: what a plan yields when it waits for a reading before its last cut."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..build.model import Build, Operation
from ..quantity import Source
from ..stack.arithmetic import cc_per_mm, clearance_volume_for, cylinder_volume
from ..stack.kernel import chord
from ..usual_figures import repeatability
from ..windows import TOLERANCE
from .decisions import EPSILON, Move
from .figure_samples import FigureSamples, UncutHoles
from .quasi_random import Table
from .results import (
    PlanTargets,
    SampledResults,
    after,
    gaskets_after,
    inside,
    parts_of,
    swapped_in,
    totals_of,
)

# Where in the room that is left the last cut aims: from the middle, in halves of the room.
_AIMS = (0.0, -0.3, 0.3)
# How much stock is left, in standard deviations of what the last cut will be asked to take.
_LEAVE = 3.0


class LastCut(NamedTuple):
    """What the last cut of a bank takes, from the readings of its holes alone.

    ``low`` and ``high`` are between which clearances each hole is inside its windows, ``aim`` how far from the
    middle of the room that is left the cut aims in halves of it, ``half`` that half where only one edge is
    known; ``leave`` is taken where nothing is asked, ``most`` is what the limit leaves. In mm.
    """

    low: Table
    high: Table
    aim: float
    half: float
    leave: float
    most: float
    step: float

    def taken(self, read: Table) -> Table:
        """Return what the last cut takes, in mm.

        Parameters
        ----------
        read : array
            Deck clearance of each hole after the first cut in mm, a row for each case.
        """
        return self.taken_between(*self.bounds(read))

    def bounds(self, read: Table) -> tuple[Table, Table]:
        """Return the least that brings every hole under its upper limit, and the most that keeps all over the lower.

        Parameters
        ----------
        read : array
            Deck clearance of each hole in mm, a row for each case.
        """
        return (read - self.high).max(axis=1), (read - self.low).min(axis=1)

    def taken_between(self, least: Table, most: Table) -> Table:
        """Return what the last cut takes, in mm (trade.md 11).

        Parameters
        ----------
        least, most : array
            What :meth:`bounds` gave.
        """
        bounded = math.isfinite(self.high.min()), math.isfinite(self.low.max())
        if all(bounded):
            asked = (least + most) / 2 + self.aim * self.half
        elif bounded[0]:
            asked = least + (1 + self.aim) * self.half
        elif bounded[1]:
            asked = most - (1 - self.aim) * self.half
        else:
            asked = np.full(len(least), self.leave)
        step, room = self.step, max(self.most, 0.0)
        if not step:
            return np.asarray(np.clip(asked, 0.0, room))
        return np.asarray(np.clip(np.round(asked / step), 0, math.floor(room / step + 1e-9)) * step)


class TwoStageCut(NamedTuple):
    """A deck cut in two: ``leave`` by bank in mm, read, then what the reading asks.

    ``chance`` that all ends inside, ``clairvoyant`` the same with a reading without doubt; ``last`` tells by bank
    what the last cut takes.
    """

    leave: dict[str, float]
    read: tuple[str, ...]
    chance: float
    clairvoyant: float
    last: dict[str, LastCut]


def reading_doubt(build: Build) -> float:
    """Return how well a deck clearance is read between two cuts, a standard uncertainty in mm.

    Parameters
    ----------
    build : Build
        Its own figure, else the house's usual repeatability.
    """
    own = build.planning.reading_u
    return repeatability("deck_clearance") if own is None else own


class _Cut(NamedTuple):
    """A bank whose deck is cut: its holes, its lever, what the plan takes at its shallower and deeper end."""

    name: str
    columns: slice
    holes: tuple[int, ...]
    move: Move
    least: float
    most: float


class _Room(NamedTuple):
    """How much more a bank may be cut in each draw, at the least and at the most, to be inside its windows; in mm."""

    least: Table
    most: Table

    def holds(self, more: Table | float) -> NDArray[np.bool_]:
        """Tell in which draws so much more is inside."""
        return np.asarray((self.least <= more + TOLERANCE) & (more <= self.most + TOLERANCE))


class _Bench:
    """A plan whose decks are cut in two, on one set of draws."""

    def __init__(
        self, truth: FigureSamples, planned: tuple[Operation, ...], wanted: PlanTargets, cuts: list[_Cut]
    ) -> None:
        self.truth, self.wanted, self.cuts = truth, wanted, cuts
        parts = parts_of(planned)
        self.base: UncutHoles = truth.base(parts, swapped=swapped_in(planned))
        self.meant, self.missed = totals_of(truth, planned, missed=False), totals_of(truth, planned)
        self.pocket = self.base.pocket
        if self.base.edge is not None:
            self.pocket = self.pocket + chord(self.base.edge, max(float(self.meant.deck.max()), 0.01))
        self.gasket, self.volume = gaskets_after(truth, planned, self.base)
        self.removed = truth.removed(parts, self.missed.head) if self.missed.head.any() else 0.0
        self.uncut = self._found(self.missed.deck)
        self.low, self.high = self._limits()
        self.rooms = [self._room(cut.columns) for cut in cuts]
        # What no deck cut reaches is inside or not.
        holes = {hole for cut in cuts for hole in cut.holes}
        others = [i for i, number in enumerate(truth.holes) if number not in holes]
        self.still = self._room(others).holds(0.0) if others else np.ones(truth.rows, dtype=bool)
        self._bounds: dict[tuple[str, float], tuple[Table, Table]] = {}
        self._halves = {cut.name: self._half(cut) for cut in cuts}

    def _room(self, columns: slice | list[int]) -> _Room:
        """How much more may come off some holes, in each draw."""
        found, wanted = self.uncut, self.wanted
        low, high = [], []
        for values, window in ((found.quench, wanted.gap), (found.clearance, wanted.clearance)):
            if window.high is not None:
                low.append(values[:, columns].max(axis=1) - window.high)
            if window.low is not None:
                high.append(values[:, columns].min(axis=1) - window.low)
        full, swept = found.volume[:, columns], self.base.swept[:, columns]
        per_mm = cc_per_mm(self.base.area[:, columns] + self.pocket[:, columns])
        if wanted.ratio.low is not None:
            low.append(((full - clearance_volume_for(swept, wanted.ratio.low)) / per_mm).max(axis=1))
        if wanted.ratio.high is not None:
            high.append(((full - clearance_volume_for(swept, wanted.ratio.high)) / per_mm).min(axis=1))
        known = np.where(np.isnan(full).any(axis=1), math.nan, 0.0)
        return _Room(
            np.maximum.reduce([known - math.inf, *low]), np.minimum.reduce([known + math.inf, *high])
        )

    def _found(self, decks: Table) -> SampledResults:
        return after(
            self.base,
            self.missed._replace(deck=decks),
            thickness=self.gasket,
            gasket_volume=self.volume,
            removed=self.removed,
        )

    def _limits(self) -> tuple[Table, Table]:
        """Between which clearances each hole is inside its windows, all else as it is believed to be."""
        whole = self.uncut
        closed = (whole.volume - cylinder_volume(self.base.area, whole.clearance)).mean(axis=0)
        thickness, area, swept = (t.mean(axis=0) for t in (self.gasket, self.base.area, self.base.swept))
        wanted = self.wanted
        low, high = np.full(len(area), -math.inf), np.full(len(area), math.inf)
        if wanted.gap.low is not None:
            low = np.maximum(low, wanted.gap.low - thickness)
        if wanted.gap.high is not None:
            high = np.minimum(high, wanted.gap.high - thickness)
        if wanted.clearance.low is not None:
            low = np.maximum(low, wanted.clearance.low)
        if wanted.clearance.high is not None:
            high = np.minimum(high, wanted.clearance.high)
        if wanted.ratio.high is not None:
            low = np.maximum(low, (clearance_volume_for(swept, wanted.ratio.high) - closed) * 1000 / area)
        if wanted.ratio.low is not None:
            high = np.minimum(high, (clearance_volume_for(swept, wanted.ratio.low) - closed) * 1000 / area)
        return low, high

    def leaves(self, times: float) -> dict[str, float]:
        """Stock to leave on each bank: so many deviations of what may be asked of the last cut, on a step."""
        out = {}
        for cut in self.cuts:
            low, high = np.percentile(self.uncut.clearance[:, cut.columns].mean(axis=1), (16, 84))
            step = cut.move.step or 0.01
            wanted = max(math.ceil(times * float(high - low) / 2 / step - 1e-9), 1) * step
            out[cut.name] = min(
                wanted, math.floor(cut.least / step + 1e-9) * step if cut.move.step else cut.least
            )
        return out

    def chance(self, leave: dict[str, float], aim: float, u: float) -> float:
        """Return the share of draws that end inside."""
        more = [self._more(cut, leave[cut.name], aim, u) for cut in self.cuts]
        if self.wanted.ratio_spread is None and self.wanted.quench_spread is None:
            ok = self.still
            for room, one in zip(self.rooms, more, strict=True):
                ok = ok & room.holds(one)
            return float(ok.mean())
        return float(inside(self.after(more), self.wanted).mean())

    def after(self, more: list[Table]) -> SampledResults:
        """Return what holes come to when banks are cut so much more than in one cut, in mm."""
        decks = self.missed.deck.copy(order="F")
        for cut, one in zip(self.cuts, more, strict=True):
            decks[:, cut.columns] += one[:, None]
        return self._found(decks)

    def _more(self, cut: _Cut, leave: float, aim: float, u: float) -> Table:
        """How much more comes off a bank in two cuts than in one, in each draw."""
        first = np.full(self.truth.rows, -leave)
        if cut.most - leave < EPSILON:
            # Nothing is cut before the reading, so nothing is missed either.
            at = cut.columns.start
            first = first + self.meant.deck[:, at] - self.missed.deck[:, at]
        least, most = self._read(cut, u)
        taken = self.last(cut, leave, aim).taken_between(least - first, most - first)
        off = self.truth.error(Source(f"~last cut {cut.name}", cut.move.quantity(cut.most)), cut.holes[0])
        return np.asarray(first + taken + np.where(taken > 0, off, 0.0))

    def _read(self, cut: _Cut, u: float) -> tuple[Table, Table]:
        """What readings of a bank would bound its last cut by, had all been cut at once."""
        key = cut.name, u
        if key not in self._bounds:
            read, draws = self.uncut.clearance[:, cut.columns], self.truth.draws
            assert draws is not None
            if u:
                read = read + u * np.stack([draws.normal(f"~read between {n}") for n in cut.holes]).T
            self._bounds[key] = self.last(cut, 0.0, 0.0).bounds(read)
        return self._bounds[key]

    def last(self, cut: _Cut, leave: float, aim: float) -> LastCut:
        """What the last cut of a bank takes."""
        low, high = self.low[cut.columns], self.high[cut.columns]
        most = cut.move.high - (cut.most - leave)
        return LastCut(
            low=low,
            high=high,
            aim=aim,
            half=self._halves[cut.name],
            leave=leave,
            most=most,
            step=cut.move.step,
        )

    def _half(self, cut: _Cut) -> float:
        """Half of the room that the last cut is left; with one edge alone so far inside that it is safely met."""
        low, high = self.low[cut.columns], self.high[cut.columns]
        before = self.base.clearance[:, cut.columns]
        if math.isfinite(low.max()) and math.isfinite(high.min()):
            middle = before - before.mean(axis=1, keepdims=True)
            room = (middle - low).min(axis=1) - (middle - high).max(axis=1)
            return max(float(np.median(room)) / 2, 0.0)
        return 3 * float(np.median(before.std(axis=1))) + 0.03


def two_stage_cut(
    coarse: FigureSamples,
    planned: tuple[Operation, ...],
    wanted: PlanTargets,
    decks: dict[str, Move],
    yields: float,
) -> TwoStageCut | None:
    """Return what a plan yields with a reading between two cuts of its decks; None where it cuts none, or loses by it.

    Parameters
    ----------
    coarse : FigureSamples
        Drawn.
    planned : tuple of Operation
        The plan, in one cut.
    wanted : PlanTargets
        The windows.
    decks : dict
        The deck lever of each bank, by name.
    yields : float
        What the plan yields in one cut, a share of 1; no unit.

    Notes
    -----
    After the first cut every hole of a bank is read, each with a doubt of its own. The last cut is chosen from
    these readings alone: it takes the middle between the least that brings every hole under its upper
    limit and the most that keeps every hole over its lower one, on a multiple of the step, nought or more,
    within the limit, and is missed by its own tolerance. A hole's limits are what its windows leave when all
    else is as it is believed to be. The clairvoyant reads without doubt. Where the reading is worse than what was
    known before it, who follows it loses: then one cut is the better way, and there is no policy.
    See trade.md 11.
    """
    cuts = _cuts(coarse.build, planned, decks)
    if not cuts:
        return None
    u = reading_doubt(coarse.build)
    bench = _Bench(coarse, planned, wanted, cuts)
    leave = bench.leaves(_LEAVE)
    share, _, aim = max((bench.chance(leave, aim, u), -abs(aim), aim) for aim in _AIMS)
    single = float(inside(bench.uncut, wanted).mean())
    if share < single:
        return None
    sure = max(bench.chance(leave, aim, 0.0), share)
    # What is gained over one cut is seen on the same draws; the plan's own yield is counted on more of them.
    chance, clairvoyant = (min(max(yields + one - single, 0.0), 1.0) for one in (share, sure))
    last = {cut.name: bench.last(cut, leave[cut.name], aim) for cut in cuts}
    return TwoStageCut(
        leave=leave, read=("deck_clearance",), chance=chance, clairvoyant=clairvoyant, last=last
    )


def _cuts(build: Build, planned: tuple[Operation, ...], decks: dict[str, Move]) -> list[_Cut]:
    found, start = [], 0
    for bank in build.banks:
        columns = slice(start, start + len(bank.cylinders))
        start += len(bank.cylinders)
        for op in planned:
            if op.op == "deck_cut" and op.acts_on(bank.name, bank.cylinders[0]) and bank.name in decks:
                ends = [q.value for q in (op.first, op.last) if q is not None] or [op.deepest]
                found.append(
                    _Cut(
                        name=bank.name,
                        columns=columns,
                        holes=bank.cylinders,
                        move=decks[bank.name],
                        least=min(ends),
                        most=max(ends),
                    )
                )
    return found
