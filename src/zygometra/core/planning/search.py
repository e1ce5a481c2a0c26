"""The search for plans: parts and crowns first, then bank by bank, then the banks together.

Jobs (what is fitted, which way the heads lie, how far the crowns are cut) are taken by price and dropped
once the plans found so far cover the least that they would cost. Within a job every bank has its ladder of
points; what all banks come to together is one product of their draws.
"""

# long: one search, from jobs to plans
from __future__ import annotations

import heapq
import itertools
import math
from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..build.lever_table import FIT, SWAP
from ..build.means import FittedPart
from ..build.model import Build, Operation, midway
from ..house_rules import HouseRules
from ..quantity import Quantity, Source
from ..windows import TOLERANCE
from .bank_candidates import (
    SPARSE,
    BankCandidates,
    BankDraws,
    CrownWork,
    DrawnCandidates,
    Ends,
    FittedBank,
    LowerBound,
    UndrawnCandidates,
    taken,
)
from .costs import Costs
from .cut_bank import BankExtremes, MilledVolume, UncutBank, extremes_of
from .decisions import EPSILON, BankDecisions, DecisionSpace, Fitting, FixedDecisions, Move
from .distinct import most_chance
from .figure_samples import FigureSamples, UncutHoles, missed_by
from .pareto import Objectives, ParetoArchive
from .quasi_random import COARSE, QuasiRandomSample, Table
from .results import PlanTargets, wanted_of

# How much of what plans must lie apart the search may use; ladders and the last sorting share the rest.
SEARCHES = 0.5
# Steps of the ladders of crown and bowl, and how often it is refined round what was found.
CROWN_STEPS, BOWL_STEPS, REFINEMENTS = 6, 4, 3
# So many points of a bank meet those of the others.
_MOST_POINTS = 260
# So many pairs of points that must meet are drawn, and so many at once.
_MOST_PAIRS, _BLOCK = 6000, 256
_MOST_FOUND = 40
# So much short of the least yield a plan is near enough to look beside it.
_NEARLY = 0.25


Array = TypeVar("Array", Table, Ends)


class FoundPlan(NamedTuple):
    """A plan that was found: its operations, and what it is weighed by on the coarse draws."""

    planned: tuple[Operation, ...]
    worth: Objectives


class SearchNode(NamedTuple):
    """What is decided before the banks: what is fitted, and what is done to the crowns."""

    fitting: Fitting
    faced: CrownWork


@dataclass
class JointCandidates:
    """Points of several banks together; ``at`` tells which point of each bank, −1 for those to come."""

    at: NDArray[np.int64]
    cost: Table
    metal: Table
    kinds: NDArray[np.int64]
    lead: Table
    gasket: NDArray[np.int64]
    ok: NDArray[np.float32]
    ratio: Table
    gap: Table
    ratio_drawn: Ends
    gap_drawn: Ends


