"""Leave stock, measure, cut again: what a plan yields when it waits for a reading before its last cut."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from ..build.model import Build, Operation
from ..stack.results import Source
from ..usual_figures import repeatability
from .draws import Table
from .moves import HAIR, Move
from .results import Results, Wanted, after, gaskets_after, inside, parts_of, swapped_in, totals_of
from .truth import Base, Truth

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
        least, most = (read - self.high).max(axis=1), (read - self.low).min(axis=1)
        bounded = math.isfinite(self.high.min()), math.isfinite(self.low.max())
        if all(bounded):
            asked = (least + most) / 2 + self.aim * self.half
        elif bounded[0]:
            asked = least + (1 + self.aim) * self.half
        elif bounded[1]:
            asked = most - (1 - self.aim) * self.half
        else:
            asked = np.full(len(read), self.leave)
        step, room = self.step, max(self.most, 0.0)
        if not step:
            return np.asarray(np.clip(asked, 0.0, room))
        return np.asarray(np.clip(np.round(asked / step), 0, math.floor(room / step + 1e-9)) * step)


class Policy(NamedTuple):
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


class _Bench:
    """A plan whose decks are cut in two, on one set of draws."""

    def __init__(
        self, truth: Truth, planned: tuple[Operation, ...], wanted: Wanted, cuts: list[_Cut]
    ) -> None:
        self.truth, self.wanted, self.cuts = truth, wanted, cuts
        parts = parts_of(planned)
        self.base: Base = truth.base(parts, swapped=swapped_in(planned))
        self.meant, self.missed = totals_of(truth, planned, missed=False), totals_of(truth, planned)
        self.gasket, self.volume = gaskets_after(truth, planned, self.base)
        self.removed = truth.removed(parts, self.missed.head) if self.missed.head.any() else 0.0
        self.rim = np.maximum(self.missed.crown - self.base.above_rim, 0.0)
        self.uncut = self._found(self.missed.deck)
        self.low, self.high = self._limits()

    def _found(self, decks: Table) -> Results:
        return after(self.base, self.missed._replace(deck=decks), self.gasket, self.volume, self.removed)

    def _limits(self) -> tuple[Table, Table]:
        """Between which clearances each hole is inside its windows, all else as it is believed to be."""
        whole = self.uncut
        closed = (whole.volume - self.base.area * whole.clearance / 1000).mean(axis=0)
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
            low = np.maximum(low, (swept / (wanted.ratio.high - 1) - closed) * 1000 / area)
        if wanted.ratio.low is not None:
            high = np.minimum(high, (swept / (wanted.ratio.low - 1) - closed) * 1000 / area)
        return low, high

    def leaves(self, times: float) -> dict[str, float]:
        """Stock to leave on each bank: so many deviations of what may be asked of the last cut, on a step."""
        out = {}
        for cut in self.cuts:
            before = (
                self.base.clearance[:, cut.columns]
                + self.rim[:, cut.columns]
                - self.missed.deck[:, cut.columns]
            )
            spread = (
                float(np.percentile(before.mean(axis=1), 84) - np.percentile(before.mean(axis=1), 16)) / 2
            )
            step = cut.move.step or 0.01
            wanted = max(math.ceil(times * spread / step - 1e-9), 1) * step
            out[cut.name] = min(
                wanted, math.floor(cut.least / step + 1e-9) * step if cut.move.step else cut.least
            )
        return out

    def chance(self, leave: dict[str, float], aim: float, u: float) -> float:
        """Return the share of draws that end inside."""
        decks = self.missed.deck.copy()
        for cut in self.cuts:
            decks[:, cut.columns] = self._bank(cut, leave[cut.name], aim, u)
        return float(inside(self._found(decks), self.wanted).mean())

    def _bank(self, cut: _Cut, leave: float, aim: float, u: float) -> Table:
        """What comes off a bank in all, in each draw."""
        columns, draws = cut.columns, self.truth.draws
        assert draws is not None
        first = self.missed.deck[:, columns] - leave
        if cut.most - leave < HAIR:
            # Nothing is cut before the reading, so nothing is missed either.
            first = self.meant.deck[:, columns] - leave
        clearance = self.base.clearance[:, columns] + self.rim[:, columns] - first
        read = clearance
        if u:
            read = clearance + u * np.stack([draws.normal(f"~read between {n}") for n in cut.holes], axis=1)
        taken = self.last(cut, leave, aim).taken(read)
        off = self.truth.error(Source(f"~last cut {cut.name}", cut.move.quantity(cut.most)), cut.holes[0])
        return np.asarray(first + (taken + np.where(taken > 0, off, 0.0))[:, None])

    def last(self, cut: _Cut, leave: float, aim: float) -> LastCut:
        """What the last cut of a bank takes."""
        low, high = self.low[cut.columns], self.high[cut.columns]
        before = self.base.clearance[:, cut.columns]
        # With one edge alone: so far inside that it is safely met.
        half = 3 * float(np.median(before.std(axis=1))) + 0.03
        if math.isfinite(low.max()) and math.isfinite(high.min()):
            middle = before - before.mean(axis=1, keepdims=True)
            half = max(float(np.median((middle - low).min(axis=1) - (middle - high).max(axis=1))) / 2, 0.0)
        return LastCut(low, high, aim, half, leave, cut.move.high - (cut.most - leave), cut.move.step)


def policy_of(
    coarse: Truth, planned: tuple[Operation, ...], wanted: Wanted, decks: dict[str, Move], yields: float
) -> Policy | None:
    """Return what a plan yields with a reading between two cuts of its decks; None where it cuts none.

    Parameters
    ----------
    coarse : Truth
        Drawn.
    planned : tuple of Operation
        The plan, in one cut.
    wanted : Wanted
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
    else is as it is believed to be. The clairvoyant reads without doubt.
    """
    cuts = _cuts(coarse.build, planned, decks)
    if not cuts:
        return None
    u = reading_doubt(coarse.build)
    bench = _Bench(coarse, planned, wanted, cuts)
    leave = bench.leaves(_LEAVE)
    share, _, aim = max((bench.chance(leave, aim, u), -abs(aim), aim) for aim in _AIMS)
    sure = max(bench.chance(leave, aim, 0.0), share)
    # What is gained over one cut is seen on the same draws; the plan's own yield is counted on more of them.
    single = float(inside(bench.uncut, wanted).mean())
    chance, clairvoyant = (min(max(yields + one - single, 0.0), 1.0) for one in (share, sure))
    last = {cut.name: bench.last(cut, leave[cut.name], aim) for cut in cuts}
    return Policy(leave, ("deck_clearance",), chance, clairvoyant, last)


def _cuts(build: Build, planned: tuple[Operation, ...], decks: dict[str, Move]) -> list[_Cut]:
    found, start = [], 0
    for bank in build.banks:
        columns = slice(start, start + len(bank.cylinders))
        start += len(bank.cylinders)
        for op in planned:
            if op.op == "deck_cut" and op.acts_on(bank.name, bank.cylinders[0]) and bank.name in decks:
                ends = [q.value for q in (op.first, op.last) if q is not None] or [op.deepest]
                found.append(_Cut(bank.name, columns, bank.cylinders, decks[bank.name], min(ends), max(ends)))
    return found