class Search:
    """One search.

    Parameters
    ----------
    build : Build
        With its levers and windows.
    rules : HouseRules
        For floors and limits.
    fixed : FixedDecisions
        What was fixed by hand.
    """

    def __init__(self, build: Build, rules: HouseRules, fixed: FixedDecisions) -> None:
        self.build, self.rules = build, rules
        self.space = DecisionSpace(build, rules, fixed)
        self.costs = Costs(self.space)
        self.wanted: PlanTargets = wanted_of(build, rules)
        self.stated = FigureSamples(build)
        self.draws = QuasiRandomSample(build.planning.seed, COARSE)
        self.drawn = FigureSamples(build, self.draws)
        self.archive = ParetoArchive(build.planning, SEARCHES)
        self.found: list[FoundPlan] = []
        self.surest: FoundPlan | None = None
        self.crown, self.bowl = self.space.crown, self.space.bowl
        self.banks = [self._draws_of(bank) for bank in self.space.banks]
        self._bounds: dict[tuple[int, bool], float] = {}
        self._taken: dict[tuple[int, int], MilledVolume | None] = {}
        self._stand: dict[tuple[int, bool], list[BankCandidates]] = {}
        self._amounts: dict[tuple[str, float], Quantity] = {}
        self._promising: defaultdict[tuple[int, bool], set[CrownWork]] = defaultdict(set)
        self._done: set[tuple[int, bool, float, float]] = set()

    def _draws_of(self, bank: BankDecisions) -> BankDraws:
        return BankDraws(self.space, bank, costs=self.costs, stated=self.stated, drawn=self.drawn)

    def let_go(self) -> None:
        """Give back what the search drew and laid out; what it found stays."""
        for kept in (self._bounds, self._taken, self._stand, self._amounts, self._promising, self._done):
            kept.clear()
        self.drawn, self.banks = self.stated, []

    # -- jobs ------------------------------------------------------------------

    def run(self) -> Iterator[FoundPlan]:
        """Yield plans as they are found; of what was found all counts in the end."""
        counter = itertools.count()
        jobs: list[tuple[float, int, SearchNode | Fitting]] = []
        crowns: dict[tuple[int, bool], tuple[Fitting, list[CrownWork]]] = {}

        def push(job: SearchNode) -> None:
            heapq.heappush(jobs, (self._least(job).cost, next(counter), job))

        # What may be fitted is looked into once its turn has come.
        for fitting in self.space.fittings:
            heapq.heappush(jobs, (self._least(SearchNode(fitting, CrownWork())).cost, next(counter), fitting))
        for round_of in range(REFINEMENTS + 1):
            while jobs:
                job = heapq.heappop(jobs)[2]
                if isinstance(job, SearchNode):
                    yield from self._job(job)
                elif all(
                    ladder.standing.is_known for ladder in self._ladders(job)
                ) and not self._is_dominated(job, self._least(SearchNode(job, CrownWork()))):
                    crowns[_key(job)] = job, self._faced(job)
                    for ladder in self._ladders(job):
                        ladder.lay(crowns[_key(job)][1])
                    for faced in crowns[_key(job)][1]:
                        push(SearchNode(job, faced))
            if (self.crown is None and self.bowl is None) or round_of == REFINEMENTS:
                break
            for fitting, laid in crowns.values():
                fresh = self._between(fitting, laid)
                for ladder in self._ladders(fitting) if fresh else ():
                    ladder.lay(fresh)
                for faced in fresh:
                    push(SearchNode(fitting, faced))

    def _faced(self, fitting: Fitting) -> list[CrownWork]:
        """What may be done to the crowns of a piston set."""
        return [CrownWork(crown, bowl) for bowl in self._bowls(fitting) for crown in self._crowns(fitting)]

    def _bowls(self, fitting: Fitting) -> list[float]:
        """What may be sunk into the crowns of a piston set: nothing, or some of what floors leave."""
        move = self.bowl
        if move is None:
            return [0.0]
        limit = min(move.high, self.space.bowl_floor(_piston(fitting)))
        if not move.may_rest:
            return [move.high] if move.high <= limit + EPSILON else []
        bottom = max(move.low, move.step or EPSILON)
        if limit < bottom - EPSILON:
            return [0.0]
        steps = np.linspace(bottom, max(limit, bottom), BOWL_STEPS)
        return sorted({0.0, *(move.rounded(float(amount), bottom, max(limit, bottom)) for amount in steps)})

    def _crowns(self, fitting: Fitting) -> list[float]:
        """What may come off the crowns of a piston set: nothing, or some of what windows and floors leave."""
        move = self.crown
        if move is None:
            return [0.0]
        limit = self.space.most_off_crown(_piston(fitting))
        out = [0.0] if move.may_rest else []
        if limit < move.low - EPSILON or limit <= 0:
            return out
        if not move.may_rest:
            return [move.high] if move.high <= limit + EPSILON else []
        bottom = max(move.low, move.step or EPSILON)
        ranges = [
            (max(low, bottom), min(high, limit))
            for low, high in _common([ladder.crowns() for ladder in self._ladders(fitting)])
            if max(low, bottom) <= min(high, limit) + TOLERANCE
        ]
        width = math.fsum(high - low for low, high in ranges)
        found = set(out)
        for low, high in ranges:
            steps = max(round(CROWN_STEPS * (high - low) / width), 3) if high > low + EPSILON else 1
            for amount in np.linspace(low, high, steps):
                found.add(move.rounded(float(amount), low, max(high, low)))
        return sorted(found)

    def _between(self, fitting: Fitting, laid: list[CrownWork]) -> list[CrownWork]:
        """Crowns half-way between those that gave plans, or nearly did, and their neighbours."""
        fresh: set[CrownWork] = set()
        for one in self._promising[_key(fitting)]:
            for at, move in enumerate((self.crown, self.bowl)):
                if move is None:
                    continue
                line = sorted({other[at] for other in laid if other[1 - at] == one[1 - at]})
                for low, high in itertools.pairwise(line):
                    if low > 0 and one[at] in (low, high):
                        middle = move.rounded((low + high) / 2, low, high)
                        fresh.add(CrownWork(middle, one.bowl) if at == 0 else CrownWork(one.crown, middle))
        found = sorted(fresh - set(laid))
        laid.extend(found)
        return found

    def _least(self, job: SearchNode) -> Objectives:
        """The least that a job can cost, take and last, and the most that it can yield."""
        bill = self.costs.before_banks(job.fitting, *job.faced)
        return Objectives(bill.cost, bill.metal, bill.days, 1.0)

    def _job(self, job: SearchNode) -> Iterator[FoundPlan]:
        least = self._least(job)
        key = (*_key(job.fitting), *job.faced)
        if key in self._done or self._is_dominated(job.fitting, least):
            return
        self._done.add(key)
        undrawn = self._undrawn(job, least)
        if undrawn is None:
            return
        joint: JointCandidates | None = None
        every: list[DrawnCandidates] = []
        missed = self._missed(job.faced)
        bounds = [_bound_of(one) for one in undrawn]
        for i, (ladder, one) in enumerate(zip(self._ladders(job.fitting), undrawn, strict=True)):
            points = ladder.drawn(one, *missed)
            beside = _together([*bounds[:i], *bounds[i + 1 :]])
            worth = self._worth_joining(points, least, beside, alone=len(undrawn) == 1)
            if worth is None:
                chance = float(points.ok.mean(axis=1).max())
                if chance < self.build.planning.least_yield:
                    self._is_near(job, chance)
                return
            bounds[i] = worth.bound
            every.append(worth)
            joint = self._first(worth, len(undrawn)) if joint is None else self._join(joint, worth, i)
            if joint is None:
                return
        assert joint is not None
        yield from self._weigh(job, joint, every)

    def _is_near(self, job: SearchNode, chance: float) -> None:
        """Note that a plan of a job yields enough, or nearly: between its crown cut and the next more may lie."""
        if chance >= self.build.planning.least_yield - _NEARLY:
            self._promising[_key(job.fitting)].add(job.faced)

    def _is_dominated(self, fitting: Fitting, least: Objectives) -> bool:
        """Whether what was found covers the least that parts take and the most that they can yield."""
        return self.archive.dominates(least) or (
            self.archive.dominates(least._replace(chance=0.0))
            and self.archive.dominates(least._replace(chance=self._bound(fitting)))
        )

    def _undrawn(self, job: SearchNode, least: Objectives) -> list[UndrawnCandidates] | None:
        """The points of every bank that may be part of a plan worth having; None where a bank has none."""
        ladders = self._ladders(job.fitting)
        bounds: list[LowerBound] = []
        for ladder in ladders:
            bound = ladder.bound(job.faced)
            if bound is None:
                return None
            bounds.append(bound)
        found, opened = [], self.costs.besides(job.fitting, *job.faced)
        for i, ladder in enumerate(ladders):
            beside = _together([*bounds[:i], *bounds[i + 1 :]])
            points = ladder.undrawn(job.faced, partial(self._still_worth, least, opened, beside))
            if points is None:
                return None
            bounds[i] = _bound_of(points)
            found.append(points)
        return self._paired(least, opened, found) if len(found) == 2 else found

    def _paired(
        self, least: Objectives, opened: tuple[Table, Table], found: list[UndrawnCandidates]
    ) -> list[UndrawnCandidates] | None:
        """Of the points of two banks those that are worth having with some of the other's."""
        one, other = found
        shape = len(one.cost), len(other.cost)
        kinds = (one.kinds[:, None] | other.kinds).ravel()
        worth = self._still_worth(
            least,
            opened,
            beside=_together([]),
            cost=(one.cost[:, None] + other.cost).ravel(),
            metal=(one.metal[:, None] + other.metal).ravel(),
            kinds=kinds,
            chance=most_chance(np.minimum(one.likely[:, None], other.likely)).ravel(),
        ).reshape(shape)
        ours, theirs = np.nonzero(worth.any(axis=1))[0], np.nonzero(worth.any(axis=0))[0]
        return [one.take(ours), other.take(theirs)] if len(ours) else None

    def _bound(self, fitting: Fitting) -> float:
        """The most that any cut can yield with these parts: the deepest overlap of what draws allow each bank.

        Every draw allows a bank a range of gaps and a range of volumes; nothing can be inside in more
        draws than overlap somewhere.
        """
        key = _key(fitting)
        if key not in self._bounds:
            self._bounds[key] = min(
                self._bank_bound(ladder.standing.drawn, ladder.bank) for ladder in self._ladders(fitting)
            )
        return self._bounds[key]

    def _bank_bound(self, uncut: UncutBank, bank: BankDecisions) -> float:
        """The deepest overlap for one bank, levelled and its chambers alike as far as that can be."""
        # Every fourth point of a lattice is a lattice.
        side = uncut.some(slice(None, None, SPARSE)).cut(np.zeros(1))
        count = len(bank.bank.cylinders)
        clearance = side.clearance
        if bank.levels:
            shares = (np.arange(count) / (count - 1) - 0.5)[:, None]
            wedge = float(np.median((shares * clearance).sum(axis=0) / (shares * shares).sum()))
            clearance = clearance - wedge * shares
        opened = np.zeros((count, 1))
        if bank.opening is not None:
            share = np.median(side.closed / side.swept, axis=1)
            opened = np.maximum((share.max() - share) * np.median(side.swept, axis=1), 0.0)[:, None]
        level = side._replace(clearance=clearance)
        found: BankExtremes = extremes_of(level, self.wanted, np.zeros((count, 1)), opened, kept=False)
        gap = self.wanted.gap
        low = found.most - gap.high if gap.high is not None else np.full(len(found.most), -math.inf)
        high = found.least - gap.low if gap.low is not None else np.full(len(found.most), math.inf)
        across = _grid(low, high)
        down = _grid(found.high, found.low)
        inside_gap = ((across[:, None] >= low) & (across[:, None] <= high)).astype(np.float32)
        inside_volume = ((down[:, None] >= found.high) & (down[:, None] <= found.low)).astype(np.float32)
        depth = float((inside_gap @ inside_volume.T).max()) / len(low)
        # Between the lines of the grid, and of all draws, a little more may lie.
        return min(1.0, depth + 0.03)

    def _missed(self, faced: CrownWork) -> tuple[Table, Table]:
        """What comes off the crowns in each draw, in mm, and what is sunk into them, in cc."""
        out = []
        for op, amount, move in (("crown_cut", faced.crown, self.crown), ("bowl", faced.bowl, self.bowl)):
            off = np.zeros(self.draws.points)
            if amount and move is not None:
                off = amount + self.drawn.error(
                    Source(missed_by(op), move.quantity(amount)), self.build.cylinders[0]
                )
            out.append(off)
        return out[0], out[1]

    def _ladders(self, fitting: Fitting) -> list[BankCandidates]:
        """The banks with what is fitted."""
        key = _key(fitting)
        if key not in self._stand:
            stated, drawn = (
                truth.base(fitting.parts, swapped=fitting.swapped) for truth in (self.stated, self.drawn)
            )
            self._stand[key] = [
                BankCandidates(self._standing(fitting, i, stated, drawn)) for i in range(len(self.banks))
            ]
        return self._stand[key]

    def _standing(self, fitting: Fitting, i: int, stated: UncutHoles, drawn: UncutHoles) -> FittedBank:
        """One bank with what is fitted."""
        shared, bank = self.banks[i], self.space.banks[i]
        deck = bank.deck.high if bank.deck is not None else 1.0
        meant, may_be = (UncutBank.of(base, bank.columns, deck) for base in (stated, drawn))
        return FittedBank(
            shared=shared, wanted=self.wanted, stated=meant, drawn=may_be, taken=self._milling(fitting, i)
        )

    def _milling(self, fitting: Fitting, i: int) -> MilledVolume | None:
        bank = self.space.banks[i]
        if bank.head is None:
            return None
        key = (id(fitting.part) if fitting.part and fitting.part.part.kind == "head" else 0, i)
        if key not in self._taken:
            self._taken[key] = MilledVolume.of(self.stated, fitting.parts, bank.columns, bank.head.high)
        return self._taken[key]

    # -- banks -----------------------------------------------------------------

    def _worth_joining(
        self, points: DrawnCandidates, least: Objectives, beside: LowerBound, *, alone: bool
    ) -> DrawnCandidates | None:
        """The points of a bank that could still be part of a plan worth having."""
        chance = points.ok.mean(axis=1)
        keep = chance > 0
        if not alone:
            keep &= chance >= min(self.build.planning.least_yield, 1.0) - TOLERANCE
        days = np.full(points.size, least.days)
        keep &= ~self.archive.dominated(
            least.cost + beside.cost + points.cost,
            least.metal + beside.metal + points.metal,
            days,
            np.minimum(chance, beside.chance),
        )
        if not keep.any():
            best = int(np.argmax(chance))
            if self.surest is not None and (self.found or chance[best] <= self.surest.worth.chance):
                return None
            keep[best] = True
        points, chance = taken(points, keep), chance[keep]
        if points.size > _MOST_POINTS:
            # Ranks in cost and in chance together: the ends of both stay.
            order = np.argsort(np.argsort(points.cost + points.metal)) - np.argsort(np.argsort(chance))
            points = taken(points, np.argsort(order, kind="stable")[:_MOST_POINTS])
        return points

    def _first(self, points: DrawnCandidates, banks: int) -> JointCandidates:
        at = np.full((points.size, banks), -1)
        at[:, 0] = np.arange(points.size)
        return JointCandidates(
            at=at,
            cost=points.cost,
            metal=points.metal,
            kinds=points.kinds,
            lead=self._lead(points),
            gasket=points.gasket,
            ok=points.ok.astype(np.float32),
            ratio=points.ratio,
            gap=points.gap,
            ratio_drawn=points.ratio_drawn,
            gap_drawn=points.gap_drawn,
        )

    def _lead(self, points: DrawnCandidates) -> Table:
        waits = np.array([*(gasket.days for gasket in self.build.levers.gaskets), 0.0])
        return np.asarray(waits[points.gasket])

    # long: every pair of points and what both come to together
    def _join(self, joint: JointCandidates, points: DrawnCandidates, i: int) -> JointCandidates | None:
        """Every pair of what the banks before come to and a point of the next that are inside together."""
        fits = np.ones((len(joint.cost), points.size), dtype=bool)
        if self.banks[i].one_gasket:
            fits &= joint.gasket[:, None] == points.gasket[None, :]
        for ours, theirs, most in (
            (joint.ratio, points.ratio, self.wanted.ratio_spread),
            (joint.gap, points.gap, self.wanted.quench_spread),
        ):
            if most is not None:
                top = np.maximum(ours[:, None, 1], theirs[None, :, 1])
                bottom = np.minimum(ours[:, None, 0], theirs[None, :, 0])
                fits &= top - bottom <= most + TOLERANCE
        a, b = np.nonzero(fits)
        if not len(a):
            return None
        ok = points.ok.astype(np.float32)
        chance = (joint.ok @ ok.T)[a, b] / self.draws.points
        cost, metal = joint.cost[a] + points.cost[b], joint.metal[a] + points.metal[b]
        last = i == len(self.banks) - 1
        most = _MOST_POINTS if not last else _MOST_PAIRS if self._must_meet else len(a)
        keep = np.arange(len(a))
        if len(a) > most:
            order = np.argsort(np.argsort(cost + metal)) - np.argsort(np.argsort(chance))
            keep = np.argsort(order, kind="stable")[:most]
        a, b = a[keep], b[keep]
        at = joint.at[a].copy()
        at[:, i] = b
        if last and not self._must_meet:
            # Of the last bank only the chance is asked for.
            both = chance[keep][:, None].astype(np.float32)
        elif last:
            both = self._meeting(joint, points, a, b)[:, None]
        else:
            both = joint.ok[a] * ok[b]
        return JointCandidates(
            at=at,
            cost=cost[keep],
            metal=metal[keep],
            kinds=joint.kinds[a] | points.kinds[b],
            lead=np.maximum(joint.lead[a], self._lead(points)[b]),
            gasket=points.gasket[b],
            ok=both,
            ratio=_wider(joint.ratio[a], points.ratio[b]),
            gap=_wider(joint.gap[a], points.gap[b]),
            ratio_drawn=joint.ratio_drawn if last else _wider(joint.ratio_drawn[a], points.ratio_drawn[b]),
            gap_drawn=joint.gap_drawn if last else _wider(joint.gap_drawn[a], points.gap_drawn[b]),
        )

    @property
    def _must_meet(self) -> bool:
        """Whether holes of all banks must be near one another."""
        return self.wanted.ratio_spread is not None or self.wanted.quench_spread is not None

    def _meeting(
        self, joint: JointCandidates, points: DrawnCandidates, a: NDArray[np.int64], b: NDArray[np.int64]
    ) -> NDArray[np.float32]:
        """In how many draws pairs of points are inside and near one another, as a share."""
        chance = np.zeros(len(a), dtype=np.float32)
        for start in range(0, len(a), _BLOCK):
            of, and_ = a[start : start + _BLOCK], b[start : start + _BLOCK]
            ok = (joint.ok[of] > 0) & points.ok[and_]
            for ours, theirs, most in (
                (joint.ratio_drawn, points.ratio_drawn, self.wanted.ratio_spread),
                (joint.gap_drawn, points.gap_drawn, self.wanted.quench_spread),
            ):
                if most is not None:
                    ends = _wider(ours[of], theirs[and_])
                    # Single precision is finer than any draw.
                    ok &= ends[:, 1] - ends[:, 0] <= most + 1e-5
            chance[start : start + _BLOCK] = ok.mean(axis=1)
        return chance

    def _weigh(
        self, job: SearchNode, joint: JointCandidates, every: list[DrawnCandidates]
    ) -> Iterator[FoundPlan]:
        """The plans of a job that are not covered yet, surest first."""
        chance = joint.ok.mean(axis=1).astype(float)
        cost, metal, days = self._whole(job, joint)
        open_ = np.ones(len(cost), dtype=bool)
        for ends, most in ((joint.ratio, self.wanted.ratio_spread), (joint.gap, self.wanted.quench_spread)):
            if most is not None:
                open_ &= ends[:, 1] - ends[:, 0] <= most + TOLERANCE
        least = self.build.planning.least_yield
        open_ &= ~self.archive.dominated(cost, metal, days, chance)
        for _ in range(_MOST_FOUND):
            left = np.nonzero(open_)[0]
            if not len(left):
                return
            best = left[np.lexsort((metal[left], cost[left], -np.round(chance[left], 3)))[0]]
            planned = self._operations(job, joint.at[best], every)
            worth = Objectives(float(cost[best]), float(metal[best]), float(days[best]), float(chance[best]))
            open_[best] = False
            found = FoundPlan(planned, worth)
            if self.surest is None or worth.chance > self.surest.worth.chance:
                self.surest = found
            self._is_near(job, worth.chance)
            if worth.chance < least - TOLERANCE:
                return
            self.archive.add(worth)
            open_ &= ~self.archive.dominated_by(worth, cost, metal=metal, days=days, chance=chance)
            self.found.append(found)
            yield found

    def _still_worth(  # noqa: PLR0913 - a job, then what its points take
        self,
        least: Objectives,
        opened: tuple[Table, Table],
        beside: LowerBound,
        cost: Table,
        metal: Table,
        kinds: NDArray[np.int64],
        chance: Table,
    ) -> NDArray[np.bool_]:
        """Which points of a bank may still be part of a plan that is not covered."""
        whole = least.cost + beside.cost + cost + opened[0][kinds]
        days = least.days + opened[1][kinds]
        chance = np.minimum(chance, beside.chance)
        enough = chance >= (self.build.planning.least_yield - TOLERANCE if self.found else 0.0)
        return enough & ~self.archive.dominated(whole, least.metal + beside.metal + metal, days, chance)

    def _whole(self, job: SearchNode, joint: JointCandidates) -> tuple[Table, Table, Table]:
        """Cost, metal and days of whole plans: with what the job itself takes, set-ups once."""
        least = self._least(job)
        costs, days = self.costs.besides(job.fitting, *job.faced)
        part_lead = job.fitting.part.days if job.fitting.part is not None else 0.0
        lead = np.maximum(joint.lead, part_lead) - part_lead
        return (
            least.cost + joint.cost + costs[joint.kinds],
            least.metal + joint.metal,
            least.days + lead + days[joint.kinds],
        )

    def _operations(
        self, job: SearchNode, at: NDArray[np.int64], every: list[DrawnCandidates]
    ) -> tuple[Operation, ...]:
        """The plan of a job and one point of each bank."""
        planned: list[Operation] = []
        if job.fitting.swapped:
            planned.append(Operation(SWAP))
        if job.fitting.part is not None:
            planned.append(Operation(FIT, part=job.fitting.part.part))
        gaskets = [int(points.gasket[k]) for points, k in zip(every, at, strict=True)]
        listed = self.build.levers.gaskets
        if len(set(gaskets)) == 1 and gaskets[0] >= 0:
            planned.append(Operation("gasket", gasket=listed[gaskets[0]]))
        for bank, points, k, gasket in zip(self.space.banks, every, at, gaskets, strict=True):
            name = bank.bank.name
            if gasket >= 0 and len(set(gaskets)) > 1:
                planned.append(Operation("gasket", name, gasket=listed[gasket]))
            first, last = float(points.first[k]), float(points.last[k])
            if bank.deck is not None and max(first, last) > 0:
                ends = self._amount(bank.deck, first), self._amount(bank.deck, last)
                planned.append(_deck(name, *ends))
            if bank.head is not None and points.head[k] > 0:
                planned.append(
                    Operation("head_cut", name, amount=self._amount(bank.head, float(points.head[k])))
                )
            for number, amount in zip(bank.bank.cylinders, points.opened[k], strict=True):
                if bank.opening is not None and amount > 0:
                    quantity = self._amount(bank.opening, float(amount))
                    planned.append(Operation("open_chamber", cylinder=number, amount=quantity))
        if job.faced.crown and self.crown is not None:
            planned.append(Operation("crown_cut", amount=self._amount(self.crown, job.faced.crown)))
        if job.faced.bowl and self.bowl is not None:
            planned.append(Operation("bowl", amount=self._amount(self.bowl, job.faced.bowl)))
        return tuple(planned)

    def _amount(self, move: Move, value: float) -> Quantity:
        """An amount as it is planned; the same one is read once."""
        key = move.means.op, value
        if key not in self._amounts:
            self._amounts[key] = move.quantity(value)
        return self._amounts[key]


def _piston(fitting: Fitting) -> FittedPart | None:
    """The piston that is fitted; None where the one that is there stays."""
    return fitting.part.part if fitting.part is not None and fitting.part.part.kind == "piston" else None


def _key(fitting: Fitting) -> tuple[int, bool]:
    return id(fitting.part), fitting.swapped


def _common(banks: list[list[tuple[float, float]]]) -> list[tuple[float, float]]:
    """What ranges of several banks have in common, in order."""
    found = banks[0]
    for ranges in banks[1:]:
        pairs = itertools.product(found, ranges)
        both = ((max(a[0], b[0]), min(a[1], b[1])) for a, b in pairs)
        found = [(low, high) for low, high in both if low <= high]
    return sorted(found)


def _together(bounds: list[LowerBound]) -> LowerBound:
    """What several banks take at the least together, and can yield at the most."""
    return LowerBound(
        math.fsum(bound.cost for bound in bounds),
        math.fsum(bound.metal for bound in bounds),
        min((bound.chance for bound in bounds), default=1.0),
    )


def _wider(ours: Array, theirs: Array) -> Array:
    """The least of two leasts and the most of two mosts, along the second axis."""
    return np.stack([np.minimum(ours[:, 0], theirs[:, 0]), np.maximum(ours[:, 1], theirs[:, 1])], axis=1)


def _bound_of(points: UndrawnCandidates) -> LowerBound:
    """The least that points take, and the most that they can yield."""
    return LowerBound(
        float(points.cost.min()), float(points.metal.min()), float(most_chance(points.likely).max())
    )


def _deck(bank: str, first: Quantity, last: Quantity) -> Operation:
    if abs(first.value - last.value) < EPSILON:
        return Operation("deck_cut", bank, amount=first)
    return Operation("deck_cut", bank, amount=midway(first, last), first=first, last=last)


def _grid(low: Table, high: Table) -> Table:
    """Places between the ends of ranges: where most of them overlap."""
    ends = [
        float(np.percentile(edge, share)) for edge, share in ((low, 99), (high, 1)) if math.isfinite(edge[0])
    ]
    if not ends:
        return np.zeros(1)
    if len(ends) == 1:
        return np.array(ends)
    spread = float(np.std(low)) + float(np.std(high)) + abs(ends[1] - ends[0])
    return np.linspace(min(ends) - spread, max(ends) + spread, 41)
